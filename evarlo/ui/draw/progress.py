"""Progress curves: percent, or another unit, over the dates of a season, one line an entry."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from django.utils.safestring import SafeString

from evarlo.ui.draw.curves import Below, Curve, curves


@dataclass(frozen=True)
class ProgressLine:
    """An entry: its name, the mean percent at each day, and whether it is the check."""

    name: str
    points: Sequence[tuple[date, float]]
    is_check: bool = False
    band: Sequence[tuple[float, float]] = ()  # lower and upper end of what each of its points is held to
    key: int = 0  # by which it is pointed at


def progress(lines: Sequence[ProgressLine], said: str, threshold: float | None = None, unit: str = "%") -> SafeString:
    """Draw the lines to one scale in `unit`, `threshold` across them, the band of the check behind."""
    drawn = [x for x in lines if x.points]
    dates = sorted({d for x in drawn for d, _ in x.points})
    shown = dates if len(dates) < 8 else dates[:: len(dates) // 6]
    low, high = dates[0].toordinal(), dates[-1].toordinal()
    below = Below(low, high if high > low else low + 1, [(d.toordinal(), f"{d:%-d %b}") for d in shown])
    top = max([v for x in drawn for _, v in x.points] + [threshold or 0.0, 1.0 if unit == "%" else 0.0])
    made = [Curve(x.name, [(d.toordinal(), v) for d, v in x.points], x.is_check, x.band, x.key) for x in drawn]
    return curves(made, said, below, top, unit, threshold)
