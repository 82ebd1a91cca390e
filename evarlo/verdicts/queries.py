"""The verdict board: what the rule suggests, what the person said, and what a signature stood on."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import timedelta
from typing import Any

from evarlo.catalogue.models import Trait
from evarlo.compare.analysis import Comparison
from evarlo.compare.honest import honestly
from evarlo.compare.queries import compare_plots, direction_of, guard_of
from evarlo.nursery.audit import Difference, besides_of
from evarlo.people.permissions import allowed
from evarlo.trials.models import Criterion, Entry, Trial
from evarlo.trials.queries import entry_names, plots_of
from evarlo.trials.registry import Earlier, Span
from evarlo.verdicts.models import Opinion, SignedBoard
from evarlo.verdicts.words import reason_in_words
from trialcore.analyses.blocks import EntryMean
from trialcore.inference.comparisons import chance_above
from trialcore.inference.season_means import SeasonMeans
from trialcore.inference.verdict import Evidence, Suggestion, Verdict, held_by, suggest

WEIGHTS = ("g", "kg", "kg/m²")


@dataclass(frozen=True)
class CriterionFigure:
    """An entry on one criterion, ready to print."""

    criterion: Criterion
    mean: float | None
    better_by: float | None
    chance: float | None
    digits: int
    word: str = ""  # how it stands to the check, by its chance


@dataclass(frozen=True)
class BoardLine:
    entry: Entry
    name: str
    figures: tuple[CriterionFigure, ...]
    suggestion: Suggestion | None  # None for the check
    reasons: tuple[str, ...]
    opinion: Opinion | None
    besides: tuple[Difference, ...] = ()  # in what it differs from the check besides its name

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
    criteria: tuple[Criterion, ...]
    comparisons: tuple[Comparison, ...]
    lines: tuple[BoardLine, ...]
    signed: SignedBoard | None
    changes: tuple[str, ...]  # plots whose values differ from those signed on


def board_of(trial: Trial, user: Any) -> Board:
    """The board of a trial as the data stand now, and the last signature with what has changed since."""
    criteria = list(trial.criteria.select_related("trait"))
    plots = plots_of(trial)
    names = entry_names(trial, user)
    comparisons = [compare_plots(trial, c.trait, plots, names, guard_of(trial)) for c in criteria]
    if not trial.family_guard:  # which holds all comparisons together in a way of its own
        comparisons = [honestly(c) for c in comparisons]
    besides = besides_of(trial, allowed(user, "see_names"))
    opinions = {o.entry_id: o for o in Opinion.objects.filter(entry__trial=trial).select_related("by")}
    signed = trial.boards.select_related("by").last()
    order = comparisons[0].results if comparisons else ()
    lines = [_line(r.entry, r.name, criteria, comparisons, opinions.get(r.entry.pk), besides.get(r.entry.code, ())) for r in order]
    changes = tuple(_changes(signed.stood_on, stands_on(comparisons))) if signed else ()
    return Board(trial, tuple(criteria), tuple(comparisons), tuple(lines), signed, changes)


def _line(
    entry: Entry,
    name: str,
    criteria: list[Criterion],
    comparisons: list[Comparison],
    opinion: Opinion | None,
    besides: tuple[Difference, ...],
) -> BoardLine:
    figures, evidence = [], []
    for criterion, comparison in zip(criteria, comparisons, strict=True):
        result = next(s for s in comparison.results if s.entry.pk == entry.pk)
        d = result.difference
        better = criterion.sign * d.estimate if d else None
        figures.append(CriterionFigure(criterion, result.mean.lsmean, better, result.chance, comparison.digits, result.expected))
        evidence.append(
            Evidence(
                criterion.trait.name,
                better,
                d.se * result.widened if d else None,
                d.df if d else None,
                criterion.matters,
                chance_of_failing(criterion, result.mean, comparison),
                comparison.honest.prospect(result) if comparison.honest else None,
            )
        )
    if entry.any_check:
        return BoardLine(entry, name, tuple(figures), None, (), None)
    suggestion = held_by(suggest(evidence), [b.said for b in besides if b.holds])
    reasons = tuple(reason_in_words(r, criteria) for r in suggestion.reasons)
    return BoardLine(entry, name, tuple(figures), suggestion, reasons, opinion, besides)


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


def spans(trial: Trial) -> list[Span]:
    """The phase Decide ends with the last signature."""
    signed = trial.boards.last()
    return [Span("decide", signed.at.date() - timedelta(days=7), signed.at.date())] if signed else []


def earlier(trial: Trial, trait: Trait, check: int) -> list[Earlier]:
    """What the newest signed board of each season before this trial says of a trait, where the same cultivar was the check."""
    boards = (
        SignedBoard.objects.filter(trial__crop=trial.crop_id, trial__season__lt=trial.season)
        .order_by("at", "id")
        .values_list("trial__name", "trial__season", "trial_id", "lines", "figures")
    )
    newest = {pk: (f"{name} {season}", lines, figures) for name, season, pk, lines, figures in boards}
    sign = direction_of(trial, trait)
    found = [(words, _season(lines, figures, trait.key, check, sign)) for words, lines, figures in newest.values()]
    return [Earlier(words, season) for words, season in found if season]


def _season(lines: list[dict[str, Any]], figures: list[dict[str, Any]], key: str, check: int, sign: int) -> SeasonMeans | None:
    """The season of one trait of a signed board; None where it was signed without what that takes, or against another check."""
    at = next((i for i, f in enumerate(figures) if f.get("key") == key), None)
    if at is None or not figures[at].get("df_of_check"):
        return None
    if figures[at]["sign"] != sign:  # what was better then is worse now
        return None
    told = [x for x in lines if x.get("variances") and x["means"][at] is not None and x["variances"][at]]
    base = next((x for x in told if x["check"] and x["cultivar"] == check), None)
    others = [x for x in told if not x["check"]]
    if base is None or not others:
        return None
    plots = figures[at]["n"] / max(1, len(told))
    variances = [x["variances"][at] for x in others]
    return SeasonMeans(
        tuple(str(x["cultivar"]) for x in others),
        tuple(sign * x["means"][at] for x in others),
        tuple(variances),
        sign * base["means"][at],
        base["variances"][at],
        sorted(variances)[len(variances) // 2] * plots,
        figures[at]["df_of_check"],
    )


def past_cv() -> dict[int, list[float]]:
    """The CV of the leading criterion in the newest signed board of each trial, by crop id, where that is a weight."""
    newest: dict[int, tuple[int, float]] = {}
    boards = SignedBoard.objects.order_by("at", "id").values_list("trial_id", "trial__crop_id", "figures")
    for trial_id, crop_id, figures in boards:
        leading = figures[0] if figures else {}
        if leading.get("cv_percent") and leading.get("unit") in WEIGHTS:
            newest[trial_id] = (crop_id, float(leading["cv_percent"]))
    found: dict[int, list[float]] = {}
    for crop, cv in newest.values():
        found.setdefault(crop, []).append(cv)
    return found
