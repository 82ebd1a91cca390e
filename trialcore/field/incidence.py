"""How much of a trial has a pest or disease, and whether that is past a threshold."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum
from math import sqrt

import numpy as np

from trialcore.inference import distributions
from trialcore.reckoning.germination import wilson_interval


class Reached(StrEnum):
    """Whether a threshold is reached, as far as the plants looked at can tell."""

    YES = "reached"
    NO = "not reached"
    UNSURE = "cannot tell yet"


@dataclass(frozen=True)
class Incidence:
    """Percent of the plants looked at that are affected, its 95 % interval, and whether a threshold is reached: only when the
    whole interval lies on one side of it. `plots` are those with any plant affected."""

    affected: int
    looked: int
    plots: int
    of_plots: int
    percent: float
    lower95: float
    upper95: float
    reached: Reached | None


def trial_incidence(affected: Sequence[int], looked: Sequence[int], threshold: float | None = None) -> Incidence:
    """Incidence over the plots of a trial, `affected[i]` of `looked[i]` plants in each.

    Plants of a plot are alike, so they count for fewer: the score interval (Wilson 1927) is taken with the number of plants that
    would stand for themselves and spread as the plots do, and Student's t of the plots in the place of the normal quantile
    (Kott and Carr 1997), where three plots or more were looked at; and is never narrower than that of single plants.

    Raises ValueError for lists that differ in length, nothing looked at, or more affected than looked at.
    """
    if len(affected) != len(looked):
        raise ValueError("each plot needs both numbers")
    if any(not 0 <= a <= n for a, n in zip(affected, looked, strict=True)):
        raise ValueError("no more plants can be affected than were looked at")
    pairs = [(a, n) for a, n in zip(affected, looked, strict=True) if n > 0]
    if not pairs:
        raise ValueError("no plant was looked at")
    a, n = np.array(pairs, dtype=float).T
    total, of = int(a.sum()), int(n.sum())
    share = total / of
    low, high = wilson_interval(total, of)
    if len(pairs) >= 3 and 0 < share < 1:
        spread = float(((a - share * n) ** 2).sum()) / (len(pairs) - 1) / len(pairs) / (of / len(pairs)) ** 2
        worth = min(float(of), share * (1 - share) / spread) if spread > 0 else float(of)
        t = distributions.t_quantile(0.975, len(pairs) - 1)
        middle, scale = share + t**2 / (2 * worth), 1 + t**2 / worth
        half = t * sqrt(share * (1 - share) / worth + t**2 / (4 * worth**2))
        low, high = min(low, (middle - half) / scale), max(high, (middle + half) / scale)
    return Incidence(total, of, int((a > 0).sum()), len(pairs), 100 * share, 100 * low, 100 * high, _reached(low, high, threshold))


def _reached(low: float, high: float, threshold: float | None) -> Reached | None:
    if threshold is None:
        return None
    if 100 * low >= threshold:
        return Reached.YES
    return Reached.NO if 100 * high < threshold else Reached.UNSURE


def mean_severity(percents: Sequence[float], threshold: float | None = None) -> Incidence:
    """Mean severity over plots in percent, with Student's 95 % interval between plots, told against a threshold in the same
    way; `affected` and `looked` count plots. Raises ValueError for no plots or percents that cannot be."""
    x = np.array(percents, dtype=float)
    if not len(x) or not np.isfinite(x).all() or x.min() < 0 or x.max() > 100:
        raise ValueError("severity runs from 0 to 100 %, in at least one plot")
    mean = float(x.mean())
    half = distributions.t_quantile(0.975, len(x) - 1) * float(x.std(ddof=1)) / sqrt(len(x)) if len(x) > 1 else 100.0
    low, high = max(0.0, mean - half), min(100.0, mean + half)
    some = int((x > 0).sum())
    return Incidence(some, len(x), some, len(x), mean, low, high, _reached(low / 100, high / 100, threshold))
