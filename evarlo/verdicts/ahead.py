"""What another season would tell of the entries on a board, and on which of them plots are well spent."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from evarlo.compare.analysis import Comparison, cultivar_key
from evarlo.trials.models import Criterion, Trial
from evarlo.trials.registry import Judging
from trialcore.inference.another_season import Further, Must, Outlook, Retest, another_season, best_share, left_over
from trialcore.inference.verdict import Verdict

if TYPE_CHECKING:
    from evarlo.verdicts.board import Board, BoardLine

SETTLES = 0.5  # the chance from which on a retest is said to settle an entry
SEED = 20_261  # of draws: the same board always foretells the same


@dataclass(frozen=True)
class Division:
    """One way of giving a budget of plots to entries, by code, and what it would leave to be won."""

    said: str
    plots: tuple[tuple[str, int], ...]
    left: float


def retest_of(trial: Trial, comparisons: Sequence[Comparison], blocks: int | None = None, sites: int = 1) -> Retest | None:
    """A retest like this trial, or of so many blocks and sites; None where chances are not shrunken."""
    leading = comparisons[0].honest if comparisons else None
    if leading is None:
        return None
    plots = sum(p.plot.entry.is_check for p in comparisons[0].plots)
    checks = max(1, round(plots / max(1, trial.blocks)))
    return Retest(blocks or max(1, trial.blocks), leading.now.plot_variance, checks, sites)


def outlooks_of(
    lines: Sequence[BoardLine], criteria: Sequence[Criterion], comparisons: Sequence[Comparison], judging: Judging, retest: Retest
) -> dict[int, Outlook]:
    """The outlook of every entry that is not held for another reason, by its id."""
    leading = comparisons[0]
    if leading.honest is None or not criteria:
        return {}
    there = {r.entry.pk: r for r in leading.results if leading.honest.prospect(r)}
    some = [line for line in lines if line.entry.pk in there]
    keys = {line.entry.pk: cultivar_key(there[line.entry.pk]) for line in some}
    further = {keys[line.entry.pk]: _further(line, comparisons, retest) for line in some}
    musts = {keys[line.entry.pk]: _musts(line, comparisons, retest) for line in some}
    found = another_season(
        leading.honest.worked,
        leading.honest.means,
        [keys[line.entry.pk] for line in some],
        retest,
        criteria[0].matters,
        judging.rule,
        further,
        musts,
        SEED,
    )
    return {line.entry.pk: outlook for line, outlook in zip(some, found, strict=True)}


def _further(line: BoardLine, comparisons: Sequence[Comparison], retest: Retest) -> list[Further]:
    """The further criteria of an entry; where nothing is known of one it holds nothing."""
    made = []
    for f, c in zip(line.figures[1:], comparisons[1:], strict=True):
        if f.kept is None or not f.se:
            continue
        error = replace(retest, plot_variance=_plot_variance(c)).of_difference(c.honest.worked.seasonal if c.honest else 0.0)
        made.append(Further(f.kept, f.se**2, error or f.se**2, f.criterion.matters))
    return made


def _musts(line: BoardLine, comparisons: Sequence[Comparison], retest: Retest) -> list[Must]:
    made = []
    for f, c in zip(line.figures, comparisons, strict=True):
        own = next(r.mean for r in c.results if r.entry.pk == line.entry.pk)
        if f.criterion.must is not None and own.lsmean is not None and own.se:
            error = _plot_variance(c) / retest.blocks / retest.sites
            made.append(Must(f.criterion.sign * (own.lsmean - f.criterion.must), own.se**2, error or own.se**2))
    return made


def _plot_variance(comparison: Comparison) -> float:
    """The variance of a plot, on the scale of the differences."""
    if comparison.honest:
        return comparison.honest.now.plot_variance
    found = sorted(r.difference.se**2 * r.mean.n / 2 for r in comparison.results if r.difference)
    return found[len(found) // 2] if found else 0.0


def divisions(board: Board, plots: int, sites: int = 1) -> list[Division]:
    """Ways of giving a budget of plots to the entries that stay open, and what each would leave to be won, the least first."""
    leading = board.leading
    retest = retest_of(board.trial, board.comparisons, sites=sites)
    if leading is None or leading.honest is None or retest is None:
        return []
    codes = {cultivar_key(r): r.entry.code for r in leading.results if leading.honest.prospect(r)}
    stay = {line.entry.pk for line in board.lines if line.verdict != Verdict.DROP}
    here = [cultivar_key(r) for r in leading.results if r.entry.pk in stay and cultivar_key(r) in codes]
    if not here:
        return []
    worked = leading.honest.worked
    best = best_share(here, worked)
    half = sorted(here, key=lambda e: -worked.advantages[worked.place(e)].kept)[: max(1, round(len(here) / 2))]
    made = []
    for said, some in (("the best quarter, alike", best), ("the better half, alike", half), ("all that stay, alike", here)):
        share = plots // len(some)
        given = {e: share + (i < plots - share * len(some)) for i, e in enumerate(some)}
        left = left_over(worked, given, retest, SEED)
        made.append(Division(said, tuple((codes[e], n) for e, n in given.items() if n), left))
    made.append(Division("no plot at all", (), left_over(worked, {}, retest, SEED)))
    return made


def hand_division(board: Board, plots: dict[str, int]) -> Division | None:
    """What plots given by hand, by entry code, would leave to be won."""
    leading = board.leading
    retest = retest_of(board.trial, board.comparisons)
    if leading is None or leading.honest is None or retest is None:
        return None
    keys = {r.entry.code: cultivar_key(r) for r in leading.results if leading.honest.prospect(r)}
    given = {keys[c]: n for c, n in plots.items() if c in keys and n > 0}
    return Division(
        "by hand", tuple((c, n) for c, n in plots.items() if n > 0), left_over(leading.honest.worked, given, retest, SEED)
    )
