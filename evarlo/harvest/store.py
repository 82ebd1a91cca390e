"""The keeping test: lots put into store, looked at again and again, and how long each entry keeps."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from functools import cached_property

from django.db import transaction
from django.urls import reverse
from django.utils import timezone

from evarlo.harvest.models import StoreCheck, StoredLot
from evarlo.people.models import User
from evarlo.trials.laying import running_or_refused
from evarlo.trials.models import Entry, Plot, Trial
from evarlo.trials.registry import Due
from evarlo.ui.refused import Refused, only_done
from evarlo.ui.words import counted
from trialcore.analyses.keeping import Keeping, LotChecks, keeping, turnbull

MOST_PIECES = 10_000


@dataclass(frozen=True)
class LaidIn:
    """What was put into store."""

    pieces: int
    kg: float | None = None
    place: str = ""
    every_days: int = 14


@dataclass(frozen=True)
class Seen:
    """What was seen of a lot."""

    sound: int
    taken: int = 0
    cause: str = ""
    kg: float | None = None


@dataclass(frozen=True)
class Stored:
    """A lot with its checks in the order of time."""

    lot: StoredLot
    checks: tuple[StoreCheck, ...]

    @property
    def sound(self) -> int:
        """Pieces that are there and sound."""
        return self.checks[-1].sound if self.checks else self.lot.pieces

    @property
    def next_on(self) -> date | None:
        """When it is to be looked at again; never once nothing is left or the trial is decided."""
        if self.lot.trial.decided_at:
            return None
        last = self.checks[-1].on if self.checks else self.lot.laid_on
        return last + timedelta(days=self.lot.every_days) if self.sound else None

    @cached_property
    def losses(self) -> tuple[int, ...]:
        """How many were lost before each check."""
        before = (self.lot.pieces, *(c.sound for c in self.checks))
        return tuple(b - c.sound - c.taken for b, c in zip(before, self.checks, strict=False))

    @property
    def causes(self) -> str:
        """What they were lost to, in words."""
        lost: Counter[str] = Counter()
        for n, check in zip(self.losses, self.checks, strict=True):
            lost[check.cause or "not said"] += n
        return ", ".join(f"{n} {cause}" for cause, n in lost.items() if n)

    @property
    def weight_left(self) -> float | None:
        """The weight of a sound piece in percent of that when it was put away, at the last check that was weighed."""
        weighed = [c for c in self.checks if c.kg is not None and c.sound]
        if not weighed or not self.lot.kg:
            return None
        last = weighed[-1]
        return 100 * (last.kg or 0.0) / last.sound / (self.lot.kg / self.lot.pieces)

    @property
    def as_checks(self) -> LotChecks:
        """For the core: days from when it was put away."""
        days = tuple(float((c.on - self.lot.laid_on).days) for c in self.checks)
        sound = tuple(c.sound for c in self.checks)
        return LotChecks(str(self.lot.pk), self.lot.entry.code, self.lot.pieces, days, sound, self.losses)


@transaction.atomic
def lay_in(trial: Trial, entry: Entry, plot: Plot | None, on: date, what: LaidIn, by: User, today: date) -> StoredLot:
    """Put pieces into store. Raises Refused for a day to come, an entry or plot of another trial, or counts that cannot be."""
    running_or_refused(trial, "pieces")
    only_done(on, today)
    if entry.trial_id != trial.pk or (plot and plot.trial_id != trial.pk):
        raise Refused("Expected an entry of this trial.", "of")
    if not 1 <= what.pieces <= MOST_PIECES:
        raise Refused(f"Found {what.pieces}. Expected from 1 to {MOST_PIECES} pieces.", "pieces")
    return StoredLot.objects.create(trial=trial, entry=entry, plot=plot, laid_on=on, by=by, at=timezone.now(), **vars(what))


@transaction.atomic
def look_at(lot: StoredLot, on: date, seen: Seen, by: User, today: date) -> StoreCheck:
    """Keep a look at a lot. Raises Refused for a day to come, not after the last look, or for more than there was."""
    lot = StoredLot.objects.select_for_update().select_related("trial").get(pk=lot.pk)
    running_or_refused(lot.trial, "sound")
    only_done(on, today)
    last = lot.checks.in_force().last()
    since, there = (last.on, last.sound) if last else (lot.laid_on, lot.pieces)
    if on <= since:
        raise Refused(f"It was looked at on {since:%-d %b %Y}. Expected a later day.", "on")
    if seen.sound + seen.taken > there:
        raise Refused(f"Found {seen.sound + seen.taken}. There were {there} sound pieces.", "sound")
    return StoreCheck.objects.create(lot=lot, on=on, by=by, at=timezone.now(), **vars(seen))


@transaction.atomic
def undo_look(check: StoreCheck) -> None:
    """The newest look at a lot was none. Raises Refused for an earlier one: the later ones stand on it."""
    if check.lot.checks.in_force().filter(on__gt=check.on).exists():
        raise Refused("It was looked at again since. Take that back first.")
    StoreCheck.objects.in_force().filter(pk=check.pk).update(undone_at=timezone.now())


@transaction.atomic
def undo_lot(lot: StoredLot) -> None:
    """A lot was not put into store after all."""
    StoredLot.objects.in_force().filter(pk=lot.pk).update(undone_at=timezone.now())


def stored_in(trial: Trial, plot: Plot | None = None) -> list[Stored]:
    """Every lot in store, by the code of its entry; those of one plot where it is given."""
    found = trial.stored_lots.in_force().select_related("trial", "entry__cultivar", "plot", "by")
    return _with_checks((found.filter(plot=plot) if plot else found).order_by("entry__code", "laid_on", "id"))


def _with_checks(found: Iterable[StoredLot]) -> list[Stored]:
    """Lots with the looks at them that stand, in one more statement."""
    lots = list(found)
    checks: dict[int, list[StoreCheck]] = {lot.pk: [] for lot in lots}
    for check in StoreCheck.objects.in_force().filter(lot__in=lots).select_related("by").order_by("on", "id"):
        checks[check.lot_id].append(check)
    return [Stored(lot, tuple(checks[lot.pk])) for lot in lots]


def kept_of(stored: Sequence[Stored], check: str | None) -> Keeping | None:
    """How the entries keep; None before anything was looked at, or where too little was lost to tell."""
    seen = [s.as_checks for s in stored if s.checks]
    if not seen:
        return None
    try:
        return keeping(seen, check)
    except ValueError:
        return None


def curves_of(stored: Sequence[Stored]) -> dict[str, list[tuple[float, float]]]:
    """The share still sound by days in store, of each entry by its code."""
    by_entry: dict[str, list[LotChecks]] = {}
    for s in stored:
        if s.checks:
            by_entry.setdefault(s.lot.entry.code, []).append(s.as_checks)
    return {code: [(0.0, 1.0), *turnbull(lots)] for code, lots in by_entry.items()}


def looks_due(trials: Sequence[Trial], today: date) -> Iterable[Due]:
    """Lots of some trials that are to be looked at; two statements for any number of them."""
    waiting: dict[int, list[date]] = {}
    for stored in _with_checks(StoredLot.objects.in_force().filter(trial__in=trials).select_related("trial")):
        if (on := stored.next_on) and on <= today + timedelta(days=1):
            waiting.setdefault(stored.lot.trial_id, []).append(on)
    for trial in trials:
        if days := waiting.get(trial.pk):
            url = reverse("harvest:store", args=[trial.slug])
            yield Due("Look at", "What is in store", trial, counted(len(days), "lot"), min(days), url)
