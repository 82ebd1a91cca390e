"""The ground plan to scale, as SVG that prints and exports as it is seen."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from math import atan2, cos, degrees, radians, sin

from django.utils.html import escape, format_html
from django.utils.safestring import SafeString, mark_safe

from evarlo.ui.draw.scale import SHADES

BESIDE_BAR = 96.0  # room for the words of the bar, the noon sun and north
MARGIN = 9.0  # soil shown around the plots, in drawing units


@dataclass(frozen=True)
class Tag:
    """A plot as drawn: place and size in metres, number, two short texts, a shade (0–7), or hatched without one."""

    key: int
    number: str
    x: float
    y: float
    length: float
    width: float
    left: str = ""
    right: str = ""
    shade: int | None = None
    hatched: bool = False
    ring: bool = False
    url: str = ""
    said: str = ""
    entry: int = 0


@dataclass(frozen=True)
class Outline:
    """A block or a bed as drawn behind its plots, in metres; `key` is the id of a bed that blocks can be moved to."""

    name: str
    x: float
    y: float
    length: float
    width: float
    key: int = 0


@dataclass(frozen=True)
class Handle:
    """A block that can be taken and laid elsewhere, in metres as drawn; `bed` is the id of the bed it lies in."""

    block: int
    bed: int
    x: float
    y: float
    length: float
    width: float


def stacked(sizes: Sequence[tuple[float, float]]) -> list[tuple[float, float]]:
    """Where several beds are drawn, one below the other and apart: the near corner of each, in metres. `sizes` are their
    lengths along and widths across."""
    gap = 0.9 + 0.07 * sum(width for _, width in sizes)
    corners, y = [], 0.0
    for _, width in sizes:
        corners.append((0.0, y))
        y += width + gap
    return corners


def plan(
    tags: Sequence[Tag],
    outlines: Sequence[Outline],
    bearing: float | None,
    scaled: bool,
    width: float = 576.0,
    height: float = 470.0,
    title: str = "Ground plan",
    way: Sequence[tuple[float, float]] = (),
    handles: Sequence[Handle] = (),
    obstacles: Sequence[Outline] = (),
    plants: Sequence[Sequence[tuple[float, float]]] = (),
    sun: float | None = None,
) -> SafeString:
    """Draw plots to one scale within `width` × `height`, and `way` as a line through these places (metres) with an arrow;
    `handles` are blocks that can be dragged, `obstacles` what stands in the way of plots, `plants` those judged and those of
    borders (metres), `sun` the compass direction of the sun at noon.

    `bearing` is the compass direction in which the bed's length runs, from left to right here; None leaves north out.
    `scaled` adds a bar of metres.
    """
    marks: list[Tag | Outline] = [*tags, *outlines]
    right = max((m.x + m.length for m in marks), default=1.0)
    bottom = max((m.y + m.width for m in marks), default=1.0)
    names = 18.0
    scale = min((width - 2 * MARGIN) / right, (height - 2 * MARGIN - names) / bottom, 90.0)
    drawn_width, drawn_height = right * scale + 2 * MARGIN, bottom * scale + 2 * MARGIN + names
    if scaled:  # the bar, its words and north stand beside each other
        drawn_width = max(drawn_width, 16 + _bar_metres(scale) * scale + BESIDE_BAR)
    foot = 46.0 if scaled or bearing is not None else 0.0
    parts = [_outline(o, scale, names, _room_above(o, outlines) * scale) for o in outlines]
    parts += [_tag(t, scale, names, any(plants)) for t in tags]
    parts += [
        _dots(some, kind, scale, names)
        for some, kind in zip(plants, ("plants", "plants border", "plants gone"), strict=False)
        if some
    ]
    parts += [_obstacle(o, scale, names) for o in obstacles]
    parts += [_handle(h, scale, names) for h in handles]
    if len(way) > 1:
        parts.append(_way([(MARGIN + x * scale, MARGIN + names + y * scale) for x, y in way]))
    if scaled:
        parts.append(_bar(scale, drawn_height))
    if bearing is not None:
        parts.append(_north(bearing, drawn_width - 20, drawn_height + 20))
        if sun is not None:
            parts.append(_sun(sun - bearing, drawn_width - 78, drawn_height + 20))
    return format_html(
        '<svg class="plan" role="group" aria-label="{}" data-scale="{}" viewBox="0 0 {} {}" width="{}" height="{}">'
        '<defs><pattern id="hatch" width="6" height="6" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">'
        '<rect width="6" height="6" fill="#fff"/><path d="M0 0v6" stroke="#4c5b57" stroke-width="1.6"/></pattern></defs>'
        "{}</svg>",
        title,
        f"{scale:.4f}",
        _n(drawn_width),
        _n(drawn_height + foot),
        _n(drawn_width),
        _n(drawn_height + foot),
        mark_safe("".join(parts)),  # noqa: S308
    )


def _n(value: float) -> str:
    return f"{value:.1f}".rstrip("0").rstrip(".")


def _room_above(o: Outline, outlines: Sequence[Outline]) -> float:
    """Metres of free ground between a block and the one above it."""
    above = [a.y + a.width for a in outlines if a.y < o.y and a.x < o.x + o.length and o.x < a.x + a.length]
    return o.y - max(above) if above else float("inf")


def _outline(o: Outline, scale: float, names: float, room: float) -> SafeString:
    pad = 5.0
    x, y = MARGIN + o.x * scale, MARGIN + names + o.y * scale
    text = SafeString("")
    if o.name and room >= 24:
        text = format_html('<text x="{}" y="{}" class="block-name">{}</text>', _n(x - pad), _n(y - pad - 4), o.name)
    elif o.name:  # no room for a word: its number alone, beside it
        at = (_n(x - pad - 4), _n(y + o.width * scale / 2 + 3))
        text = format_html('<text x="{}" y="{}" class="block-name aside">{}</text>', *at, o.name.split()[-1])
    return format_html(
        '<rect class="soil" x="{}" y="{}" width="{}" height="{}" data-bed="{}" data-pad="{}"/>{}',
        _n(x - pad),
        _n(y - pad),
        _n(o.length * scale + 2 * pad),
        _n(o.width * scale + 2 * pad),
        o.key or "",
        _n(pad),
        text,
    )


def _obstacle(o: Outline, scale: float, names: float) -> SafeString:
    return format_html(
        '<rect class="obstacle" x="{}" y="{}" width="{}" height="{}"><title>{}</title></rect>',
        _n(MARGIN + o.x * scale),
        _n(MARGIN + names + o.y * scale),
        _n(max(2.0, o.length * scale)),
        _n(max(2.0, o.width * scale)),
        o.name,
    )


def _dots(places: Sequence[tuple[float, float]], kind: str, scale: float, names: float) -> SafeString:
    """Plants as dots, all in one path, since a plan holds tens of thousands."""
    path = "".join(f"M{_n(MARGIN + x * scale)} {_n(MARGIN + names + y * scale)}h0" for x, y in places)
    return format_html('<path class="{}" d="{}"/>', kind, path)


def _sun(turn: float, x: float, y: float) -> SafeString:
    """Where the sun stands at noon, seen from the middle of the beds: `turn` degrees clockwise from the beds' length."""
    away = radians(turn)
    return format_html(
        '<path class="sun-way" d="M{} {}L{} {}"/><circle class="sun" cx="{}" cy="{}" r="5"/>',
        _n(x),
        _n(y),
        _n(x + 11 * cos(away)),
        _n(y + 11 * sin(away)),
        _n(x + 16 * cos(away)),
        _n(y + 16 * sin(away)),
    )


