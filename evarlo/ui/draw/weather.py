"""A year of weather: the span of each day's temperature, frost nights, the soil and the rain on one axis of days."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString

from evarlo.ui.draw.scale import Scale
from evarlo.ui.units import figure_shown, unit_shown

WIDTH, TOP, MIDDLE, BOTTOM, LEFT = 1180, 10, 205, 262, 44


@dataclass(frozen=True)
class Drawn:
    """One day as drawn: temperatures in °C, rain in mm, None where not known."""

    day: date
    low: float
    high: float
    rain: float | None = None
    soil: float | None = None


def weather_year(days: Sequence[Drawn], start: date, end: date, gaps: Sequence[tuple[date, date]], said: str) -> SafeString:
    """Draw the days from `start` to `end`; `gaps` (first and last day) are hatched. `said` is read out instead."""
    across = Scale(0, max(1, (end - start).days), LEFT, WIDTH - 8)
    lows, highs = [d.low for d in days] or [0.0], [d.high for d in days] or [20.0]
    up = Scale(min(*lows, 0.0) - 1, max(highs) + 1, MIDDLE, TOP)
    wet = Scale(0, max(20.0, *(d.rain or 0.0 for d in days)) if days else 20.0, BOTTOM, MIDDLE + 14)

    def x(day: date) -> str:
        return f"{across((day - start).days):.1f}"

    spans = ((("frost" if d.low <= 0 else "span"), x(d.day), f"{up(d.low):.1f}", f"{up(d.high):.1f}") for d in days)
    rain = ((x(d.day), BOTTOM, f"{wet(d.rain):.1f}") for d in days if d.rain)
    soil, before = [], None
    for d in days:
        if d.soil is not None:
            soil.append(f"{'L' if before and d.day - before == timedelta(days=1) else 'M'}{x(d.day)} {up(d.soil):.1f}")
            before = d.day
    months = []
    at = date(start.year + (start.month == 12), start.month % 12 + 1, 1)
    while at <= end:
        months.append(
            (
                x(at),
                TOP,
                BOTTOM,
                f"{across((at - start).days) + 4:.1f}",
                BOTTOM + 14,
                f"{at:%b}" + (f" {at.year}" if at.month == 1 else ""),
            )
        )
        at = date(at.year + (at.month == 12), at.month % 12 + 1, 1)
    holes = ((x(a), TOP, f"{max(2.0, across((b - a).days + 1) - across(0)):.1f}", BOTTOM - TOP) for a, b in gaps if b >= start)
    levels = ((LEFT, f"{up(t):.1f}", WIDTH - 8, LEFT - 6, f"{up(t) + 4:.1f}", f"{figure_shown(t, '°C', 0)}°") for t in up.ticks(6))
    return format_html(
        '<svg class="weather" viewBox="0 0 {} {}" role="img" aria-label="{}">{}{}{}{}{}<path class="soil-line" d="{}"/>'
        '<text class="end" x="{}" y="{}">{}</text></svg>',
        WIDTH,
        BOTTOM + 20,
        said,
        format_html_join("", '<rect class="gap" x="{}" y="{}" width="{}" height="{}"/>', holes),
        format_html_join("", '<path class="level" d="M{} {}H{}"/><text class="end" x="{}" y="{}">{}</text>', levels),
        format_html_join("", '<path class="month" d="M{} {}V{}"/><text x="{}" y="{}">{}</text>', months),
        format_html_join("", '<path class="{}" d="M{} {}V{}"/>', spans),
        format_html_join("", '<path class="rain" d="M{} {}V{}"/>', rain),
        "".join(soil) or "M0 0",
        LEFT - 6,
        BOTTOM,
        "" if unit_shown("mm") != "mm" else "mm",
    )
