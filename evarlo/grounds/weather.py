"""The weather of a site: reading the station, bringing in a sheet, and what the record tells."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, timedelta
from typing import Any

from django.db import transaction

from evarlo.devices.sound import sound_days
from evarlo.devices.station import SimulatedStation, Station
from evarlo.grounds.models import Bed, Site, WeatherDay
from evarlo.ui.fields import read_day
from evarlo.ui.refused import Refused
from evarlo.ui.unchanged import kept
from trialcore.field.weather import Day, FrostRisk, frost_risk, gaps_in
from trialcore.formats.sheet import Problem
from trialcore.formats.table import read_table
from trialcore.reckoning.frost import Frost, frost_at, sheltered

COLDEST, HOTTEST, WETTEST = -70.0, 60.0, 2000.0
OLDEST = date(1900, 1, 1)


@dataclass(frozen=True)
class WeatherSheet:
    """Days as a sheet tells them; with any `problems` none of them may be kept."""

    days: tuple[Day, ...] = ()
    problems: tuple[Problem, ...] = ()


def read_weather_sheet(text: str, today: date) -> WeatherSheet:
    """Read the columns `date, tmin, tmax` and, where they stand, `rain_mm` and `soil_c`."""
    numbers = ("tmin", "tmax", "rain_mm", "soil_c")
    table = read_table(text, ("date",), numbers, ("date", "tmin", "tmax"), may_be_blank=("rain_mm", "soil_c"))
    problems = list(table.problems)
    days: list[Day] = []
    seen: dict[date, int] = {}
    for i, line in enumerate(table.lines if table.labels else ()):
        written = table.labels["date"][i]
        day = read_day(written)
        if day is None or not OLDEST <= day <= today:
            expected = "a day such as 2026-05-14, not to come" if written else "the date of this line"
            problems.append(Problem(line, "date", written[:40] or "nothing", expected))
            continue
        if day in seen:
            problems.append(Problem(line, "date", written[:40], f"each day once; line {seen[day]} has it already"))
        seen.setdefault(day, line)
        low, high, rain, soil = (table.numbers[n][i] if n in table.numbers else None for n in numbers)
        warm = (COLDEST, HOTTEST)
        for name, value, (least, most) in (
            ("tmin", low, warm),
            ("tmax", high, warm),
            ("rain_mm", rain, (0.0, WETTEST)),
            ("soil_c", soil, warm),
        ):
            if value is not None and not least <= value <= most:
                problems.append(Problem(line, name, f"{value:g}", f"{least:g} to {most:g} {'mm' if name == 'rain_mm' else '°C'}"))
        if low is not None and high is not None and low > high:
            problems.append(Problem(line, "tmin", f"{low:g}", f"at most the highest of the day, {high:g} °C"))
        days.append(Day(day, low, high, rain, soil))
    return WeatherSheet(tuple(days), tuple(sorted(problems, key=lambda p: p.line)))


@transaction.atomic
def keep_days(site: Site, days: list[Day], source: str) -> int:
    """Keep a record; a day that is there already is taken anew. How many days were kept."""
    rows = [
        WeatherDay(site=site, day=d.day, tmin=d.tmin, tmax=d.tmax, rain_mm=d.rain_mm, soil_c=d.soil_c, source=source)
        for d in days
        if d.tmin is not None and d.tmax is not None
    ]
    fields = ["tmin", "tmax", "rain_mm", "soil_c", "source"]
    WeatherDay.objects.bulk_create(rows, update_conflicts=True, unique_fields=["site", "day"], update_fields=fields, batch_size=500)
    site.frost_record = _kept(record_of(site).risk)
    Site.objects.filter(pk=site.pk).update(frost_record=site.frost_record)
    return len(rows)


def read_station(site: Site, until: date, station: Station | None = None, years: int = 8) -> int:
    """Fetch what the station recorded since the last day on record, `years` back for a new site. A site without a latitude
    has no simulated station: raises ValueError. What cannot be is not kept, so that it is asked for again."""
    if station is None:
        if site.latitude is None:
            raise ValueError("Set the site's latitude first; the simulated station needs it.")
        station = SimulatedStation(site.name, site.latitude)
    last = WeatherDay.objects.filter(site=site).order_by("-day").values_list("day", flat=True).first()
    since = last + timedelta(days=1) if last else until - timedelta(days=365 * years)
    sound, _wrong = sound_days(station.days(since, until), since, until)
    return keep_days(site, sound, WeatherDay.Source.STATION)


@dataclass(frozen=True)
class Record:
    """What is known of a site's weather."""

    days: tuple[Day, ...]
    gaps: tuple[tuple[date, date], ...]
    risk: FrostRisk | None

    def since(self, start: date) -> list[Day]:
        return [d for d in self.days if d.day >= start]


def record_of(site: Site) -> Record:
    """The whole record of a site, oldest first."""
    return kept(("weather", site.pk, site.latitude), lambda: _record_of(site), of=[site])


def _record_of(site: Site) -> Record:
    rows = WeatherDay.objects.filter(site=site).values_list("day", "tmin", "tmax", "rain_mm", "soil_c")
    days = tuple(Day(*row) for row in rows)
    return Record(days, tuple(gaps_in(days)), frost_risk(days, site.latitude or 0.0))


def _kept(risk: FrostRisk | None) -> dict[str, Any]:
    if risk is None:
        return {}
    return {
        "last": {str(r): d for r, d in risk.last.items()},
        "first": {str(r): d for r, d in risk.first.items()},
        "years": risk.years,
    }


def frost_of(site: Site, environment: str = Bed.Environment.OPEN) -> Frost | None:
    """The one frost of a site under what a bed stands: whatever page asks, it is the same. None where nothing is known."""
    if site.frost_record is None:  # a record from before it was kept
        site.frost_record = _kept(record_of(site).risk)
    kept = site.frost_record
    record = None
    if kept:
        ends = ({float(r): d for r, d in kept[end].items()} for end in ("last", "first"))
        record = (*ends, kept["years"])
    typed = (site.last_frost, site.first_frost) if site.last_frost and site.first_frost else None
    by = site.frost_by if site.frost_by in ("typed", "record") else None
    found = frost_at(typed, record, by)  # type: ignore[arg-type]
    return sheltered(found, environment) if found else None


@transaction.atomic
def go_by_frost(site: Site, by: str) -> None:
    """Let every page go by the typed frost dates, or by those of the record. Raises Refused where there are none."""
    there = {"typed": site.last_frost and site.first_frost, "record": record_of(site).risk}
    if not there.get(by):
        raise Refused(
            "The record is too short to tell frost dates from; three whole years are needed."
            if by == "record"
            else "No frost dates are typed for this site."
        )
    Site.objects.filter(pk=site.pk).update(frost_by=by)
