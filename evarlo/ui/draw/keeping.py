"""Keeping curves: the share still sound over the days in store, a step at each check, one line an entry."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString

from evarlo.ui.draw.scale import Scale

WIDTH, HEIGHT, LEFT, BOTTOM, TOP = 600, 236, 44, 200, 12
APART, LETTER, LONGEST = 13, 6.4, 28  # of two names; the width of a letter; as many as are shown of a name


@dataclass(frozen=True)
class KeepingLine:
    """An entry: its name, the share sound (0 to 1) after so many days, and whether it is the check."""

    name: str
    points: Sequence[tuple[float, float]]
    is_check: bool = False


def curves(lines: Sequence[KeepingLine], said: str) -> SafeString:
    """Draw the lines to one scale; at half of the pieces a line goes across."""
    end = WIDTH - 24 - LETTER * min(LONGEST, max((len(x.name) for x in lines), default=0))
    across = Scale(0, max((p[0] for x in lines for p in x.points), default=1.0) or 1.0, LEFT, end)
    up = Scale(0, 100, BOTTOM, TOP)
    levels = ((LEFT, f"{up(t):.1f}", end, LEFT - 7, f"{up(t) + 4:.1f}", f"{t:g} %") for t in (0, 25, 50, 75, 100))
    days = ((f"{across(t):.1f}", BOTTOM + 16, f"{t:g}") for t in across.ticks(6))
    drawn = sorted(lines, key=lambda x: x.is_check)
    return format_html(
        '<svg class="progress" viewBox="0 0 {} {}" role="img" aria-label="{}">{}{}{}{}'
        '<text x="{}" y="{}">days in store</text></svg>',
        WIDTH,
        HEIGHT,
        said,
        format_html_join("", '<path class="grid" d="M{} {}H{}"/><text class="end" x="{}" y="{}">{}</text>', levels),
        format_html_join("", '<text x="{}" y="{}">{}</text>', days),
        format_html_join("", "{}", ((_line(x, across, up),) for x in drawn)),
        _names(drawn, up, end),
        (LEFT + end) / 2,
        HEIGHT - 4,
    )


def _line(line: KeepingLine, across: Scale, up: Scale) -> SafeString:
    """Straight between checks: within them nobody knows when pieces were lost."""
    points = [(f"{across(d):.1f}", f"{up(100 * s):.1f}") for d, s in line.points]
    dots = format_html_join("", '<circle cx="{}" cy="{}" r="3"/>', points)
    path = "M" + "L".join(f"{x} {y}" for x, y in points)
    return format_html('<g class="{}"><path d="{}"/>{}</g>', "check" if line.is_check else "other", path, dots)


def _names(lines: Sequence[KeepingLine], up: Scale, end: float) -> SafeString:
    """Each beside the end of its line, clear of each other; the lowest push the others up rather than leave the drawing."""
    placed, y = [], BOTTOM + 4.0 + APART
    for line in sorted(lines, key=lambda x: x.points[-1][1]):
        y = min(y - APART, up(100 * line.points[-1][1]) + 4)
        placed.append(("check" if line.is_check else "other", end + 8, f"{y:.1f}", line.name[:LONGEST]))
    return format_html_join("", '<text class="start {}" x="{}" y="{}">{}</text>', placed)
