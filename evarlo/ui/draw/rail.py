"""The season rail: one time axis on which the phases of a trial lie and are its navigation."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString

LEAST = 6.6  # percent of the axis that a chip needs to bear its name
LANES = (6, 28)
CHIP = 19
AXIS = 62
PIN = 0.45  # half of what a pin takes of it
CHAR = 0.55  # percent of the axis that a letter of a label takes on a page of usual width


@dataclass(frozen=True)
class Chip:
    """A phase on the rail."""

    name: str
    url: str
    start: date
    end: date
    planned: bool = False
    current: bool = False


@dataclass(frozen=True)
class Mark:
    """A pin: read in full on hover or focus; `label` stands beside it."""

    on: date
    text: str
    hurts: bool = False
    label: str = ""


@dataclass(frozen=True)
class Frost:
    """Days of the season between which frost is to be expected."""

    start: date
    end: date


def rail(chips: Sequence[Chip], marks: Sequence[Mark], frosts: Sequence[Frost], today: date) -> SafeString:
    """Draw the axis as wide as the page, months below, phases above, today in marigold."""
    first = min(c.start for c in chips)
    last = max(c.end for c in chips)
    days = max((last - first).days, 60)
    first, last = first - timedelta(days=max(3, days // 50)), first + timedelta(days=days + max(6, days // 25))

    def at(day: date) -> float:
        return 100 * (day - first).days / (last - first).days

    parts: list[SafeString] = []
    for frost in frosts:
        start, end = max(frost.start, first), min(frost.end, last)
        if start < end:
            parts.append(
                format_html(
                    '<rect class="frost" x="{}%" width="{}%" y="{}" height="7"><title>Frost is likely until {}</title></rect>',
                    _p(at(start)),
                    _p(at(end) - at(start)),
                    AXIS - 7,
                    f"{frost.end:%-d %b}",
                )
            )
    parts.append(format_html('<line class="axis" x1="0" x2="100%" y1="{}" y2="{}"/>', AXIS, AXIS))
    for month in months_between(first, last):
        parts.append(
            format_html(
                '<line class="tick" x1="{0}%" x2="{0}%" y1="{1}" y2="{2}"/><text class="month" x="{0}%" dx="4" y="{3}">{4}</text>',
                _p(at(month)),
                AXIS - 9,
                AXIS,
                AXIS + 13,
                f"{month:%b}",
            )
        )
    within = sorted((m for m in marks if first <= m.on <= last), key=lambda m: (not m.hurts, m.on))
    above, below = _Room([at(m.on) for m in within]), _Room()
    if first <= today <= last:
        above.take(at(today), f"today {today:%-d %b}", at(today) > 90)
    for month in months_between(first, last):
        below.take(at(month), f"{month:%b}", False)
    parts += [_mark(m, at(m.on), above, below) for m in within]
    parts += _chips(chips, at)
    if first <= today <= last:
        left = at(today) > 90
        parts.append(
            format_html(
                '<line class="today" x1="{0}%" x2="{0}%" y1="2" y2="{1}"/>'
                '<text class="today-text" x="{0}%" dx="{2}" y="{3}" text-anchor="{4}">today {5}</text>',
                _p(at(today)),
                AXIS + 3,
                -5 if left else 5,
                AXIS - 2,
                "end" if left else "start",
                f"{today:%-d %b}",
            )
        )
    return format_html(
        '<svg class="rail" width="100%" height="80" role="group" aria-label="Season">{}</svg>',
        format_html_join("", "{}", ((p,) for p in parts)),
    )


def _p(percent: float) -> str:
    return f"{percent:.2f}"


def months_between(first: date, last: date) -> list[date]:
    """The first days of the months between two days."""
    month = first.replace(day=1)
    found = []
    while month <= last:
        if month >= first:
            found.append(month)
        month = (month + timedelta(days=32)).replace(day=1)
    return found


class _Room:
    """What of a line of labels is taken, in percent of the axis, and at which places pins stand in it: a label that would lie
    over another or over a pin is left to its title."""

    def __init__(self, pins: Sequence[float] = ()) -> None:
        self.taken: list[tuple[float, float]] = []
        self.pins = pins

    def take(self, x: float, text: str, left: bool) -> bool:
        """Whether the text has room beside its place; it is taken then."""
        wide = CHAR * len(text) + 1
        start, end = (x - wide, x) if left else (x, x + wide)
        covered = any(start - PIN < pin < end + PIN and pin != x for pin in self.pins)
        if start < 0 or end > 100 or covered or any(start < b and a < end for a, b in self.taken):
            return False
        self.taken.append((start, end))
        return True


def _mark(mark: Mark, x: float, above: _Room, below: _Room) -> SafeString:
    places = [(room, left) for room in (above, below) for left in (False, True)] if mark.label else []
    place = next(((room, left) for room, left in places if room.take(x, mark.label, left)), None)
    label, left = (mark.label, place[1]) if place else ("", False)
    return format_html(
        '<svg class="pin{}" x="{}%" y="{}" overflow="visible" tabindex="0" role="img" aria-label="{}">'
        '<title>{}</title><path d="M-5 0h10l-5 -7z"/><rect class="hit" x="-9" y="-14" width="18" height="18"/>'
        '<text x="{}" y="{}" text-anchor="{}">{}</text></svg>',
        " hurts" if mark.hurts else "",
        _p(x),
        AXIS,
        mark.text,
        mark.text,
        -7 if left else 7,
        13 if place and place[0] is below else -3,
        "end" if left else "start",
        label,
    )


def _chips(chips: Sequence[Chip], at: object) -> list[SafeString]:
    """Each chip at its real start, in the first lane that has room there; moved right only when none has."""
    ends = [0.0] * len(LANES)
    drawn = []
    for chip in chips:
        start = at(chip.start)  # type: ignore[operator]
        width = max(at(chip.end) - start, LEAST)  # type: ignore[operator]
        lane = next((i for i, end in enumerate(ends) if end <= start + 0.05), min(range(len(ends)), key=ends.__getitem__))
        start = min(max(start, ends[lane]), 100 - LEAST)
        width = min(width, 100 - start)
        ends[lane] = start + width
        width -= 0.65  # room for the tip
        kind = " current" if chip.current else " planned" if chip.planned else ""
        said = f"{chip.name}: {chip.start:%-d %b} to {chip.end:%-d %b}" + (", planned" if chip.planned else "")
        drawn.append(
            format_html(
                '<a href="{}" class="chip{}" aria-current="{}"><title>{}</title>'
                '<rect x="{}%" y="{}" width="{}%" height="{}"/>'
                '<svg x="{}%" y="{}" overflow="visible"><path class="notch" d="M-.5 0l7 {}l-7 {}z"/></svg>'
                '<text x="{}%" dx="8" y="{}">{}</text></a>',
                chip.url,
                kind,
                "page" if chip.current else "false",
                said,
                _p(start),
                LANES[lane],
                _p(width),
                CHIP,
                _p(start + width),
                LANES[lane],
                CHIP / 2,
                CHIP / 2,
                _p(start),
                LANES[lane] + 14,
                chip.name,
            )
        )
    return drawn
