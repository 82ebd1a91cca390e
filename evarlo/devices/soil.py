"""Soil probes: the narrow interface a real one would have, and the simulated one that ships."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from math import cos, pi
from typing import Protocol
from zlib import crc32


@dataclass(frozen=True)
class InSoil:
    """What a probe read, at 10 cm: temperature in °C, water in percent of the volume, and when by its own clock."""

    celsius: float
    water_percent: float
    at: datetime


class SoilProbe(Protocol):
    """Whatever measures in the ground of a bed."""

    def read(self, at: datetime) -> InSoil:
        """What it reads now. Raises OSError where it does not answer."""
        ...


class SimulatedSoilProbe:
    """A probe that does not exist: the same bed always reads the same at the same hour. South of the equator the year runs the
    other way."""

    def __init__(self, bed: str, latitude: float) -> None:
        self.bed, self.latitude = bed, latitude

    def read(self, at: datetime) -> InSoil:
        coldest = 20 if self.latitude >= 0 else 202
        season = cos((at.timetuple().tm_yday - coldest) * 2 * pi / 365)
        noise = crc32(f"{self.bed} {at:%Y-%m-%d %H}".encode()) / 2**32 - 0.5
        return InSoil(round(11 - 7 * season + noise, 1), round(24 + 6 * season + 4 * noise, 1), at)
