"""When entries reached a stage: the walks between which each plot did, and the mean with its interval."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString

from evarlo.ui.draw.scale import Scale, tick_text

WIDTH, LEFT, ROW, TOP = 600, 120, 30, 10


@dataclass(frozen=True)
class StageRow:
    """An entry: its plots' windows in days from sowing (the second None while it is not reached), mean and 95 % interval."""

    name: str
    windows: Sequence[tuple[float, float | None]]
    mean: float | None
    low: float | None
    high: float | None


def stage_rows(rows: Sequence[StageRow], said: str) -> SafeString:
    """Draw the rows to one scale of days."""
    values = [v for r in rows for w in (*r.windows, (r.low, r.high)) for v in w if v is not None]
    low, high = min(values, default=0.0), max(values, default=10.0)
    across = Scale(low - 1, high + 1, LEFT, WIDTH - 12)
    height = TOP + ROW * len(rows) + 26
    ticks = across.ticks(6)
    step = ticks[1] - ticks[0] if len(ticks) > 1 else 1
    grid = ((f"{across(t):.1f}", TOP, height - 22, height - 7, tick_text(t, step)) for t in ticks)
    return format_html(
        '<svg class="stages-drawn" viewBox="0 0 {} {}" role="img" aria-label="{}">{}{}</svg>',
        WIDTH,
        height,
        said,
        format_html_join("", '<path class="grid" d="M{0} {1}V{2}"/><text x="{0}" y="{3}">{4}</text>', grid),
        format_html_join("", "{}", ((_row(r, across, TOP + ROW * n),) for n, r in enumerate(rows))),
    )


def _row(row: StageRow, across: Scale, y: float) -> SafeString:
    bars = []
    for n, (after, by) in enumerate(row.windows[:6]):
        at, end = y + 5 + 3.2 * n, by if by is not None else across.high
        bars.append(("open" if by is None else "window", f"{across(after):.1f}", f"{at:.1f}", f"{across(end):.1f}"))
    middle = y + ROW / 2
    mean = ""
    if row.mean is not None and row.low is not None and row.high is not None:
        mean = format_html(
            '<path class="interval" d="M{} {}H{}"/><circle cx="{}" cy="{}" r="4.5"/>',
            f"{across(row.low):.1f}",
            middle,
            f"{across(row.high):.1f}",
            f"{across(row.mean):.1f}",
            middle,
        )
    return format_html(
        '<text class="name" x="{}" y="{}">{}</text>{}{}',
        LEFT - 8,
        middle + 4,
        row.name[:18],
        format_html_join("", '<path class="{}" d="M{} {}H{}"/>', bars),
        mean,
    )
