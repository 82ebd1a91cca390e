"""Acts of the time book: keep how long a task took, take it back."""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from django.db import transaction
from django.utils import timezone

from evarlo.effort.models import WorkTime
from evarlo.people.models import User
from evarlo.trials.laying import fixed_or_refused, running_or_refused
from evarlo.trials.models import Plot, Trial
from evarlo.ui.refused import Refused, only_done

MOST_MINUTES, MOST_PEOPLE = 1440.0, 60


@dataclass(frozen=True)
class Took:
    """A task and how long it took, for each of so many people."""

    task: str
    on: date
    minutes: float
    people: int = 1
    what: str = ""


@transaction.atomic
def keep_time(trial: Trial, plots: Sequence[Plot], took: Took, by: User, key: uuid.UUID, today: date) -> WorkTime:
    """Keep how long a task took; the same `key` sent again is kept once. Raises Refused for what cannot be."""
    if again := WorkTime.objects.filter(pk=key).first():
        return again
    fixed_or_refused(trial)
    running_or_refused(trial, "minutes")
    only_done(took.on, today)
    if not plots:
        raise Refused("Nothing was chosen. Expected the plots on which it was done.", "plots")
    if not 0 < took.minutes <= MOST_MINUTES:
        raise Refused(f"Found {took.minutes:g}. Expected more than 0 and at most {MOST_MINUTES:g} minutes.", "minutes")
    if not 1 <= took.people <= MOST_PEOPLE:
        raise Refused(f"Found {took.people}. Expected from 1 to {MOST_PEOPLE} people.", "people")
    made = WorkTime.objects.create(id=key, trial=trial, by=by, at=timezone.now(), **vars(took))
    made.plots.set(plots)
    return made


@transaction.atomic
def undo_time(made: WorkTime) -> None:
    """It was typed wrong, or was none; it stays on record."""
    WorkTime.objects.in_force().filter(pk=made.pk).update(undone_at=timezone.now())
