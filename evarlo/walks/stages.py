"""Stages of the plants: between which two walks each plot reached one, in days and in warmth, and when the next is to come."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date, timedelta

import numpy as np

from evarlo.catalogue.models import Trait
from evarlo.databases.marks import of_its_trial
from evarlo.grounds.weather import record_of
from evarlo.nursery.queries import sown_on
from evarlo.trials.columns import analysis_of, columns_of
from evarlo.trials.models import Cause, Trial
from evarlo.trials.queries import judged_plots
from evarlo.ui.words import days_later
from evarlo.walks.models import Observation
from trialcore.analyses.entries import between, dates_in
from trialcore.field.degree_days import degree_days
from trialcore.field.stages import StageDates, StageMean, stage_forecast

PROFILE = {"emerged": "emergence_days", "first-flower": "flower_days", "first-edible": "edible_days"}  # ranges from sowing
LATER = (
    "emerged",
    "male-flower",
    "female-flower",
    "first-flower",
    "full-flower",
    "heads-visible",
    "tasselled",
    "silked",
    "bolted",
    "first-edible",
    "died-back",
)


@dataclass(frozen=True)
class Window:
    """The last day on which a plot was seen without the stage and the first with it; None is not known, or not yet. `exact` when
    the day was typed as that of the stage: for a day before the walk, or in a trial of which no walk without it is on record."""

    after: date | None
    by: date | None
    exact: bool = False

    @property
    def middle(self) -> date | None:
        if self.by is None:
            return None
        return self.after + (self.by - self.after) / 2 if self.after else self.by


NEVER = Window(None, None)


@dataclass(frozen=True)
class Forecast:
    """When an entry is likely to reach the next stage: the middle and the ends of a 95 % range."""

    on: date
    earliest: date
    latest: date


@dataclass(frozen=True)
class EntryStage:
    """What an entry's plots tell of one stage: days from sowing, the day that is, degree days, and the next stage."""

    code: str
    entry_id: int
    mean: StageMean
    on: date | None
    warmth: float | None
    windows: tuple[Window, ...]
    forecast: Forecast | None


@dataclass(frozen=True)
class Stage:
    """One stage over a trial. `base` and `upper` are the temperatures between which degree days were counted, `gap` where the
    forecast comes from, in words."""

    trait: Trait
    dates: StageDates
    entries: tuple[EntryStage, ...]
    exact: int
    sown: date
    base: float | None
    upper: float | None
    later: Trait | None
    gap: str


@of_its_trial
def windows(trial: Trial, trait: Trait) -> dict[int, Window]:
    """For each plot that was looked at: between which walks it reached the stage. Walks count by their day, whenever they were
    typed; one that no longer shows the stage does not take it back."""
    looks = looks_by_plot(trial, trait)
    walked = {on for own in looks.values() for on, day in own.items() if day is None}
    found = {}
    for plot, own in looks.items():
        if not own:
            continue
        reached = min((day for day in own.values() if day), default=None)
        if reached is None:
            found[plot] = Window(max(own), None)
            continue
        typed = all(day != on for on, day in own.items() if day)  # as the day of the stage, not of the walk
        before = [on for on, day in own.items() if day is None and on < reached]
        if typed or not any(on < reached for on in walked):
            found[plot] = Window(reached - timedelta(days=1), reached, exact=True)
        else:
            found[plot] = Window(max(before, default=None), reached)
    return found


def looks_by_plot(trial: Trial, trait: Trait) -> dict[int, dict[date, date | None]]:
    """The walks of each plot (by id) that hold, by their day: the day of the stage where it was seen, None where it was not yet.

    A record of another day is another look. One of the same day, or one that gives the stage an earlier day of its own, corrects
    what stood; one that says again what stood before the last is the undo of that."""
    rows = Observation.objects.filter(round__trial=trial, round__trait=trait).select_related("supersedes__supersedes")
    found: dict[int, dict[date, date | None]] = defaultdict(dict)
    for row in rows.order_by("at"):
        own, last = found[row.plot_id], row.supersedes
        if row.withdrawn:
            own.clear()
            continue
        undone = last.supersedes if last else None
        if last and undone and same_record(undone, row):
            own.pop(last.seen_on, None)
        elif row.day and row.day != row.seen_on:
            for on in [on for on, day in own.items() if day]:
                del own[on]
        elif row.cause != Cause.NOT_REACHED and not row.day:
            own.pop(row.seen_on, None)
            continue
        own[row.seen_on] = row.day
    return found


def same_record(one: Observation, other: Observation) -> bool:
    """Whether two records say the same of the same day."""
    return (one.day, one.cause, one.seen_on) == (other.day, other.cause, other.seen_on)