def _handle(h: Handle, scale: float, names: float) -> SafeString:
    """The edge of a block, with the corner it is taken by."""
    x, y, w, d = MARGIN + h.x * scale, MARGIN + names + h.y * scale, h.length * scale, h.width * scale
    grip = 13.0
    return format_html(
        '<g class="handle" data-block="{}" data-bed="{}"><rect class="block-edge" x="{}" y="{}" width="{}" height="{}"/>'
        '<rect class="grip" x="{}" y="{}" width="{}" height="{}"><title>Drag block {}; double-click turns it</title></rect></g>',
        h.block,
        h.bed,
        _n(x),
        _n(y),
        _n(w),
        _n(d),
        _n(x + w - 5),
        _n(y + d - 5),
        _n(grip),
        _n(grip),
        h.block,
    )


def _tag(t: Tag, scale: float, names: float, stations: bool = False) -> SafeString:
    """A plot, its words pale and behind where its `stations` are drawn over it. Put together by hand, since a plan holds
    thousands: what people wrote is escaped, the rest are figures."""
    x, y = MARGIN + t.x * scale + 1.5, MARGIN + names + t.y * scale + 1.5
    w, h = max(3.0, t.length * scale - 3), max(3.0, t.width * scale - 3)
    cut = min(9.0, w / 4, h / 3)
    path = f"M{_n(x)} {_n(y)}h{_n(w - cut)}l{_n(cut)} {_n(cut)}v{_n(h - cut)}h{_n(-w)}z"
    fill = "url(#hatch)" if t.hatched else "#dfe7e4" if t.shade is None else SHADES[t.shade]
    dark = " dark" if t.shade is not None and t.shade >= 5 and not t.hatched else ""
    words = list(_words_behind(t, x, y, w, h) if stations else _words(t, x, y, w, h))
    ring = ""
    if t.ring and w <= 46:
        ring = f'<path class="check-edge" d="{path}"/>'
    elif t.ring:
        ring = f'<circle class="ring" cx="{_n(x + w - 15)}" cy="{_n(y + min(14, h / 2))}" r="{_n(min(4.5, w / 10))}"/>'
    name = escape(_read_out(t))
    drawn = "".join(text for _, text in words)
    return mark_safe(  # noqa: S308
        f'<a href="{escape(t.url)}" class="tag{dark}" data-plot="{t.key}" data-number="{escape(t.number)}" data-entry="{t.entry}">'
        f'<title>{name}</title><path d="{path}" fill="{fill}"/>{drawn}{ring}<path class="edge" d="{path}"/></a>'
    )


