"""When to sow for a market day, and when to sow again so that harvests follow each other."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable
from dataclasses import dataclass
from datetime import date

from evarlo.grounds.weather import Record
from evarlo.trials.models import Trial
from evarlo.trials.needs import plan_of
from trialcore.field.degree_days import degree_days
from trialcore.reckoning.schedule import back_from, successions

FULL_YEAR = 360  # days of the year that have to be known before warmth is taken from the record


@dataclass(frozen=True)
class Sowings:
    """Days to sow on with the harvests they give, and what was reckoned with, in words."""

    days: tuple[tuple[date, date], ...]
    said: str


def for_market(trial: Trial, market: date, keeps_days: int) -> str:
    """Between which days to sow for a market day, in words; why it cannot be said otherwise."""
    ready = trial.crop.profile.get("edible_days")
    if not ready:
        return f"The profile of {trial.crop.name.lower()} does not say how long it takes from sowing to first edible."
    first, late, early = back_from(market, (int(ready[0]), int(ready[1])), keeps_days)
    kept = f" Kept for up to {keeps_days} days, it can be sown from {first:%-d %b}." if keeps_days else ""
    return (
        f"Needed on {market:%-d %b %Y}, a late cultivar of {ready[1]:g} days is sown by {late:%-d %b}, "
        f"an early one of {ready[0]:g} days by {early:%-d %b %Y}.{kept}"
    )


def follow_on(trial: Trial, record: Record | None, times: int, every_days: int) -> Sowings | str:
    """Sowings whose harvests lie `every_days` apart; why it cannot be said otherwise.

    The first is the trial's own sowing. Warmth is the mean of the site's record day by day where it covers the year; without
    one every day counts alike.
    """
    ready = trial.crop.profile.get("edible_days")
    if not (ready and trial.sow_on):
        return "Give the trial a day to sow, and its crop a time from sowing to first edible."
    age = trial.crop.profile.get("transplant_days")
    raised = round((age[0] + age[1]) / 2) if age and plan_of(trial).transplant else 0
    warmth, said = usual_warmth(trial, record)
    try:
        found = successions(trial.sow_on, (int(ready[0]), int(ready[1])), times, every_days, warmth, raised)
    except ValueError as error:
        return f"It cannot be reckoned: {error}."
    if raised:
        said += f", in the field; plants are raised for {raised} days"
    if len(found) < times:
        said += f"; later sowings than these {len(found)} would not be ready"
    return Sowings(tuple(found), said)


def usual_warmth(trial: Trial, record: Record | None) -> tuple[Callable[[date], float], str]:
    """Degree days of a day of the year, and in words where they come from."""
    base, upper = trial.crop.profile.get("base_c"), trial.crop.profile.get("upper_c")
    known = [d for d in record.days if d.tmin is not None and d.tmax is not None] if record else []
    sums: dict[str, list[float]] = defaultdict(list)
    if known and base is not None:
        found = degree_days(
            [d.tmin or 0.0 for d in known], [d.tmax or 0.0 for d in known], float(base), float(upper) if upper else None
        )
        for d, warm in zip(known, found, strict=True):
            sums[f"{d.day:%m-%d}"].append(float(warm))
    if len(sums) < FULL_YEAR:
        return lambda _: 1.0, "every day counted alike, since the site's record does not cover a year"
    mean = {day: sum(v) / len(v) for day, v in sums.items()}
    years = len({d.day.year for d in known})
    return lambda day: mean.get(
        f"{day:%m-%d}", mean["02-28"]
    ), f"by degree days above {base:g} °C, the mean of {years} years on record"
