"""Weights and measures whose spread grows with their mean: on which scale plots vary alike, and back to the one that was
recorded."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

import numpy as np

from trialcore.analyses.blocks import BlockAnalysis
from trialcore.analyses.linear import Floats
from trialcore.analyses.ranks import average_ranks
from trialcore.inference import distributions

ScaleName = Literal["sqrt", "log"]
LADDER: dict[ScaleName, float] = {"sqrt": 0.5, "log": 0.0}
HINT = 0.2
"""Probability below which there is a hint that the spread grows with the mean. Weights usually vary in proportion to their mean: by
simulation (bench.coverage), waiting for proof leaves the intervals of the entries with most too narrow."""
HIGHER = 2.0
"""By how much twice the log-likelihood has to rise for another scale, as for a parameter more (Akaike 1974)."""
FEWEST = 16  # plots
WIDEST = 1.5  # greatest value by least, below which scales say the same


def spread_grows(analysis: BlockAnalysis, value: Sequence[float | None]) -> bool:
    """Whether another scale is worth a look: all values above nought, and residuals that grow with what was fitted (rank
    correlation, p below `HINT`)."""
    seen = [v for v in value if v is not None]
    if len(seen) < FEWEST or min(seen) <= 0 or max(seen) < WIDEST * min(seen) or not analysis.mse:
        return False
    there = np.isfinite(analysis.residuals)
    rho = float(np.corrcoef(average_ranks(analysis.fitted[there]), average_ranks(np.abs(analysis.residuals[there])))[0, 1])
    if not 0 < rho < 1:
        return False
    df = int(there.sum()) - 2
    return float(distributions.t_two_sided(rho * np.sqrt(df / (1 - rho**2)), df)) < HINT


def scale_for(analysis: BlockAnalysis, value: Sequence[float | None], fits: dict[ScaleName, BlockAnalysis]) -> ScaleName | None:
    """On which scale plots whose spread grows vary alike: that of the likelihood of the same model (`fits`), its Jacobian included,
    where it is clearly higher than on the recorded one (Box and Cox 1964); None for that."""
    seen = np.array([v for v in value if v is not None], dtype=float)
    best: tuple[float, ScaleName | None] = (_likelihood(analysis, seen, 1.0) + HIGHER / 2, None)
    for name, power in LADDER.items():
        best = max(best, (_likelihood(fits[name], seen, power), name), key=lambda found: found[0])
    return best[1]


def _likelihood(analysis: BlockAnalysis, seen: Floats, power: float) -> float:
    """The profile log-likelihood of a power, up to a constant: values to the power over the power, log at nought."""
    n = len(seen)
    rss = (analysis.mse or 0.0) * analysis.df_error
    square = rss / power**2 if power else rss
    return float(-n / 2 * np.log(max(square, 1e-300) / n) + (power - 1) * np.log(seen).sum())


def onto(name: ScaleName, value: Sequence[float | None]) -> list[float | None]:
    """Values on the scale; those that have none there are missing."""
    if name == "log":
        return [float(np.log(v)) if v is not None and v > 0 else None for v in value]
    return [float(np.sqrt(v)) if v is not None and v >= 0 else None for v in value]


def back(name: ScaleName, at: float, variance: float) -> float:
    """The mean on the recorded scale of plots that vary by `variance` about `at` on this one: what a plot gives on average."""
    return float(np.exp(at + variance / 2)) if name == "log" else max(0.0, at) ** 2 + variance


def steepness(name: ScaleName, at: float, variance: float) -> float:
    """How fast `back` rises at a place: what a standard error is multiplied by."""
    return back(name, at, variance) if name == "log" else 2 * max(0.0, at)
