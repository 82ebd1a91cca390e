"""A raising place over time: trays that stand or will stand there, day by day, against what it holds."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, timedelta

from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString

from evarlo.ui.draw.scale import Scale
from trialcore.reckoning.raising_space import Stay, held

WIDTH, HEIGHT, LEFT, BOTTOM = 560, 120, 34, 96
BEFORE, AHEAD = 14, 90  # days


def room(stays: Sequence[Stay], capacity: float, today: date) -> SafeString:
    """Draw the trays of a place from two weeks ago to three months ahead."""
    start = today - timedelta(days=BEFORE)
    days = [start + timedelta(days=n) for n in range(BEFORE + AHEAD + 1)]
    trays = [held(stays, d) for d in days]
    across, up = Scale(0, len(days) - 1, LEFT, WIDTH - 8), Scale(0, max(capacity * 1.15, *trays, 1), BOTTOM, 8)
    ways = {"held": "", "over": ""}
    for n, count in enumerate(trays):
        x, wide = across(n), 0.0 if n + 1 == len(days) else (WIDTH - 8 - LEFT) / (len(days) - 1)
        for kind, top, foot in (("held", min(count, capacity), 0.0), ("over", count, capacity)):
            if top > foot:
                ways[kind] += f"M{x:.1f} {up(foot):.1f}V{up(top):.1f}h{wide + 0.3:.1f}V{up(foot):.1f}z"
    months = [(n, d) for n, d in enumerate(days) if d.day in (1, 15)]
    ticks = ((f"{across(n):.1f}", BOTTOM + 15, f"{d:%-d %b}") for n, d in months)
    said = f"{held(stays, today):g} of {capacity:g} trays today, at most {max(trays):g} until {days[-1]:%-d %b}"
    return format_html(
        '<svg class="room" viewBox="0 0 {} {}" role="img" aria-label="{}"><path class="held" d="{}"/><path class="over" d="{}"/>'
        '<path class="capacity" d="M{} {}H{}"/><text class="end" x="{}" y="{}">{}</text><path class="today" d="M{} 4V{}"/>'
        '<path class="axis" d="M{} {}H{}"/>{}</svg>',
        WIDTH,
        HEIGHT,
        said,
        ways["held"],
        ways["over"],
        LEFT,
        f"{up(capacity):.1f}",
        WIDTH - 8,
        LEFT - 5,
        f"{up(capacity) + 4:.1f}",
        f"{capacity:g}",
        f"{across(BEFORE):.1f}",
        BOTTOM,
        LEFT,
        BOTTOM,
        WIDTH - 8,
        format_html_join("", '<text x="{}" y="{}">{}</text>', ticks),
    )
