"""Devices as they fail: each stand-in behind its own interface with one fault, to see what becomes of its readings."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta
from enum import StrEnum

from evarlo.devices.probe import Probe
from evarlo.devices.scale import OFF, OnScale, Scale, State
from evarlo.devices.scanner import ENTER, CodeScanner
from evarlo.devices.soil import InSoil, SoilProbe
from evarlo.devices.station import Station
from trialcore.field.weather import Day


class Fault(StrEnum):
    """What can be wrong with any of them."""

    SILENT = "silent"
    DRIFT = "drift"
    NONSENSE = "nonsense"
    CLOCK = "clock"


@dataclass(frozen=True)
class FaultyStation:
    station: Station
    fault: Fault

    def days(self, since: date, until: date) -> list[Day]:
        """Nothing; warmer by a quarter of a degree each day; an impossible day among the others; days of the wrong week."""
        days = self.station.days(since, until)
        match self.fault:
            case Fault.SILENT:
                raise OSError("the station does not answer")
            case Fault.DRIFT:
                return [_warmer(d, 0.25 * n) for n, d in enumerate(days)]
            case Fault.NONSENSE:
                return [replace(d, tmin=85.0, tmax=-127.0) if n % 5 == 3 else d for n, d in enumerate(days)]
            case _:
                return [replace(d, day=d.day + timedelta(days=9)) for d in days]


def _warmer(d: Day, by: float) -> Day:
    tmin, tmax = (round(t + by, 1) if t is not None else None for t in (d.tmin, d.tmax))
    return replace(d, tmin=tmin, tmax=tmax)


@dataclass(frozen=True)
class FaultyScale:
    scale: Scale
    fault: Fault

    def now(self) -> OnScale:
        """Off; 35 g too little; a weight that no bench bears; a scale has no clock, so it is as it is."""
        read = self.scale.now()
        match self.fault:
            case Fault.SILENT:
                return OFF
            case Fault.DRIFT if read.kg is not None:
                return OnScale(round(read.kg - 0.035, 3), read.state)
            case Fault.NONSENSE:
                return OnScale(8191.75, State.STEADY)
            case _:
                return read


@dataclass(frozen=True)
class FaultyProbe:
    probe: Probe
    fault: Fault

    def celsius(self, at: datetime) -> float:
        """No answer; nine degrees too many; what a broken wire reads; the temperature of twelve hours ago."""
        match self.fault:
            case Fault.SILENT:
                raise OSError("the probe does not answer")
            case Fault.DRIFT:
                return self.probe.celsius(at) + 9.0
            case Fault.NONSENSE:
                return -127.0
            case _:
                return self.probe.celsius(at - timedelta(hours=12))


@dataclass(frozen=True)
class FaultySoilProbe:
    probe: SoilProbe
    fault: Fault

    def read(self, at: datetime) -> InSoil:
        """No answer; ever wetter; what a broken wire reads; a clock that stands three hours back."""
        match self.fault:
            case Fault.SILENT:
                raise OSError("the probe does not answer")
            case Fault.DRIFT:
                read = self.probe.read(at)
                return replace(read, water_percent=read.water_percent + 50.0)
            case Fault.NONSENSE:
                return InSoil(-127.0, 655.35, at)
            case _:
                return replace(self.probe.read(at), at=at - timedelta(hours=3))


@dataclass(frozen=True)
class FaultyScanner:
    scanner: CodeScanner
    fault: Fault

    def keys(self, code: str) -> Iterator[str]:
        """Nothing; the code twice without a pause; signs of another code; the code without its Enter."""
        match self.fault:
            case Fault.SILENT:
                return
            case Fault.DRIFT:
                yield from code + code
                yield ENTER
            case Fault.NONSENSE:
                yield from "]C1%%0"
                yield ENTER
            case _:
                yield from code
