"""Opening rounds and keeping what was seen."""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date
from typing import Any

from django.db import transaction
from django.db.models import Max
from django.utils import timezone

from evarlo.catalogue.models import Trait
from evarlo.databases.marks import within_trials
from evarlo.people.models import User
from evarlo.trials.deeds import record
from evarlo.trials.laying import fixed_or_refused
from evarlo.trials.models import Cause, Plot, Trial
from evarlo.ui.refused import Refused
from evarlo.walks.models import Observation, Round, Value
from trialcore.field.samples import sample_mean

MOST_PARTS = 60  # plants of one plot that are kept one by one


@dataclass(frozen=True)
class Seen:
    """What was seen in a plot: one of number, day and cause. `looked` are the plants looked at where the number is a share of
    them, in percent; `parts` the values of single plants where it is their mean; `guide` the version it was scored by."""

    number: float | None = None
    day: date | None = None
    cause: str = ""
    note: str = ""
    looked: int | None = None
    parts: tuple[float, ...] = ()
    guide: int | None = None

    def kept(self) -> dict[str, Any]:
        """The columns of a record that say it."""
        return {
            "number": self.number,
            "day": self.day,
            "cause": self.cause,
            "note": self.note.strip(),
            "looked": self.looked,
            "parts": list(self.parts) or None,
            "guide": self.guide,
        }


def seen_in(value: Value) -> Seen:
    """What a record says."""
    return Seen(value.number, value.day, value.cause, value.note, value.looked, tuple(value.parts or ()), value.guide)


@transaction.atomic
def plan_round(trial: Trial, trait: Trait, due_on: date | None, only: Sequence[int] = ()) -> Round:
    """Put a round on the calendar, for every plot or only for some (by id)."""
    if trait.source != Trait.Source.WALK:
        raise Refused(f"{trait} comes from the picks; it is not walked.")
    last = Round.objects.filter(trial=trial, trait=trait).aggregate(n=Max("number"))["n"] or 0
    return Round.objects.create(trial=trial, trait=trait, number=last + 1, due_on=due_on, only=list(only))


@transaction.atomic
def open_round(trial: Trial, trait: Trait, on: date, by: User, only: Sequence[int] = ()) -> Round:
    """The round to walk now for a trait: the one of these plots (by id; none is every one) that is planned or open, else a new
    one.

    A trait that is seen once has one round of every plot only. Raises Refused while the layout may still be shuffled.
    """
    rounds = Round.objects.select_for_update().filter(trial=trial, trait=trait, only=sorted(only)).order_by("number")
    standing = rounds.filter(closed_at__isnull=True).first() if trait.repeated or only else rounds.first()
    return begin_round(standing or plan_round(trial, trait, None, sorted(only)), on, by)


@transaction.atomic
def begin_round(walk: Round, on: date, by: User) -> Round:
    """Open a round that was planned; one that is open already stays as it is. What a trait's rounds tell together is put among
    the traits as soon as there is a second one. Raises Refused while the layout may still be shuffled."""
    fixed_or_refused(walk.trial)
    if walk.opened_on is None:
        walk.opened_on, walk.opened_by = on, by
        walk.save(update_fields=["opened_on", "opened_by"])
    derive(walk.trait, again=walk.number > 1)
    return walk


@transaction.atomic
def close_round(walk: Round) -> None:
    """End a round; the next walk for this trait is a new one."""
    Round.objects.filter(pk=walk.pk, closed_at__isnull=True).update(closed_at=timezone.now())


@transaction.atomic
def show_earlier(trial: Trial, shown: bool, by: User) -> bool:
    """Whether those who score see what the round before found; scores are no longer independent then, so it is on record."""
    if trial.earlier_shown != shown:
        Trial.objects.filter(pk=trial.pk).update(earlier_shown=shown)
        record(trial, by, f"Earlier values are {'shown' if shown else 'hidden'} while scoring.")
    return shown