def _read_out(t: Tag) -> str:
    """A plot as it is read: its number, what stands there and the figure shown."""
    code = t.right if t.right and t.right not in t.said else ""
    return ", ".join(part for part in (f"Plot {t.number}", code, t.said if t.said != "plot" else "", t.left) if part)


def _words(t: Tag, x: float, y: float, w: float, h: float) -> Iterator[tuple[str, str]]:
    """The number and as many of the two texts as there is room for, each as read and as drawn."""
    size = min(14.0, h * 0.55, (w - 4) / (0.6 * max(2, len(t.number))))
    inset, low = min(7, w / 8), y + h - min(6, h / 6)
    flat = 26 <= h < 34 and w >= 28 and bool(t.left or t.right)
    if flat:  # the figure below keeps its room
        size = min(size, low - y - min(5, h / 8) - 9)
    if size >= 6.5:
        yield t.number, _text(x + inset, y + size + min(5, h / 8), t.number, size, "number", t.hatched)
    if h >= 34 and w >= 50:
        if t.left:
            yield t.left, _text(x + 7, low, t.left, 10.5, "figure", t.hatched)
        if t.right and (not t.left or w >= 13 + 5.7 * (len(t.left) + len(t.right))):
            yield t.right, _text(x + w - 5, low, t.right, 10.5, "code", t.hatched, "end")
    elif flat or (h >= 34 and w >= 28 and (t.left or t.right)):
        yield t.left or t.right, _text(x + inset, low, t.left or t.right, 9, "figure", t.hatched)


def _words_behind(t: Tag, x: float, y: float, w: float, h: float) -> Iterator[tuple[str, str]]:
    """The number and the two texts, large and in the middle of the plot, so that its plants are seen over them."""
    more = " ".join(word for word in (t.right, t.left) if word)
    size = min(h * (0.4 if more else 0.6), w / (0.62 * max(2, len(t.number))))
    if size < 6.5:
        return
    middle = x + w / 2
    yield t.number, _text(middle, y + h * (0.5 if more else 0.68), t.number, size, "number behind", False, "middle")
    small = min(size * 0.6, w / (0.6 * max(2, len(more))))
    if more and small >= 6.5:
        yield more, _text(middle, y + h * 0.8, more, small, "code behind", False, "middle")


