"""Do two people score alike, and does one score alike twice?"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from trialcore.inference import distributions
from trialcore.reckoning.germination import normal_quantile


@dataclass(frozen=True)
class Agreement:
    """Lin's concordance with its 95 % interval and parts. `bias_correction` is 1 when the scores differ by chance only,
    `location_shift` and `scale_shift` say how they differ otherwise; `mean_difference` is the bias, first minus second,
    with limits within which 95 % of single differences lie (Bland and Altman 1986)."""

    n: int
    concordance: float
    concordance_unbiased: float
    pearson: float
    bias_correction: float
    scale_shift: float
    location_shift: float
    z_se: float | None
    lower95: float | None
    upper95: float | None
    mean_difference: float
    difference_sd: float
    lower_limit: float
    upper_limit: float
    p_bias: float | None


def lin_concordance(first: Sequence[float], second: Sequence[float]) -> Agreement:
    """Agreement of two raters, or of a rater with the truth, on the same items (Lin 1989, standard error as corrected 2000).

    Raises ValueError for fewer than three items, lengths that differ, or scores that are all equal.
    """
    if len(first) != len(second):
        raise ValueError("both raters must have scored the same items")
    n = len(first)
    x, y = np.array(first, dtype=float), np.array(second, dtype=float)
    if n < 3:
        raise ValueError("agreement needs at least three items")
    if x.std() == 0 or y.std() == 0:
        raise ValueError("a rater gave every item the same score, so agreement cannot be judged")
    mx, my, vx, vy = float(x.mean()), float(y.mean()), float(x.var()), float(y.var())
    cov = float(((x - mx) * (y - my)).mean())
    ccc = 2 * cov / (vx + vy + (mx - my) ** 2)
    k = n / (n - 1)
    unbiased = 2 * cov * k / (vx * k + vy * k + (mx - my) ** 2)
    r = cov / float(np.sqrt(vx * vy))
    scale, shift = float(np.sqrt(vx / vy)), (mx - my) / (vx * vy) ** 0.25
    se = low = high = None
    if abs(r) > 1e-12 and 0 < abs(ccc) < 1:
        u2 = (mx - my) ** 2 / float(np.sqrt(vx * vy))
        variance = (
            (1 - r**2) * ccc**2 / ((1 - ccc**2) * r**2)
            + 2 * ccc**3 * (1 - ccc) * u2 / (r * (1 - ccc**2) ** 2)
            - ccc**4 * u2**2 / (2 * r**2 * (1 - ccc**2) ** 2)
        ) / (n - 2)
        if variance > 0:
            se = float(np.sqrt(variance))
            z, reach = float(np.arctanh(ccc)), normal_quantile(0.975) * float(np.sqrt(variance))
            low, high = float(np.tanh(z - reach)), float(np.tanh(z + reach))
    d = x - y
    bias, sd = float(d.mean()), float(d.std(ddof=1))
    half = 1.959963984540054 * sd
    p = float(distributions.t_two_sided(bias / (sd / np.sqrt(n)), n - 1)) if sd > 0 else None
    return Agreement(
        n, ccc, unbiased, r, ccc / r if r else float("nan"), scale, shift, se, low, high, bias, sd, bias - half, bias + half, p
    )


def weighted_kappa(first: Sequence[int], second: Sequence[int], weights: Literal["linear", "quadratic"] = "quadratic") -> float:
    """Agreement on an ordered scale beyond chance (Cohen 1968): 1 is full agreement, 0 no better than chance.

    Raises ValueError for no items, lengths that differ, or scores that leave nothing to agree on.
    """
    if len(first) != len(second) or not len(first):
        raise ValueError("both raters must have scored the same items")
    low, high = min(*first, *second), max(*first, *second)
    size = high - low + 1
    table = np.zeros((size, size))
    np.add.at(table, (np.array(first) - low, np.array(second) - low), 1.0)
    gap = np.abs(np.subtract.outer(np.arange(size), np.arange(size))).astype(float)
    cost = gap if weights == "linear" else gap**2
    expected = np.outer(table.sum(axis=1), table.sum(axis=0)) / len(first)
    if float((cost * expected).sum()) == 0:
        raise ValueError("both raters gave every item one and the same score, so there is nothing to agree on")
    return 1 - float((cost * table).sum()) / float((cost * expected).sum())
