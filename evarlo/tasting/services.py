"""Acts of a tasting: set the table, keep a ballot, take a panel back."""

from __future__ import annotations

import secrets
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from django.db import transaction
from django.utils import timezone

from evarlo.people.models import User
from evarlo.tasting.models import Dish, Panel, Seat, Taste
from evarlo.trials.laying import running_or_refused
from evarlo.trials.models import Entry, Trial
from evarlo.ui.refused import Refused
from trialcore.layouts.serving import serving_plan

LOWEST, HIGHEST = 1, 9
MOST_JUDGES, MOST_SAMPLES = 40, 12
LETTERS = "BCDFGHJKLMNPQRSTVWXZ"  # no vowel, so that no word comes out
OPEN_FOR = 2  # days after a tasting on which its codes still open a ballot


@dataclass(frozen=True)
class PanelPlan:
    """What is tasted, by how many; `doubled` serves the check twice to everyone, `warm_up` once more before all, where the score
    does not count. Between two dishes a palate rests for `pause_s`."""

    on: date
    subject: str
    low: str
    high: str
    judges: int
    doubled: bool = True
    warm_up: bool = False
    pause_s: int = 0


@transaction.atomic
def set_table(trial: Trial, plan: PanelPlan, entries: Sequence[Entry], by: User, seed: int | None = None) -> Panel:
    """Draw who gets what under which code. Raises Refused for fewer than two entries, more samples than a palate bears, or a trial
    that is not running."""
    running_or_refused(trial, "subject")
    served = [*entries, *(e for e in entries if plan.doubled and e.is_check)]
    if len({e.pk for e in entries}) < 2:
        raise Refused("Expected two entries or more.", "entries")
    if len(served) > MOST_SAMPLES:
        raise Refused(f"Found {len(served)} samples. Expected at most {MOST_SAMPLES}: a palate tires.", "entries")
    drawn = secrets.randbits(40) if seed is None else seed
    table = {name: getattr(plan, name) for name in ("on", "subject", "low", "high", "judges", "pause_s")}
    panel = Panel.objects.create(trial=trial, seed=drawn, by=by, at=timezone.now(), **table)
    keys = {str(e.pk): e for e in entries}
    first = next((e for e in entries if e.is_check), entries[0])
    dishes = serving_plan([str(e.pk) for e in served], plan.judges, drawn, str(first.pk) if plan.warm_up else None)
    Dish.objects.bulk_create(
        Dish(panel=panel, judge=d.judge, position=d.position, entry=keys[d.sample], code=d.code) for d in dishes
    )
    Seat.objects.bulk_create(Seat(panel=panel, judge=judge, code=_seat_code()) for judge in range(1, plan.judges + 1))
    return panel


def _seat_code() -> str:
    """Eight letters that nobody takes for another: one of 2 · 10¹⁰."""
    return "".join(secrets.choice(LETTERS) for _ in range(8))


def seat_of(code: str, today: date) -> Seat:
    """The seat that a code opens. Raises Refused for none, a panel that was taken back, or one of days ago."""
    plain = "".join(c for c in code.upper() if c.isalpha())
    seat = Seat.objects.filter(code=plain, panel__undone_at__isnull=True).select_related("panel__trial__crop").first()
    if seat is None:
        raise Refused("No seat has this code. Expected the eight letters on your card, such as KTRM-HWVP.", "code")
    if not open_now(seat.panel, today):
        raise Refused(f"This tasting was on {seat.panel.on:%-d %b %Y} and is over.", "code")
    return seat


def open_now(panel: Panel, today: date) -> bool:
    """Whether its codes still open ballots."""
    return today <= panel.on + timedelta(days=OPEN_FOR) and panel.trial.decided_at is None


@transaction.atomic
def keep_own(seat: Seat, code: int, score: int) -> None:
    """Keep a score that the judge of a seat gave on their own phone. Raises Refused for a dish that is not theirs."""
    if not seat.panel.dishes.filter(judge=seat.judge, code=code).exists():
        raise Refused(f"Found code {code}. No dish of yours has it.", "scores")
    keep_ballot(seat.panel, {code: score}, seat.panel.by, own=True)


@transaction.atomic
def keep_ballot(panel: Panel, scores: Mapping[int, int], by: User, own: bool = False) -> int:
    """Keep scores by code; one that differs from what stands takes its place, and the old stays on record. Gives how many are new.
    Raises Refused for a code that is not on this table or a score out of range."""
    running_or_refused(panel.trial, "scores")
    dishes = {d.code: d for d in panel.dishes.filter(code__in=scores)}
    standing = {t.dish_id: t for t in Taste.objects.in_force().select_for_update().filter(dish__panel=panel)}
    new = 0
    for code, score in scores.items():
        if code not in dishes:
            raise Refused(f"Found code {code}. No dish of this panel has it.", "scores")
        if not LOWEST <= score <= HIGHEST:
            raise Refused(f"Found {score}. Expected a whole number from {LOWEST} to {HIGHEST}.", "scores")
        old = standing.get(dishes[code].pk)
        if old and old.score == score:
            continue
        if old:
            Taste.objects.in_force().filter(pk=old.pk).update(undone_at=timezone.now())
        Taste.objects.create(dish=dishes[code], score=score, by=by, at=timezone.now(), own=own)
        new += 1
    return new


@transaction.atomic
def undo_panel(panel: Panel) -> None:
    """A panel was not held after all; what was scored stays on record."""
    Panel.objects.in_force().filter(pk=panel.pk).update(undone_at=timezone.now())
