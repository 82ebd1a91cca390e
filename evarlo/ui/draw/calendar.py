"""The tasks of a season on one time axis: the range of each, the day it stands on, and what the season does meanwhile."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString

from evarlo.ui.draw.rail import Frost, months_between

NAMES, WIDTH, ROW, TOP = 186.0, 630.0, 29.0, 26.0


@dataclass(frozen=True)
class Row:
    """A task as drawn. `kind` is `done`, `settled` or `reckoned`; `moves` tells whether it can be dragged."""

    key: str
    what: str
    on: date
    earliest: date
    latest: date
    kind: str
    moves: bool
    clash: bool = False


def calendar(rows: Sequence[Row], frosts: Sequence[Frost], today: date) -> SafeString:
    """Draw the rows one below the other, in the order given. A dragged mark tells its new day by `data-first` and
    `data-day` (drawing units)."""
    first = min(min(r.earliest, r.on) for r in rows) - timedelta(days=8)
    last = max(max(r.latest, r.on) for r in rows) + timedelta(days=8)
    day = WIDTH / max(1, (last - first).days)
    height = TOP + ROW * len(rows)

    def at(on: date) -> float:
        return NAMES + (on - first).days * day

    parts: list[SafeString] = []
    for frost in frosts:
        start, end = max(frost.start, first), min(frost.end, last)
        if start < end:
            box = (_n(at(start)), _n(TOP - 4), _n(at(end) - at(start)), _n(height - TOP + 4))
            parts.append(format_html('<rect class="frost" x="{}" y="{}" width="{}" height="{}"/>', *box))
    for month in months_between(first, last):
        parts.append(
            format_html(
                '<line class="tick" x1="{0}" x2="{0}" y1="{1}" y2="{2}"/><text class="month" x="{0}" dx="3" y="12">{3}</text>',
                _n(at(month)),
                _n(TOP - 8),
                _n(height),
                f"{month:%b}",
            )
        )
    if first <= today <= last:
        parts.append(
            format_html('<line class="today" x1="{0}" x2="{0}" y1="{1}" y2="{2}"/>', _n(at(today)), _n(TOP - 8), _n(height))
        )
    parts += [_row(r, at, TOP + ROW * i + ROW / 2) for i, r in enumerate(rows)]
    return format_html(
        '<svg class="calendar" role="group" aria-label="Tasks of the season" data-first="{}" data-day="{}" data-names="{}" '
        'viewBox="0 0 {} {}">{}</svg>',
        first.isoformat(),
        f"{day:.4f}",
        _n(NAMES),
        _n(NAMES + WIDTH + 6),
        _n(height + 4),
        format_html_join("", "{}", ((p,) for p in parts)),
    )


def _row(r: Row, at: object, y: float) -> SafeString:
    x, left, right = (at(d) for d in (r.on, r.earliest, r.latest))  # type: ignore[operator]
    said = f"{r.what}: {r.on:%-d %b}, between {r.earliest:%-d %b} and {r.latest:%-d %b}"
    return format_html(
        '<g class="task {}{}{}" data-key="{}"><title>{}</title><text class="name" x="0" y="{}">{}</text>'
        '<rect class="range" x="{}" y="{}" width="{}" height="8"/><g class="mark" transform="translate({} {})">'
        '<rect class="hit" x="-11" y="-13" width="22" height="26"/><path d="M0 -8l7 8l-7 8l-7 -8z"/></g></g>',
        r.kind,
        " moves" if r.moves else "",
        " clash" if r.clash else "",
        r.key,
        said,
        _n(y + 4),
        r.what[:26],
        _n(left),
        _n(y - 4),
        _n(max(2.0, right - left)),
        _n(x),
        _n(y),
    )


def _n(value: float) -> str:
    return f"{value:.1f}".rstrip("0").rstrip(".")
