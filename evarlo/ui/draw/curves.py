"""Curves over days, one line an entry, each named beside its end: what progress and keeping are drawn with."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString

from evarlo.ui.draw.scale import Scale, tick_text

WIDTH, LEFT, TOP, LOWEST, FOOT = 600, 44, 12, 206, 34
APART = 13  # of two names, in drawing units
LETTER, LONGEST = 6.4, 28  # the width of a letter, and as many as are shown of a name


@dataclass(frozen=True)
class Curve:
    """An entry: its name, its value at each of its days, and whether it is the check."""

    name: str
    points: Sequence[tuple[float, float]]
    is_check: bool = False
    band: Sequence[tuple[float, float]] = ()  # lower and upper end of what each of its points is held to
    key: int = 0  # by which it is pointed at
    strong: bool = False  # what the drawing is about


@dataclass(frozen=True)
class Below:
    """The axis under the curves: from where to where it reaches, what stands at which of its places, and what it is."""

    low: float
    high: float
    marks: Sequence[tuple[float, str]]
    caption: str = ""


def curves(
    drawn: Sequence[Curve], said: str, below: Below, top: float, unit: str, threshold: float | None = None, low: float = 0.0
) -> SafeString:
    """Draw curves that have points, from `low` up to `top` in `unit`, `threshold` across them, bands behind."""
    bottom_y = max(LOWEST, TOP + APART * len(drawn))  # every name has room beside the ends
    end = WIDTH - 24 - LETTER * min(LONGEST, max(len(x.name) for x in drawn))
    across, up = Scale(below.low, below.high, LEFT, end), Scale(low, top, bottom_y, TOP)
    ticks = up.ticks(4)
    step = ticks[1] - ticks[0] if len(ticks) > 1 else 1
    levels = ((LEFT, f"{up(t):.1f}", end, LEFT - 7, f"{up(t) + 4:.1f}", f"{tick_text(t, step)} {unit}") for t in ticks if t >= low)
    bottom = [(f"{across(at):.1f}", bottom_y + 16, text) for at, text in below.marks]
    if below.caption:
        bottom.append((f"{(LEFT + end) / 2:.1f}", bottom_y + FOOT - 4, below.caption))
    line = format_html('<path class="threshold" d="M{} {}H{}"/>', LEFT, f"{up(threshold):.1f}", end) if threshold else ""
    return format_html(
        '<svg class="progress" viewBox="0 0 {} {}" role="img" aria-label="{}">{}{}{}{}{}{}</svg>',
        WIDTH,
        bottom_y + FOOT,
        said,
        format_html_join("", "{}", ((_band(x, across, up),) for x in drawn if x.band)),
        format_html_join("", '<path class="grid" d="M{} {}H{}"/><text class="end" x="{}" y="{}">{}</text>', levels),
        format_html_join("", '<text x="{}" y="{}">{}</text>', bottom),
        line,
        format_html_join("", "{}", ((_line(x, across, up),) for x in drawn)),
        _names(drawn, up, end, bottom_y),
    )


def _line(curve: Curve, across: Scale, up: Scale) -> SafeString:
    points = [(f"{across(d):.1f}", f"{up(v):.1f}") for d, v in curve.points]
    path = "M" + "L".join(f"{x} {y}" for x, y in points)
    dots = format_html_join("", '<circle cx="{}" cy="{}" r="3"/>', points)
    kind = "check" if curve.is_check else "strong" if curve.strong else "other"
    return format_html('<g class="{}" data-entry="{}"><path d="{}"/>{}</g>', kind, curve.key or "", path, dots)


def _band(curve: Curve, across: Scale, up: Scale) -> SafeString:
    """What a line is held to, behind every line."""
    upper = [(across(d), up(high)) for (d, _), (_, high) in zip(curve.points, curve.band, strict=True)]
    lower = [(across(d), up(max(0.0, low))) for (d, _), (low, _) in zip(curve.points, curve.band, strict=True)]
    return format_html('<path class="band" d="M{}z"/>', "L".join(f"{x:.1f} {y:.1f}" for x, y in [*upper, *reversed(lower)]))


def _names(drawn: Sequence[Curve], up: Scale, end: float, lowest: float) -> SafeString:
    """Names beside the ends of their lines, kept apart: pushed down where they would meet, and up again from the lowest."""
    ordered = sorted(drawn, key=lambda x: -x.points[-1][1])
    ends = [up(curve.points[-1][1]) for curve in ordered]
    places: list[float] = []
    for y in ends:
        places.append(max(y, places[-1] + APART) if places else y)
    limit = lowest
    for n in reversed(range(len(places))):
        places[n] = min(places[n], limit)
        limit = places[n] - APART
    placed = (
        (
            f"M{end + 4:.1f} {from_y:.1f}L{end + 16:.1f} {y:.1f}",
            "check" if curve.is_check or curve.strong else "other",
            f"{end + 20:.1f}",
            f"{y + 4:.1f}",
            curve.name if len(curve.name) <= LONGEST else f"{curve.name[: LONGEST - 1]}…",
        )
        for curve, from_y, y in zip(ordered, ends, places, strict=True)
    )
    return format_html_join("", '<path class="grid" d="{0}"/><text class="start {1}" x="{2}" y="{3}">{4}</text>', placed)
