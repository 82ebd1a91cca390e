"""What difference a trial can tell apart, before it is sown."""

from __future__ import annotations

import numpy as np

from trialcore import distributions


def error_df(entries: int, blocks: int) -> int:
    """Degrees of freedom for error of randomised complete blocks: (entries − 1)(blocks − 1)."""
    return (entries - 1) * (blocks - 1)


def power(difference: float, cv: float, blocks: int, entries: int, alpha: float = 0.05) -> float:
    """Chance that a true difference between two entries is found, testing two-sided at `alpha`.

    `difference` and `cv` are in percent of the mean. Noncentral t on (blocks − 1)(entries − 1) degrees of freedom with
    noncentrality difference / (cv · sqrt(2 / blocks)), both tails counted (Cohen 1988, ch. 2; Steel and Torrie 1980).

    Raises ValueError for fewer than two entries or blocks, or figures that are not positive.
    """
    if entries < 2 or blocks < 2:
        raise ValueError("two entries and two blocks are the least that can be compared")
    if cv <= 0 or difference < 0 or not 0 < alpha < 1:
        raise ValueError("the CV must be above nought, the difference not below it, alpha between 0 and 1")
    df = error_df(entries, blocks)
    shift = difference / (cv * np.sqrt(2 / blocks))
    bound = distributions.t_quantile(1 - alpha / 2, df)
    return distributions.noncentral_t_beyond(bound, df, shift)


def detectable_difference(cv: float, blocks: int, entries: int, alpha: float = 0.05, chance: float = 0.8) -> float:
    """The smallest true difference, in percent of the mean, that is found with probability `chance`."""
    low, high = 0.0, cv
    while power(high, cv, blocks, entries, alpha) < chance:
        low, high = high, high * 2
    for _ in range(60):
        middle = (low + high) / 2
        low, high = (middle, high) if power(middle, cv, blocks, entries, alpha) < chance else (low, middle)
    return (low + high) / 2


def blocks_needed(
    difference: float, cv: float, entries: int, alpha: float = 0.05, chance: float = 0.8, most: int = 1000
) -> int | None:
    """The fewest blocks (at least 2) that find `difference` percent with probability `chance`; None beyond `most`."""
    return next((b for b in range(2, most + 1) if power(difference, cv, b, entries, alpha) >= chance), None)
