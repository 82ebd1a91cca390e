"""Where the ground of a trial runs: maps of what was measured, of ground and of luck, and the comparison with the ground taken
out."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
from django.utils.safestring import SafeString

from evarlo.compare.analysis import Comparison, EntryResult, blocking_of
from evarlo.trials.ground import strip
from evarlo.trials.models import Trial
from trialcore.analyses.ground import Ground, judge_ground, one_grid
from trialcore.inference.comparisons import Difference
from trialcore.inference.distributions import t_quantile

LONG = 1200  # plots, from which on the page comes before its figures
A_PLOT = 0.0018  # seconds that a plot takes, about
DESIGNS = (Trial.Design.BLOCKS, Trial.Design.NO_BLOCKS, Trial.Design.INCOMPLETE, Trial.Design.AUGMENTED, Trial.Design.LATIN)


@dataclass(frozen=True)
class GroundRow:
    """An entry by its blocks and with the ground taken out: mean, difference from the check and half its 95 % interval, and how it
    stands (1 ahead, −1 behind, 0 could be luck) by each."""

    result: EntryResult
    by_blocks: tuple[float, Difference | None, float, int]
    without: tuple[float, Difference | None, float, int]


@dataclass(frozen=True, eq=False)
class Running:
    """The ground of a trial, its rows best first, and how many replicates of each entry there are."""

    worked: Ground
    rows: tuple[GroundRow, ...]
    replicates: float

    @property
    def more_blocks(self) -> float:
        """How many more blocks taking the ground out is worth."""
        return (self.worked.worth - 1) * self.replicates


@lru_cache(maxsize=32)
def _judged(
    entry: tuple[str, ...],
    value: tuple[float | None, ...],
    row: tuple[int, ...],
    col: tuple[int, ...],
    blocks: tuple[tuple[str, tuple[str, ...]], ...],
) -> Ground:
    """The same data always give the same figures."""
    return judge_ground(entry, value, row, col, dict(blocks))


def takes_long(found: Comparison) -> float:
    """Seconds that the ground of a long trial takes, about; nought for one that does not."""
    n = len(found.plots)
    return n * A_PLOT if n > LONG else 0.0


def running(found: Comparison) -> Running | str:
    """The ground of a trial by one trait; else why it is not judged."""
    trial, plots = found.trial, [v.plot for v in found.plots]
    if not trial.placed:
        return "The sheet of this trial does not say where its plots stood: bring it in with row and col."
    if trial.design not in DESIGNS:
        return "With a second factor, or pairs with the check, the ground is not judged here."
    entry, columns = blocking_of(trial, plots)
    rows, cols = one_grid([f"{p.bed_id} {p.environment}" for p in plots], [p.row for p in plots], [p.col for p in plots])
    blocks = tuple((name, tuple(labels)) for name, labels in columns.items())
    values = tuple(v.value for v in found.plots)
    try:
        worked = _judged(tuple(entry), values, tuple(rows), tuple(cols), blocks)
    except ValueError as reason:
        return f"{str(reason)[0].upper()}{str(reason)[1:]}."
    return Running(worked, _rows(found, worked), len(worked.seen) / len(worked.entries))


def _rows(found: Comparison, worked: Ground) -> tuple[GroundRow, ...]:
    place = {e: i for i, e in enumerate(worked.entries)}
    sides = []
    for model in (worked.blocks, worked.neighbours):
        versus = worked.against(found.check_code, model) if found.check_code else None
        sides.append((model.means, {d.a: d for d in versus.differences} if versus else {}))
    rows = []
    for r in found.results:
        code = r.entry.code
        if code in place:
            cells = [_cell(float(means[place[code]]), of.get(code), found.sign) for means, of in sides]
            rows.append(GroundRow(r, cells[0], cells[1]))
    return tuple(sorted(rows, key=lambda x: -found.sign * x.without[0]))


def _cell(mean: float, d: Difference | None, sign: int) -> tuple[float, Difference | None, float, int]:
    if d is None:
        return mean, None, 0.0, 0
    half = t_quantile(0.975, d.df) * d.se
    side = 0 if abs(d.estimate) < half else 1 if sign * d.estimate > 0 else -1
    return mean, d, half, side


def maps(found: Comparison, made: Running, user: Any) -> list[tuple[str, SafeString]]:
    """Four plans: as measured and with entries set level to one scale, the ground and what is left to another."""
    worked = made.worked
    model = worked.neighbours
    pk = [found.plots[i].plot.pk for i in worked.seen]
    unit = found.trait.shown_unit

    def of(numbers: Sequence[float] | np.ndarray) -> dict[int, float]:
        return dict(zip(pk, (float(v) for v in numbers), strict=True))

    together = np.concatenate([worked.values, worked.set_level])
    apart = np.concatenate([model.trend, model.residuals])
    far = float(np.abs(apart).max()) or 1.0
    size = (270.0, 170.0)
    upper = [("As measured", of(worked.values)), ("Entries set level", of(worked.set_level))]
    lower = [("The ground", of(model.trend)), ("What is left", of(model.residuals))]
    levels = (float(together.min()), float(together.max()))
    return strip(found.trial, user, upper, unit, levels, size) + strip(found.trial, user, lower, unit, (-far, far), size)
