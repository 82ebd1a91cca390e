"""What the time book tells: minutes by the ground, and what an hour of picking brings."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass
from statistics import fmean

from django.db.models import Exists

from evarlo.catalogue.models import Trait
from evarlo.effort.models import WorkTime
from evarlo.harvest.queries import areas, standing
from evarlo.trials.models import Plot, Trial
from evarlo.trials.queries import entry_names, left_out, plots_of
from evarlo.trials.registry import DiaryLine, Reading, Readings
from evarlo.ui.words import counted


@dataclass(frozen=True)
class EntryWork:
    """An entry: minutes of one person by the square metre, kilograms picked an hour, and the plots each rests on."""

    entry_id: int
    name: str
    is_check: bool
    minutes_m2: float | None
    plots: int
    kg_hour: float | None
    picked: int


def times_of(trial: Trial) -> list[WorkTime]:
    """Every record that stands, with its plots."""
    return trial.once("work-times", lambda: list(trial.work_times.in_force().select_related("by").prefetch_related("plots")))


def minutes_by_plot(trial: Trial) -> dict[int, float]:
    """Minutes of one person at all tasks, by plot id; a record of several plots is shared evenly between them."""
    found: dict[int, float] = defaultdict(float)
    for made in times_of(trial):
        plots = list(made.plots.all())
        for plot in plots:
            found[plot.pk] += made.minutes * made.people / len(plots)
    return dict(found)


def picked_an_hour(trial: Trial) -> dict[int, float]:
    """Marketable kilograms by the hour of one person, by plot id, over the picks that were timed plot by plot. What was timed over
    several plots at once says nothing of any of them."""
    kg: dict[tuple[int, object], float] = defaultdict(float)
    for plot, on, weight in standing(trial).values_list("plot", "on", "marketable_kg"):
        kg[plot, on] += weight
    hours: dict[int, float] = defaultdict(float)
    weight_of: dict[int, float] = defaultdict(float)
    for made in times_of(trial):
        plots = list(made.plots.all())
        if made.task == WorkTime.Task.PICK and len(plots) == 1 and (plots[0].pk, made.on) in kg:
            hours[plots[0].pk] += made.minutes * made.people / 60
            weight_of[plots[0].pk] += kg.pop((plots[0].pk, made.on))  # two times of one pick share one weight
        elif made.task == WorkTime.Task.PICK and len(plots) == 1 and plots[0].pk in hours:
            hours[plots[0].pk] += made.minutes * made.people / 60
    return {pk: weight_of[pk] / h for pk, h in hours.items() if h}


def readings(trial: Trial, trait: Trait) -> Readings:
    """A trait of work for every plot of which it is known."""
    if trait.key == "picked-an-hour":
        return {pk: Reading(kg) for pk, kg in picked_an_hour(trial).items()}
    area = areas(trial)
    return {pk: Reading(minutes / area[pk]) for pk, minutes in minutes_by_plot(trial).items() if area.get(pk)}


def traits(trial: Trial) -> list[Trait]:
    """The traits that the time book tells, once it has a record."""
    return list(Trait.objects.filter(Exists(trial.work_times.in_force()), source=Trait.Source.WORK))


def by_entry(trial: Trial, user: object) -> list[EntryWork]:
    """Every entry with a record, what picks fastest first; plots that are left out are not in it."""
    names, out, area = entry_names(trial, user), left_out([trial]), areas(trial)
    minutes, hourly = minutes_by_plot(trial), picked_an_hour(trial)
    plots: dict[int, list[Plot]] = defaultdict(list)
    for plot in plots_of(trial):
        if plot.pk not in out and (plot.pk in minutes or plot.pk in hourly):
            plots[plot.entry_id].append(plot)
    made = []
    for pk, some in plots.items():
        by_area = [minutes[p.pk] / area[p.pk] for p in some if p.pk in minutes and area.get(p.pk)]
        kg = [hourly[p.pk] for p in some if p.pk in hourly]
        mean = fmean(by_area) if by_area else None
        made.append(EntryWork(pk, names[pk], some[0].entry.is_check, mean, len(by_area), fmean(kg) if kg else None, len(kg)))
    return sorted(made, key=lambda e: -(e.kg_hour or 0.0))


def diary(plot: Plot, _names: bool) -> Iterable[DiaryLine]:
    for made in plot.work_times.prefetch_related("plots"):
        many = len(made.plots.all())
        shared = f", {counted(many, 'plot')} together" if many > 1 else ""
        people = f" by {counted(made.people, 'person', 'people')}" if made.people > 1 else ""
        text = f"{(made.what or made.get_task_display()).capitalize()}: {made.minutes:g} min{people}{shared}."
        yield DiaryLine(made.on, text, str(made.by), 6, made.undone_at is not None)
