"""Rounds in the hand, with or without a signal: what the phone takes along, and what it brings back."""

from __future__ import annotations

import uuid
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from typing import Any
from zlib import crc32

from django.db import transaction
from django.db.models import QuerySet
from django.urls import reverse
from django.utils import timezone

from evarlo.catalogue.models import Trait
from evarlo.catalogue.traits import guide_of
from evarlo.databases.journal import acknowledge
from evarlo.databases.marks import within_trials
from evarlo.people.models import User
from evarlo.people.permissions import allowed
from evarlo.trials.holds import entry_words, held_plots, pick_words
from evarlo.trials.models import Cause, Plot, Trial
from evarlo.ui.draw.anchor import drawing_named
from evarlo.ui.refused import Refused
from evarlo.walks.models import Observation, Rival, Round
from evarlo.walks.queries import current, shown, walkable
from evarlo.walks.services import Seen, check_seen, exact, keep_observation, looked_anew, observed, same_answer, seen_in, taken_back

CLOCK_OFF = timedelta(minutes=15)  # by which a phone's clock may differ before it is said
OLDEST = timedelta(days=60)
FROM_NOTES = timedelta(days=800)  # a notebook of the season before is still typed in
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
    on: date | None = None  # the earlier day it was seen on, where it comes from notes


@dataclass(frozen=True)
class Answer:
    """What became of a record: `kept`, `same` (it was here already), `rival` (another stands, both are kept) or `refused` with
    the reason. `stands` is the key of what counts now."""

    key: str
    state: str
    said: str = ""
    stands: str = ""


def taken_along(rounds: Sequence[Round], user: User, today: date, on: date | None = None) -> dict[str, Any]:
    """Everything a phone needs to walk some rounds of a trial at once: their traits and guides, the plots along the path with
    what stands in them, and where they lie. Names, codes and other people's values are not in it, unless the trial says that
    earlier values are shown. `on` is the earlier day that notes are typed in for."""
    trial = rounds[0].trial
    of_round = {walk.pk: walkable(walk) for walk in rounds}
    plots = {p.pk: p for some in of_round.values() for p in some}
    return {
        "round": ",".join(str(walk.pk) for walk in rounds) + (f"@{on}" if on else ""),
        "on": on.isoformat() if on else "",
        "trial": trial.name,
        "season": trial.season,
        "who": user.pk,
        "person": str(user),
        "held": _held(trial),
        "causes": list(Cause.choices),
        "code": f"T{trial.pk}-",
        "asks": [_asked(walk, of_round[walk.pk], user, today) for walk in rounds],
        "plots": [
            {
                "id": p.pk,
                "number": p.number,
                "block": p.block,
                "x": round(p.x, 2),
                "y": round(p.y, 2),
                "length": round(p.length, 2),
                "width": round(p.width, 2),
                "bed": p.bed_id or 0,
                "pictures": reverse("events:new-photo", args=[trial.slug, p.pk]),
            }
            for p in sorted(plots.values(), key=lambda p: p.place)
        ],
    }


def _held(trial: Trial) -> dict[int, str]:
    """Plots that nobody enters, or nothing is picked from, and until when."""
    found = held_plots(trial, timezone.now())
    return {plot: " ".join(filter(None, (entry_words(h), pick_words(h)))) for plot, h in found.items()}


def _asked(walk: Round, plots: Sequence[Plot], user: User, today: date) -> dict[str, Any]:
    """One trait of what is walked: how it is scored, and by plot what the phone may know of what stands there."""
    trait, correcting = walk.trait, walk.closed_at is not None and allowed(user, "exclude")
    stands, own, taken = {}, {}, []
    wanted = {p.pk for p in plots}
    for o in current(walk).select_related("by"):
        if o.plot_id not in wanted:
            continue
        if trait.kind == Trait.Kind.DATE and o.cause == Cause.NOT_REACHED and o.seen_on < today:
            stands[o.plot_id] = str(o.pk)  # it was not there then, so it is looked for again
            continue
        taken.append(o.plot_id)
        if o.by_id == user.pk or correcting:
            stands[o.plot_id] = str(o.pk)
            own[o.plot_id] = shown(o, trait) + ("" if o.by_id == user.pk else f" ({o.by})")
    return {
        "round": walk.pk,
        "bring": reverse("walks:bring-in", args=[walk.trial.slug, walk.pk]),
        "closed": walk.closed_at is not None,
        "trait": trait.name,
        "kind": trait.kind,
        "unit": trait.unit,
        "method": trait.method,
        "low": trait.low,
        "high": trait.high,
        "most": _most_plants(walk.trial) if trait.key == "stand" else None,
        "decimals": trait.decimals,
        "samples": 1 if walk.trial.of_single_plants else trait.samples,
        "choices": trait.choices,
        "guide": _guide(trait),
        "plots": [p.pk for p in plots],
        "stands": stands,
        "own": own,
        "taken": taken,
        "again": asked_again(walk, user, plots),
        "earlier": _earlier(walk) if walk.trial.earlier_shown else {},
    }


