"""What is to be done as an iCalendar file, for any calendar that people keep."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date, timedelta
from typing import TYPE_CHECKING, Any

from django.contrib.auth.models import AnonymousUser
from django.utils import timezone

from evarlo.trials.models import Trial
from evarlo.trials.queries import kept_elsewhere, without_names
from evarlo.trials.registry import registry
from evarlo.trials.tasks import tasks_of
from trialcore.reckoning.schedule import schedule

if TYPE_CHECKING:
    from icalendar import Calendar  # loaded where a calendar is asked for


@dataclass(frozen=True)
class Entry:
    """Something to be done on a day; `key` names it for as long as it lives, so that a calendar moves it when it moves."""

    key: str
    on: date
    what: str


def entries_of(trial: Trial) -> Iterator[Entry]:
    """What is planned and not done yet: the tasks of the season that have a day, and the rounds to walk."""
    tasks, shown = tasks_of(trial)
    found = schedule(tasks)
    for task in tasks:
        if task.key in found and not task.done:
            yield Entry(task.key, found[task.key].on, shown[task.key][0])
    for pins in registry.pins:
        for pin in pins(trial):
            if pin.key:
                yield Entry(pin.key, pin.on, pin.text)


def calendar_of(trial: Trial, address: str, user: Any) -> bytes:
    """One trial's file, as `user` may read it. `address` is where the trial is found."""
    made = _empty(f"{trial.name} {trial.season}")
    _put_in(made, trial, address, user)
    return bytes(made.to_ical())


def feed_of(root: str) -> bytes:
    """Everything that is to be done here, over all trials without a signed verdict. `root` is where Evarlo is found. Whoever has
    the feed's address reads it, so no blind trial's names are in it."""
    made = _empty("Evarlo")
    running = Trial.objects.filter(decided_at=None, origin=Trial.Origin.PLANNED, practice=False, arriving=False, archived_at=None)
    running = running.exclude(pk__in=kept_elsewhere())
    for trial in running.select_related("crop", "bed__site", "need_plan").prefetch_related("tasks"):
        _put_in(made, trial, root.rstrip("/") + trial.get_absolute_url(), AnonymousUser())
    return bytes(made.to_ical())


def _empty(name: str) -> Calendar:
    from icalendar import Calendar

    made = Calendar()
    made.add("prodid", "-//Evarlo//trial calendar//EN")
    made.add("version", "2.0")
    made.add("x-wr-calname", name)
    return made


def _put_in(made: Calendar, trial: Trial, address: str, user: Any) -> None:
    from icalendar import Event

    now = timezone.now()
    for entry in sorted(entries_of(trial), key=lambda e: (e.on, e.key)):
        event = Event()
        event.add("uid", f"{entry.key}-{trial.slug}@evarlo")
        event.add("dtstamp", now)
        event.add("dtstart", entry.on)
        event.add("dtend", entry.on + timedelta(days=1))
        event.add("summary", f"{without_names(trial, entry.what, user)}: {trial.name}")
        event.add("url", address)
        if trial.bed:
            event.add("location", f"{trial.bed.site.name}, {trial.bed.name}")
        made.add_component(event)
