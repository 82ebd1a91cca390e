"""A bed over the years: metres along it down the page, time across, a box for everything that stood on a part of it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString

from evarlo.ui.units import figure_shown, measured

WIDTH, LEFT, TOP, FOOT = 820.0, 42.0, 18.0, 6.0
SOIL = '<rect class="soil" x="{}" y="{}" width="{}" height="{}"/>'
METRES = '<text x="{}" y="{}" text-anchor="end">{}</text>'
LETTER = 5.6  # the width of one in a name
USE = (
    '<title>{}</title><rect x="{}" y="{}" width="{}" height="{}" fill="{}" class="use"/>'
    '<text class="inside" x="{}" y="{}">{}</text>'
)
KINDS = {"crop": "#92bfae", "legume": "#65a6a6", "trial": "#dfe3bd", "other": "#c9bda3"}


@dataclass(frozen=True)
class Box:
    """One use: metres along the bed, days, what it is, which of `KINDS`, and where it leads."""

    start_m: float
    end_m: float
    since: date
    until: date | None
    name: str
    kind: str
    url: str = ""


def occupancy(boxes: Sequence[Box], length_m: float, today: date, height: float = 150.0, years: int = 4) -> SafeString:
    """Draw a bed of `length_m` over the last `years` and what is planned."""
    last = max([today + timedelta(days=200), *(b.until or b.since for b in boxes)]) + timedelta(days=20)
    first = max(min([today - timedelta(days=365), *(b.since for b in boxes)]), date(last.year - years, 1, 1))
    days = (last - first).days
    scale_x, scale_y = (WIDTH - LEFT) / days, (height - TOP - FOOT) / length_m

    def at(day: date) -> float:
        return LEFT + (min(max(day, first), last) - first).days * scale_x

    parts: list[SafeString] = [
        format_html(SOIL, _n(LEFT), _n(TOP), _n(WIDTH - LEFT), _n(length_m * scale_y)),
        format_html(METRES, _n(LEFT - 5), _n(TOP + 9), "0"),
        format_html(METRES, _n(LEFT - 5), _n(TOP + length_m * scale_y), measured(length_m, "m")),
    ]
    for year in range(first.year, last.year + 1):
        start = date(year, 1, 1)
        if start >= first:
            parts.append(format_html('<line class="tick" x1="{0}" x2="{0}" y1="4" y2="{1}"/>', _n(at(start)), _n(height - FOOT)))
        parts.append(format_html('<text x="{}" y="12">{}</text>', _n(max(at(start), LEFT) + 4), year))
    shown = [b for b in boxes if (b.until or last) > first]
    for b in shown:
        left, right = at(b.since), at(b.until or last)
        later = [at(o.since) for o in shown if o is not b and o.start_m < b.end_m and b.start_m < o.end_m and o.since >= b.since]
        free = min([at_ for at_ in later if at_ >= right], default=WIDTH) - right if not _under(b, shown) else 0.0
        parts.append(_box(b, left, right, free, TOP + b.start_m * scale_y, (b.end_m - b.start_m) * scale_y))
    if first <= today <= last:
        parts.append(format_html('<line class="today" x1="{0}" x2="{0}" y1="4" y2="{1}"/>', _n(at(today)), _n(height - FOOT)))
    return format_html(
        '<svg class="occupancy" role="group" aria-label="What stood in this bed, over the years" viewBox="0 0 {} {}">{}</svg>',
        _n(WIDTH),
        _n(height),
        format_html_join("", "{}", ((p,) for p in parts)),
    )


def _under(b: Box, boxes: Sequence[Box]) -> bool:
    """Whether something else stood on its ground on the day it ended: a name beside it would lie on that."""
    return b.until is None or any(
        o is not b and o.start_m < b.end_m and b.start_m < o.end_m and o.since <= b.until and (o.until is None or o.until > b.until)
        for o in boxes
    )


def _box(b: Box, left: float, right: float, free: float, top: float, high: float) -> SafeString:
    """A use with its name within, or beside it where there is `free` room and none within."""
    until = f"{b.until:%-d %b %Y}" if b.until else "now"
    part = f"{figure_shown(b.start_m, 'm', 1)} to {measured(b.end_m, 'm', 1)}"
    said = f"{b.name}, {part}, {b.since:%-d %b %Y} to {until}"
    wide = max(3.0, right - left)
    room, beside = int((wide - 6) / LETTER), int((free - 6) / LETTER)
    x, name = left + 4, b.name
    if len(name) > room and len(name) <= beside:
        x = right + 3
    elif len(name) > room:
        name = name[: max(0, room - 1)] + "…" if room > 3 else ""
    drawn = format_html(
        USE,
        said,
        _n(left),
        _n(top + 0.5),
        _n(wide),
        _n(max(2.0, high - 1)),
        KINDS[b.kind],
        _n(x),
        _n(top + min(14, high / 2 + 4)),
        name,
    )
    return format_html('<a href="{}" aria-label="{}">{}</a>', b.url, said, drawn) if b.url else format_html("<g>{}</g>", drawn)


def _n(value: float) -> str:
    return f"{value:.1f}".rstrip("0").rstrip(".")
