"""Disease and damage over time: the area under the progress curve."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np


@dataclass(frozen=True)
class Progress:
    """`area` in percent · days (Shaner and Finney 1977); `relative` is it over 100 % throughout; `standardised` its mean
    severity in percent; `stairs` adds half a step at both ends (Simko and Piepho 2012)."""

    area: float
    relative: float
    standardised: float
    stairs: float
    days: float


def progress_area(days: Sequence[float], severity_percent: Sequence[float]) -> Progress:
    """Area under a progress curve by trapezia. Raises ValueError for fewer than two readings, lengths that differ, days
    that do not rise, or a severity outside 0–100 %."""
    if len(days) != len(severity_percent):
        raise ValueError("each day needs one severity")
    if len(days) < 2:
        raise ValueError("an area needs at least two readings")
    t, y = np.array(days, dtype=float), np.array(severity_percent, dtype=float)
    if not np.isfinite(t).all() or (np.diff(t) <= 0).any():
        raise ValueError("the days must rise from reading to reading")
    if not np.isfinite(y).all() or y.min() < 0 or y.max() > 100:
        raise ValueError("severity runs from 0 to 100 %")
    area = float(((y[1:] + y[:-1]) / 2 * np.diff(t)).sum())
    span = float(t[-1] - t[0])
    return Progress(area, area / (100 * span), area / span, area + float(y[0] + y[-1]) / 2 * span / (len(t) - 1), span)