def _text(x: float, y: float, text: str, size: float, kind: str, on_hatch: bool, anchor: str = "start") -> str:
    over = " on-hatch" if on_hatch else ""
    return f'<text x="{_n(x)}" y="{_n(y)}" font-size="{_n(size)}" class="{kind}{over}" text-anchor="{anchor}">{escape(text)}</text>'


def _way(points: Sequence[tuple[float, float]]) -> SafeString:
    """The way through the plots: the origin mark at its start, an arrow at its end."""
    line = "M" + "L".join(f"{_n(x)} {_n(y)}" for x, y in points)
    (x0, y0), (x1, y1), (x2, y2) = points[0], points[-2], points[-1]
    turn = degrees(atan2(y2 - y1, x2 - x1))
    return format_html(
        '<path class="way" d="{}"/><path class="way-start" d="M{} {}h12v12h-12z"/>'
        '<path class="way-end" d="M0 0l-11 -5v10z" transform="translate({} {}) rotate({})"/>',
        line,
        _n(x0 - 6),
        _n(y0 - 6),
        _n(x2),
        _n(y2),
        _n(turn),
    )


def _bar_metres(scale: float) -> int:
    """How many metres the bar shows."""
    return next((m for m in (1, 2, 4, 5, 10, 20, 50) if m * scale >= 70), 100)


def _bar(scale: float, y: float) -> SafeString:
    metres = _bar_metres(scale)
    length = metres * scale
    return format_html(
        '<path class="bar" d="M9 {}v8m0-4h{}m0-4v8"/><text class="bar-text" x="{}" y="{}">{} m</text>',
        _n(y + 14),
        _n(length),
        _n(16 + length),
        _n(y + 22),
        metres,
    )


def _north(bearing: float, x: float, y: float) -> SafeString:
    """North: the bed's length, drawn to the right, points to `bearing`, so north lies 90° + bearing back from it."""
    turn = -bearing + 90
    back = radians(turn)
    return format_html(
        '<path class="north" d="M0 -13L6 9L0 5L-6 9z" transform="translate({} {}) rotate({})"/>'
        '<text class="bar-text" x="{}" y="{}" text-anchor="middle">N</text>',
        _n(x),
        _n(y),
        _n(turn),
        _n(x - 20 * cos(back)),
        _n(y - 20 * sin(back) + 4),
    )


def small_plan(tags: Sequence[Tag], width: float = 200.0, height: float = 110.0) -> SafeString:
    """The same plots without words, for a trial among others; those with an address lead to their plot."""
    right = max((t.x + t.length for t in tags), default=1.0)
    bottom = max((t.y + t.width for t in tags), default=1.0)
    scale = min(width / right, height / bottom, 22.0)
    marks = []
    for t in tags:
        x, y, w, h = t.x * scale, t.y * scale, max(1.5, t.length * scale - 1), max(1.5, t.width * scale - 1)
        cut = min(3.5, w / 3, h / 3)
        fill = "#fff" if t.shade is None else SHADES[t.shade]
        path = f"M{_n(x)} {_n(y)}h{_n(w - cut)}l{_n(cut)} {_n(cut)}v{_n(h - cut)}h{_n(-w)}z"
        slash = f"M{_n(x)} {_n(y + h)}L{_n(x + w)} {_n(y)}" if t.hatched else ""
        drawn = f'<path d="{path}" fill="{"#fff" if t.hatched else fill}" stroke="#97a5a0" stroke-width=".6"/>'
        if slash:
            drawn += f'<path d="{slash}" stroke="#4c5b57"/>'
        if t.url:
            said = escape(f"Plot {t.number}, {t.said}")
            drawn = f'<a href="{escape(t.url)}" data-plot="{t.key}" tabindex="-1"><title>{said}</title>{drawn}</a>'
        marks.append(drawn)
    return format_html(
        '<svg class="small-plan" aria-hidden="true" viewBox="-1 -1 {} {}" width="{}" height="{}">{}</svg>',
        _n(right * scale + 2),
        _n(bottom * scale + 2),
        _n(right * scale + 2),
        _n(bottom * scale + 2),
        mark_safe("".join(marks)),  # noqa: S308 -- figures, and texts that were escaped
    )
