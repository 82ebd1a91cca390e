"""Opening rounds and keeping what was seen."""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from django.db import transaction
from django.db.models import Max
from django.utils import timezone

from evarlo.catalogue.models import Trait
from evarlo.people.models import User
from evarlo.trials.models import Cause, Plot, Trial
from evarlo.trials.services import Refused
from evarlo.walks.models import Observation, Round
from evarlo.walks.queries import current
from trialcore.screening import is_unlikely


class Unlikely(ValueError):
    """A value within the range of the trait that is still far from the others: to be asked once."""


@dataclass(frozen=True)
class Seen:
    """What was seen in a plot: one of number, day and cause."""

    number: float | None = None
    day: date | None = None
    cause: str = ""
    note: str = ""


@transaction.atomic
def plan_round(trial: Trial, trait: Trait, due_on: date | None) -> Round:
    """Put a round on the calendar."""
    if trait.source != Trait.Source.WALK:
        raise Refused(f"{trait} comes from the picks; it is not walked.")
    last = Round.objects.filter(trial=trial, trait=trait).aggregate(n=Max("number"))["n"] or 0
    return Round.objects.create(trial=trial, trait=trait, number=last + 1, due_on=due_on)


@transaction.atomic
def open_round(trial: Trial, trait: Trait, on: date, by: User) -> Round:
    """The round to walk now for a trait: the one that is planned or open, else a new one.

    A trait that is seen once has one round only. Raises Refused while the layout may still be shuffled.
    """
    if not trial.is_fixed:
        raise Refused("Fix the layout first: until then the plots may still change places.")
    rounds = Round.objects.select_for_update().filter(trial=trial, trait=trait).order_by("number")
    standing = rounds.filter(closed_at__isnull=True).first() if trait.repeated else rounds.first()
    chosen = standing or plan_round(trial, trait, None)
    if chosen.opened_on is None:
        chosen.opened_on, chosen.opened_by = on, by
        chosen.save(update_fields=["opened_on", "opened_by"])
    return chosen


@transaction.atomic
def close_round(walk: Round) -> None:
    """End a round; the next walk for this trait is a new one."""
    Round.objects.filter(pk=walk.pk, closed_at__isnull=True).update(closed_at=timezone.now())


@transaction.atomic
def keep_observation(
    walk: Round, plot: Plot, seen: Seen, by: User, seen_on: date, key: uuid.UUID, today: date, sure: bool = False
) -> Observation:
    """Keep what was seen in one plot. The same `key` sent again with the same answer is kept once.

    Another answer under a key that was used is a correction. A plot that has a value in this round gets a correction
    too; the old one stays. Raises Refused for a value that cannot be, and Unlikely for one far from the others unless
    the person is `sure`.
    """
    again = Observation.objects.filter(pk=key).first()
    if again is not None and (again.plot_id, again.round_id) == (plot.pk, walk.pk) and same_answer(again, seen):
        return again
    if plot.trial_id != walk.trial_id:
        raise Refused(f"Plot {plot.number} is not in this trial.")
    if seen_on > today:
        raise Refused(f"{seen_on:%-d %b %Y} is still to come.", "day")
    check_seen(walk.trait, seen, today)
    before = Observation.objects.filter(round=walk, plot=plot, superseded_by__isnull=True).first()
    if before is not None and same_answer(before, seen):
        return before
    if not sure and seen.number is not None:
        others = [n for n in current(walk).exclude(plot=plot).values_list("number", flat=True) if n is not None]
        if is_unlikely(seen.number, others):
            raise Unlikely(f"{seen.number:g} {walk.trait.unit}".strip() + " is far from the other plots. Is it right?")
    return Observation.objects.create(
        id=key if again is None else uuid.uuid4(),
        round=walk,
        plot=plot,
        number=seen.number,
        day=seen.day,
        cause=seen.cause,
        note=seen.note.strip(),
        seen_on=seen_on,
        by=by,
        at=timezone.now(),
        supersedes=before,
    )


@transaction.atomic
def keep_many(walk: Round, values: Sequence[tuple[Plot, Seen]], by: User, seen_on: date) -> int:
    """Keep a whole round at once, as a sheet brings it: first values only, each checked as a single one is."""
    for _, seen in values:
        check_seen(walk.trait, seen, seen_on)
    now = timezone.now()
    Observation.objects.bulk_create(
        Observation(
            round=walk,
            plot=plot,
            number=seen.number,
            day=seen.day,
            cause=seen.cause,
            note=seen.note,
            seen_on=seen_on,
            by=by,
            at=now,
        )
        for plot, seen in values
    )
    return len(values)


@transaction.atomic
def withdraw(observation: Observation, by: User) -> None:
    """Undo: what this observation superseded stands again, or nothing does. Both rows stay."""
    if Observation.objects.filter(supersedes=observation).exists():
        raise Refused("It has been corrected since; undo the correction instead.")
    before = observation.supersedes
    Observation.objects.create(
        round=observation.round,
        plot=observation.plot,
        supersedes=observation,
        by=by,
        at=timezone.now(),
        seen_on=observation.seen_on,
        number=before.number if before else None,
        day=before.day if before else None,
        cause=before.cause if before else "",
        note=before.note if before else "",
        withdrawn=before is None or before.withdrawn,
    )


def check_seen(trait: Trait, seen: Seen, today: date) -> None:
    """Raise Refused, in words, for what cannot be a value of the trait."""
    given = [seen.number is not None, seen.day is not None, bool(seen.cause)]
    if sum(given) != 1:
        raise Refused("Type a value, or choose why there is none.", "value")
    if seen.cause:
        if seen.cause not in Cause.values:
            raise Refused(f"“{seen.cause}” is not one of the reasons.", "cause")
        return
    if trait.kind == Trait.Kind.DATE:
        _check_day(trait, seen, today)
    elif seen.number is None:
        raise Refused(f"Expected a number for {trait.name.lower()}.", "value")
    else:
        _check_number(trait, seen.number)


def _check_day(trait: Trait, seen: Seen, today: date) -> None:
    if seen.day is None:
        raise Refused("Expected the day on which it was first seen, such as 14 Jul.", "value")
    if seen.day > today:
        raise Refused(f"{seen.day:%-d %b %Y} is still to come.", "value")
    if (today - seen.day).days > 400:
        raise Refused(f"{seen.day:%-d %b %Y} lies more than a season back.", "value")


def _check_number(trait: Trait, number: float) -> None:
    low, high = trait.low, trait.high
    if (low is not None and number < low) or (high is not None and number > high):
        wanted = (
            f"from {low:g} to {high:g}"
            if low is not None and high is not None
            else f"of at least {low:g}"
            if low is not None
            else f"of at most {high:g}"
        )
        raise Refused(f"Found {number:g}. Expected {trait.name.lower()} {wanted} {trait.unit}".strip() + ".", "value")
    if trait.kind in (Trait.Kind.COUNT, Trait.Kind.SCORE) and number != int(number):
        raise Refused(f"Found {number:g}. Expected a whole number.", "value")


def same_answer(before: Observation, seen: Seen) -> bool:
    """Whether a value on record says the same."""
    return (before.number, before.day, before.cause, before.note) == (seen.number, seen.day, seen.cause, seen.note.strip())
