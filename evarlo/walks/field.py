"""Rounds that are walked on a phone without a signal: what the phone takes along, and what it brings back."""

from __future__ import annotations

import uuid
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from typing import Any
from zlib import crc32

from django.db import transaction
from django.db.models import QuerySet
from django.utils import timezone

from evarlo.catalogue.models import Trait
from evarlo.people.models import User
from evarlo.trials.models import Cause, Plot
from evarlo.trials.services import Refused
from evarlo.walks.models import Observation, Rival, Round
from evarlo.walks.queries import current
from evarlo.walks.score import walkable
from evarlo.walks.services import Seen, check_seen, keep_observation, same_answer, withdraw

CLOCK_OFF = timedelta(minutes=15)  # by which a phone's clock may differ before it is said
OLDEST = timedelta(days=60)
REPEATED, LEAST_REPEATED, LEAST_TO_REPEAT = 0.05, 3, 12  # share and number of plots asked again, and plots a round needs for it


@dataclass(frozen=True)
class Brought:
    """One record as a phone brings it: its own key, the plot, what was seen, when by the phone's clock, and the key of what the
    phone knew to stand there. `undone` names the record it takes back."""

    key: uuid.UUID
    plot: int
    seen: Seen
    made_at: datetime
    before: str = ""
    undone: bool = False
    again: bool = False  # the same plot, silently asked a second time


@dataclass(frozen=True)
class Answer:
    """What became of a record: `kept`, `same` (it was here already), `rival` (another stands, both are kept) or `refused` with
    the reason. `stands` is the key of what counts now."""

    key: str
    state: str
    said: str = ""
    stands: str = ""


def taken_along(walk: Round, user: User) -> dict[str, Any]:
    """Everything a phone needs to walk a round by itself: the trait, the plots along the path with what stands in them, and
    where they lie. Names, codes and other people's values are not in it."""
    trait = walk.trait
    standing = {o.plot_id: o for o in current(walk)}
    plots = walkable(walk)
    return {
        "round": walk.pk, "trial": walk.trial.name, "season": walk.trial.season, "who": user.pk, "person": str(user),
        "closed": walk.closed_at is not None, "trait": trait.name, "kind": trait.kind, "unit": trait.unit, "method": trait.method,
        "low": trait.low, "high": trait.high, "decimals": trait.decimals, "causes": list(Cause.choices),
        "again": asked_again(walk, user, plots),
        "plots": [
            {
                "id": p.pk, "number": p.number, "block": p.block, "x": round(p.x, 2), "y": round(p.y, 2),
                "length": round(p.length, 2), "width": round(p.width, 2), "bed": p.bed_id or 0,
                "stands": str(standing[p.pk].pk) if p.pk in standing else "",
                "own": shown(standing[p.pk]) if p.pk in standing and standing[p.pk].by_id == user.pk else "",
            }
            for p in plots
        ],
    }  # fmt: skip


def asked_again(walk: Round, user: User, plots: Sequence[Plot]) -> list[int]:
    """The plots that this person is silently asked a second time at the end, the same ones whenever the round is taken along;
    none of what is counted or dated, where a second look tells nothing of the eye."""
    if walk.trait.kind not in (Trait.Kind.SCORE, Trait.Kind.PERCENT) or len(plots) < LEAST_TO_REPEAT:
        return []
    done = set(Rival.objects.filter(round=walk, by=user, beside=True).values_list("plot_id", flat=True))
    order = sorted(plots, key=lambda p: crc32(f"{walk.pk} {user.pk} {p.pk}".encode()))
    return [p.pk for p in order[: max(LEAST_REPEATED, round(REPEATED * len(plots)))] if p.pk not in done]


def shown(value: Observation | Rival) -> str:
    """A value as it is read out: 17, 14 Jul, or why there is none."""
    if value.cause:
        return str(value.get_cause_display())
    return f"{value.day:%-d %b}" if value.day else f"{value.number:g}"


def bring_in(walk: Round, brought: Sequence[Brought], by: User, now: datetime, clock: datetime) -> list[Answer]:
    """Keep what a phone brings, each record by itself: one that cannot be kept holds none of the others up, and any may be sent
    again or out of order. `clock` is what the phone's clock says now; days are set right by how far it is off."""
    off = now - clock
    return [_one(walk, record, by, now, off) for record in brought]


