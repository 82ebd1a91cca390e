"""How an entry is called on the nursery's pages: by its code, and by its name for those who may know it."""

from __future__ import annotations

from typing import Any

from evarlo.trials.models import Trial
from evarlo.trials.queries import names_shown


def called(trial: Trial, user: Any) -> dict[int, str]:
    """“R04 Pallister”, or “R04” alone, by entry id."""
    shown = names_shown(trial, user)
    entries = trial.entries.select_related("cultivar") if shown else trial.entries.all()
    return {e.pk: f"{e.code} {e.cultivar.name}" if shown and e.cultivar.name != e.code else e.code for e in entries}
