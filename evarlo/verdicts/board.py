"""The verdict board: what the rule suggests, what earlier seasons said, what the person said, and what a signature stood on."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

from evarlo.compare.analysis import Comparison, EntryResult
from evarlo.compare.honest import honestly
from evarlo.compare.queries import compare_plots, guard_of
from evarlo.nursery.audit import Difference, besides_of
from evarlo.people.permissions import allowed
from evarlo.trials.models import Criterion, Entry, Trial
from evarlo.trials.queries import entry_names, names_shown, plots_of
from evarlo.trials.registry import Judging
from evarlo.verdicts.ahead import outlooks_of, retest_of
from evarlo.verdicts.models import Opinion, Preference, SignedBoard
from evarlo.verdicts.seasons import Year, judging_of, years_of
from evarlo.verdicts.words import reason_in_words, years_in_words
from trialcore.analyses.blocks import EntryMean
from trialcore.inference.another_season import Outlook
from trialcore.inference.comparisons import chance_above
from trialcore.inference.verdict import Evidence, Suggestion, Verdict, held_by, suggest


@dataclass(frozen=True)
class CriterionFigure:
    """An entry on one criterion, ready to print. `kept` is what it is expected to keep of its lead (as measured where nothing is
    shrunken) with the standard error of that; all turned so that more is better."""

    criterion: Criterion
    mean: float | None
    better_by: float | None
    chance: float | None
    digits: int
    word: str = ""  # how it stands to the check, by its chance
    kept: float | None = None
    se: float | None = None
    critical: float = 1.96


@dataclass(frozen=True)
class BoardLine:
    entry: Entry
    name: str
    figures: tuple[CriterionFigure, ...]
    suggestion: Suggestion | None  # None for the check
    reasons: tuple[str, ...]
    opinion: Opinion | None
    besides: tuple[Difference, ...] = ()  # in what it differs from the check besides its name
    fewer: str = ""  # plots left of plots laid out, where some were lost
    years: tuple[Year, ...] = ()
    remembered: str = ""  # what earlier seasons said of it, in words
    for_some: tuple[Opinion, ...] = ()
    preferred: tuple[Preference, ...] = ()
    outlook: Outlook | None = None

    @property
    def verdict(self) -> str:
        """The person's verdict, else what is suggested; empty for the check."""
        if self.opinion:
            return self.opinion.verdict
        return self.suggestion.verdict.value if self.suggestion else ""

    @property
    def differs(self) -> bool:
        return bool(self.opinion and self.suggestion and self.opinion.verdict != self.suggestion.verdict.value)


@dataclass(frozen=True)
class Board:
    trial: Trial
    judging: Judging
    criteria: tuple[Criterion, ...]
    comparisons: tuple[Comparison, ...]
    lines: tuple[BoardLine, ...]
    signed: SignedBoard | None
    changes: tuple[str, ...]  # plots whose values differ from those signed on
    years: tuple[str, ...] = ()  # the trials of the earlier seasons, in words

    @property
    def leading(self) -> Comparison | None:
        """The comparison of the first criterion."""
        return self.comparisons[0] if self.comparisons else None

    @property
    def rested_on(self) -> list[str]:
        """The seasons before this one that are in the chances of the first criterion."""
        return list(self.leading.honest.seasons) if self.leading and self.leading.honest else []


def board_of(trial: Trial, user: Any) -> Board:
    """The board of a trial as the data stand now, and the last signature with what has changed since."""
    criteria = list(trial.criteria.select_related("trait"))
    plots = plots_of(trial)
    names = entry_names(trial, user)
    judging = judging_of(trial)
    comparisons = [honestly(compare_plots(trial, c.trait, plots, names, guard_of(trial))) for c in criteria]
    besides = besides_of(trial, allowed(user, "see_names"))
    said = opinions_of(trial)
    preferred = list(Preference.objects.in_force().filter(entry__trial=trial).select_related("entry", "over", "by"))
    titles, years = years_of(trial) if names_shown(trial, user) else ([], {})  # what a code was before would tell its name
    signed = trial.boards.select_related("by", "second_by").last()
    lines = []
    for result in comparisons[0].results if comparisons else ():
        pk = result.entry.pk
        line = _line(result, criteria, comparisons, judging, besides.get(result.entry.code, ()), said.get(pk, {}))
        own = tuple(years.get(result.entry.cultivar.known_as, [Year(t, "", "", check=False) for t in titles]))
        lines.append((line, own, tuple(p for p in preferred if pk in (p.entry_id, p.over_id))))
    retest = retest_of(trial, comparisons)
    ahead = outlooks_of([line for line, _, _ in lines], criteria, comparisons, judging, retest) if retest else {}
    changes = tuple(_changes(signed.stood_on, stands_on(comparisons))) if signed else ()
    finished = tuple(_finished(*line, ahead) for line in lines)
    return Board(trial, judging, tuple(criteria), tuple(comparisons), finished, signed, changes, tuple(titles))


