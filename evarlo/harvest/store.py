"""The keeping test: lots put into store, looked at again and again, and how long each entry keeps."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from functools import cached_property
from itertools import pairwise
from statistics import fmean

from django.db import transaction
from django.urls import reverse
from django.utils import timezone

from evarlo.catalogue.models import Trait
from evarlo.harvest.classes import plan_of
from evarlo.harvest.models import PickPlan, StoreCheck, StoredLot
from evarlo.people.models import User
from evarlo.trials.deeds import record
from evarlo.trials.laying import running_or_refused
from evarlo.trials.models import Entry, Plot, Trial
from evarlo.trials.registry import Due, Reading, Readings
from evarlo.ui.refused import Refused, only_done
from evarlo.ui.words import counted
from trialcore.analyses.keeping import Z95, Keeping, LotChecks, Sound, keeping, sound_curve

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
    shrivel: int | None = None


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
    def shrivel(self) -> int | None:
        """How dried up the sound ones were at the last look that says it, 1 to 9."""
        return next((c.shrivel for c in reversed(self.checks) if c.shrivel), None)

    @property
    def weight_left(self) -> float | None:
        """The weight of a sound piece in percent of that when it was put away, at the last check that was weighed."""
        weighed = [c for c in self.checks if c.kg is not None and c.sound]
        if not weighed or not self.lot.kg:
            return None
        last = weighed[-1]
        return 100 * (last.kg or 0.0) / last.sound / (self.lot.kg / self.lot.pieces)

    def sound_share(self, day: int) -> float | None:
        """The share (0 to 1) sound after `day` days of those put away, straight between two looks; what was taken away sound tells
        up to when it was taken. None where nobody has looked since and some were left."""
        share, there, points = 1.0, self.lot.pieces, [(0, 1.0)]
        for check, lost in zip(self.checks, self.losses, strict=True):
            share *= 1 - lost / there if there else 0.0
            there = check.sound
            points.append(((check.on - self.lot.laid_on).days, share))
            if not there and lost == 0:
                break  # the last were taken away: nothing is known after
        if points[-1][1] == 0 and points[-1][0] <= day:
            return 0.0
        return _straight(points, day)

    def weight_lost(self, day: int) -> float | None:
        """How much lighter (%) a sound piece is after `day` days, straight between two weighings; None before both are known."""
        if not self.lot.kg:
            return None
        piece = self.lot.kg / self.lot.pieces
        weighed = [c for c in self.checks if c.kg is not None and c.sound]
        points = [((c.on - self.lot.laid_on).days, 100 * (1 - (c.kg or 0.0) / c.sound / piece)) for c in weighed]
        return _straight([(0, 0.0), *points], day)

    @property
    def as_checks(self) -> LotChecks:
        """For the core: days from when it was put away."""
        days = tuple(float((c.on - self.lot.laid_on).days) for c in self.checks)
        sound = tuple(c.sound for c in self.checks)
        return LotChecks(str(self.lot.pk), self.lot.entry.code, self.lot.pieces, days, sound, self.losses)


def _straight(points: Sequence[tuple[int, float]], day: int) -> float | None:
    """The value at a day, straight between the two points around it; None beyond the last."""
    for (d0, v0), (d1, v1) in pairwise(points):
        if d0 <= day <= d1:
            return v0 + (v1 - v0) * (day - d0) / (d1 - d0)
    return points[0][1] if day == points[0][0] else None


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


def curves_of(stored: Sequence[Stored], widened: float | None = None) -> dict[str, list[Sound]]:
    """The share still sound by days in store, of each entry by its code; intervals `widened` for lots that differ."""
    by_entry: dict[str, list[LotChecks]] = {}
    for s in stored:
        if s.checks:
            by_entry.setdefault(s.lot.entry.code, []).append(s.as_checks)
    return {code: sound_curve(lots, widened or Z95) for code, lots in by_entry.items()}


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


def market_days(trial: Trial) -> int | None:
    """The days to which the harvest is to keep; None where nobody said."""
    return plan_of(trial).market_days


@transaction.atomic
def keep_to(trial: Trial, days: int | None, by: User) -> None:
    """The harvest is to keep for so many days, from now on; None where that is not asked."""
    running_or_refused(trial, "market_days")
    if days == market_days(trial):
        return
    PickPlan.objects.update_or_create(trial=trial, defaults={"market_days": days})
    trial.read_anew()
    record(trial, by, f"To keep for {counted(days, 'day')}." if days else "How long it is to keep is not asked.")


def readings(trial: Trial, trait: Trait) -> Readings:
    """What the lots of each plot tell of the market day: the mean of them, where they were looked at by then or since."""
    day = market_days(trial)
    if day is None:
        return {}
    found: dict[int, list[float]] = {}
    for stored in stored_in(trial):
        value = stored.sound_share(day) if trait.key == "kept-share" else stored.weight_lost(day)
        if stored.lot.plot_id and value is not None:
            found.setdefault(stored.lot.plot_id, []).append(100 * value if trait.key == "kept-share" else value)
    return {pk: Reading(fmean(some), note=f"after {counted(day, 'day')} in store") for pk, some in found.items()}