@transaction.atomic
def keep_observation(walk: Round, plot: Plot, seen: Seen, by: User, seen_on: date, key: uuid.UUID, today: date) -> Observation:
    """Keep what was seen in one plot. The same `key` sent again with the same answer is kept once.

    Another answer under a key that was used is a correction. A plot that has a value in this round gets a correction
    too; the old one stays. Raises Refused for a value that cannot be.
    """
    again = Observation.objects.filter(pk=key).first()
    if again is not None and (again.plot_id, again.round_id) == (plot.pk, walk.pk) and same_answer(again, seen):
        return again
    if plot.trial_id != walk.trial_id:
        raise Refused(f"Plot {plot.number} is not in this trial.")
    if seen_on > today:
        raise Refused(f"{seen_on:%-d %b %Y} is in the future.", "day")
    check_seen(walk.trait, seen, today)
    before = Observation.objects.newest().filter(round=walk, plot=plot).first()
    if before is not None and same_answer(before, seen) and not looked_anew(before, seen_on):
        return before
    made = observed(walk, plot, seen, by, seen_on, key if again is None else uuid.uuid4(), before)
    with within_trials(walk.trial_id):
        made.save(force_insert=True)
    return made


def observed(
    walk: Round, plot: Plot, seen: Seen, by: User, seen_on: date, key: uuid.UUID, before: Observation | None
) -> Observation:
    """A record of what was seen, in the place of what stood `before`; not written yet."""
    return Observation(
        id=key, round=walk, plot=plot, seen_on=seen_on, by=by, at=timezone.now(), supersedes=before, **exact(seen).kept()
    )


@transaction.atomic
def keep_many(walk: Round, values: Sequence[tuple[Plot, Seen]], by: User, seen_on: date) -> int:
    """Keep a whole round at once, as a sheet brings it: first values only, each checked as a single one is."""
    for _, seen in values:
        check_seen(walk.trait, seen, seen_on)
    now = timezone.now()
    Observation.objects.bulk_create(
        Observation(round=walk, plot=plot, seen_on=seen_on, by=by, at=now, **exact(seen).kept()) for plot, seen in values
    )
    return len(values)


@transaction.atomic
def withdraw(observation: Observation, by: User) -> None:
    """Undo: what this observation superseded stands again, or nothing does. Both rows stay."""
    if Observation.objects.filter(supersedes=observation).exists():
        raise Refused("It has been corrected since; undo the correction instead.")
    taken_back(observation, by).save(force_insert=True)


def taken_back(observation: Observation, by: User) -> Observation:
    """The record that undoes an observation: it says what that one superseded, or nothing; not written yet."""
    before = observation.supersedes
    if before is None:
        return _following(observation, by, Seen(), observation.seen_on, withdrawn=True)
    return _following(observation, by, seen_in(before), before.seen_on, before.withdrawn)


@transaction.atomic
def clear(observation: Observation, by: User) -> Observation:
    """A value is taken back altogether: nothing stands in its plot, whatever stood there before. The rows stay."""
    made = _following(observation, by, Seen(), observation.seen_on, withdrawn=True)
    made.save(force_insert=True)
    return made


def _following(observation: Observation, by: User, seen: Seen, seen_on: date, withdrawn: bool) -> Observation:
    """A record that comes after another and takes its place; not written yet."""
    return Observation(
        id=uuid.uuid4(),
        round_id=observation.round_id,
        plot_id=observation.plot_id,
        supersedes=observation,
        by=by,
        at=timezone.now(),
        seen_on=seen_on,
        withdrawn=withdrawn,
        **seen.kept(),
    )


def derive(trait: Trait, again: bool) -> None:
    """Put among the traits what several rounds of a share tell together (its mean over the season), and how evenly the plants
    of a plot stand where several are looked at."""
    made = {}
    if again and trait.repeated and trait.kind in (Trait.Kind.PERCENT, Trait.Kind.AFFECTED):
        made["course"] = {
            "name": f"{trait.name}, over the season"[:60],
            "unit": "%",
            "source": Trait.Source.COURSE,
            "decimals": 1,
            "method": "Mean over the days from the first round to the last: the area under its course by the days (trapezia).",
        }
    if again and trait.repeated and trait.kind == Trait.Kind.YES_NO:
        made["course"] = {
            "name": f"{trait.name}, days it lasted"[:60],
            "unit": "days",
            "source": Trait.Source.COURSE,
            "decimals": 0,
            "matters": 3,
            "method": "From the first look that says yes to the first that says no after it, the middle of what is possible.",
        }
    if trait.samples > 1 and trait.kind in (Trait.Kind.MEASURE, Trait.Kind.COUNT):
        made["within"] = {
            "name": f"{trait.name}, evenness"[:60],
            "unit": "%",
            "source": Trait.Source.WITHIN,
            "decimals": 0,
            "method": "How far the plants of a plot differ: their standard deviation in percent of their mean. Low is even.",
        }
    for end, known in made.items():
        better = trait.direction if end == "course" else Trait.Direction.LOWER
        Trait.objects.get_or_create(
            key=f"{trait.key}-{end}"[:80], defaults={"of": trait, "kind": Trait.Kind.MEASURE, "direction": better, **known}
        )


