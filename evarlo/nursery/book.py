"""The balance book of a trial: every seed and what became of it, by entry and by sowing."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date
from functools import cached_property

from evarlo.nursery.models import BoughtIn, Happening, Sowing
from evarlo.trials.models import Entry, Trial
from trialcore.field.emergence import Counts
from trialcore.reckoning.balance import Balance, Event, Kind, balance, together


def sowings_of(trials: Iterable[Trial]) -> list[Sowing]:
    """Every sowing of some trials that was not taken back."""
    rows = Sowing.objects.in_force().filter(entry__trial__in=trials)
    return list(rows.select_related("session__by", "entry", "lot__cultivar", "tray", "plot", "parent__session"))


def happenings_of(sowings: Iterable[Sowing]) -> dict[int, list[Happening]]:
    """What happened to each sowing, in time order, what was taken back left out."""
    found: dict[int, list[Happening]] = {s.pk: [] for s in sowings}
    for h in Happening.objects.in_force().filter(sowing__in=list(found)).select_related("by").order_by("on", "id"):
        found[h.sowing_id].append(h)
    return found


def _events(sowing: Sowing, happened: Sequence[Happening]) -> list[Event]:
    made = [Event(Kind.COUNTED, sowing.seeds)] if sowing.parent_id else []  # what was pricked out was up
    for h in happened:
        cause = f"{h.cause} ({h.get_whose_display()})" if h.cause and h.whose else h.cause
        made.append(Event(Kind(h.kind), h.plants, cause))
    return made


def balance_of(sowing: Sowing, happened: Sequence[Happening]) -> Balance:
    """One sowing's balance. Raises ValueError where it cannot be."""
    return balance(sowing.seeds, _events(sowing, happened))


@dataclass(frozen=True)
class Line:
    """One sowing with its balance and the last time its plants were counted."""

    sowing: Sowing
    balance: Balance
    happened: tuple[Happening, ...]

    @property
    def counted(self) -> Happening | None:
        return next((h for h in reversed(self.happened) if h.kind == Kind.COUNTED), None)

    @property
    def units(self) -> int:
        """What can be planted as one each where one plant of a cell is left, or the plug is kept whole: cells with at least a
        plant at the last count, less what was planted from them since."""
        if not self.sowing.cells:
            return self.balance.standing
        last = self.counted
        filled = sum(c != "0" for c in last.cells) if last and last.cells else len(self.sowing.cells)
        since = self.happened if last is None else self.happened[self.happened.index(last) + 1 :]
        gone = sum(h.plants for h in since if h.kind == Kind.PLANTED)
        return max(0, min(self.balance.standing, filled - gone))

    @property
    def crowded(self) -> bool:
        """Whether seedlings share a cell: those left behind when others were pricked out are not planted first."""
        return bool(self.sowing.cells) and self.balance.standing > len(self.sowing.cells)


def line_of(sowing: Sowing, happened: Sequence[Happening]) -> Line:
    return Line(sowing, balance_of(sowing, happened), tuple(happened))


@dataclass(frozen=True)
class EntryBook:
    entry: Entry
    lines: tuple[Line, ...]

    @cached_property
    def whole(self) -> Balance:
        """The entry's balance over all its sowings; seedlings pricked out are counted once."""
        moved = sum(line.sowing.seeds for line in self.lines if line.sowing.parent_id)
        return together([line.balance for line in self.lines], moved)

    @property
    def accidents(self) -> int:
        return self._lost(Happening.Whose.ACCIDENT)

    @property
    def weaknesses(self) -> int:
        return self._lost(Happening.Whose.WEAKNESS)

    @property
    def other_losses(self) -> int:
        return self._lost("")

    def _lost(self, whose: str) -> int:
        return sum(h.plants for line in self.lines for h in line.happened if h.kind == Kind.LOST and h.whose == whose)

    @cached_property
    def counts(self) -> tuple[Counts, ...]:
        """How its first sowings came up, a row for each tray or plot: what was new on each day of counting."""
        return tuple(_counts(self.entry.code, line) for line in self.lines if not line.sowing.again and not line.sowing.parent_id)


def _counts(code: str, line: Line) -> Counts:
    newly: dict[int, int] = defaultdict(int)
    before = 0
    for n, h in enumerate(line.happened):
        day = (h.on - line.sowing.session.on).days
        if h.kind == Kind.NOT_UP or day < 1:
            continue
        up = balance_of(line.sowing, line.happened[: n + 1]).came_up
        newly[day] += up - before
        before = up
    days = sorted(newly)
    tray = f"tray {line.sowing.tray_id}" if line.sowing.tray_id else ""
    return Counts(code, tuple(map(float, days)), tuple(newly[d] for d in days), line.sowing.seeds, tray)


def book_of(trial: Trial) -> list[EntryBook]:
    """Every entry of a trial, in the order of codes, also those of which nothing is sown yet."""
    return books_of([trial])[trial.pk]


def books_of(trials: Sequence[Trial]) -> dict[int, list[EntryBook]]:
    """The same of some trials, by trial id; three statements for any number of them."""
    sowings = sowings_of(trials)
    happened = happenings_of(sowings)
    lines: dict[int, list[Line]] = defaultdict(list)
    for sowing in sowings:
        lines[sowing.entry_id].append(line_of(sowing, happened[sowing.pk]))
    books: dict[int, list[EntryBook]] = {trial.pk: [] for trial in trials}
    for entry in Entry.objects.filter(trial__in=trials).select_related("cultivar__crop"):
        books[entry.trial_id].append(EntryBook(entry, tuple(lines[entry.pk])))
    return books


@dataclass(frozen=True)
class Planted:
    """Plants that went into a plot: how many, when, whether late, and from where."""

    plot_id: int
    plants: int
    on: date
    late: bool
    sowing: Sowing | None
    source: str
    bought: int = 0  # the key of plants that were bought
    age_days: int | None = None  # from sowing to planting; of bought plants as their supplier states, None where nobody said


def planted_in(trial: Trial) -> list[Planted]:
    """Everything that was planted in a trial's plots, bought plants too."""
    rows = Happening.objects.in_force().filter(sowing__entry__trial=trial, kind=Kind.PLANTED, plot__isnull=False)
    made = [
        Planted(h.plot_id or 0, h.plants, h.on, h.late, h.sowing, str(h.sowing.tray or ""), age_days=(h.on - h.sowing.sown_on).days)
        for h in rows.select_related("sowing__tray", "sowing__session", "sowing__lot", "sowing__parent__session")
    ]
    bought = BoughtIn.objects.in_force().filter(plot__trial=trial)
    return made + [Planted(b.plot_id, b.plants, b.on, False, None, f"bought, {b.source}", b.pk, b.age_days) for b in bought]
