"""A site seen from above: its beds to scale where they lie, north up, with what stands on each."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import cos, radians, sin

from django.utils.html import format_html
from django.utils.safestring import SafeString, mark_safe

WIDE, HIGH, MARGIN = 900.0, 460.0, 26.0
ROW = 60.0  # metres in which beds are put beside each other that nobody has placed
GAP = 3.0
LEGIBLE = 7.2  # pixels that a letter of a label takes


@dataclass(frozen=True)
class DrawnBed:
    """A bed: its middle in metres east and north (None: not placed yet), its sides, the direction of its length, what stands on it
    now in words (empty: nothing) and where it leads."""

    pk: int
    name: str
    east: float | None
    north: float | None
    length: float
    width: float
    bearing: float
    now: str
    url: str


def box_of(bed: DrawnBed) -> tuple[float, float]:
    """How far a bed reaches from west to east and from south to north, in metres."""
    s, c = abs(sin(radians(bed.bearing))), abs(cos(radians(bed.bearing)))
    return bed.length * s + bed.width * c, bed.length * c + bed.width * s


def placed(beds: Sequence[DrawnBed]) -> list[tuple[DrawnBed, float, float]]:
    """Every bed with its middle: where it lies, or in rows below those that are placed."""
    known = [(b, b.east, b.north) for b in beds if b.east is not None and b.north is not None]
    south = min((north - box_of(b)[1] / 2 for b, _, north in known), default=0.0)
    west = min((east - box_of(b)[0] / 2 for b, east, _ in known), default=0.0)
    made, x, y, tall = list(known), west, south - (GAP if known else 0.0), 0.0
    for b in (b for b in beds if b.east is None or b.north is None):
        wide, high = box_of(b)
        if x > west and x + wide > west + ROW:
            x, y, tall = west, y - tall - GAP, 0.0
        made.append((b, x + wide / 2, y - high / 2))
        x, tall = x + wide + GAP, max(tall, high)
    return made


def site_plan(beds: Sequence[DrawnBed], title: str, movable: bool) -> SafeString:
    """The site as a drawing; its beds can be dragged where `movable`. Places are in metres in `data-` attributes."""
    at = placed(beds)
    boxes = [(x, y, *box_of(b)) for b, x, y in at]
    left, right = min(x - w / 2 for x, _, w, _ in boxes), max(x + w / 2 for x, _, w, _ in boxes)
    low, high = min(y - h / 2 for _, y, _, h in boxes), max(y + h / 2 for _, y, _, h in boxes)
    scale = min((WIDE - 2 * MARGIN) / max(right - left, 1.0), (HIGH - 2 * MARGIN) / max(high - low, 1.0), 24.0)
    wide, tall = (right - left) * scale + 2 * MARGIN, (high - low) * scale + 2 * MARGIN
    parts = [_bed(b, MARGIN + (x - left) * scale, MARGIN + (high - y) * scale, x, y, scale, movable) for b, x, y in at]
    bar = next(m for m in (50, 20, 10, 5, 2, 1) if m * scale <= wide / 3 or m == 1)
    foot = format_html(
        '<path d="M{0} {1}h{2}" stroke="#14231f" stroke-width="2"/><text class="small" x="{3}" y="{4}">{5} m</text>'
        '<path d="M{6} {7}l6 16-6-4-6 4z" fill="#14231f"/><text class="small" x="{8}" y="{4}">N</text>',
        *(_n(v) for v in (MARGIN, tall + 6, bar * scale, MARGIN + bar * scale + 8, tall + 10)),
        bar,
        *(_n(v) for v in (wide - 20, tall - 6, wide - 38)),
    )
    return format_html(
        '<svg class="site-plan" role="group" aria-label="{}" data-scale="{}" viewBox="0 0 {} {}" width="{}">{}{}</svg>',
        title,
        f"{scale:.5f}",
        _n(wide),
        _n(tall + 20),
        _n(wide),
        mark_safe("".join(parts)),  # noqa: S308 - made of formatted parts
        foot,
    )


def _bed(bed: DrawnBed, x: float, y: float, east: float, north: float, scale: float, movable: bool) -> SafeString:
    length, width = bed.length * scale, bed.width * scale
    turn = bed.bearing - 90
    upright = turn if -90 < ((turn + 180) % 360) - 180 <= 90 else turn + 180
    said = f"{bed.name}, {bed.now or 'free'}{'' if bed.east is not None else ', not placed yet'}"
    lines = [t for t in (bed.name, bed.now) if t and len(t) * LEGIBLE < length - 8]
    lines = lines[: max(0, int(width // 15))]
    texts = mark_safe("".join(_text(t, i, len(lines)) for i, t in enumerate(lines)))  # noqa: S308
    inner = format_html(
        '<g transform="translate({} {})"><rect class="{}" x="{}" y="{}" width="{}" height="{}" transform="rotate({})"/>'
        '<g transform="rotate({})">{}</g></g>',
        _n(x), _n(y), "bed-ground" + (" stands" if bed.now else "") + ("" if bed.east is not None else " loose"),
        _n(-length / 2), _n(-width / 2), _n(length), _n(width), _n(turn), _n(upright), texts,
    )  # fmt: skip
    if movable:
        data = format_html(
            'data-bed="{}" data-east="{}" data-north="{}" data-bearing="{}"', bed.pk, _n(east), _n(north), _n(bed.bearing)
        )
        return format_html(
            '<a href="{}" class="on-site" {} aria-label="{}"><title>{}</title>{}</a>', bed.url, data, said, said, inner
        )
    return format_html('<a href="{}" class="on-site" aria-label="{}">{}</a>', bed.url, said, inner)


def _text(text: str, at: int, of: int) -> SafeString:
    return format_html(
        '<text class="{}" y="{}" text-anchor="middle">{} </text>',
        "small" if at else "name",
        _n(4 + 15 * (at - (of - 1) / 2)),
        text,
    )


def _n(value: float) -> str:
    return f"{value:.1f}".removesuffix(".0")
