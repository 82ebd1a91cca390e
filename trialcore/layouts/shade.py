"""Which beds of a site a tall crop shades."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import cos, radians, sin, tan

LOWEST_SUN = 10.0  # degrees: below it everything is shaded anyway


@dataclass(frozen=True)
class Standing:
    """A bed on its site: its middle, metres east and north of the site's corner; its sides in metres; the compass direction of its
    length; the height of what stands on it in centimetres (None: nothing tall)."""

    name: str
    east: float
    north: float
    length: float
    width: float
    bearing: float
    height_cm: float | None = None


def corners(bed: Standing) -> list[tuple[float, float]]:
    """The four corners of a bed, metres east and north."""
    along, across = radians(bed.bearing), radians(bed.bearing + 90)
    made = []
    for a, b in ((-1, -1), (1, -1), (1, 1), (-1, 1)):
        x, y = a * bed.length / 2, b * bed.width / 2
        made.append((bed.east + x * sin(along) + y * sin(across), bed.north + x * cos(along) + y * cos(across)))
    return made


def noon_shadow(height_m: float, latitude: float) -> float:
    """The length of a shadow at noon at the equinox, in metres: height over the tangent of the sun's height, 90° less the
    latitude."""
    return height_m / tan(radians(max(LOWEST_SUN, 90 - abs(latitude))))


def shaded(beds: Sequence[Standing], latitude: float) -> list[tuple[str, str, float]]:
    """Pairs of beds of which the first, by what stands on it, reaches the second with its noon shadow; with the metres that are
    shaded. The shadow falls north of the equator to the north, south of it to the south."""
    away = 1.0 if latitude >= 0 else -1.0
    found = []
    for tall in beds:
        if not tall.height_cm:
            continue
        reach = noon_shadow(tall.height_cm / 100, latitude)
        for other in beds:
            if other is tall:
                continue
            here, there = corners(tall), corners(other)
            apart_east = max(min(x for x, _ in there) - max(x for x, _ in here), min(x for x, _ in here) - max(x for x, _ in there))
            near = min(away * y for _, y in there) - max(away * y for _, y in here)
            if apart_east < 0 and 0 <= near < reach:
                found.append((tall.name, other.name, reach - near))
    return found
