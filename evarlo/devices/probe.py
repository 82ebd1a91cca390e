"""Temperature probes: the narrow interface a real one would have, and the simulated one that ships."""

from __future__ import annotations

from datetime import datetime
from math import cos, pi
from typing import Protocol
from zlib import crc32


class Probe(Protocol):
    """Whatever measures the temperature among the trays of a place."""

    def celsius(self, at: datetime) -> float:
        """The temperature at a time, in °C."""
        ...


class SimulatedProbe:
    """A probe that does not exist: a place heated to a temperature holds it within a degree, any other swings with the day. The
    same place always reads the same at the same hour."""

    def __init__(self, place: str, heated_to: float | None) -> None:
        self.place, self.heated_to = place, heated_to

    def celsius(self, at: datetime) -> float:
        warmest_at_15 = cos((at.hour + at.minute / 60 - 15) * pi / 12)
        noise = crc32(f"{self.place} {at:%Y-%m-%d %H}".encode()) / 2**32 - 0.5
        if self.heated_to is not None:
            return round(self.heated_to + 0.6 * warmest_at_15 + 1.2 * noise, 1)
        season = 12 - 9 * cos((at.timetuple().tm_yday - 20) * 2 * pi / 365)
        return round(season + 5 * warmest_at_15 + 3 * noise, 1)
