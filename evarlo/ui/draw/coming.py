"""Curves of what has come up or germinated: percent of the seeds over days from sowing."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString

from evarlo.ui.draw.scale import Scale

WIDTH, HEIGHT, LEFT, RIGHT, BOTTOM = 560, 230, 42, 100, 196
APART = 13  # between two names at the end of their lines


@dataclass(frozen=True)
class Line:
    """One curve: its name, the counts as (day, percent of the seeds), and the fitted curve where there is one. `kind` is `own`
    for what is looked at, `hurts` for what falls behind, else `other`."""

    name: str
    counted: Sequence[tuple[float, float]]
    fitted: Sequence[tuple[float, float]] = ()
    kind: str = "other"


def coming(lines: Sequence[Line], said: str, promised: float | None = None) -> SafeString:
    """Draw the curves; `promised` (percent) is drawn across, `said` is read out instead of the drawing."""
    last = max((day for line in lines for day, _ in (*line.counted, *line.fitted)), default=14.0)
    across, up = Scale(0, max(1.0, last), LEFT, WIDTH - RIGHT), Scale(0, 100, BOTTOM, 12)
    levels = ((LEFT, f"{up(t):.1f}", WIDTH - RIGHT, LEFT - 7, f"{up(t) + 4:.1f}", f"{t:g} %") for t in (0, 25, 50, 75, 100))
    days = ((f"{across(t):.1f}", BOTTOM + 16, f"{t:g}") for t in across.ticks(6))
    drawn = [_line(line, across, up) for line in sorted(lines, key=lambda x: ("other", "own", "hurts").index(x.kind))]
    promise = format_html('<path class="promise" d="M{} {}H{}"/>', LEFT, f"{up(promised):.1f}", WIDTH - RIGHT) if promised else ""
    return format_html(
        '<svg class="coming" viewBox="0 0 {} {}" role="img" aria-label="{}">{}{}{}{}{}'
        '<text x="{}" y="{}">days from sowing</text></svg>',
        WIDTH,
        HEIGHT,
        said,
        format_html_join("", '<path class="grid" d="M{} {}H{}"/><text class="end" x="{}" y="{}">{}</text>', levels),
        format_html_join("", '<text x="{}" y="{}">{}</text>', days),
        promise,
        format_html_join("", "{}", ((d,) for d in drawn)),
        _names(lines, up),
        (LEFT + WIDTH - RIGHT) / 2,
        HEIGHT - 4,
    )


def _line(line: Line, across: Scale, up: Scale) -> SafeString:
    way = line.fitted or line.counted
    path = "M" + "L".join(f"{across(d):.1f} {up(p):.1f}" for d, p in way) if way else ""
    dots = ((f"{across(d):.1f}", f"{up(p):.1f}") for d, p in line.counted) if line.kind != "other" else ()
    return format_html(
        '<g class="{}"><path d="{}"/>{}</g>', line.kind, path, format_html_join("", '<circle cx="{}" cy="{}" r="3"/>', dots)
    )


def _names(lines: Sequence[Line], up: Scale) -> SafeString:
    """The names of the lines that are told apart, beside their ends, none over another."""
    named = sorted((line for line in lines if line.kind != "other" and line.counted), key=lambda x: -x.counted[-1][1])
    placed, y = [], -99.0
    for line in named:
        y = max(y + APART, up(line.counted[-1][1]) + 4)
        placed.append((WIDTH - RIGHT + 6, f"{y:.1f}", line.kind, line.name))
    return format_html_join("", '<text class="start" x="{}" y="{}"><tspan class="{}">{}</tspan></text>', placed)
