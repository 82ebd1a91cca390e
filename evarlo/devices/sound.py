"""Whether a device can be gone by: what it said is held to what can be, to its own zero or setting, and to our clock. What cannot
be is never kept."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from statistics import mean

from evarlo.devices.probe import Probe
from evarlo.devices.scale import Scale, State
from evarlo.devices.scanner import CodeScanner, typed_by
from evarlo.devices.soil import SoilProbe
from evarlo.devices.station import Station
from trialcore.field.weather import Day

COLDEST, WARMEST, MOST_RAIN = -60.0, 60.0, 1000.0  # °C, °C, mm in a day: beyond what was ever recorded
LOOKED_AT = 28  # days of a station
DRIFTS = 3.0  # °C by which its last week may differ from another's more than its first
OWN_ZERO = 0.005  # kg that an empty scale may show
MOST_KG = 200.0
OFF_SETTING = 5.0  # °C by which a heated place may differ from what it is set to
WETTEST = 60.0  # percent of the volume: no soil holds more
CLOCK_OFF = timedelta(minutes=15)


@dataclass(frozen=True)
class Health:
    """How a device is: `fine`, or what is wrong in words, and what it read."""

    fine: bool
    said: str
    read: str = ""


def sound_days(days: Sequence[Day], since: date, until: date) -> tuple[list[Day], list[str]]:
    """Days that can be, and of the others why they are not kept."""
    kept: dict[date, Day] = {}
    said = []
    for d in days:
        wrong = _wrong_with(d, since, until)
        if not wrong and d.day in kept:
            wrong = "came twice"
        if wrong:
            said.append(f"{d.day:%-d %b %Y}: {wrong}")
        else:
            kept[d.day] = d
    return [kept[day] for day in sorted(kept)], said


def _wrong_with(d: Day, since: date, until: date) -> str:
    if not since <= d.day <= until:
        return "a day that was not asked for: its clock is off"
    for t in (d.tmin, d.tmax, d.soil_c):
        if t is not None and not COLDEST <= t <= WARMEST:
            return f"{t:g} °C cannot be"
    if d.tmin is not None and d.tmax is not None and d.tmin > d.tmax:
        return "the lowest is above the highest temperature"
    if d.rain_mm is not None and not 0 <= d.rain_mm <= MOST_RAIN:
        return f"{d.rain_mm:g} mm of rain cannot be"
    return ""


def of_station(station: Station, today: date, beside: Sequence[Day] = ()) -> Health:
    """A station's last four weeks, held beside the same days of another where there is one."""
    since, until = today - timedelta(days=LOOKED_AT), today - timedelta(days=1)
    try:
        days = station.days(since, until)
    except OSError as error:
        return Health(False, f"Silent: {error}.")
    kept, said = sound_days(days, since, until)
    if not kept:
        return Health(False, f"Clock: {said[0]}." if said else "Silent: no day of the last four weeks.")
    last = kept[-1]
    read = f"{last.day:%-d %b}: {last.tmin:g} to {last.tmax:g} °C" if last.mean is not None else f"{last.day:%-d %b}"
    if said:
        sign = "Clock" if "clock" in said[0] else "Nonsense"
        return Health(False, f"{sign}: {said[0]}{f', and {len(said) - 1} more' if len(said) > 1 else ''}. Not kept.", read)
    if last.day < until - timedelta(days=2):
        return Health(False, f"Silent since {last.day:%-d %b}.", read)
    drift = _drift(kept, beside)
    if drift is not None and abs(drift) > DRIFTS:
        return Health(False, f"Drift: {drift:+.1f} °C against the other station within four weeks.", read)
    return Health(True, "Answers." if beside else "Answers. Drift shows only beside another station.", read)


def _drift(days: Sequence[Day], beside: Sequence[Day]) -> float | None:
    """How much more the last week differs from another record than the first, °C."""
    other = {d.day: d.mean for d in beside}
    apart = [d.mean - m for d in days if d.mean is not None and (m := other.get(d.day)) is not None]
    return mean(apart[-7:]) - mean(apart[:7]) if len(apart) >= 14 else None


def of_scale(scale: Scale) -> Health:
    """A scale at this moment."""
    read = scale.now()
    if read.state == State.OFF:
        return Health(False, "Silent, or not to be understood.")
    if read.state == State.OVER:
        return Health(False, "More lies on it than it can weigh.")
    kg = read.kg or 0.0
    shown = f"{kg:.3f} kg, {read.state}"
    if kg > MOST_KG:
        return Health(False, f"Nonsense: {kg:g} kg lies on no bench.", shown)
    if kg < -OWN_ZERO:
        return Health(False, "Drift: it shows less than nothing. Take everything off and set it to zero.", shown)
    return Health(True, "Answers.", shown)


def of_probe(probe: Probe, at: datetime, set_to: float | None) -> Health:
    """A probe among the trays of a place that is heated to a temperature, or to none."""
    try:
        celsius = probe.celsius(at)
    except OSError as error:
        return Health(False, f"Silent: {error}.")
    shown = f"{celsius:.1f} °C"
    if not COLDEST <= celsius <= WARMEST:
        return Health(False, f"Nonsense: {celsius:g} °C cannot be. Look at its wire.", shown)
    if set_to is not None and abs(celsius - set_to) > OFF_SETTING:
        return Health(False, f"Drift, or the heating fails: the place is set to {set_to:g} °C.", shown)
    return Health(True, "Answers.", shown)


def of_soil_probe(probe: SoilProbe, at: datetime) -> Health:
    """A probe in the ground."""
    try:
        read = probe.read(at)
    except OSError as error:
        return Health(False, f"Silent: {error}.")
    shown = f"{read.celsius:.1f} °C, {read.water_percent:.0f} % water"
    if not COLDEST <= read.celsius <= WARMEST or not 0 <= read.water_percent <= 100:
        return Health(False, "Nonsense: that cannot be. Look at its wire.", shown)
    if abs(read.at - at) > CLOCK_OFF:
        return Health(False, f"Clock: it reads {read.at:%-d %b, %H:%M}.", shown)
    if read.water_percent > WETTEST:
        return Health(False, f"Drift: more than {WETTEST:g} % water is in no soil.", shown)
    return Health(True, "Answers.", shown)


def of_scanner(scanner: CodeScanner, code: str) -> Health:
    """A scanner before which a stake with a known code is held."""
    read = typed_by(scanner.keys(code))
    if not read:
        return Health(False, "Silent, or it presses no Enter: see its sheet of settings.")
    if read != code:
        return Health(False, f"Nonsense: it read “{read[:24]}” for {code}.", read[:24])
    return Health(True, "Answers.", read)
