"""What selecting the best of some plants brings, how plants are shared out among families, and whether a line is even."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import sqrt

import numpy as np


def intensity(plants: int, kept: int) -> float:
    """How many standard deviations the mean of the best `kept` of `plants` lies above that of all, on average, for values that are
    normally distributed (Falconer and Mackay 1996, chapter 11, exact for small numbers).

    Raises ValueError where not at least one and at most all are kept.
    """
    if not 1 <= kept <= plants:
        raise ValueError("expected from one plant to all of them kept")
    if kept == plants:
        return 0.0
    from scipy.special import betaln
    from scipy.stats import norm

    z = np.linspace(-9, 9, 7201)
    tail, density = norm.logsf(z), norm.logpdf(z)
    below = norm.logcdf(z)
    total = 0.0
    for rank in range(1, kept + 1):  # the rank-th largest of them
        log_density = density + (plants - rank) * below + (rank - 1) * tail - betaln(plants - rank + 1, rank)
        total += float(np.trapezoid(z * np.exp(log_density), z))
    return total / kept


def response(plants: int, kept: int, heritability: float, genetic_sd: float) -> float:
    """By how much the offspring of the best `kept` of `plants` are expected to lie above their generation's mean, in the unit of
    the trait: i · h · σ_g. Raises ValueError for a heritability outside 0 to 1 or a spread below nought."""
    if not 0 <= heritability <= 1 or genetic_sd < 0:
        raise ValueError("expected a heritability from 0 to 1 and a spread that is not negative")
    return intensity(plants, kept) * sqrt(heritability) * genetic_sd


@dataclass(frozen=True)
class Split:
    """So many families of so many plants each, and what selecting the best plant of the best family brings, in genetic standard
    deviations of the F2."""

    families: int
    plants: int
    response: float


def splits(total: int, heritability: float, fixed: float) -> list[Split]:
    """How `total` plants can be shared out, the best way first, among families that come each from one plant of a generation of
    which `fixed` (0 to 1) of the loci are fixed.

    With the variance σ²_A among plants of the F2, 2Fσ²_A lies among the families and (1 − F)σ²_A within them, F being that fixed
    share (Falconer and Mackay 1996, chapter 15); the error of a plant follows from its `heritability` in the F2.
    Raises ValueError for fewer than two plants, or a heritability that is not above 0 and at most 1.
    """
    if total < 2 or not 0 < heritability <= 1 or not 0 <= fixed <= 1:
        raise ValueError("expected two plants or more and a heritability above 0")
    error = 1 / heritability - 1
    among, within = 2 * fixed, 1 - fixed
    made = []
    for families in range(1, total + 1):
        plants = total // families
        if families > 1 and plants == total // (families - 1):
            continue  # as many plants a family, and one family fewer for nothing
        most = total // plants
        between = intensity(most, 1) * among / sqrt(among + (within + error) / plants) if among > 0 else 0.0
        inside = intensity(plants, 1) * within / sqrt(within + error) if within + error > 0 else 0.0
        made.append(Split(most, plants, between + inside))
    return sorted(made, key=lambda s: -s.response)


@dataclass(frozen=True)
class Evenness:
    """A line's spread beside a check's, as standard deviations in the unit of the trait, with the ratio of their variances and its
    95 % bounds. `genetic_share` is what the line's variance holds beyond the check's, of the F2's (None where that is not known),
    `expected_share` what the generation lets one expect."""

    line_sd: float
    check_sd: float
    ratio: float
    low: float
    high: float
    p_more: float  # the chance of so large a ratio where the line is as even as the check
    genetic_share: float | None
    expected_share: float
    expected_ratio: float | None  # of variances, from that share; None where the F2's variance is not known

    @property
    def as_even(self) -> bool:
        """Whether the line is not seen to be less even than the check."""
        return self.p_more >= 0.05

    @property
    def beside_expected(self) -> int:
        """−1 where the line is more even than its generation lets one expect, +1 where less, 0 where that cannot be told."""
        if self.expected_ratio is None:
            return 0
        return -1 if self.high < self.expected_ratio else int(self.low > self.expected_ratio)


def evenness(line: Sequence[float], check: Sequence[float], segregating: float, f2_variance: float | None = None) -> Evenness:
    """Set the spread between a line's plants against that of a uniform check beside them (variance ratio, F test).

    `segregating` is the share of loci still segregating in the plant that the line comes from: so much of the F2's genetic
    variance (`f2_variance`, in squared units of the trait) is expected within the line. Raises ValueError for fewer than three
    plants of either, or a check without any spread.
    """
    if min(len(line), len(check)) < 3:
        raise ValueError("expected three plants of the line and of the check, or more")
    from scipy.stats import f

    own, other = float(np.var(line, ddof=1)), float(np.var(check, ddof=1))
    if other <= 0:
        raise ValueError("the check's plants do not vary, so nothing can be set against them")
    ratio, a, b = own / other, len(line) - 1, len(check) - 1
    known = f2_variance is not None and f2_variance > 0
    return Evenness(
        sqrt(own),
        sqrt(other),
        ratio,
        ratio / float(f.ppf(0.975, a, b)),
        ratio / float(f.ppf(0.025, a, b)),
        float(f.sf(ratio, a, b)),
        max(0.0, own - other) / f2_variance if known and f2_variance else None,
        segregating,
        1 + segregating * f2_variance / other if known and f2_variance else None,
    )


def variance_beyond(plants: Sequence[float], check: Sequence[float]) -> float | None:
    """What plants vary by beyond the plants of a uniform check beside them, in squared units of the trait; None for fewer than
    three of either, or where they vary no more."""
    if min(len(plants), len(check)) < 3:
        return None
    beyond = float(np.var(plants, ddof=1) - np.var(check, ddof=1))
    return beyond if beyond > 0 else None
