"""Planting: the plants that are fit against those needed, ways out of a shortage, and which plants go into which plot."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Container, Mapping, Sequence
from dataclasses import dataclass
from datetime import date

from django.db import transaction
from django.utils import timezone

from evarlo.nursery.book import EntryBook, Line, Planted, book_of, planted_in
from evarlo.nursery.models import BoughtIn, Happening, RaisingRule, Step
from evarlo.nursery.queries import root_bound
from evarlo.nursery.raising import keep_rule, rule_of
from evarlo.nursery.services import keep_step
from evarlo.people.models import User
from evarlo.trials.deeds import record
from evarlo.trials.leaving_out import exclude_plot
from evarlo.trials.models import Cause, Entry, Plot, Trial
from evarlo.trials.queries import left_out
from evarlo.ui.refused import Refused, only_done
from evarlo.ui.words import counted
from trialcore.reckoning.balance import Kind
from trialcore.reckoning.shortage import Choice, Way, ways_out

THIN_WAYS = (Way.THINNER_PLOTS, Way.LATER)  # in which an entry's plots get what there is


@dataclass(frozen=True)
class Fit:
    """One entry: plants fit for planting, those its plots still need, and what is planted already."""

    entry: Entry
    name: str
    fit: int
    needed: int
    planted: int
    reserve: int
    plots: int
    way: str

    @property
    def short(self) -> int:
        return max(0, self.needed - self.fit)

    @property
    def surplus(self) -> int:
        """Plants beyond what the plots and the reserve take."""
        return max(0, self.fit - self.needed - self.reserve)

    @property
    def going(self) -> int:
        """Plants that may go into plots: what is held back stays."""
        return max(0, min(self.needed, self.fit - self.reserve))


def units_of(line: Line, rule: RaisingRule) -> int:
    """What one sowing gives to plant: one of each cell, unless those too many are pricked out and kept."""
    return line.balance.standing if rule.surplus == RaisingRule.Surplus.PRICK else line.units


def units_a_plot(trial: Trial, rule: RaisingRule, entry: Entry) -> int:
    """How many are planted into a plot of an entry: as planned, or as few as was agreed for all."""
    planned = units_planned(trial, rule, entry)
    return min(rule.plants, planned) if rule.plants and entry.in_row_cm else rule.plants or planned


def units_planned(trial: Trial, rule: RaisingRule, entry: Entry) -> int:
    """How many plants are planted into a plot one by one; plugs, where several plants are raised and set out together."""
    spacing = trial.spacing_of(entry)
    if spacing is None:
        return 0
    return spacing.stations if plants_of_a_unit(trial, rule) > 1 else spacing.plants


def units_in(trial: Trial, rule: RaisingRule) -> list[int]:
    """The numbers that go into plots, the fewest first: one, but where the spacing of entries differs."""
    return sorted({units_a_plot(trial, rule, e) for e in trial.named_entries})


def plants_of_a_unit(trial: Trial, rule: RaisingRule) -> int:
    """The plants of what is planted as one: those of a station in a plug that is kept whole, else one."""
    return trial.per_station if rule.surplus == RaisingRule.Surplus.WHOLE else 1


def fits(trial: Trial, books: Sequence[EntryBook], names: Mapping[int, str], rule: RaisingRule) -> list[Fit]:
    """Every entry's plants against its plots, in the order of codes."""
    out = left_out([trial])
    planted: dict[int, int] = defaultdict(int)
    for p in planted_in(trial):
        planted[p.plot_id] += p.plants
    plots: dict[int, list[Plot]] = defaultdict(list)
    for plot in trial.plots.all():
        if plot.pk not in out:
            plots[plot.entry_id].append(plot)
    made = []
    for book in books:
        here = plots[book.entry.pk]
        a_plot = units_a_plot(trial, rule, book.entry)
        lacking = sum(a_plot for p in here if not planted[p.pk])
        fit = sum(units_of(line, rule) for line in book.lines)
        there = sum(planted[p.pk] for p in here)
        way = rule.ways.get(book.entry.code, "")
        made.append(
            Fit(
                book.entry,
                names.get(book.entry.pk, book.entry.code),
                fit,
                lacking,
                there,
                rule.held(book.entry.code),
                len(here),
                way,
            )
        )
    return made


def choices_for(trial: Trial, found: Sequence[Fit], short: Fit) -> list[Choice]:
    """The ways out of one entry's shortage, with what each does to what the trial tells apart."""
    available = {f.entry.code: f.fit for f in found if f.plots}
    a_plot = units_planned(trial, rule_of(trial), short.entry) or 1
    return ways_out(available, short.entry.code, a_plot, max(2, short.plots), trial.cv_percent, max(2, len(available)))


