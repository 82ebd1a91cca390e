"""Whether a plain model fits its plots: residuals by size, by what was fitted and against the normal, and what stands out."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import sqrt
from statistics import NormalDist

import numpy as np

from trialcore.analyses.ranks import rank_correlation
from trialcore.inference import distributions

LEAST = 8  # plots below which nothing is said of residuals
SURE = 0.05


@dataclass(frozen=True)
class Diagnostics:
    """By plot, in the order given and without the missing ones (`places` are their positions): `fitted` in the trait's unit,
    `residual` standardised to a spread of one, `expected` where the normal would have it. `standing_out` are positions of plots
    whose residual is too far out to be luck, all plots held together at 5 % (Bonferroni). `spread_rho` is the rank correlation of
    the size of residuals with what was fitted, with its `spread_p`."""

    places: tuple[int, ...]
    fitted: tuple[float, ...]
    residual: tuple[float, ...]
    expected: tuple[float, ...]
    standing_out: tuple[int, ...]
    spread_rho: float | None
    spread_p: float | None
    straightness: float
    """Correlation of residuals with where the normal would have them: 1 is straight."""


def diagnose(fitted: Sequence[float], residuals: Sequence[float], df: int) -> Diagnostics | None:
    """Look at the residuals of a least-squares fit with `df` degrees of freedom; NaN is a missing plot. None with fewer than eight
    plots, two degrees of freedom, or no error at all.

    Leverage is taken as the same for all plots, which it is in balanced designs. Expected places are Blom's (1958); outliers are
    told by the externally studentised residual (Cook and Weisberg 1982, sec. 2.2). Raises ValueError for unequal lengths."""
    if len(fitted) != len(residuals):
        raise ValueError("each plot needs what was fitted and what was left")
    places = [i for i, r in enumerate(residuals) if np.isfinite(r)]
    n = len(places)
    left = np.array([residuals[i] for i in places], dtype=float)
    rss = float((left**2).sum())
    at = np.array([fitted[i] for i in places], dtype=float)
    if n < LEAST or df < 2 or rss <= 1e-12 * max(1.0, float((at**2).sum())):
        return None
    standard = left / sqrt(rss / n)
    internal = standard**2
    external = standard * np.sqrt((df - 1) / np.maximum(df - np.minimum(internal, df * 0.999999), 1e-12))
    p = distributions.t_two_sided(external, df - 1)
    order = np.argsort(np.argsort(standard, kind="stable"), kind="stable")
    expected = np.array([NormalDist().inv_cdf((i + 1 - 0.375) / (n + 0.25)) for i in order])
    found = rank_correlation(at.tolist(), np.abs(left).tolist())
    return Diagnostics(
        tuple(places),
        tuple(at.tolist()),
        tuple(standard.tolist()),
        tuple(expected.tolist()),
        tuple(i for i, own in zip(places, np.atleast_1d(p), strict=True) if own * n < SURE),
        found.rho if found else None,
        found.p if found else None,
        float(np.corrcoef(standard, expected)[0, 1]),
    )
