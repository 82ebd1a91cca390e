"""The dates of a trial as an iCalendar file, for any calendar that people keep."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date, timedelta

from django.utils import timezone
from icalendar import Calendar, Event

from evarlo.trials.models import Trial
from evarlo.trials.registry import registry

VERBS = {"sow": "Sow", "plant": "Plant out", "pick": "First pick about"}


@dataclass(frozen=True)
class Task:
    """Something to be done on a day; `key` names it for as long as it lives, so that a calendar moves it when it moves."""

    key: str
    on: date
    what: str


def tasks_of(trial: Trial) -> Iterator[Task]:
    """What is planned and not done yet: sowing, planting, the first pick, and the rounds to walk."""
    for source in registry.spans:
        for span in source(trial):
            if span.planned and span.stage in VERBS:
                yield Task(span.stage, span.start, VERBS[span.stage])
    for pins in registry.pins:
        for pin in pins(trial):
            if pin.key:
                yield Task(pin.key, pin.on, pin.text)


def calendar_of(trial: Trial, address: str) -> bytes:
    """The file. `address` is where the trial is found."""
    made = Calendar()
    made.add("prodid", "-//Evarlo//trial calendar//EN")
    made.add("version", "2.0")
    made.add("x-wr-calname", f"{trial.name} {trial.season}")
    now = timezone.now()
    for task in sorted(tasks_of(trial), key=lambda t: (t.on, t.key)):
        event = Event()
        event.add("uid", f"{task.key}-{trial.slug}@evarlo")
        event.add("dtstamp", now)
        event.add("dtstart", task.on)
        event.add("dtend", task.on + timedelta(days=1))
        event.add("summary", f"{task.what}: {trial.name}")
        event.add("url", address)
        if trial.bed:
            event.add("location", f"{trial.bed.site.name}, {trial.bed.name}")
        made.add_component(event)
    return bytes(made.to_ical())