@transaction.atomic
def choose_way(
    trial: Trial, entry: Entry, way: str, by: User, today: date, cause: str = "", source: str = "", age: int | None = None
) -> str:
    """Take one way out of a shortage, or go back to as planned; what was done, in words. It is on record with the trial.

    Raises Refused for a way that is none, fewer plots without the cause of the loss, or bought plants without a source.
    """
    trial = Trial.objects.select_for_update().get(pk=trial.pk)
    rule = rule_of(trial)
    found = fits(trial, book_of(trial), {}, rule)
    short = next(f for f in found if f.entry.pk == entry.pk)
    choice = next((c for c in choices_for(trial, found, short) if c.way == way), None)
    if choice is None or (way == Way.AS_PLANNED and not short.way):
        raise Refused("Choose one of the ways.", "way")
    if way == Way.AS_PLANNED:
        left = {code: w for code, w in rule.ways.items() if code != entry.code}
        fewer = rule.plants if Way.FEWER_A_PLOT in left.values() else None
        keep_rule(trial, today, ways=left, plants=fewer)
        record(trial, by, f"{entry.code}: back to as planned.")
        return "it is to be planted as planned"
    ways = {**rule.ways, entry.code: way}
    match choice.way:
        case Way.FEWER_A_PLOT:
            keep_rule(trial, today, plants=choice.plants, ways=ways)
            said = f"every plot gets {counted(choice.plants, 'plant')}"
        case Way.FEWER_BLOCKS:
            if cause not in (Cause.ACCIDENT, Cause.FAILED):
                raise Refused("Say whether an accident or the cultivar is why plants are short.", "cause")
            lost = _unplanted(trial, entry)[choice.plots :]
            for plot in lost:
                exclude_plot(plot, cause, f"No plants: {short.fit} of {short.needed} were fit", today, by)
            keep_rule(trial, today, ways=ways)
            said = f"it stands on {counted(choice.plots, 'plot')}; {', '.join(p.number for p in lost)} left out"
        case Way.BOUGHT:
            if not source.strip():
                raise Refused("Say where the plants come from.", "source")
            said = _buy_in(trial, entry, short, source.strip(), age, by, today)
            keep_rule(trial, today, ways=ways)
        case _:
            keep_rule(trial, today, ways=ways)
            said = "its plots get what there is" + (", and their gaps are filled later" if way == Way.LATER else "")
    record(trial, by, f"{entry.code}: {short.fit} of {short.needed} plants are fit, so {said}."[:300])
    return said


def _unplanted(trial: Trial, entry: Entry) -> list[Plot]:
    done, out = {p.plot_id for p in planted_in(trial)}, left_out([trial])
    return [p for p in trial.plots.filter(entry=entry) if p.pk not in done | out]


def _buy_in(trial: Trial, entry: Entry, short: Fit, source: str, age: int | None, by: User, today: date) -> str:
    """Plots that its own plants do not fill are planted with bought ones throughout: no plot holds both."""
    a_plot = units_planned(trial, rule_of(trial), entry)
    plots = _unplanted(trial, entry)
    own = short.fit // a_plot if a_plot else 0
    now = timezone.now()
    bought = plots[own:]
    BoughtIn.objects.bulk_create(
        BoughtIn(plot=p, source=source[:60], plants=a_plot, age_days=age, on=today, by=by, at=now) for p in bought
    )
    keep_step(trial, Step.PLANTED, today, bought, by, today)
    return f"plots {', '.join(p.number for p in bought)} get {a_plot} bought plants each from {source}"


@dataclass(frozen=True)
class Portion:
    """Plants of one sowing that go into one plot."""

    plot: Plot
    line: Line
    plants: int


