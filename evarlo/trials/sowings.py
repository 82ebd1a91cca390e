"""When to sow for a market day, and when to sow again so that harvests follow each other."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable
from dataclasses import dataclass
from datetime import date, timedelta

from evarlo.grounds.weather import Record
from evarlo.trials.models import Trial
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
    first, last = back_from(market, (int(ready[0]), int(ready[1])), keeps_days)
    kept = f", kept for up to {keeps_days} days" if keeps_days else ""
    return (
        f"Needed on {market:%-d %b %Y}{kept}, sow from {first:%-d %b} to {last:%-d %b %Y}: "
        f"it takes {ready[0]:g} to {ready[1]:g} days."
    )


def follow_on(trial: Trial, record: Record | None, times: int, every_days: int) -> Sowings | str:
    """Sowings whose harvests lie `every_days` apart; why it cannot be said otherwise.

    The first is the trial's own sowing. Warmth is the mean of the site's record day by day where it covers the year; without
    one every day counts alike.
    """
    ready = trial.crop.profile.get("edible_days")
    if not (ready and trial.sow_on):
        return "Give the trial a day to sow, and its crop a time from sowing to first edible."
    days = round((ready[0] + ready[1]) / 2)
    warmth, said = usual_warmth(trial, record)
    try:
        found = successions(trial.sow_on, days, times, every_days, warmth)
    except ValueError as error:
        return f"It cannot be reckoned: {error}."
    first = trial.sow_on + timedelta(days=days)
    return Sowings(tuple((sown, first + timedelta(days=n * every_days)) for n, sown in enumerate(found)), said)


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
