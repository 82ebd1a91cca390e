"""The daily record of a site: gaps, frost by risk, warm-up of the soil, and a simulated station."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from itertools import pairwise

import numpy as np

RISKS = (0.9, 0.5, 0.1)
LEAST_YEARS = 3


@dataclass(frozen=True)
class Day:
    """One day: lowest and highest air temperature and soil temperature at 10 cm in °C, rain in mm. None is not known."""

    day: date
    tmin: float | None
    tmax: float | None
    rain_mm: float | None = None
    soil_c: float | None = None

    @property
    def mean(self) -> float | None:
        """The mean of the two temperatures in °C; None where one is missing."""
        return None if self.tmin is None or self.tmax is None else (self.tmin + self.tmax) / 2


def gaps_in(days: Sequence[Day]) -> list[tuple[date, date]]:
    """First and last day of each stretch without temperatures, between the first and the last day on record."""
    known = {d.day for d in days if d.mean is not None}
    if not known:
        return []
    gaps: list[tuple[date, date]] = []
    at, last = min(known), max(known)
    while at <= last:
        if at not in known:
            start = at
            while at not in known:
                at += timedelta(days=1)
            gaps.append((start, at - timedelta(days=1)))
        at += timedelta(days=1)
    return gaps


@dataclass(frozen=True)
class FrostRisk:
    """Month and day (as `04-12`) after which frost still comes with each of `RISKS`, and before which it comes again with
    the same; from `years` cold seasons."""

    last: dict[float, str]
    first: dict[float, str]
    years: int


def frost_risk(days: Sequence[Day], latitude: float, frost_c: float = 0.0) -> FrostRisk | None:
    """When the cold half of the year ends and begins, by risk.

    For each growing season the last night at or below `frost_c` before midsummer and the first after it are found; risks
    come from a normal distribution over seasons (Thom and Shaw 1958). Seasons with more than 20 days missing in either half
    do not count. None with fewer than three seasons that had frost on both sides.
    """
    midsummer = 7 if latitude >= 0 else 1
    by_season: dict[int, list[Day]] = {}
    for d in days:
        if d.tmin is not None:
            centre = date(d.day.year, midsummer, 1)
            year = d.day.year + (d.day - centre > timedelta(days=183)) - (centre - d.day > timedelta(days=183))
            by_season.setdefault(year, []).append(d)
    ends, begins = [], []
    for year, some in by_season.items():
        centre = date(year, midsummer, 1)
        halves = [d for d in some if d.day < centre], [d for d in some if d.day >= centre]
        if min(len(h) for h in halves) < 160:
            continue
        before = [d.day for d in halves[0] if (d.tmin or 0.0) <= frost_c]
        after = [d.day for d in halves[1] if (d.tmin or 0.0) <= frost_c]
        if before and after:
            ends.append((max(before) - centre).days)
            begins.append((min(after) - centre).days)
    if len(ends) < LEAST_YEARS:
        return None
    from scipy.special import ndtri

    def dates(values: list[int], later: bool) -> dict[float, str]:
        mean, sd = float(np.mean(values)), float(np.std(values, ddof=1))
        centre = date(2001, midsummer, 1)
        made = {}
        for risk in RISKS:
            z = float(ndtri(1 - risk)) if later else float(ndtri(risk))
            made[risk] = f"{centre + timedelta(days=round(mean + z * sd)):%m-%d}"
        return made

    return FrostRisk(dates(ends, True), dates(begins, False), len(ends))


def soil_warm_on(days: Sequence[Day], needed_c: float, since: date, run: int = 5) -> date | None:
    """The first day from `since` on which the soil has been at `needed_c` or above for `run` days; None when it was not."""
    streak, before = 0, None
    for d in sorted(days, key=lambda x: x.day):
        if d.day < since:
            continue
        follows = before is None or d.day - before == timedelta(days=1)
        warm = d.soil_c is not None and d.soil_c >= needed_c
        streak = (streak + 1 if follows else 1) if warm else 0
        before = d.day
        if streak >= run:
            return d.day
    return None


class Exceeding:
    """How often a limit was exceeded in the years on record, by the day of the year.

    `values` are days with a figure or None; nothing is said of days of the year that are not on record.
    """

    def __init__(self, values: Iterable[tuple[date, float | None]], limit: float) -> None:
        over, known = np.zeros(366), np.zeros(366)
        for day, value in values:
            if value is not None:
                known[_of_year(day)] += 1
                over[_of_year(day)] += value > limit
        self._over, self._known = (np.concatenate([[0.0], np.cumsum(np.tile(x, 3))]) for x in (over, known))

    def share(self, first: date, last: date) -> float | None:
        """Of the days of the year from `first` to `last`, less than a year later, in all years on record the share above the
        limit; None where none is on record. Raises ValueError when `last` is before `first` or a year later."""
        length = (last - first).days
        if not 0 <= length < 365:
            raise ValueError("the last day lies on or after the first, within a year")
        start = _of_year(first)
        end = start + (_of_year(last) - start) % 366 + 1
        known = self._known[end] - self._known[start]
        return float((self._over[end] - self._over[start]) / known) if known else None


def _of_year(day: date) -> int:
    """The place of a day in a year that has a 29 February, from nought."""
    return (date(2000, day.month, day.day) - date(2000, 1, 1)).days


@dataclass(frozen=True)
class Spell:
    """Days in a row on which the weather may have hurt: `kind` is frost, heat, flood or drought; `figure` the worst of it (°C,
    °C, mm in a day, days without rain)."""

    kind: str
    first: date
    last: date
    figure: float


def spells(
    days: Sequence[Day], frost_c: float = 0.0, heat_c: float | None = None, wet_mm: float = 40.0, dry_days: int = 14
) -> list[Spell]:
    """What a record of the weather holds that plants suffer from, in the order of time: nights below `frost_c`, days above
    `heat_c`, days with `wet_mm` of rain and more, and `dry_days` and more with less than 1 mm each. A day without a figure ends
    a spell. Raises ValueError for days out of order."""
    if any(b.day <= a.day for a, b in pairwise(days)):
        raise ValueError("the days must follow each other")
    found = [
        *_runs(days, "frost", lambda d: d.tmin is not None and d.tmin < frost_c, lambda run: min(d.tmin or 0.0 for d in run)),
        *_runs(days, "flood", lambda d: (d.rain_mm or 0.0) >= wet_mm, lambda run: max(d.rain_mm or 0.0 for d in run)),
    ]
    if heat_c is not None:
        found += _runs(days, "heat", lambda d: d.tmax is not None and d.tmax > heat_c, lambda run: max(d.tmax or 0.0 for d in run))
    dry = _runs(days, "drought", lambda d: d.rain_mm is not None and d.rain_mm < 1.0, lambda run: float(len(run)))
    found += [s for s in dry if s.figure >= dry_days]
    return sorted(found, key=lambda s: (s.first, s.kind))


def _runs(days: Sequence[Day], kind: str, hurts: Callable[[Day], bool], worst: Callable[[Sequence[Day]], float]) -> list[Spell]:
    """Unbroken runs of days that hurt."""
    runs: list[list[Day]] = []
    for d in days:
        if not hurts(d):
            continue
        if runs and (d.day - runs[-1][-1].day).days == 1:
            runs[-1].append(d)
        else:
            runs.append([d])
    return [Spell(kind, run[0].day, run[-1].day, worst(run)) for run in runs]


# Of coasts at sea level, by degrees of latitude: the year's mean and half its swing, how far a day strays from the one before,
# and half of what lies between a dry day's lowest and highest, all in °C. Nights of the tropics stay near the sea's warmth.
CLIMATE = (
    (0, 10, 20, 30, 40, 70),
    (26.8, 26.8, 24.8, 19.8, 13.5, 1.5),
    (0.6, 1.2, 3.2, 5.0, 5.6, 9.05),
    (0.5, 0.6, 0.9, 1.6, 2.1, 2.1),
    (4.2, 4.2, 4.3, 4.6, 4.6, 4.6),
)


def simulated_days(latitude: float, start: date, count: int, seed: int, gaps: bool = True) -> list[Day]:
    """What a simulated station would have recorded: plausible for the latitude and the season of a mild coast, by `CLIMATE`.

    A yearly wave and a day-to-day memory of 0.7 for the temperatures, wet and dry spells for the rain, a soil that follows
    slowly, and now and then days on which the station fell silent (left out). A day depends on `seed` and its place in the
    record alone: the same call gives the same days.
    """
    rng = np.random.default_rng(seed)
    lat = abs(latitude)
    mean, swing, memory, span = (float(np.interp(lat, CLIMATE[0], row)) for row in CLIMATE[1:])
    warmest = 203 if latitude >= 0 else 21
    weather = wet = 0.0
    soil = mean
    silent = 0
    made = []
    for i in range(-60, count):  # the first two months let the soil find its temperature
        day = start + timedelta(days=i)
        wave = np.cos(2 * np.pi * (day.timetuple().tm_yday - warmest) / 365.25)
        weather = 0.7 * weather + rng.normal(0, memory)
        wet = float(rng.random() < (0.62 if wet else 0.27))
        rain = round(float(rng.gamma(0.8, 6.0)), 1) if wet else 0.0
        middle = mean + swing * wave + weather
        half = max(1.5, span + 0.8 * wave - 1.6 * wet + rng.normal(0, 0.9))
        soil += 0.13 * (middle + 0.8 * wave - soil)
        if gaps and silent == 0 and rng.random() < 0.004:
            silent = int(rng.integers(1, 5))
        if silent:
            silent -= 1
            continue
        if i >= 0:
            made.append(Day(day, round(float(middle - half), 1), round(float(middle + half), 1), rain, round(float(soil), 1)))
    return made
