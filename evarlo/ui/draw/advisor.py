"""What more replicates buy: the smallest difference that can be told apart, with what it takes under the same axis."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString

from evarlo.ui.draw.scale import Scale

WIDTH, HEIGHT, LEFT, BOTTOM, LINE = 520, 132, 92, 108, 17


@dataclass(frozen=True)
class Step:
    """One number of replicates: the smallest difference in percent of the mean, and what it takes, as texts by row."""

    replicates: int
    tells: float
    takes: tuple[str, ...]


def advisor(steps: Sequence[Step], chosen: int, rows: Sequence[str], said: str) -> SafeString:
    """The curve over `steps`, the chosen number marked, the texts of `rows` under each. `said` is read out instead."""
    across = Scale(steps[0].replicates, steps[-1].replicates, LEFT + 24, WIDTH - 24)
    up = Scale(0, max(s.tells for s in steps) * 1.12, BOTTOM, 8)
    points = [(f"{across(s.replicates):.1f}", f"{up(s.tells):.1f}", s) for s in steps]
    curve = "M" + "L".join(f"{x} {y}" for x, y, _ in points)
    grid = ((LEFT, f"{up(t):.1f}", WIDTH, LEFT - 8, f"{up(t) + 4:.1f}", f"{t:g} %") for t in up.ticks(3) if t > 0)
    marks = []
    for x, y, s in points:
        big = s.replicates == chosen
        marks.append((x, y, 6 if big else 3.5, "chosen" if big else "", x, f"{float(y) - 11:.1f}", f"{s.tells:.0f} %"))
    heads = ((LEFT - 8, BOTTOM + LINE * (i + 1), name) for i, name in enumerate(("", *rows)) if name)
    cells = (
        (x, BOTTOM + LINE * (i + 1) - (0 if i else 3), "chosen" if s.replicates == chosen else "", text)
        for x, _, s in points
        for i, text in enumerate((str(s.replicates), *s.takes))
    )
    height = BOTTOM + LINE * (len(rows) + 1) + 4
    return format_html(
        '<svg class="advisor" viewBox="0 0 {} {}" role="img" aria-label="{}">{}<path class="axis" d="M{} {}H{}"/>'
        '<path class="curve" d="{}"/>{}{}{}</svg>',
        WIDTH,
        height,
        said,
        format_html_join("", '<path class="grid" d="M{} {}H{}"/><text class="end" x="{}" y="{}">{}</text>', grid),
        LEFT,
        BOTTOM,
        WIDTH,
        curve,
        format_html_join("", '<circle cx="{}" cy="{}" r="{}" class="{}"/><text x="{}" y="{}">{}</text>', marks),
        format_html_join("", '<text class="end" x="{}" y="{}">{}</text>', heads),
        format_html_join("", '<text x="{}" y="{}" class="{}">{}</text>', cells),
    )
