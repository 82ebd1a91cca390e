"""What was said against what is true, both in percent: on the line is right."""

from __future__ import annotations

from collections.abc import Sequence

from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString

from evarlo.ui.draw.scale import Scale

SIZE, LEFT, BOTTOM = 300, 38, 264


def said_and_true(said: Sequence[float], truth: Sequence[float]) -> SafeString:
    """Draw each answer as a point, and the line on which they would lie."""
    across, up = Scale(0, 100, LEFT, SIZE - 10), Scale(0, 100, BOTTOM, 10)
    points = ((f"{across(t):.1f}", f"{up(s):.1f}") for s, t in zip(said, truth, strict=True))
    ticks = ((f"{across(v):.1f}", BOTTOM + 14, f"{v}", LEFT - 6, f"{up(v) + 4:.1f}") for v in (0, 25, 50, 75, 100))
    return format_html(
        '<svg class="scatter" viewBox="0 0 {0} {0}" role="img" aria-label="{1} answers, said against true, percent">{2}'
        '<path class="right" d="M{3} {4}L{5} {6}"/>{7}<text x="{8}" y="{9}">true, %</text>'
        '<text class="start" x="4" y="10">said, %</text></svg>',
        SIZE,
        len(said),
        format_html_join("", '<text x="{0}" y="{1}">{2}</text><text class="end" x="{3}" y="{4}">{2}</text>', ticks),
        LEFT,
        BOTTOM,
        SIZE - 10,
        10,
        format_html_join("", '<circle cx="{}" cy="{}" r="4"/>', points),
        (SIZE + LEFT) / 2,
        SIZE - 6,
    )
