"""Plots and entries that no longer count, and plots that turned out to hold another entry."""

from __future__ import annotations

from datetime import date

from django.db import transaction
from django.utils import timezone

from evarlo.people.models import User
from evarlo.trials.deeds import record
from evarlo.trials.models import (
    WITHDRAWN,
    Entry,
    Exclusion,
    Plot,
)
from evarlo.ui.refused import Refused


def is_left_out(plot: Plot) -> bool:
    """Whether a plot is left out of every comparison already."""
    return plot.exclusions.in_force().exists()


@transaction.atomic
def exclude_plot(plot: Plot, cause: str, note: str, on: date, by: User) -> Exclusion:
    """Leave a plot out of every comparison. Raises Refused without a reason, or when it is left out already."""
    if not note.strip():
        raise Refused("Say in a few words what happened to the plot.", "note")
    if is_left_out(plot):
        raise Refused(f"Plot {plot.number} is left out already.")
    return Exclusion.objects.create(plot=plot, cause=cause, note=note.strip(), on=on, by=by, at=timezone.now())


@transaction.atomic
def lift_exclusion(exclusion: Exclusion, by: User) -> None:
    """Take the plot back into the comparison; the exclusion stays on record."""
    Exclusion.objects.in_force().filter(pk=exclusion.pk).update(lifted_by=by, lifted_at=timezone.now())


@transaction.atomic
def withdraw_entry(entry: Entry, reason: str, on: date, by: User) -> int:
    """Take an entry out of the trial: all its plots are left out from now on, and each can be taken back; how many there were.
    Raises Refused without a reason, or for the check."""
    if not reason.strip():
        raise Refused("Say in a few words why the entry is withdrawn.", "reason")
    if entry.is_check:
        raise Refused("The check cannot be withdrawn: everything is set against it.", "entry")
    standing = entry.plots.exclude(exclusions__lifted_at__isnull=True, exclusions__isnull=False)
    now, note = timezone.now(), reason.strip()[:200]
    made = [Exclusion(plot=p, cause=WITHDRAWN, note=note, on=on, by=by, at=now) for p in standing]
    Exclusion.objects.bulk_create(made)
    record(entry.trial, by, f"Entry {entry.code} withdrawn: {reason.strip()}"[:300])
    return len(made)


@transaction.atomic
def as_it_stands(plot: Plot, entry: Entry, how: str, by: User) -> None:
    """A plot turned out to hold another entry than was planned. What was recorded stays with the plot and counts for that entry;
    the plan as it was is kept beside it. Raises Refused for an entry of another trial."""
    if entry.trial_id != plot.trial_id:
        raise Refused("Expected an entry of this trial.", "entry")
    before = plot.entry
    plot.planned = plot.planned or before
    plot.entry = entry
    if plot.planned == entry:
        plot.planned = None
    plot.save(update_fields=["planned", "entry"])
    record(plot.trial, by, f"Plot {plot.number} holds {entry.code}, not {before.code}: {how}"[:300])
