"""The stations of a plot from above: a plant, a gap, a replacement, one that is hurt or came back, or more than one plant."""

from __future__ import annotations

from collections.abc import Mapping

from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString

EACH, EDGE = 46, 10
SAID = {
    "": "a plant",
    "gap": "a gap",
    "replaced": "replaced",
    "back": "there again",
    "double": "more than one plant",
    "hurt": "hurt, alive",
    "unsure": "not judged",
}


def stations(number: str, rows: int, cols: int, marks: Mapping[int, str], live: bool) -> SafeString:
    """Draw `rows` of `cols` stations, counted from nought along the rows; `live` ones can be touched."""
    drawn = format_html_join("", "{}", ((_station(n, cols, marks.get(n, ""), live),) for n in range(rows * cols)))
    return format_html(
        '<svg class="stations" viewBox="0 0 {} {}" role="group" aria-label="Stations of plot {}, {} rows of {}">{}</svg>',
        cols * EACH + 2 * EDGE,
        rows * EACH + 2 * EDGE,
        number,
        rows,
        cols,
        drawn,
    )


def _station(n: int, cols: int, mark: str, live: bool) -> SafeString:
    x, y = EDGE + (n % cols + 0.5) * EACH, EDGE + (n // cols + 0.5) * EACH
    said = f"Row {n // cols + 1}, station {n % cols + 1}: {SAID[mark]}"
    attrs = format_html(' tabindex="0" role="button" aria-label="{}"', said) if live else ""
    return format_html(
        '<g class="station {}" data-station="{}" data-mark="{}"{}><title>{}</title>'
        '<rect x="{}" y="{}" width="{}" height="{}"/>{}</g>',
        mark,
        n,
        mark,
        attrs,
        said,
        x - EACH / 2 + 1,
        y - EACH / 2 + 1,
        EACH - 2,
        EACH - 2,
        _mark(mark, x, y),
    )


def _mark(mark: str, x: float, y: float) -> SafeString:
    leaf = "M{0} {1}c-9 0-11-7-11-10 6-1 11 3 11 10zm0 0c9 0 11-7 11-10-6-1-11 3-11 10zM{0} {1}v8"
    plant = format_html('<path class="leaf" d="{}"/>', leaf.format(x, y + 2))
    if mark == "gap":
        return format_html('<path class="gap" d="M{} {}l16 16m0-16l-16 16"/>', x - 8, y - 8)
    if mark == "replaced":
        return format_html('{}<path class="late" d="M{} {}h24"/>', plant, x - 12, y + 15)
    if mark == "back":
        return format_html('{}<path class="late" d="M{} {}a11 6 0 0 0 20 0"/>', plant, x - 10, y + 10)
    if mark == "hurt":
        return format_html('{}<path class="gap" d="M{} {}l20 -8"/>', plant, x - 10, y + 2)
    if mark == "unsure":
        return format_html('{}<text x="{}" y="{}">?</text>', plant, x + 12, y + 14)
    if mark == "double":
        return format_html('{}<text x="{}" y="{}">+</text>', plant, x + 12, y + 14)
    return plant