def allocate(
    trial: Trial, plots: Sequence[Plot], books: Sequence[EntryBook], rule: RaisingRule, bound: Container[int] = ()
) -> list[Portion]:
    """Which plants go into which of `plots`, none of them planted yet: an entry's first sowing before its second, tray by tray
    along the path, so that blocks differ in tray and entries do not; those of trays that are root-bound (`bound`) last.

    Raises Refused, naming the entry, where plants lack and no way out was chosen that lets plots be thinner.
    """
    if not all(units_a_plot(trial, rule, book.entry) for book in books):
        raise Refused("No plant fits a plot as planned, so none can be allotted.")
    by_entry: dict[int, list[Plot]] = defaultdict(list)
    for plot in plots:
        by_entry[plot.entry_id].append(plot)
    made: list[Portion] = []
    for book in books:
        here = by_entry[book.entry.pk]
        if not here:
            continue
        lines = sorted(book.lines, key=lambda x: (x.sowing.again, x.sowing.tray_id in bound, x.crowded, x.sowing.pk))
        left = {line.sowing.pk: units_of(line, rule) for line in lines}
        a_plot = units_a_plot(trial, rule, book.entry)
        there, wanted = sum(left.values()), a_plot * len(here)
        hold_back(left, rule.held(book.entry.code))
        if there < wanted and rule.ways.get(book.entry.code) not in THIN_WAYS:
            code = book.entry.code
            raise Refused(
                f"{code} has {there} plants fit for planting; these plots need {wanted}. See the shortage bench.", "plots"
            )
        for n, plot in enumerate(here):
            share = min(a_plot, -(-sum(left.values()) // (len(here) - n)))
            portions = _from(lines, left, plot, share)
            if sum(p.plants for p in portions) < share and rule.ways.get(book.entry.code) not in THIN_WAYS:
                raise Refused(f"{book.entry.code} has too few plants that were sown for {plot.level}.", "plots")
            made += portions
    return made


def hold_back(left: dict[int, int], held: int) -> None:
    """Take the plants that are held back out of what is left, from the last sowings first."""
    for sowing in reversed(left):
        kept = min(held, left[sowing])
        left[sowing] -= kept
        held -= kept


@transaction.atomic
def release_reserve(trial: Trial, code: str, why: str, by: User, today: date) -> int:
    """Hold an entry's plants back no longer, with the reason on record; how many that are. Raises Refused without a reason, or
    where nothing of it is held back."""
    trial = Trial.objects.select_for_update().get(pk=trial.pk)
    rule = rule_of(trial)
    held = rule.held(code)
    if not held or not trial.entries.filter(code=code).exists():
        raise Refused("Nothing of that entry is held back.", "code")
    if not why.strip():
        raise Refused("Nothing was typed. Expected why they are released.", "why")
    keep_rule(trial, today, released={**rule.released, code: why.strip()[:200]})
    record(trial, by, f"{code}: {counted(held, 'plant')} released that were held back: {why.strip()}"[:300])
    return held


def _from(lines: Sequence[Line], left: dict[int, int], plot: Plot, wanted: int) -> list[Portion]:
    """Take plants for one plot, those sown for its level only into plots of that level."""
    made = []
    for line in lines:
        if line.sowing.level and line.sowing.level != plot.level:
            continue
        take = min(wanted, left[line.sowing.pk])
        if take > 0:
            left[line.sowing.pk] -= take
            wanted -= take
            made.append(Portion(plot, line, take))
    return made


@transaction.atomic
def plant(trial: Trial, plots: Sequence[Plot], on: date, by: User, today: date, bound_too: bool = False) -> list[Portion]:
    """Plant what is fit into plots that are not planted yet. Raises Refused as `allocate` and `keep_step`, and for plants of a
    tray that is root-bound unless those are to go in too."""
    trial = Trial.objects.select_for_update().get(pk=trial.pk)
    done = {p.plot_id for p in planted_in(trial)}
    books = book_of(trial)
    bound = root_bound({x.sowing.tray_id for b in books for x in b.lines if x.sowing.tray_id}, on)
    portions = allocate(trial, [p for p in plots if p.pk not in done], books, rule_of(trial), bound)
    going = list(dict.fromkeys(str(p.line.sowing.tray) for p in portions if p.line.sowing.tray_id in bound))
    if going and not bound_too:
        raise Refused(
            f"Plants of {', '.join(going[:6])} would go in, and those are root-bound: pot them on first and plant a little later, "
            "or loosen their roots and say so here.",
            "bound",
        )
    keep_step(trial, Step.PLANTED, on, list({p.plot.pk: p.plot for p in portions}.values()), by, today)
    now = timezone.now()
    Happening.objects.bulk_create(
        Happening(sowing=p.line.sowing, kind=Kind.PLANTED, plants=p.plants, plot=p.plot, on=on, by=by, at=now) for p in portions
    )
    return portions


@transaction.atomic
def fill_gap(plot: Plot, plants: int, on: date, by: User, today: date) -> int:
    """Plant into gaps of a plot from what is left of its entry, marked as late; how many. Raises Refused where none are left, or
    more would stand there than has room."""
    trial = plot.trial
    rule = rule_of(trial)
    room = units_planned(trial, rule, plot.entry) - sum(p.plants for p in planted_in(trial) if p.plot_id == plot.pk and p.late)
    if not 1 <= plants <= room:
        raise Refused(f"Expected from 1 to {max(1, room)} plants.", "plants")
    only_done(on, today)
    book = next(b for b in book_of(trial) if b.entry.pk == plot.entry_id)
    lines = sorted(book.lines, key=lambda x: (not x.sowing.again, x.sowing.pk))
    left, held = {line.sowing.pk: units_of(line, rule) for line in lines}, rule.held(plot.entry.code)
    hold_back(left, held)
    portions = _from(lines, left, plot, plants)
    if sum(p.plants for p in portions) < plants:
        more = f" and {held} held back, which can be released" if held else ""
        said = f"{plot.entry.code} has only {counted(sum(p.plants for p in portions), 'plant')} left{more}."
        raise Refused(said, "plants")
    now = timezone.now()
    Happening.objects.bulk_create(
        Happening(sowing=p.line.sowing, kind=Kind.PLANTED, plants=p.plants, plot=plot, late=True, on=on, by=by, at=now)
        for p in portions
    )
    return plants


def planted_by_plot(found: Sequence[Planted]) -> dict[int, list[Planted]]:
    by_plot: dict[int, list[Planted]] = defaultdict(list)
    for p in found:
        by_plot[p.plot_id].append(p)
    return by_plot
