"""Residuals: against what was fitted, and against where the normal would have them."""

from __future__ import annotations

from collections.abc import Collection, Sequence

from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString

from evarlo.ui.draw.scale import Scale, tick_text

WIDTH, HIGH, LEFT, BOTTOM = 300, 230, 34, 196


def residual_plot(
    x: Sequence[float], y: Sequence[float], names: Sequence[str], out: Collection[int], caption: str, line: bool = False
) -> SafeString:
    """Points of standardised residuals `y` by `x`, those at the places `out` named; a `line` on which they would lie where `x` is
    the expected residual, else the line of nought."""
    low, high = min(x), max(x)
    room = (high - low) * 0.04 or 1.0
    reach = max(2.5, *(abs(v) for v in y)) * 1.08
    across, up = Scale(low - room, high + room, LEFT, WIDTH - 8), Scale(-reach, reach, BOTTOM, 8)
    ticks = [t for t in across.ticks(4) if low - room <= t <= high + room]
    step = ticks[1] - ticks[0] if len(ticks) > 1 else 1.0
    below = ((f"{across(t):.1f}", BOTTOM + 14, tick_text(t, step)) for t in ticks)
    beside = ((LEFT - 6, f"{up(v) + 4:.1f}", f"{v:g}".replace("-", "−")) for v in (-2, 0, 2))
    ends = (low, high) if line else (0.0, 0.0)
    way = f"M{across(low):.1f} {up(ends[0]):.1f}L{across(high):.1f} {up(ends[1]):.1f}"
    points = ((f"{across(a):.1f}", f"{up(b):.1f}", n) for a, b, n in zip(x, y, names, strict=True))
    named = ((f"{across(x[i]) + 6:.1f}", f"{up(y[i]) + 4:.1f}", names[i]) for i in out)
    return format_html(
        '<svg class="scatter" viewBox="0 0 {} {}" role="img" aria-label="{} residuals by {}">{}{}<path class="right" d="{}"/>{}{}'
        '<text x="{}" y="{}">{}</text></svg>',
        WIDTH,
        HIGH,
        len(x),
        caption,
        format_html_join("", '<text x="{}" y="{}">{}</text>', below),
        format_html_join("", '<text class="end" x="{}" y="{}">{}</text>', beside),
        way,
        format_html_join("", '<circle cx="{}" cy="{}" r="3.4"><title>{}</title></circle>', points),
        format_html_join("", '<text class="start" x="{}" y="{}">{}</text>', named),
        (LEFT + WIDTH) / 2,
        HIGH - 4,
        caption,
    )