def opinions_of(trial: Trial) -> dict[int, dict[str, Opinion]]:
    """The newest opinion in force of each entry (by id), by for whom it is."""
    found: dict[int, dict[str, Opinion]] = {}
    for o in Opinion.objects.in_force().filter(entry__trial=trial).select_related("by"):
        found.setdefault(o.entry_id, {})[o.whom] = o
    return found


def _finished(
    line: BoardLine, years: tuple[Year, ...], preferred: tuple[Preference, ...], ahead: Mapping[int, Outlook]
) -> BoardLine:
    return replace(line, years=years, remembered=years_in_words(years), preferred=preferred, outlook=ahead.get(line.entry.pk))


def _line(
    result: EntryResult,
    criteria: list[Criterion],
    comparisons: list[Comparison],
    judging: Judging,
    besides: tuple[Difference, ...],
    said: Mapping[str, Opinion],
) -> BoardLine:
    entry = result.entry
    figures, evidence = [], []
    for criterion, comparison in zip(criteria, comparisons, strict=True):
        own = next(s for s in comparison.results if s.entry.pk == entry.pk)
        figures.append(figure_of(own, criterion, comparison))
        evidence.append(evidence_of(own, criterion, comparison))
    if entry.any_check:
        return BoardLine(entry, result.name, tuple(figures), None, (), None)
    suggestion = held_by(suggest(evidence, judging.rule), [b.said for b in besides if b.holds])
    reasons = tuple(reason_in_words(r, criteria, judging.rule) for r in suggestion.reasons)
    for_some = tuple(o for whom, o in said.items() if whom)
    fewer = comparisons[0].fewer.get(entry.pk, "")
    return BoardLine(entry, result.name, tuple(figures), suggestion, reasons, said.get(""), besides, fewer, for_some=for_some)


def figure_of(own: EntryResult, criterion: Criterion, comparison: Comparison) -> CriterionFigure:
    """How an entry stands on one criterion."""
    d = own.difference
    better = criterion.sign * d.estimate if d else None
    kept, se = better, d.se if d else None
    critical = (own.half or 0.0) / d.se if d and d.se else 1.96
    if comparison.honest and own.kept is not None:
        found = comparison.honest.advantage(own)
        if found is not None:
            kept, se, critical = found.kept, found.variance**0.5, 1.96
    return CriterionFigure(criterion, own.mean.lsmean, better, own.chance, comparison.digits, own.expected, kept, se, critical)


def evidence_of(own: EntryResult, criterion: Criterion, comparison: Comparison) -> Evidence:
    """What the rule asks of an entry on one criterion."""
    d = own.difference
    return Evidence(
        criterion.trait.name,
        criterion.sign * d.estimate if d else None,
        d.se * own.widened if d else None,
        d.df if d else None,
        criterion.matters,
        chance_of_failing(criterion, own.mean, comparison),
        comparison.honest.prospect(own) if comparison.honest else None,
        behind_of(own, criterion, comparison),
    )


def behind_of(own: EntryResult, criterion: Criterion, comparison: Comparison) -> int:
    """In how many seasons in a row, this one with them, an entry was measured behind the check."""
    if own.difference is None or criterion.sign * own.difference.estimate >= 0:
        return 0
    count = 1
    if comparison.honest:
        name = str(own.entry.cultivar.known_as)
        for season in reversed(comparison.honest.means[:-1]):
            if name in season.entries:
                if season.means[season.entries.index(name)] >= season.check:
                    break
                count += 1
    return count


def chance_of_failing(criterion: Criterion, mean: EntryMean, comparison: Comparison) -> float | None:
    """How likely an entry's true mean lies on the wrong side of what it must have; None where nothing is asked or known."""
    df = comparison.analysis.df_error
    if criterion.must is None or mean.lsmean is None or not mean.se or df < 1:
        return None
    return chance_above(criterion.sign * (criterion.must - mean.lsmean), mean.se, df)


def stands_on(comparisons: tuple[Comparison, ...] | list[Comparison]) -> dict[str, dict[str, float | str]]:
    """Every value the board rests on: trait key, then plot number, then the value or why there is none."""
    return {c.trait.key: {p.plot.number: p.value if p.value is not None else p.left_out for p in c.plots} for c in comparisons}


def _changes(then: dict[str, dict[str, Any]], now: dict[str, dict[str, Any]]) -> list[str]:
    """What differs between the data signed on and the data as they are."""
    said = []
    for key in then.keys() | now.keys():
        before, after = then.get(key, {}), now.get(key, {})
        for plot in sorted(before.keys() | after.keys()):
            was, now_is = before.get(plot), after.get(plot)
            said += [f"plot {plot}: {_shown(was)} → {_shown(now_is)}"] if was != now_is else []
    return sorted(said)


def _shown(value: Any) -> str:
    return f"{value:g}" if isinstance(value, float | int) else str(value or "no record")


def counts(board: Board) -> dict[str, int]:
    """How many entries stand under each verdict."""
    return {v.value: sum(line.verdict == v.value for line in board.lines) for v in Verdict}