def _most_plants(trial: Trial) -> int | None:
    """How many plants a plot can hold at most, whichever entry stands in it."""
    held = [spacing.plants for e in trial.named_entries if (spacing := trial.spacing_of(e))]
    return max(held, default=None)


def _guide(trait: Trait) -> dict[str, Any] | None:
    guide = guide_of(trait)
    if guide is None:
        return None
    anchors = [{"at": a["at"], "words": a["words"], "drawing": str(drawing_named(a["drawing"]) or "")} for a in guide.anchors]
    return {"version": guide.version, "anchors": anchors, "alike": guide.alike}


def _earlier(walk: Round) -> dict[int, str]:
    """What the newest round before this one found in each plot, with its note."""
    before = (
        Round.objects.filter(trial=walk.trial, trait=walk.trait, number__lt=walk.number, observations__isnull=False)
        .order_by("-number")
        .first()
    )
    if before is None:
        return {}
    return {o.plot_id: f"{shown(o, walk.trait)} on {o.seen_on:%-d %b}{'. ' + o.note if o.note else ''}" for o in current(before)}


def asked_again(walk: Round, user: User, plots: Sequence[Plot]) -> list[int]:
    """The plots that this person is silently asked a second time at the end, the same ones whenever the round is taken along;
    none of what is counted or dated, where a second look tells nothing of the eye."""
    if walk.trait.kind not in (Trait.Kind.SCORE, Trait.Kind.PERCENT) or walk.trait.samples > 1 or len(plots) < LEAST_TO_REPEAT:
        return []
    done = set(Rival.objects.filter(round=walk, by=user, beside=True).values_list("plot_id", flat=True))
    order = sorted(plots, key=lambda p: crc32(f"{walk.pk} {user.pk} {p.pk}".encode()))
    return [p.pk for p in order[: max(LEAST_REPEATED, round(REPEATED * len(plots)))] if p.pk not in done]


@transaction.atomic
def bring_in(walk: Round, brought: Sequence[Brought], by: User, now: datetime, clock: datetime) -> list[Answer]:
    """Keep what a phone brings, each record by itself: one that cannot be kept holds none of the others up, and any may be sent
    again or out of order. All of it is written at once or, when the server dies on the way, not at all. `clock` is what the
    phone's clock says now; days are set right by how far it is off."""
    batch = _Batch(walk, brought, by, now, now - clock)
    answers = [batch.take(record) for record in brought]
    with within_trials(walk.trial_id):
        Observation.objects.bulk_create(batch.observations)
    Rival.objects.bulk_create(batch.rivals)
    for model, made in ((Observation, batch.observations), (Rival, batch.rivals)):
        acknowledge(model, [m.pk for m in made], by.username, f"/trials/{walk.trial.slug}/walk/{walk.pk}/")
    return answers


