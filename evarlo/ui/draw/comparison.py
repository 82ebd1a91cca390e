"""How each entry stands against the check: mean, one standard error, 95 % and the band of luck."""

from __future__ import annotations

from dataclasses import dataclass

from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString

from evarlo.ui.draw.scale import Scale, tick_text

WIDTH = 250
HEIGHT = 28


@dataclass(frozen=True)
class Axis:
    """The scale that every row of one chart shares, with the check and the band around it."""

    scale: Scale
    check: float | None
    band: float | None


def axis_for(lows: list[float], highs: list[float], check: float | None, band: float | None) -> Axis:
    """An axis wide enough for every interval and the band."""
    if check is not None and band is not None:
        lows, highs = [*lows, check - band], [*highs, check + band]
    low, high = min(lows), max(highs)
    pad = 0.04 * (high - low) or 0.5
    return Axis(Scale(low - pad, high + pad, 4, WIDTH - 4), check, band)


def axis_labels(axis: Axis, unit: str) -> SafeString:
    """The figures along the top of the chart; the last one carries the unit."""
    ticks = [t for t in axis.scale.ticks(6) if 14 <= axis.scale(t) <= WIDTH - 26]
    step = ticks[1] - ticks[0] if len(ticks) > 1 else 1.0
    texts = ((f"{axis.scale(t):.1f}", tick_text(t, step) + (f" {unit}" if t == ticks[-1] and unit else "")) for t in ticks)
    return format_html(
        '<svg class="result-axis" width="{}" height="14" viewBox="0 0 {} 14">{}</svg>',
        WIDTH,
        WIDTH,
        format_html_join("", '<text x="{}" y="11" text-anchor="middle">{}</text>', texts),
    )


def row(axis: Axis, mean: float | None, se: float | None, low: float | None, high: float | None, kind: str) -> SafeString:
    """One entry. `kind` is the class that colours it: a verdict, or `check`."""
    at = axis.scale
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
        parts.append(format_html('<path class="thick" d="M{} {}H{}"/>', f"{at(mean - se):.1f}", middle, f"{at(mean + se):.1f}"))
    if mean is not None:
        parts.append(format_html('<circle cx="{}" cy="{}" r="5"/>', f"{at(mean):.1f}", middle))
    return format_html(
        '<svg class="result {}" width="{}" height="{}" viewBox="0 0 {} {}" aria-hidden="true">{}</svg>',
        kind,
        WIDTH,
        HEIGHT,
        WIDTH,
        HEIGHT,
        format_html_join("", "{}", ((p,) for p in parts)),
    )
