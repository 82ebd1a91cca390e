"""How entries follow poor and good trials: a straight line each over the trials in the order of their level."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString

from evarlo.ui.draw.scale import Scale, tick_text

WIDTH, HEIGHT, LEFT, RIGHT, TOP, FOOT = 330, 260, 34, 88, 14, 34
APART = 13  # between two names at the right


@dataclass(frozen=True)
class FollowLine:
    """An entry: its name, the values at the poorest and the best trial, and the class that colours it."""

    name: str
    low: float
    high: float
    kind: str


def follows(lines: Sequence[FollowLine], trials: Sequence[tuple[str, float]], unit: str, said: str) -> SafeString:
    """The drawing; `trials` are names and levels. Empty without lines or levels that differ."""
    levels = [level for _, level in trials]
    if not lines or not levels or max(levels) == min(levels):
        return SafeString("")
    values = [v for x in lines for v in (x.low, x.high)]
    pad = 0.06 * (max(values) - min(values)) or 1.0
    x = Scale(min(levels), max(levels), LEFT, WIDTH - RIGHT)
    y = Scale(min(values) - pad, max(values) + pad, HEIGHT - FOOT, TOP)
    ends = _apart([(y(line.high), i) for i, line in enumerate(lines)])
    drawn = format_html_join(
        "",
        '<g class="{}"><path d="M{} {}L{} {}"/><text x="{}" y="{}">{}</text></g>',
        (
            (
                line.kind,
                f"{x(min(levels)):.1f}",
                f"{y(line.low):.1f}",
                f"{x(max(levels)):.1f}",
                f"{y(line.high):.1f}",
                f"{x(max(levels)) + 5:.1f}",
                f"{ends[i] + 4:.1f}",
                line.name,
            )
            for i, line in enumerate(lines)
        ),
    )
    ticks = y.ticks(5)
    step = ticks[1] - ticks[0] if len(ticks) > 1 else 1.0
    left = format_html_join(
        "",
        '<text class="tick" x="{}" y="{}" text-anchor="end">{}</text>',
        ((LEFT - 5, f"{y(t) + 4:.1f}", tick_text(t, step)) for t in ticks),
    )
    marks = format_html_join("", '<path class="at" d="M{} {}v5"/>', ((f"{x(v):.1f}", HEIGHT - FOOT) for v in levels))
    poorest, best = min(trials, key=lambda t: t[1])[0], max(trials, key=lambda t: t[1])[0]
    return format_html(
        '<svg class="follows" viewBox="0 0 {0} {1}" width="{0}" height="{1}" role="img" aria-label="{2}"><title>{2}</title>'
        '<path class="axis" d="M{3} {4}V{5}H{6}"/>{7}{8}{9}<text class="tick" x="{3}" y="11">{10}</text>'
        '<text class="tick" x="{3}" y="{11}">{12}</text><text class="tick" x="{6}" y="{11}" text-anchor="end">{13}</text></svg>',
        WIDTH,
        HEIGHT,
        said,
        LEFT,
        TOP,
        HEIGHT - FOOT,
        WIDTH - RIGHT,
        left,
        marks,
        drawn,
        unit,
        HEIGHT - 12,
        poorest,
        best,
    )


def _apart(ends: list[tuple[float, int]]) -> dict[int, float]:
    """Where names stand at the right, so that none lies over another."""
    placed: dict[int, float] = {}
    last = float("-inf")
    for y, i in sorted(ends):
        last = max(y, last + APART)
        placed[i] = last
    return placed
