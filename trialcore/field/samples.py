"""Several plants of one plot: their running mean, how sure it is, and how evenly they stand."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import ceil, sqrt

import numpy as np

from trialcore.inference import distributions


@dataclass(frozen=True)
class SampleMean:
    """Mean of `n` plants, their standard deviation, the mean's standard error and half of its 95 % interval (Student). None
    where one plant cannot tell. `cv_percent` is the spread in percent of the mean, None where that is not above nought."""

    n: int
    mean: float
    sd: float | None
    se: float | None
    half95: float | None
    cv_percent: float | None


def sample_mean(values: Sequence[float]) -> SampleMean:
    """What some plants of a plot tell of it. Raises ValueError for no plants or values that are no numbers."""
    x = np.array(values, dtype=float)
    if not len(x) or not np.isfinite(x).all():
        raise ValueError("expected at least one plant, each with a number")
    n, mean = len(x), float(x.mean())
    if n < 2:
        return SampleMean(n, mean, None, None, None, None)
    sd = float(x.std(ddof=1))
    se = sd / sqrt(n)
    return SampleMean(n, mean, sd, se, distributions.t_quantile(0.975, n - 1) * se, 100 * sd / mean if mean > 0 else None)


def plants_to_sample(sd: float, half: float, most: int = 1000) -> int | None:
    """The fewest plants of a plot whose mean has a 95 % interval of ± `half` when they spread by `sd` (Student's t, by
    iteration; Cochran 1977, sec. 4.4); None when `most` do not do. Raises ValueError for a spread below nought or a `half`
    that is not above it."""
    if sd < 0 or half <= 0:
        raise ValueError("expected a spread from nought and a half-width above it")
    n = max(2, ceil((1.959963984540054 * sd / half) ** 2))
    while n <= most:
        if distributions.t_quantile(0.975, n - 1) * sd / sqrt(n) <= half:
            return n
        n += 1
    return None
