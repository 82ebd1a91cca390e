"""How often it was too hot for a crop at a site, by the day of the year: in the soil at sowing, by day and night later on."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, timedelta

from evarlo.grounds.weather import Record
from evarlo.trials.models import Trial
from evarlo.trials.needs import plan_of
from trialcore.field.weather import Exceeding

HOT_SHARE = 0.2  # of the days on record: where more were too hot, it is said
ABOUT = 7  # days before and after a day to sow of which the soil is looked at


@dataclass(frozen=True)
class Often:
    """How often a limit in °C was exceeded, of days, nights or the soil."""

    kind: str
    limit: float
    exceeding: Exceeding

    def share(self, first: date, last: date) -> float | None:
        return self.exceeding.share(first, last)

    def about(self, day: date) -> float | None:
        return self.exceeding.share(day - timedelta(days=ABOUT), day + timedelta(days=ABOUT))


@dataclass(frozen=True)
class Heat:
    """What is too hot for a crop: days and nights when it flowers or forms what is eaten, and the soil for its seed where it is
    not raised."""

    above: tuple[Often, ...]
    soil: Often | None


def heat_of(trial: Trial, record: Record) -> Heat:
    """Read once for a trial and record: it goes through every day on record."""
    return trial.once("heat", lambda: _heat_of(trial, record))


def _heat_of(trial: Trial, record: Record) -> Heat:
    profile, soil = trial.crop.profile, trial.crop.profile.get("soil_c")
    flowering = [
        _often("days", profile.get("heat_limit_c"), ((d.day, d.tmax) for d in record.days)),
        _often("nights", profile.get("night_limit_c"), ((d.day, d.tmin) for d in record.days)),
    ]
    warm = _often("soil", soil[1], ((d.day, d.soil_c) for d in record.days)) if soil and not plan_of(trial).transplant else None
    return Heat(tuple(o for o in flowering if o), warm)


def _often(kind: str, limit: float | None, values: Iterable[tuple[date, float | None]]) -> Often | None:
    return Often(kind, float(limit), Exceeding(values, float(limit))) if limit else None