def check_seen(trait: Trait, seen: Seen, today: date) -> None:
    """Raise Refused, in words, for what cannot be a value of the trait."""
    given = [seen.number is not None, seen.day is not None, bool(seen.cause)]
    if sum(given) != 1:
        raise Refused("Type a value, or choose why there is none.", "value")
    if seen.cause:
        if seen.cause not in Cause.values:
            raise Refused(f"“{seen.cause[:40]}” is not one of the reasons.", "cause")
        if seen.parts:
            raise Refused("Expected single plants, or a reason why there are none; not both.", "cause")
        return
    if seen.looked is not None and trait.kind != Trait.Kind.AFFECTED:
        raise Refused(f"{trait.name} is not a share of plants looked at.", "value")
    if trait.kind == Trait.Kind.DATE:
        _check_day(seen, today)
    elif seen.number is None:
        raise Refused(f"Expected a number for {trait.name.lower()}.", "value")
    elif seen.parts:
        _check_parts(trait, seen.parts)
    else:
        _check_one(trait, seen, seen.number)


def _check_parts(trait: Trait, parts: Sequence[float]) -> None:
    if trait.kind in (Trait.Kind.CATEGORY, Trait.Kind.YES_NO, Trait.Kind.AFFECTED):
        raise Refused(f"{trait.name} is recorded of the plot as a whole, not plant by plant.", "value")
    if len(parts) > MOST_PARTS:
        raise Refused(f"Found {len(parts)} plants. Expected at most {MOST_PARTS}.", "value")
    for part in parts:
        _check_number(trait, part)


def _check_one(trait: Trait, seen: Seen, number: float) -> None:
    if trait.kind == Trait.Kind.CATEGORY:
        if number not in range(1, len(trait.choices) + 1):
            raise Refused(f"Expected one of {', '.join(trait.choices)}.", "value")
    elif trait.kind == Trait.Kind.YES_NO:
        if number not in (0, 1):
            raise Refused("Expected yes or no.", "value")
    elif trait.kind == Trait.Kind.AFFECTED:
        _check_share(seen)
    else:
        _check_number(trait, number, trait.samples == 1)


def exact(seen: Seen) -> Seen:
    """What is kept: the mean of single plants is reckoned here, whatever was sent with them."""
    return replace(seen, number=sample_mean(seen.parts).mean) if seen.parts else seen


def _check_share(seen: Seen) -> None:
    """A share of plants looked at is of whole plants, and not of more than there are."""
    if not seen.looked or not 1 <= seen.looked <= 10_000:
        raise Refused("Expected how many plants were looked at.", "value")
    affected = (seen.number or 0.0) * seen.looked / 100
    if abs(affected - round(affected)) > 1e-6 or not 0 <= round(affected) <= seen.looked:
        raise Refused(f"Found {affected:g} of {seen.looked} plants. Expected a whole number up to {seen.looked}.", "value")


def _check_day(seen: Seen, today: date) -> None:
    if seen.day is None:
        raise Refused("Expected the day on which it was first seen, such as 14 Jul.", "value")
    if seen.day > today:
        raise Refused(f"{seen.day:%-d %b %Y} is in the future.", "value")
    if (today - seen.day).days > 400:
        raise Refused(f"{seen.day:%-d %b %Y} lies more than a season back.", "value")


def _check_number(trait: Trait, number: float, whole: bool = True) -> None:
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
    if whole and trait.kind in (Trait.Kind.COUNT, Trait.Kind.SCORE) and number != int(number):
        raise Refused(f"Found {number:g}. Expected a whole number.", "value")


def same_answer(before: Value, seen: Seen) -> bool:
    """Whether a value on record says the same."""
    mine = exact(seen)
    return (before.number, before.day, before.cause, before.note, before.looked, tuple(before.parts or ())) == (
        mine.number,
        mine.day,
        mine.cause,
        mine.note.strip(),
        mine.looked,
        mine.parts,
    )


def looked_anew(before: Value, seen_on: date) -> bool:
    """A stage not reached on another day is news: it was looked for again."""
    return before.cause == Cause.NOT_REACHED and before.seen_on != seen_on
