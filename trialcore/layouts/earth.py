"""Where something on a site lies on the earth: metres east and north of the site's corner as longitude and latitude.

Metres in a degree by the usual series for the WGS 84 ellipsoid (National Geospatial-Intelligence Agency, Length of a degree of
latitude and longitude); good to a centimetre over a site of some kilometres."""

from __future__ import annotations

from collections.abc import Sequence
from math import cos, radians, sin

from trialcore.layouts.shade import Standing

DIGITS = 8  # of a degree: about a millimetre


def metres_of_degree(latitude: float) -> tuple[float, float]:
    """Metres in a degree of latitude and of longitude at a latitude in degrees. Raises ValueError beyond the poles."""
    if not -90 <= latitude <= 90:
        raise ValueError("A latitude lies between -90 and 90 degrees.")
    p = radians(latitude)
    north = 111132.92 - 559.82 * cos(2 * p) + 1.175 * cos(4 * p) - 0.0023 * cos(6 * p)
    east = 111412.84 * cos(p) - 93.5 * cos(3 * p) + 0.118 * cos(5 * p)
    return north, east


def on_earth(latitude: float, longitude: float, east: float, north: float) -> tuple[float, float]:
    """Longitude and latitude, in degrees, of a place some metres east and north of another."""
    a_north, an_east = metres_of_degree(latitude + north / 111132.92 / 2)
    return round(longitude + east / an_east, DIGITS), round(latitude + north / a_north, DIGITS)


def on_site(bed: Standing, x: float, y: float) -> tuple[float, float]:
    """Metres east and north on the site of a place in a bed: `x` metres along its length, `y` across it, from its first corner."""
    along, across = radians(bed.bearing), radians(bed.bearing + 90)
    a, b = x - bed.length / 2, y - bed.width / 2
    return bed.east + a * sin(along) + b * sin(across), bed.north + a * cos(along) + b * cos(across)


def ring(bed: Standing, x: float, y: float, length: float, width: float) -> list[tuple[float, float]]:
    """The outline of a plot in a bed, metres east and north on the site, closed and anticlockwise as seen from above."""
    corners = [(x, y), (x, y + width), (x + length, y + width), (x + length, y), (x, y)]
    return [on_site(bed, *c) for c in corners]


def polygon(latitude: float, longitude: float, outline: Sequence[tuple[float, float]]) -> list[list[float]]:
    """An outline in metres on a site as longitude and latitude."""
    return [list(on_earth(latitude, longitude, east, north)) for east, north in outline]
