"""Keeping curves: the share still sound over the days in store, one line an entry."""

from __future__ import annotations

from collections.abc import Sequence

from django.utils.safestring import SafeString

from evarlo.ui.draw.curves import Below, Curve, curves
from evarlo.ui.draw.scale import Scale


def keeping(lines: Sequence[Curve], said: str) -> SafeString:
    """Draw percent sound by days, straight between checks: within them nobody knows when pieces were lost. The check on top."""
    longest = max(day for x in lines for day, _ in x.points) or 1.0
    marks = [(t, f"{t:g}") for t in Scale(0, longest, 0, 1).ticks(6)]
    return curves(sorted(lines, key=lambda x: x.is_check), said, Below(0, longest, marks, "days in store"), 100, "%")
