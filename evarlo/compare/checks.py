"""Entries against every check of a trial: the check, and further ones to be measured by."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from evarlo.compare.analysis import Comparison, EntryResult, worked_out
from trialcore.analyses.pairs import checks_of
from trialcore.inference.comparisons import Difference, holm_adjusted
from trialcore.inference.distributions import t_quantile

SURE = 0.05


@dataclass(frozen=True)
class Cell:
    """An entry against one check: the difference, half of its 95 % interval, the probability over all entries and checks together,
    and how it stands (1 better, −1 worse, 0 could be luck)."""

    difference: Difference
    half: float
    p_joint: float
    side: int


@dataclass(frozen=True)
class CheckRow:
    """An entry against each check in turn (None where nothing can be said), and whether it is surely above all of them (1), below
    all (−1), or neither."""

    result: EntryResult
    cells: tuple[Cell | None, ...]
    all_of_them: int


@dataclass(frozen=True)
class EveryCheck:
    """The checks, the main one first, and the entries against them; `held` names what holds all comparisons together."""

    checks: tuple[EntryResult, ...]
    rows: tuple[CheckRow, ...]
    held: str


def every_check(found: Comparison) -> EveryCheck | None:
    """Every entry that is no check against every check; None with fewer than two checks or without an error to judge by."""
    checks = [r for r in found.checks if r.mean.lsmean is not None]
    if len(checks) < 2:
        return None
    plots, values = [v.plot for v in found.plots], [v.value for v in found.plots]
    differences: dict[tuple[str, str], Difference] = {}
    for c in checks:
        worked = worked_out(found.trial, found.trait, plots, values, c.entry, found.plots, found.plain)
        differences |= {(d.a, c.entry.code): d for d in (worked.versus.differences if worked.versus else ())}
    others = [r for r in found.results if not r.entry.any_check]
    told = {key: d for key, d in differences.items() if key[0] in {r.entry.code for r in others}}
    if not told:
        return None
    joint = checks_of(found.worked, [c.entry.code for c in checks])
    if joint:
        held, p = "all entries and all checks together", {(d.a, d.b): d.p_family or 0.0 for d in joint.held}
    else:
        stepped = holm_adjusted(np.array([d.p_unadjusted for d in told.values()]))
        held, p = "Holm", dict(zip(told, stepped.tolist(), strict=True))
    each = found.guard == "each"
    cells = {key: _cell(d, p[key], found.sign, each) for key, d in told.items() if key in p}
    rows = []
    for r in others:
        own = tuple(cells.get((r.entry.code, c.entry.code)) for c in checks)
        rows.append(CheckRow(r, own, _all_alike(own)))
    return EveryCheck(tuple(checks), tuple(rows), held)


def _cell(d: Difference, p: float, sign: int, each: bool) -> Cell:
    side = 0 if (d.p_unadjusted if each else p) >= SURE else 1 if sign * d.estimate > 0 else -1
    return Cell(d, t_quantile(0.975, d.df) * d.se, p, side)


def _all_alike(cells: tuple[Cell | None, ...]) -> int:
    sides = {c.side if c else 0 for c in cells}
    return sides.pop() if len(sides) == 1 else 0