class _Batch:
    """A batch being taken in: what stands in its plots, read once, and what is to be written."""

    def __init__(self, walk: Round, brought: Sequence[Brought], by: User, now: datetime, off: timedelta) -> None:
        self.walk, self.by, self.now, self.off = walk, by, now, off
        wanted, keys = {r.plot for r in brought if 0 <= r.plot < 2**63}, {r.key for r in brought}
        plots = Plot.objects.filter(trial=walk.trial_id)
        self.plots = (plots.filter(pk__in=walk.only) if walk.only else plots).in_bulk(wanted)
        rows = current(walk).filter(plot__in=wanted).order_by().select_related("by", "supersedes")
        self.standing = {o.plot_id: o for o in rows}
        known = (set(kept.objects.filter(pk__in=keys).values_list("pk", flat=True)) for kept in (Observation, Rival))
        self.known: set[uuid.UUID] = set().union(*known)
        self.observations: list[Observation] = []
        self.rivals: list[Rival] = []
        # An undone value leaves a row that supersedes it and says nothing; what comes after has to follow on from that.
        ends = Observation.objects.newest().filter(round=walk, plot__in=wanted, withdrawn=True)
        self.ends = {o.plot_id: o for o in ends}

    def take(self, record: Brought) -> Answer:
        key, plot = str(record.key), self.plots.get(record.plot)
        if plot is None:
            return Answer(key, "refused", "That plot is not in this round.")
        standing = self.standing.get(plot.pk)
        stands = str(standing.pk) if standing else ""
        if record.key in self.known and not record.undone:
            return Answer(key, "same", stands=stands)
        made = self._by_our_clock(record)
        if not self.now - OLDEST <= made:
            return Answer(key, "refused", f"It was made on {made:%-d %b %Y}, too long ago to be of this round.", stands)
        if record.undone:
            return self._undo(standing, record, stands)
        seen = record.seen
        if abs(self.off) > CLOCK_OFF:
            seen = _noted(seen, f"(phone clock off by {_hours(self.off)})")
        try:
            check_seen(self.walk.trait, seen, timezone.localdate(self.now))
        except Refused as refusal:
            return Answer(key, "refused", str(refusal), stands)
        self.known.add(record.key)
        today = timezone.localdate(self.now)
        if record.on and not today - FROM_NOTES <= record.on <= today:
            return Answer(key, "refused", f"{record.on:%-d %b %Y} is no day on which this can have been seen.", stands)
        return self._keep(plot, record, seen, standing, record.on or min(timezone.localdate(made), today))

    def _by_our_clock(self, record: Brought) -> datetime:
        """When a record was made; a moment that no clock shows counts as now."""
        try:
            return record.made_at + self.off
        except OverflowError:
            return self.now

    def _keep(self, plot: Plot, record: Brought, seen: Seen, standing: Observation | None, seen_on: date) -> Answer:
        key, stands = str(record.key), str(standing.pk) if standing else ""
        same = standing is not None and same_answer(standing, record.seen)
        seconded = same and standing is not None and standing.by_id != self.by.pk and stands != record.before
        if record.again or seconded:
            self._beside(plot, record, seen, seen_on, settled=True)
            return Answer(key, "kept", stands=stands)
        if standing and stands != record.before and not same:
            self._beside(plot, record, seen, seen_on, settled=False)
            return Answer(key, "rival", f"{standing.by} has {shown(standing, self.walk.trait)}; both are kept.", stands)
        if standing is not None and same and not looked_anew(standing, seen_on):
            return Answer(key, "kept", stands=stands)
        made = observed(self.walk, plot, seen, self.by, seen_on, record.key, standing or self.ends.get(plot.pk))
        self._stands(made)
        return Answer(key, "kept", stands=str(made.pk))

    def _undo(self, standing: Observation | None, record: Brought, stands: str) -> Answer:
        """Take a value back, when it is still the one that stands."""
        if standing is None:
            return Answer(str(record.key), "same")
        if stands != record.before:
            return Answer(str(record.key), "refused", "It has been corrected since, so it was not taken back.", stands)
        made = taken_back(standing, self.by)
        self._stands(made)
        return Answer(str(record.key), "kept", stands="" if made.withdrawn else str(made.pk))

    def _stands(self, made: Observation) -> None:
        self.observations.append(made)
        self.standing.pop(made.plot_id, None)
        self.ends.pop(made.plot_id, None)
        (self.ends if made.withdrawn else self.standing)[made.plot_id] = made

    def _beside(self, plot: Plot, record: Brought, seen: Seen, seen_on: date, settled: bool) -> None:
        """Keep a value beside the one that stands; one that needs no settling is kept for the agreement of raters only."""
        at, by = (self.now, self.by) if settled else (None, None)
        self.rivals.append(
            Rival(
                id=record.key,
                round=self.walk,
                plot=plot,
                seen_on=seen_on,
                by=self.by,
                at=self.now,
                beside=settled,
                settled_at=at,
                settled_by=by,
                **exact(seen).kept(),
            )
        )


def _noted(seen: Seen, said: str) -> Seen:
    return Seen(**{**seen.__dict__, "note": f"{seen.note} {said}".strip()[:300]})


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
        keep_observation(rival.round, rival.plot, seen_in(rival), by, rival.seen_on, uuid.uuid4(), today)
    rival.settled_at, rival.settled_by, rival.taken = timezone.now(), by, take
    rival.save(update_fields=["settled_at", "settled_by", "taken"])
