"""How a trial's entries come up, which fall behind, and whether one is to be sown again."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from evarlo.nursery.book import EntryBook, books_of
from evarlo.nursery.models import Happening
from evarlo.nursery.planting import units_a_plot
from evarlo.nursery.raising import rule_of
from evarlo.seeds.queries import Stock, stocks_by_cultivar
from evarlo.trials.models import NeedPlan, Plot, Trial
from evarlo.trials.needs import plan_of
from evarlo.trials.queries import left_out
from evarlo.trials.tasks import window_of
from trialcore.field.emergence import EntryEmergence, emergence
from trialcore.reckoning.balance import Kind
from trialcore.reckoning.resow import Resowing, resowing

WAIT = 14  # days within which what may still come is counted on
BELIEF = 20.0  # seeds' worth of trust in what a lot promises
LATE_BY = 14  # days after the planned planting by which plants from a second sowing have to be ready


@dataclass(frozen=True)
class Promise:
    """The share of seeds that should come up, and what it is made of: what germinates (of which `lot`, or assumed), and what of
    it makes a plant here, both in percent."""

    germination: float
    lot: str
    field_percent: float

    @property
    def share(self) -> float:
        return self.germination / 100 * self.field_percent / 100

    @property
    def in_words(self) -> str:
        """Each factor by itself: what the supplier states is not what comes up here."""
        by = f"by lot {self.lot}" if self.lot else "as is usual"
        here = f"{self.field_percent:g} % of those are reckoned to make a plant"
        return f"{100 * self.share:.0f} %: {self.germination:g} % germinate {by}, {here}"


@dataclass(frozen=True)
class Coming:
    """One entry: its book, how it came up (None before a count), and what to do about it."""

    book: EntryBook
    emergence: EntryEmergence | None
    needed: int
    resow: Resowing | None
    stock: int
    promised: Promise


def plants_needed(trials: Sequence[Trial]) -> dict[int, int]:
    """Plants that each entry of some trials needs for its plots, by entry id, with what was agreed; plots left out need none."""
    a_plot = {e.pk: units_a_plot(t, rule_of(t), e) for t in trials for e in t.named_entries}
    out = left_out(trials)
    needed: dict[int, int] = defaultdict(int)
    for pk, entry_id in Plot.objects.filter(trial__in=trials).values_list("pk", "entry_id"):
        needed[entry_id] += 0 if pk in out else a_plot[entry_id]
    return needed


def last_sowing(trial: Trial) -> tuple[date | None, str]:
    """The last day on which sowing again still makes plants in time, and why that day."""
    window = window_of(trial, None)
    age = trial.crop.profile.get("transplant_days")
    days: list[tuple[date, str]] = []
    if window.latest:
        days.append((window.latest, window.reasons[-1] if window.reasons else "the season ends"))
    if plan_of(trial).transplant and trial.plant_on and age:
        day = trial.plant_on + timedelta(days=LATE_BY - int(age[0]))
        days.append((day, f"plants of {age[0]:g} days, at most {LATE_BY} days after the others go out"))
    return min(days) if days else (None, "")


def coming_up(trial: Trial, books: Sequence[EntryBook], today: date) -> list[Coming]:
    """Every entry of a trial that was sown, in the order of codes."""
    return _coming(trial, books, plants_needed([trial]), _store(books, today), today)


def _store(books: Iterable[EntryBook], today: date) -> dict[int, list[Stock]]:
    """What is in stock of the entries that were sown, by cultivar id."""
    return stocks_by_cultivar(today.year, {b.entry.cultivar_id for b in books if b.lines})


def _coming(
    trial: Trial, books: Sequence[EntryBook], needed: Mapping[int, int], by_cultivar: Mapping[int, list[Stock]], today: date
) -> list[Coming]:
    sown = [(b, b.counts) for b in books if b.counts]
    plan = plan_of(trial)
    promised = {b.entry.code: _promised(b, by_cultivar.get(b.entry.cultivar_id, []), plan) for b, _ in sown}
    shares = {code: promise.share for code, promise in promised.items()}
    found = {e.entry: e for e in emergence([c for _, rows in sown for c in rows], shares)}
    last, _ = last_sowing(trial)
    made = []
    for book, counts in sown:
        days = [c.days[-1] for c in counts if c.days]
        told = found[book.entry.code] if days else None
        stock = sum(max(0, s.seeds) for s in by_cultivar.get(book.entry.cultivar_id, []))
        advice = None
        if told:
            comes = _still_comes(told, found.values(), max(days))
            share = _belief(book, promised[book.entry.code].share)
            whole = book.whole
            there = whole.standing + whole.left.get(Kind.PLANTED, 0)
            advice = resowing(needed.get(book.entry.pk, 0), there, whole.waiting, comes, stock, share, today, last)
        made.append(Coming(book, told, needed.get(book.entry.pk, 0), advice, stock, promised[book.entry.code]))
    return made


def _promised(book: EntryBook, known: Sequence[Stock], plan: NeedPlan) -> Promise:
    """Germination as tested, stated or assumed, and what makes it in the field."""
    lots = {line.sowing.lot_id for line in book.lines}
    used = [s for s in known if s.lot.pk in lots and s.germination] or [s for s in known if s.germination]
    if used and used[0].germination:
        return Promise(used[0].germination, used[0].lot.name, plan.field_percent)
    return Promise(plan.germination, "", plan.field_percent)


def _belief(book: EntryBook, promised: float) -> tuple[float, float]:
    """What is known of another sowing's share: the promise, worth twenty seeds, and how the first came up, without what an
    accident took."""
    whole = book.whole
    accident = sum(
        h.plants for x in book.lines for h in x.happened if h.kind == Kind.NOT_UP and h.whose == Happening.Whose.ACCIDENT
    )
    missed = max(0, whole.sown - whole.came_up - accident)
    return BELIEF * promised + whole.came_up + 0.5, BELIEF * (1 - promised) + missed + 0.5


def _still_comes(told: EntryEmergence, others: Iterable[EntryEmergence], day: float) -> float:
    """The chance that a seed which is not up comes within the wait; by the others' curves where its own says too little."""
    curve = told.curve
    if curve is None:
        curves = [o.curve for o in others if o.curve]
        curve = sorted(curves, key=lambda c: c.median_days)[len(curves) // 2] if curves else None
    if curve is None:
        return told.share
    now = curve.by(day)
    return (curve.by(day + WAIT) - now) / (1 - now) if now < 1 else 0.0


def to_sow_again(trials: Sequence[Trial], today: date) -> Iterable[tuple[Trial, list[Coming]]]:
    """Entries of some trials that are to be sown again and were not yet; a bounded number of statements for any number."""
    books, needed = books_of(trials), plants_needed(trials)
    store = _store((b for some in books.values() for b in some), today)
    for trial in trials:
        rows = _coming(trial, books[trial.pk], needed, store, today)
        again = [r for r in rows if r.resow and r.resow.seeds and not any(x.sowing.again for x in r.book.lines)]
        if again:
            yield trial, again
