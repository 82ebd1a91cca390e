"""What the sample world needs and no person may do: to have planned and signed some time ago."""

from __future__ import annotations

from datetime import datetime

from django.db import transaction

from evarlo.trials.models import Trial
from evarlo.verdicts.models import SignedBoard


@transaction.atomic
def planned_at(trial: Trial, at: datetime) -> None:
    """The trial was planned and laid out then."""
    Trial.objects.filter(pk=trial.pk).update(made_at=at, layout_fixed_at=at)
    trial.deeds.update(at=at)
    trial.refresh_from_db()


@transaction.atomic
def signed_at(board: SignedBoard, at: datetime) -> None:
    """The board was signed then, and the season decided."""
    SignedBoard.objects.filter(pk=board.pk).update(at=at)
    Trial.objects.filter(pk=board.trial_id).update(decided_at=at, opened_at=at)