def stage_of(trial: Trial, trait: Trait) -> Stage | None:
    """Everything a stage tells; None while no plot of it was looked at, or none was sown."""
    seen, sown = windows(trial, trait), sown_on(trial)
    plots = [p for p in judged_plots(trial) if p.pk in sown]
    if not plots or not any(p.pk in seen for p in plots):
        return None

    def days(day: date | None, plot: int) -> float | None:
        return float((day - sown[plot]).days) if day else None

    ends = [between(days(w.by, p.pk), None if w.exact else days(w.after, p.pk)) for p in plots for w in [seen.get(p.pk, NEVER)]]
    design = analysis_of(trial, labels := columns_of(trial, plots))
    dates = dates_in(design, labels, [e[0] for e in ends], [e[1] for e in ends], trial.entries_whole)
    first = min(sown.values())
    base, upper, warm = _warmth(trial, first)
    later, gap, words = _gap(trial, trait)
    by_entry = defaultdict(list)
    for p in plots:
        by_entry[p.entry_id].append(p)
    means = {m.entry: m for m in dates.means}
    entries = []
    for entry_id, some in by_entry.items():
        mean = means[some[0].entry.code]
        own = [seen[p.pk] for p in some if p.pk in seen]
        sums = [x for p in some if p.pk in seen and (x := _sum(warm, sown[p.pk], seen[p.pk].middle)) is not None]
        start = min(sown[p.pk] for p in some)
        on = days_later(start, mean.days)
        forecast = None
        if on and gap:
            middle, reach = gap
            middling, early, late = (days_later(on, x) for x in (middle, middle - reach, middle + reach))
            forecast = Forecast(middling, early, late) if middling and early and late else None
        code = some[0].entry.code
        entries.append(EntryStage(code, entry_id, mean, on, float(np.mean(sums)) if sums else None, tuple(own), forecast))
    entries.sort(key=lambda e: (e.mean.days is None, e.mean.days or 0, e.code))
    return Stage(trait, dates, tuple(entries), sum(w.exact for w in seen.values()), first, base, upper, later, words)


def _warmth(trial: Trial, since: date) -> tuple[float | None, float | None, Mapping[date, float]]:
    """Base, upper limit, and the degree days of each day on record since sowing."""
    profile = trial.crop.profile
    base, upper = profile.get("base_c"), profile.get("upper_c")
    if trial.bed is None or base is None:
        return None, None, {}
    days = [d for d in record_of(trial.bed.site).since(since) if d.tmin is not None and d.tmax is not None]
    if not days:
        return float(base), upper, {}
    sums = degree_days([d.tmin or 0 for d in days], [d.tmax or 0 for d in days], float(base), float(upper) if upper else None)
    return float(base), upper, {d.day: float(x) for d, x in zip(days, sums, strict=True)}


def _sum(warm: Mapping[date, float], start: date, end: date | None) -> float | None:
    """Degree days from one day to another; None when a day is missing."""
    if end is None:
        return None
    days = [start + timedelta(days=n) for n in range((end - start).days)]
    return sum(warm[d] for d in days) if days and all(d in warm for d in days) else None


def _gap(trial: Trial, trait: Trait) -> tuple[Trait | None, tuple[float, float] | None, str]:
    """The stage that comes next, the days to it with half of their 95 % range, and where they are known from: plots of earlier
    trials of the crop that have both, else the crop's profile."""
    if trait.key not in LATER:
        return None, None, ""
    behind = LATER[LATER.index(trait.key) + 1 :]
    later_traits = {t.key: t for t in Trait.objects.filter(key__in=behind)}
    earlier = list(Trial.objects.filter(crop=trial.crop, made_at__lt=trial.made_at).exclude(pk=trial.pk))
    for key in behind:
        later = later_traits.get(key)
        if later is None:
            continue
        first, then = [], []
        for t in earlier:
            one, two = windows(t, trait), windows(t, later)
            for plot in one.keys() & two.keys():
                a, b = one[plot].middle, two[plot].middle
                if a and b and b > a:
                    first.append(0.0)
                    then.append(float((b - a).days))
        found = stage_forecast(first, then)
        if found:
            mean, _, half, n = found
            return later, (mean, half), f"from {n} plots of earlier trials of {trial.crop.name.lower()}"
    return _by_profile(trial, trait, behind, later_traits)


def _by_profile(
    trial: Trial, trait: Trait, behind: tuple[str, ...], known: Mapping[str, Trait]
) -> tuple[Trait | None, tuple[float, float] | None, str]:
    start = trial.crop.profile.get(PROFILE.get(trait.key, ""))
    for key in behind:
        end = trial.crop.profile.get(PROFILE.get(key, ""))
        if start and end and key in known:
            low, high = float(end[0]) - float(start[0]), float(end[1]) - float(start[1])
            low, high = min(low, high), max(low, high)
            return known[key], ((low + high) / 2, max(3.0, (high - low) / 2)), "from the profile of the crop, so a rough one"
    return None, None, ""


@of_its_trial
def stages_seen(trial: Trial) -> list[Trait]:
    """The stages of which this trial has a record, in the order in which they come."""
    traits = Trait.objects.filter(kind=Trait.Kind.DATE, round__trial=trial, round__observations__isnull=False).distinct()
    return sorted(traits, key=lambda t: (LATER.index(t.key) if t.key in LATER else len(LATER), t.name))
