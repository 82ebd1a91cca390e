"""Weather stations: the narrow interface a real one would have, and the simulated one that ships."""

from __future__ import annotations

from datetime import date
from typing import Protocol
from zlib import crc32

from trialcore.field.weather import Day, simulated_days

FIRST = date(2015, 1, 1)


class Station(Protocol):
    """Whatever records the weather of a place."""

    def days(self, since: date, until: date) -> list[Day]:
        """The daily record from `since` to `until`, both included; days it did not record are absent."""
        ...


class SimulatedStation:
    """A station that does not exist, for a place that has none: the same place always has the same weather."""

    def __init__(self, place: str, latitude: float) -> None:
        self.seed, self.latitude = crc32(place.encode()), latitude

    def days(self, since: date, until: date) -> list[Day]:
        """The daily record; nothing before 2015."""
        count = (until - FIRST).days + 1
        if count < 1:
            return []
        return [d for d in simulated_days(self.latitude, FIRST, count, self.seed) if d.day >= since]
