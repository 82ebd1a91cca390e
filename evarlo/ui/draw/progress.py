"""Progress curves: percent over the season, one line an entry."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString

from evarlo.ui.draw.scale import Scale, tick_text

WIDTH, LEFT, TOP, LOWEST, FOOT = 600, 44, 12, 206, 34
APART = 13  # of two names, in drawing units
LETTER, LONGEST = 6.4, 28  # the width of a letter, and as many as are shown of a name


@dataclass(frozen=True)
class ProgressLine:
    """An entry: its name, the mean percent at each day, and whether it is the check."""

    name: str
    points: Sequence[tuple[date, float]]
    is_check: bool = False
    band: Sequence[float] = ()  # half of what its points are held to, each
    key: int = 0  # by which it is pointed at


def progress(lines: Sequence[ProgressLine], said: str, threshold: float | None = None, unit: str = "%") -> SafeString:
    """Draw the lines to one scale in `unit`, `threshold` across them, the band of the check behind."""
    drawn = [x for x in lines if x.points]
    days = [d.toordinal() for x in drawn for d, _ in x.points]
    low, high = min(days), max(days)
    top = max([v for x in drawn for _, v in x.points] + [threshold or 0.0, 1.0 if unit == "%" else 0.0])
    bottom_y = max(LOWEST, TOP + APART * len(drawn))  # every name has room beside the ends
    end = WIDTH - 24 - LETTER * min(LONGEST, max(len(x.name) for x in drawn))
    across, up = Scale(low, high if high > low else low + 1, LEFT, end), Scale(0, top, bottom_y, TOP)
    ticks = up.ticks(4)
    step = ticks[1] - ticks[0] if len(ticks) > 1 else 1
    levels = ((LEFT, f"{up(t):.1f}", end, LEFT - 7, f"{up(t) + 4:.1f}", f"{tick_text(t, step)} {unit}") for t in ticks)
    dates = sorted({d for x in drawn for d, _ in x.points})
    shown = dates if len(dates) < 8 else dates[:: len(dates) // 6]
    bottom = ((f"{across(d.toordinal()):.1f}", bottom_y + 16, f"{d:%-d %b}") for d in shown)
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


def _line(line: ProgressLine, across: Scale, up: Scale) -> SafeString:
    points = [(f"{across(d.toordinal()):.1f}", f"{up(v):.1f}") for d, v in line.points]
    path = "M" + "L".join(f"{x} {y}" for x, y in points)
    dots = format_html_join("", '<circle cx="{}" cy="{}" r="3"/>', points)
    kind = "check" if line.is_check else "other"
    return format_html('<g class="{}" data-entry="{}"><path d="{}"/>{}</g>', kind, line.key or "", path, dots)


def _band(line: ProgressLine, across: Scale, up: Scale) -> SafeString:
    """What a line is held to, behind every line."""
    upper = [(across(d.toordinal()), up(v + h)) for (d, v), h in zip(line.points, line.band, strict=True)]
    lower = [(across(d.toordinal()), up(max(0.0, v - h))) for (d, v), h in zip(line.points, line.band, strict=True)]
    return format_html('<path class="band" d="M{}z"/>', "L".join(f"{x:.1f} {y:.1f}" for x, y in [*upper, *reversed(lower)]))


def _names(lines: Sequence[ProgressLine], up: Scale, end: float, lowest: float) -> SafeString:
    """Names beside the ends of their lines, kept apart: pushed down where they would meet, and up again from the lowest."""
    ordered = sorted(lines, key=lambda x: -x.points[-1][1])
    ends = [up(line.points[-1][1]) for line in ordered]
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
            "check" if line.is_check else "other",
            f"{end + 20:.1f}",
            f"{y + 4:.1f}",
            line.name if len(line.name) <= LONGEST else f"{line.name[: LONGEST - 1]}…",
        )
        for line, from_y, y in zip(ordered, ends, places, strict=True)
    )
    return format_html_join("", '<path class="grid" d="{0}"/><text class="start {1}" x="{2}" y="{3}">{4}</text>', placed)
