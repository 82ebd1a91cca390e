"""Moving, adding and finishing the tasks of a season."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, timedelta

from django.db import transaction

from evarlo.catalogue.models import Trait
from evarlo.people.models import User
from evarlo.trials.deeds import record
from evarlo.trials.models import Task, Trial
from evarlo.trials.tasks import MILESTONES, tasks_of
from evarlo.ui.refused import Refused
from trialcore.reckoning import schedule

FIELD = {"sow": "sow_on", "plant": "plant_on", "pick": "pick_on"}
MOST_OWN = 60


@transaction.atomic
def move_task(trial: Trial, key: str, on: date | None, by: User) -> dict[str, int]:
    """Put a task on a day, or with None back to where it is reckoned; by how many days each task moved with it.

    What follows keeps its distance, also where a person had put it on a day. Raises Refused for a task that is done or not there.
    """
    trial = Trial.objects.select_for_update().get(pk=trial.pk)
    tasks, shown = tasks_of(trial)
    before = schedule.schedule(tasks)
    task = next((t for t in tasks if t.key == key), None)
    if task is None or key.startswith("sow-"):
        raise Refused("That task cannot be moved here.", "on")
    if task.done:
        raise Refused(f"“{shown[key][0]}” is done already.", "on")
    if on is None and key == "sow":
        raise Refused("Sowing is what everything is counted from. Expected a day.", "on")
    _put(trial, key, on)
    if on is not None and key in before:
        days = (on - before[key].on).days
        for t in tasks:
            if t.fixed and not t.done and t.key != key and _follows(tasks, t.key, key):
                _put(trial, t.key, t.fixed + timedelta(days=days))
    trial.refresh_from_db()
    trial.read_anew()
    moved = schedule.moves(before, schedule.schedule(tasks_of(trial)[0]))
    if moved.get(key):
        record(trial, by, f"{shown[key][0]}: moved by {moved[key]:+d} days.")
    return moved


def _follows(tasks: list[schedule.Task], key: str, other: str) -> bool:
    """Whether a task follows another, directly or through others."""
    after = {t.key: t.after for t in tasks}
    at: str | None = after.get(key)
    while at:
        if at == other:
            return True
        at = after.get(at)
    return False


def _put(trial: Trial, key: str, on: date | None) -> None:
    if key in MILESTONES:
        Trial.objects.filter(pk=trial.pk).update(**{FIELD[key]: on})
    else:
        Task.objects.update_or_create(trial=trial, key=key, defaults={"on": on})


@transaction.atomic
def finish_task(trial: Trial, key: str, on: date | None, by: User, today: date) -> None:
    """A task is done, or with None not done after all. Raises Refused for a day to come, or one that is recorded elsewhere."""
    _, shown = tasks_of(trial)
    if key in MILESTONES or key not in shown or key.startswith("sow-"):
        raise Refused("Sowing, planting and picking are kept at their own places.", "on")
    if on and on > today:
        raise Refused(f"{on:%-d %b %Y} is in the future. Record it once it is done.", "on")
    Task.objects.update_or_create(trial=trial, key=key, defaults={"done_on": on})
    record(trial, by, f"{shown[key][0]}: done on {on:%-d %b %Y}." if on else f"{shown[key][0]}: not done after all.")


@dataclass(frozen=True)
class Trigger:
    """What has to be recorded before a task falls due: a trait at `reaches` or above, or a stage that is there (None)."""

    trait: Trait
    reaches: float | None
    in_first: bool


@transaction.atomic
def add_task(
    trial: Trial,
    what: str,
    on: date | None,
    after: str,
    days: int,
    condition: str,
    by: User,
    trigger: Trigger | None = None,
    care: str = "",
) -> Task:
    """Put a task of one's own on the calendar: on a day, some days after another task, or when records say that the plants are so
    far. Care of the kind `care` closes it."""
    trial = Trial.objects.select_for_update().get(pk=trial.pk)
    _, shown = tasks_of(trial)
    if not (on or after or condition or trigger):
        raise Refused("Say when: a day, after which task, or what it waits for.", "on")
    if after and after not in shown:
        raise Refused("Expected one of the tasks of this trial.", "after")
    own = [key for key in shown if key.startswith("own-")]
    if len(own) >= MOST_OWN:
        raise Refused(f"A trial holds {MOST_OWN} own tasks at most.", "what")
    number = 1 + max((int(t.key[4:]) for t in trial.tasks.filter(key__startswith="own-")), default=0)
    made = Task.objects.create(
        trial=trial, key=f"own-{number}", what=what, on=on, after=after, days=days, condition=condition, care=care
    )
    if trigger:
        made.trait, made.reaches, made.in_first = trigger.trait, trigger.reaches, trigger.in_first
        made.save(update_fields=["trait", "reaches", "in_first"])
    record(trial, by, f"Added to the calendar: {what}.")
    return made


@transaction.atomic
def drop_task(trial: Trial, key: str, by: User) -> None:
    """Take a task off the calendar; its line is kept so that it can come back."""
    _, shown = tasks_of(trial)
    if key in MILESTONES or key not in shown:
        raise Refused("That task stays: everything is counted from it.", "")
    Task.objects.update_or_create(trial=trial, key=key, defaults={"dropped": True})
    record(trial, by, f"Taken off the calendar: {shown[key][0]}.")


@transaction.atomic
def bring_back_tasks(trial: Trial) -> int:
    """Put every task back that was taken off; how many there were."""
    return trial.tasks.filter(dropped=True).update(dropped=False)
