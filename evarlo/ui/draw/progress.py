"""Progress curves: percent over the season, one line an entry."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString

from evarlo.ui.draw.scale import Scale, tick_text

WIDTH, HEIGHT, LEFT, RIGHT, TOP, BOTTOM = 600, 240, 44, 110, 12, 206
APART = 13


@dataclass(frozen=True)
class ProgressLine:
    """An entry: its name, the mean percent at each day, and whether it is the check."""

    name: str
    points: Sequence[tuple[date, float]]
    is_check: bool = False


def progress(lines: Sequence[ProgressLine], said: str, threshold: float | None = None) -> SafeString:
    """Draw the lines to one scale, `threshold` (percent) across them."""
    drawn = [x for x in lines if x.points]
    days = [d.toordinal() for x in drawn for d, _ in x.points]
    low, high = min(days), max(days)
    top = max([v for x in drawn for _, v in x.points] + [threshold or 0.0, 1.0])
    across, up = Scale(low, high if high > low else low + 1, LEFT, WIDTH - RIGHT), Scale(0, top, BOTTOM, TOP)
    ticks = up.ticks(4)
    step = ticks[1] - ticks[0] if len(ticks) > 1 else 1
    levels = ((LEFT, f"{up(t):.1f}", WIDTH - RIGHT, LEFT - 7, f"{up(t) + 4:.1f}", f"{tick_text(t, step)} %") for t in ticks)
    dates = sorted({d for x in drawn for d, _ in x.points})
    shown = dates if len(dates) < 8 else dates[:: len(dates) // 6]
    bottom = ((f"{across(d.toordinal()):.1f}", BOTTOM + 16, f"{d:%-d %b}") for d in shown)
    line = format_html('<path class="threshold" d="M{} {}H{}"/>', LEFT, f"{up(threshold):.1f}", WIDTH - RIGHT) if threshold else ""
    return format_html(
        '<svg class="progress" viewBox="0 0 {} {}" role="img" aria-label="{}">{}{}{}{}{}</svg>',
        WIDTH,
        HEIGHT,
        said,
        format_html_join("", '<path class="grid" d="M{} {}H{}"/><text class="end" x="{}" y="{}">{}</text>', levels),
        format_html_join("", '<text x="{}" y="{}">{}</text>', bottom),
        line,
        format_html_join("", "{}", ((_line(x, across, up),) for x in drawn)),
        _names(drawn, up),
    )


def _line(line: ProgressLine, across: Scale, up: Scale) -> SafeString:
    points = [(f"{across(d.toordinal()):.1f}", f"{up(v):.1f}") for d, v in line.points]
    path = "M" + "L".join(f"{x} {y}" for x, y in points)
    dots = format_html_join("", '<circle cx="{}" cy="{}" r="3"/>', points)
    return format_html('<g class="{}"><path d="{}"/>{}</g>', "check" if line.is_check else "other", path, dots)


def _names(lines: Sequence[ProgressLine], up: Scale) -> SafeString:
    """Names beside the ends of their lines, from the top, as far as there is room."""
    placed, y = [], -99.0
    for line in sorted(lines, key=lambda x: -x.points[-1][1]):
        y = max(y + APART, up(line.points[-1][1]) + 4)
        if y <= HEIGHT - 4:
            placed.append((WIDTH - RIGHT + 8, f"{y:.1f}", "check" if line.is_check else "other", line.name[:16]))
    return format_html_join("", '<text class="start {2}" x="{0}" y="{1}">{3}</text>', placed)
