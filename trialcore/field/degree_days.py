"""Degree days from daily minimum and maximum temperatures, and the length of the day."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

import numpy as np

from trialcore.analyses.linear import Floats

Method = Literal["average", "clipped", "mean-clipped", "sine", "sine-cutoff"]
METHODS: tuple[Method, ...] = ("average", "clipped", "mean-clipped", "sine", "sine-cutoff")


def degree_days(
    tmin: Sequence[float] | Floats,
    tmax: Sequence[float] | Floats,
    base: float,
    upper: float | None = None,
    method: Method = "sine-cutoff",
) -> Floats:
    """Degree days of each day (°C · day), a value each; a day with a missing temperature (NaN) is NaN.

    average: max(0, mean − base). clipped: minimum and maximum first moved into [base, upper] (McMaster and Wilhelm 1997).
    mean-clipped: the mean moved below `upper`. sine: single sine without upper limit (Baskerville and Emin 1969).
    sine-cutoff: the same less what lies above `upper` (horizontal cut-off).

    Raises ValueError for lists of different length, a minimum above its maximum, `upper` not above `base`, or a method
    that needs `upper` without it.
    """
    low, high = np.asarray(tmin, dtype=float), np.asarray(tmax, dtype=float)
    if low.shape != high.shape:
        raise ValueError("each day needs a minimum and a maximum")
    if (low > high).any():
        raise ValueError("a day's minimum lies above its maximum")
    if upper is not None and upper <= base:
        raise ValueError("the upper temperature must lie above the base")
    if method not in METHODS:
        raise ValueError(f"the method must be one of {', '.join(METHODS)}")
    if upper is None:
        if method in ("clipped", "mean-clipped"):
            raise ValueError(f"the method {method} needs an upper temperature")
        method = "sine" if method == "sine-cutoff" else method
    mean = (low + high) / 2
    if method == "average":
        return np.asarray(np.maximum(mean - base, 0.0) + 0 * mean)
    if method == "clipped" and upper is not None:
        return np.asarray((np.clip(low, base, upper) + np.clip(high, base, upper)) / 2 - base)
    if method == "mean-clipped" and upper is not None:
        return np.asarray(np.maximum(np.minimum(mean, upper) - base, 0.0) + 0 * mean)
    sine = _sine(low, high, base)
    return sine if method == "sine" or upper is None else np.asarray(sine - _sine(low, high, upper))


def _sine(low: Floats, high: Floats, base: float) -> Floats:
    mean, swing = (high + low) / 2, (high - low) / 2
    safe = np.where(swing > 0, swing, 1.0)
    angle = np.arcsin(np.clip((base - mean) / safe, -1, 1))
    part = ((mean - base) * (np.pi / 2 - angle) + swing * np.cos(angle)) / np.pi
    warm = np.where(low >= base, mean - base, part)
    return np.asarray(np.where(high <= base, 0.0, warm) + 0 * mean)


def day_of(total: float, daily: Sequence[float] | Floats) -> int | None:
    """The first day (from 0) by which the running sum of `daily` reaches `total`; None when it never does."""
    reached = np.flatnonzero(np.cumsum(np.asarray(daily, dtype=float)) >= total)
    return int(reached[0]) if len(reached) else None


def day_length_hours(latitude: float, day_of_year: int) -> float:
    """Hours from sunrise to sunset, the sun's upper edge on a flat horizon with refraction (Forsythe et al. 1995).

    `latitude` in degrees, north positive. Raises ValueError outside −90…90 or 1…366.
    """
    if not -90 <= latitude <= 90 or not 1 <= day_of_year <= 366:
        raise ValueError("latitude must lie from −90 to 90 degrees and the day of the year from 1 to 366")
    theta = 0.2163108 + 2 * np.arctan(0.9671396 * np.tan(0.00860 * (day_of_year - 186)))
    tilt = np.arcsin(0.39795 * np.cos(theta))
    lat = np.radians(latitude)
    edge = (np.sin(np.radians(0.8333)) + np.sin(lat) * np.sin(tilt)) / (np.cos(lat) * np.cos(tilt))
    return float(24 - 24 / np.pi * np.arccos(np.clip(edge, -1, 1)))