@transaction.atomic
def _one(walk: Round, record: Brought, by: User, now: datetime, off: timedelta) -> Answer:
    key = str(record.key)
    plot = Plot.objects.filter(trial=walk.trial_id, pk=record.plot).first()
    if plot is None:
        return Answer(key, "refused", "That plot is not in this trial.")
    standing = current(walk).filter(plot=plot).select_related("by").first()
    stands = str(standing.pk) if standing else ""
    known = Observation.objects.filter(pk=record.key).exists() or Rival.objects.filter(pk=record.key).exists()
    if known and not record.undone:
        return Answer(key, "same", stands=stands)
    made = record.made_at + off
    if not now - OLDEST <= made:
        return Answer(key, "refused", f"It was made on {made:%-d %b %Y}, too long ago to be of this round.")
    seen_on = min(timezone.localdate(made), timezone.localdate(now))
    if record.undone:
        return _undo(standing, record, by, key, stands)
    seen = record.seen
    same = standing is not None and same_answer(standing, record.seen)
    seconded = same and standing is not None and standing.by_id != by.pk and stands != record.before
    if abs(off) > CLOCK_OFF:
        seen = Seen(seen.number, seen.day, seen.cause, f"{seen.note} (phone clock off by {_hours(off)})".strip()[:300])
    try:
        check_seen(walk.trait, seen, timezone.localdate(now))
        if record.again or seconded:
            _rival(walk, plot, record, seen, seen_on, by, now, beside=True)
            return Answer(key, "kept", stands=stands)
        if standing and stands != record.before and not same:
            _rival(walk, plot, record, seen, seen_on, by, now)
            return Answer(key, "rival", f"{standing.by} has {shown(standing)}; both are kept.", stands)
        kept = keep_observation(walk, plot, seen, by, seen_on, record.key, timezone.localdate(now), sure=True)
    except Refused as refusal:
        return Answer(key, "refused", str(refusal), stands)
    return Answer(key, "kept", stands=str(kept.pk))


def _undo(standing: Observation | None, record: Brought, by: User, key: str, stands: str) -> Answer:
    """Take a value back, when it is still the one that stands."""
    if standing is None:
        return Answer(key, "same")
    if stands != record.before:
        return Answer(key, "refused", "It has been corrected since, so it was not taken back.", stands)
    withdraw(standing, by)
    now = current(standing.round).filter(plot=standing.plot).first()
    return Answer(key, "kept", stands=str(now.pk) if now else "")


def _rival(
    walk: Round, plot: Plot, record: Brought, seen: Seen, seen_on: date, by: User, now: datetime, beside: bool = False
) -> None:
    """Keep a value beside the one that stands; one that needs no settling is kept for the agreement of raters only."""
    Rival.objects.create(
        id=record.key, round=walk, plot=plot, number=seen.number, day=seen.day, cause=seen.cause, note=seen.note,
        seen_on=seen_on, by=by, at=now, beside=beside, settled_at=now if beside else None, settled_by=by if beside else None,
    )  # fmt: skip


def _hours(off: timedelta) -> str:
    hours = abs(off).total_seconds() / 3600
    return f"{hours:.1f} h" if hours < 48 else f"{hours / 24:.0f} days"


def unsettled(rounds: Iterable[Round]) -> QuerySet[Rival]:
    """Values that wait to be settled."""
    return Rival.objects.filter(round__in=list(rounds), settled_at__isnull=True).select_related("plot", "by", "round__trait")


@transaction.atomic
def settle(rival: Rival, take: bool, by: User, today: date) -> None:
    """Say which of two values counts: the rival becomes a correction, or stays as what was not taken. Nothing is lost. Raises
    Refused when it was settled already."""
    rival = Rival.objects.select_for_update().select_related("round__trait", "plot").get(pk=rival.pk)
    if rival.settled_at:
        raise Refused("It was settled already.")
    if take:
        seen = Seen(rival.number, rival.day, rival.cause, rival.note)
        keep_observation(rival.round, rival.plot, seen, by, rival.seen_on, uuid.uuid4(), today, sure=True)
    rival.settled_at, rival.settled_by, rival.taken = timezone.now(), by, take
    rival.save(update_fields=["settled_at", "settled_by", "taken"])
