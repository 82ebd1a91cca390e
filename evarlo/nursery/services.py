"""Keeping sowing and planting dates."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import date

from django.db import transaction
from django.utils import timezone

from evarlo.nursery.models import Step, StepDate
from evarlo.nursery.queries import step_rows
from evarlo.people.models import User
from evarlo.trials.laying import fixed_or_refused
from evarlo.trials.models import Plot, Trial
from evarlo.trials.registry import registry
from evarlo.ui.refused import Refused, only_done


@transaction.atomic
def keep_step(trial: Trial, step: str, on: date, plots: Iterable[Plot], by: User, today: date) -> int:
    """Keep the day on which `plots` were sown or planted; how many of them changed.

    A plot that has another date gets a correction, one that has this date already is left as it is.
    Raises Refused for a day to come, a planting before the sowing, either after something was picked there, or a
    layout that may still be shuffled.
    """
    fixed_or_refused(trial)
    only_done(on, today)
    if on.year < 1900:
        raise Refused(f"{on:%-d %b %Y} is too long ago. Expected a day since 1900.", "on")
    now, changed = timezone.now(), []
    other = {row.plot_id: row.on for row in step_rows(trial, Step.PLANTED if step == Step.SOWN else Step.SOWN)}
    last = {r.plot_id: r for r in StepDate.objects.newest().filter(plot__trial=trial, step=step)}
    borne = {pk: day for source in registry.borne for pk, day in source(trial).items()}
    for plot in plots:
        before = last.get(plot.pk)
        if before is not None and before.on == on and not before.withdrawn:
            continue
        _check_order(plot, step, on, other.get(plot.pk))
        if (first := borne.get(plot.pk)) and on > first:
            raise Refused(f"Plot {plot.number} was picked on {first:%-d %b %Y}, before this date.", "on")
        changed.append(StepDate(plot=plot, step=step, on=on, by=by, at=now, supersedes=before))
    StepDate.objects.bulk_create(changed)
    return len(changed)


def withdraw_steps(rows: Iterable[StepDate], by: User) -> None:
    """It was not done on these days after all; they stay on record."""
    now = timezone.now()
    StepDate.objects.bulk_create(
        StepDate(plot_id=row.plot_id, step=row.step, on=row.on, by=by, at=now, supersedes=row, withdrawn=True) for row in rows
    )


def _check_order(plot: Plot, step: str, on: date, other: date | None) -> None:
    if other is None:
        return
    if step == Step.PLANTED and on < other:
        raise Refused(f"Plot {plot.number} was sown on {other:%-d %b %Y}, after this planting date.", "on")
    if step == Step.SOWN and on > other:
        raise Refused(f"Plot {plot.number} was planted on {other:%-d %b %Y}, before this sowing date.", "on")
