"""How each entry stands against the check: mean, one standard error, 95 % and the band of luck."""

from __future__ import annotations

from dataclasses import dataclass

from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString, mark_safe

from evarlo.ui.draw.scale import Scale, tick_text

WIDTH = 250
HEIGHT = 26


@dataclass(frozen=True)
class Axis:
    """The scale that every row of one chart shares, with the check and the band around it."""

    scale: Scale
    check: float | None
    band: float | None


@dataclass(frozen=True)
class EntryBar:
    """An entry: its name, the figures of its bar, and the class that colours it: a verdict, or `check`."""

    name: str
    mean: float | None
    se: float | None
    low: float | None
    high: float | None
    kind: str


def axis_for(lows: list[float], highs: list[float], check: float | None, band: float | None) -> Axis:
    """An axis wide enough for every interval and the band."""
    if check is not None and band is not None:
        lows, highs = [*lows, check - band], [*highs, check + band]
    low, high = min(lows), max(highs)
    pad = 0.04 * (high - low) or 0.5
    return Axis(Scale(low - pad, high + pad, 4, WIDTH - 4), check, band)


def axis_labels(axis: Axis, unit: str) -> SafeString:
    """The figures along the top of the chart; the last one carries the unit."""
    texts = _ticks(axis, unit)
    return format_html(
        '<svg class="result-axis" width="{}" height="14" viewBox="0 0 {} 14">{}</svg>',
        WIDTH,
        WIDTH,
        format_html_join("", '<text x="{}" y="11" text-anchor="middle">{}</text>', texts),
    )


def _ticks(axis: Axis, unit: str) -> list[tuple[str, str]]:
    """Where the figures of the axis stand and what they say."""
    ticks = [t for t in axis.scale.ticks(6) if 14 <= axis.scale(t) <= WIDTH - 26]
    step = ticks[1] - ticks[0] if len(ticks) > 1 else 1.0
    return [(f"{axis.scale(t):.1f}", tick_text(t, step) + (f" {unit}" if t == ticks[-1] and unit else "")) for t in ticks]


def row(axis: Axis, bar: EntryBar) -> SafeString:
    """One entry, as a drawing within the table."""
    return format_html(
        '<svg class="result {}" width="{}" height="{}" viewBox="0 0 {} {}" aria-hidden="true">{}</svg>',
        bar.kind,
        WIDTH,
        HEIGHT,
        WIDTH,
        HEIGHT,
        _marks(axis, bar),
    )


def _marks(axis: Axis, bar: EntryBar) -> SafeString:
    at, mean, se, low, high = axis.scale, bar.mean, bar.se, bar.low, bar.high
    parts: list[SafeString] = []
    if axis.check is not None and axis.band is not None:
        parts.append(
            format_html(
                '<rect class="band" x="{}" y="0" width="{}" height="{}"/>',
                f"{at(axis.check - axis.band):.1f}",
                f"{at(axis.check + axis.band) - at(axis.check - axis.band):.1f}",
                HEIGHT,
            )
        )
    if axis.check is not None:
        parts.append(format_html('<path class="check-line" d="M{} 0v{}"/>', f"{at(axis.check):.1f}", HEIGHT))
    middle = HEIGHT / 2
    if mean is not None and low is not None and high is not None and se is not None:
        parts.append(format_html('<path class="thin" d="M{} {}H{}"/>', f"{at(low):.1f}", middle, f"{at(high):.1f}"))
        parts.append(
            format_html(
                '<path class="thick" d="M{} {}H{}"/>', f"{at(max(low, mean - se)):.1f}", middle, f"{at(min(high, mean + se)):.1f}"
            )
        )
    if mean is not None:
        parts.append(format_html('<circle cx="{}" cy="{}" r="5"/>', f"{at(mean):.1f}", middle))
    return format_html_join("", "{}", ((p,) for p in parts))


NAMES, TOP, FOOT = 210, 58, 40  # room for names at the left, title and axis above, the legend below
LOOK = """text{font:13px Archivo,'Liberation Sans',sans-serif;fill:#14231f}.small{font-size:11.5px;fill:#4c5b57}
.band{fill:#eaeef0}.check-line{stroke:#14231f;stroke-dasharray:2 3;stroke-width:1.4}.thin{stroke:currentColor;stroke-width:2}
.thick{stroke:currentColor;stroke-width:7}circle{fill:#fff;stroke:currentColor;stroke-width:2.6}
.ahead{color:#00705f}.behind{color:#8e2c5a}.luck{color:#2f62a8}.check{color:#14231f}"""  # a file has no style sheet beside it


def whole_drawing(axis: Axis, bars: list[EntryBar], title: str, unit: str, legend: str) -> SafeString:
    """The chart of entries as a file of its own, with its title, its axis in `unit` and what the bars are."""
    labels = _ticks(axis, unit)
    rows = ((TOP + HEIGHT * i, b.name, NAMES, b.kind, _marks(axis, b), 18) for i, b in enumerate(bars))
    line = '<g transform="translate(0 {0})"><text x="10" y="{5}">{1}</text><g class="{3}" transform="translate({2} 0)">{4}</g></g>'
    wide, high = NAMES + WIDTH + 20, TOP + HEIGHT * len(bars) + FOOT
    return format_html(
        '<svg xmlns="http://www.w3.org/2000/svg" width="{0}" height="{1}" viewBox="0 0 {0} {1}"><style>{2}</style>'
        '<rect width="{0}" height="{1}" fill="#fff"/><text x="10" y="22" font-weight="700">{3}</text>'
        '<g transform="translate({4} 36)">{5}</g>{6}<text class="small" x="10" y="{7}">{8}</text></svg>',
        wide,
        high,
        mark_safe(LOOK),  # noqa: S308 - a constant of this module
        title,
        NAMES,
        format_html_join("", '<text class="small" x="{}" y="11" text-anchor="middle">{}</text>', labels),
        format_html_join("", line, rows),
        high - 16,
        legend,
    )
