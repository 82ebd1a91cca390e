"""Whether the ground runs: the blocks of a trial against correlated neighbours and a smooth surface, which to go by, and what that
is worth."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from trialcore.analyses.linear import Coded, Floats, Labels, levels_of
from trialcore.analyses.mixed import fit_reml, incidence
from trialcore.analyses.printing import page, table
from trialcore.analyses.spatial import BETTER_BY, GroundModel, neighbours_model, surface_model
from trialcore.inference.comparisons import AgainstCheck, against

SPARE = 8  # values beyond one for each entry, below which the ground is not judged
MOST_CELLS = 60_000
GAP = 8  # empty columns between beds, so that plots of different beds are hardly neighbours


@dataclass(frozen=True, eq=False)
class Ground:
    """What `judge_ground` found: the model of the design's own blocks, that of correlated neighbours, and the smooth surface where
    one could be fitted. `seen` are the places of plots with a value, in the order of trends and residuals."""

    entries: tuple[str, ...]
    blocks: GroundModel
    neighbours: GroundModel
    surface: GroundModel | None
    seen: tuple[int, ...]
    level: Floats
    values: Floats

    @property
    def gap(self) -> float:
        """How much smaller the AIC of correlated neighbours is than that of the blocks; both have the same fixed part."""
        return self.blocks.aic - self.neighbours.aic

    @property
    def runs(self) -> bool:
        """Whether the ground is to be taken out: the AIC is smaller by more than `BETTER_BY`."""
        return self.gap > BETTER_BY

    @property
    def chosen(self) -> GroundModel:
        """Correlated neighbours where the ground runs, else the blocks."""
        return self.neighbours if self.runs else self.blocks

    @cached_property
    def worth(self) -> float:
        """How many times the replicates correlated neighbours are worth: the square of the ratio of average standard errors."""
        return float((self.blocks.sed().mean() / self.neighbours.sed().mean()) ** 2)

    @property
    def set_level(self) -> Floats:
        """Values with each entry's own mean taken out and the mean of all put in: what is left is ground and luck."""
        return np.asarray(self.values - self.level + self.level.mean())

    def df(self, model: GroundModel) -> float:
        """Degrees of freedom of its differences: values less fixed effects, and the surface's effective ones."""
        return max(1.0, len(self.seen) - len(self.entries) - model.parameters.get("edf_smooth", 0.0))

    def against(self, check: str, model: GroundModel | None = None) -> AgainstCheck | None:
        """Every entry minus `check` by a model, the chosen one if not said; None where the check has no value."""
        of = model or self.chosen
        if check not in self.entries or len(self.entries) < 2:
            return None
        base = self.entries.index(check)
        others = np.array([i for i in range(len(self.entries)) if i != base], dtype=np.int64)
        return against(self.entries, base, others, of.means, of.covariance, self.df(of))

    def __str__(self) -> str:
        models = [m for m in (self.blocks, self.neighbours, self.surface) if m]
        columns = {"model": "name", "fixed": "fixed", "parameters": "count", "loglik": "loglik", "AIC": "aic"}
        return page(table("Models of the ground", models, **columns))


def judge_ground(
    entry: Labels,
    value: Sequence[float | None],
    row: Sequence[int],
    col: Sequence[int],
    blocks: Mapping[str, Labels],
    surface: bool = True,
) -> Ground:
    """Fit a trial by its own `blocks` (each term at random), by correlated neighbours and, where asked for, a smooth surface,
    entries fixed in all of them, and choose by the REML AIC: neighbours are only taken where theirs is smaller than that of the
    blocks by more than 2.

    One element a plot; a missing value is None; `row` and `col` are whole numbers. Raises ValueError for lengths that differ, two
    plots in one place, too few values, a ground of fewer than three rows or columns of plots all in one line, or too many empty
    places."""
    if not len(entry) == len(value) == len(row) == len(col) or any(len(b) != len(entry) for b in blocks.values()):
        raise ValueError("entry, value, row, col and blocks must have one element for each plot")
    if len(set(zip(row, col, strict=True))) < len(row):
        raise ValueError("two plots have the same row and column")
    seen = [i for i, v in enumerate(value) if v is not None and np.isfinite(v)]
    kept = [entry[i] for i in seen]
    entries = levels_of(kept)
    if len(seen) - len(entries) < SPARE or len(entries) < 2:
        raise ValueError("there are too few values beyond one for each entry to judge the ground by")
    rows, cols = np.array([row[i] for i in seen]), np.array([col[i] for i in seen])
    if (int(np.ptp(rows)) + 1) * (int(np.ptp(cols)) + 1) > MOST_CELLS:
        raise ValueError("rows and columns leave too many empty places between plots")
    y = np.array([float(value[i] or 0.0) for i in seen])
    x = incidence(kept, entries)
    terms = {name: Coded.of([labels[i] for i in seen]) for name, labels in blocks.items()}
    by_blocks = _blocks(y, x, {name: term for name, term in terms.items() if len(term.levels) > 1})
    near = neighbours_model("neighbours", y, x, len(entries), rows, cols, nugget=True)
    smooth = _surface(y, x, rows, cols) if surface else None
    means = np.array([y[[i for i, e in enumerate(kept) if e == name]].mean() for name in entries])
    return Ground(tuple(entries), by_blocks, near, smooth, tuple(seen), x @ means, y)


def _blocks(y: Floats, x: Floats, terms: Mapping[str, Coded]) -> GroundModel:
    found = fit_reml(y, x, terms)
    trend = np.zeros(len(y))
    for name, term in terms.items():
        trend += found.effects[name][term.codes]
    parameters = {f"var_{name}": v for name, v in found.variances.items()}
    left = y - x @ found.beta - trend
    return GroundModel("blocks", "entry", parameters, len(parameters), found.loglik, found.beta, found.covariance, trend, left)


def _surface(y: Floats, x: Floats, rows: np.ndarray, cols: np.ndarray) -> GroundModel | None:
    """A smooth surface; None where the ground is too narrow or the values too few for one."""
    try:
        return surface_model("surface", y, x, x.shape[1], rows, cols)
    except (ValueError, np.linalg.LinAlgError):
        return None


def one_grid(beds: Sequence[str], row: Sequence[int], col: Sequence[int]) -> tuple[list[int], list[int]]:
    """Rows and columns of plots in several beds as one grid: beds side by side with a gap between, so that plots of different beds
    are hardly neighbours."""
    at, start = 0, {}
    for bed in dict.fromkeys(beds):
        own = [c for b, c in zip(beds, col, strict=True) if b == bed]
        start[bed] = at - min(own)
        at += max(own) - min(own) + 1 + GAP
    return list(row), [c + start[b] for b, c in zip(beds, col, strict=True)]
