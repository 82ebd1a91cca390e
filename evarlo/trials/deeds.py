"""The record of what was done to a trial as a whole."""

from __future__ import annotations

from typing import Any

from django.utils import timezone

from evarlo.people.models import User
from evarlo.trials.models import Deed, Trial


def record(trial: Trial, by: User, said: str, **detail: Any) -> Deed:
    """Write down an act on the trial as a whole."""
    return Deed.objects.create(trial=trial, at=timezone.now(), by=by, said=said, detail=detail)
