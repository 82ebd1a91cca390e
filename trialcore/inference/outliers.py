"""Whether a value that was just typed is one to ask about again."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

LEAST_TO_JUDGE = 6
FAR = 5.0
LEAST_FACTOR = 0.3


def usual_range(others: Sequence[float]) -> tuple[float, float] | None:
    """The range in which a further value would surprise nobody: median ± 5 robust standard deviations.

    The robust standard deviation is 1.4826 · the median absolute deviation (Hampel 1974), and not below 5 % of the
    median, so that a few equal values do not make every other one look strange. None with fewer than six values.
    """
    if len(others) < LEAST_TO_JUDGE:
        return None
    middle = float(np.median(others))
    spread = 1.4826 * float(np.median(np.abs(np.asarray(others) - middle)))
    spread = max(spread, 0.05 * abs(middle))
    return (middle - FAR * spread, middle + FAR * spread) if spread > 0 else None


def usual_factor(others: Sequence[float]) -> tuple[float, float] | None:
    """The range as `usual_range` finds it on the logarithms of amounts above nought, for what grows by factors: weights, areas.

    The robust standard deviation is not below 0.3 (a factor of 1.35), so that amounts up to 4.5 times the median, or that part of
    it, are never asked about. None with fewer than six values, or with one that is not above nought.
    """
    if len(others) < LEAST_TO_JUDGE or min(others) <= 0:
        return None
    logs = np.log(np.asarray(others, dtype=float))
    middle = float(np.median(logs))
    spread = max(1.4826 * float(np.median(np.abs(logs - middle))), LEAST_FACTOR)
    return float(np.exp(middle - FAR * spread)), float(np.exp(middle + FAR * spread))


def is_unlikely(value: float, others: Sequence[float]) -> bool:
    """Whether `value` lies outside the usual range of the values beside it."""
    usual = usual_range(others)
    return usual is not None and not usual[0] <= value <= usual[1]
