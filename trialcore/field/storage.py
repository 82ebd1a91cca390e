"""Keeping tests: how much of a lot is still sound, by date."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from trialcore.reckoning.germination import wilson_interval


@dataclass(frozen=True)
class Check:
    """A lot looked at on one day: the share still sound with Wilson's 95 % interval."""

    day: float
    sound: int
    of: int
    share: float
    lower95: float
    upper95: float


@dataclass(frozen=True)
class KeepingCurve:
    """`days_to_90` and `days_to_50` are when the share passed 90 and 50 %, straight between checks, None when it had not
    by the last one; `mean_share` is the mean share over the whole test."""

    checks: tuple[Check, ...]
    days_to_90: float | None
    days_to_50: float | None
    mean_share: float


def keeping_curve(days: Sequence[float], sound: Sequence[int], of: int) -> KeepingCurve:
    """The curve of one lot of `of` pieces, from the day it was put away (day 0, all sound).

    Raises ValueError for lengths that differ, days that do not rise from above nought, or a sound count that rises or
    exceeds the lot.
    """
    if len(days) != len(sound) or not len(days):
        raise ValueError("each check needs a day and a count")
    if of < 1 or days[0] <= 0 or (np.diff(np.array(days, dtype=float)) <= 0).any():
        raise ValueError("days must rise from above nought")
    if any(not 0 <= s <= of for s in sound) or any(b > a for a, b in zip(sound, list(sound)[1:], strict=False)):
        raise ValueError("what is sound cannot be more than was put away, nor become more")
    checks = tuple(Check(float(d), s, of, s / of, *wilson_interval(s, of)) for d, s in zip(days, sound, strict=True))
    t = np.array([0.0, *(c.day for c in checks)])
    share = np.array([1.0, *(c.share for c in checks)])
    area = float(((share[1:] + share[:-1]) / 2 * np.diff(t)).sum())
    return KeepingCurve(checks, _passed(t, share, 0.9), _passed(t, share, 0.5), area / float(t[-1]))


def _passed(t: np.ndarray, share: np.ndarray, level: float) -> float | None:
    below = np.flatnonzero(share < level)
    if not len(below):
        return None
    j = int(below[0])
    return float(t[j - 1] + (share[j - 1] - level) / (share[j - 1] - share[j]) * (t[j] - t[j - 1]))
