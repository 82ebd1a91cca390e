"""What is done to plots: how much on each, by whom, for how long it keeps people and harvest away, and when it is due again."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta

from django.db import transaction
from django.db.models import Max
from django.urls import reverse
from django.utils import timezone

from evarlo.events.models import Care
from evarlo.people.models import User
from evarlo.trials.deeds import record
from evarlo.trials.holds import plots_in_words
from evarlo.trials.laying import fixed_or_refused
from evarlo.trials.models import Plot, Trial
from evarlo.trials.queries import plots_of
from evarlo.trials.registry import DiaryLine, Due, Pin
from evarlo.ui.refused import Refused
from trialcore.reckoning.fairness import Fact
from trialcore.reckoning.withholding import Held, Interval, held, next_times, pick_from

MOST = 2000
Kind = Care.Kind
LABELLED = (Kind.SPRAY,)  # kinds for which there is a label to be read
JUDGED = (Kind.SPRAY, Kind.FEED, Kind.INOCULANT)  # kinds that organic growing permits or not
CAUTIONS = {
    Kind.SPRAY: "Follow the product's label and local rules: dose, protective equipment, weather, re-entry and harvest intervals, "
    "and a licensed person where one is required. No home-made or off-label mixtures.",
    Kind.FEED: "Wear gloves and keep dust out of eyes and lungs. Manure and compost stay clear of what is eaten raw: local rules "
    "say for how long.",
    Kind.MULCH: "Damp mulch and compost raise spores: wet it down, and wear a mask where it is dusty.",
    Kind.PRUNING: "Blades: gloves and eye protection, clean them between plots so that they carry no disease.",
    Kind.SUPPORT: "Mind your eyes among stakes, and tall supports in wind.",
    Kind.COVER: "Covered houses overheat: open them before working inside, and work in the cool hours.",
    Kind.EARTHING: "Bend your knees, not your back, and take turns.",
}


@dataclass(frozen=True)
class Done:
    """An intervention as somebody writes it down: `amount` in `unit` is that of each plot."""

    kind: str
    what: str
    done_at: datetime
    amount: float | None = None
    unit: str = ""
    entry_hours: float = 0.0
    pick_days: int = 0
    organic: bool = False
    every_days: int | None = None
    note: str = ""
    label_read: bool = False
    sure: bool = False  # it was done although the trial is set to organic only


def standing(trial: Trial) -> list[Care]:
    """What was done and not taken back, each with its plots and who did it."""
    some = trial.care.in_force().select_related("by").prefetch_related("plots")
    return trial.once("care", lambda: list(some))


@transaction.atomic
def keep_care(trial: Trial, plots: Sequence[Plot], done: Done, by: User, now: datetime) -> Care:
    """Write down what was done to some plots. Raises Refused for a time to come, no plots, a product whose label was not read,
    an amount without its unit, or (once) for what the trial's setting does not permit."""
    if done.done_at > now:
        raise Refused(f"{timezone.localtime(done.done_at):%-d %b %Y, %H:%M} is in the future. Record it once it is done.", "on")
    fixed_or_refused(trial, "plots")
    if not plots:
        raise Refused("Nothing was chosen. Expected the plots to which it was done.", "plots")
    if done.amount is not None and not done.unit.strip():
        raise Refused("Nothing was typed. Expected the unit of the amount, such as g or ml.", "unit")
    if done.kind in LABELLED and not done.label_read:
        raise Refused("Read the label first, and tick that its intervals were taken from it.", "label_read")
    if trial.organic_only and done.kind in JUDGED and not (done.organic or done.sure):
        raise Refused(
            "This trial is set to organic only. Tick that organic growing permits it, or that it was done anyway.", "organic"
        )
    if trial.care.count() >= MOST:
        raise Refused(f"A trial holds {MOST} interventions at most.", "what")
    made = Care.objects.create(
        trial=trial,
        kind=done.kind,
        what=done.what.strip(),
        amount=done.amount,
        unit=done.unit.strip(),
        done_at=done.done_at,
        entry_hours=done.entry_hours,
        pick_days=done.pick_days,
        organic=done.organic,
        every_days=done.every_days,
        note=done.note.strip(),
        by=by,
        at=timezone.now(),
    )
    made.plots.set(plots)
    trial.read_anew()
    return made


@transaction.atomic
def withdraw_care(made: Care, by: User) -> None:
    """It was not done after all, or written down wrongly: it holds nothing back any more and stays on record, struck out."""
    Care.objects.in_force().filter(pk=made.pk).update(withdrawn_at=timezone.now(), withdrawn_by=by)
    made.trial.read_anew()


@transaction.atomic
def set_organic(trial: Trial, only: bool, by: User) -> None:
    """Whether the trial takes only what organic growing permits."""
    if trial.organic_only != only:
        Trial.objects.filter(pk=trial.pk).update(organic_only=only)
        record(trial, by, "Only what organic growing permits." if only else "Any labelled product.")


def interval(made: Care) -> Interval:
    return Interval(made.what, timezone.localtime(made.done_at), made.entry_hours, made.pick_days)


def held_plots(trial: Trial, now: datetime) -> dict[int, Held]:
    """The plots (by id) that nobody enters, or nothing is picked from, at `now`."""
    last = now - timedelta(days=400)
    some = [made for made in standing(trial) if made.done_at >= last and (made.entry_hours or made.pick_days)]
    on: dict[int, list[Interval]] = defaultdict(list)
    for made in some:
        for plot in made.plots.all():
            on[plot.pk].append(interval(made))
    local = timezone.localtime(now)
    found = {plot: held(some, local) for plot, some in on.items()}
    return {plot: h for plot, h in found.items() if h.entry_until or h.pick_from}


def held_days(trial: Trial) -> dict[int, list[tuple[date, date]]]:
    """From which day to before which other each plot (by id) was not to be picked, for what was done to it."""
    found: dict[int, list[tuple[date, date]]] = defaultdict(list)
    for made in standing(trial):
        if made.pick_days:
            for plot in made.plots.all():
                found[plot.pk].append((timezone.localdate(made.done_at), pick_from(interval(made))))
    return found


def not_before(plot: Plot, on: date) -> tuple[date, str] | None:
    """The first day on which a plot may be picked, when that is after `on`, and what asks for it."""
    found = [(pick_from(interval(made)), made.what) for made in plot.care.in_force().filter(pick_days__gt=0, done_at__date__lte=on)]
    latest = max(found, default=None)
    return latest if latest and latest[0] > on else None


def marks(trial: Trial) -> Iterable[str]:
    """What was done to some plots only, for every comparison; and what the trial's setting does not permit."""
    every = len(plots_of(trial))
    for made in standing(trial):
        plots = [p.number for p in made.plots.all()]
        day = timezone.localtime(made.done_at)
        if len(plots) < every:
            yield f"{made.what} on {day:%-d %b %Y}: {plots_in_words(plots)} only."
        if trial.organic_only and made.kind in JUDGED and not made.organic:
            yield f"{made.what} on {day:%-d %b %Y}: not permitted in organic growing, to which the trial is set."


def facts(trial: Trial) -> Iterable[Fact]:
    """For the fairness audit: who had what done, plot by plot."""
    for made in standing(trial):
        on = {p.pk for p in made.plots.all()}
        about = f"Care: {made.what}, {timezone.localtime(made.done_at):%-d %b}"
        for p in plots_of(trial):
            yield Fact(about, p.entry.code, "done" if p.pk in on else "not done")
            if p.pk in on:
                yield Fact(f"Person, {made.get_kind_display()}", p.entry.code, str(made.by))


def diary(plot: Plot, _names: bool) -> Iterable[DiaryLine]:
    for made in plot.care.select_related("by"):
        day = timezone.localtime(made.done_at)
        amount = f", {made.amount:g} {made.unit}" if made.amount is not None else ""
        until = f" Not to be picked before {pick_from(interval(made)):%-d %b}." if made.pick_days else ""
        text = f"{made.get_kind_display().capitalize()}: {made.what}{amount}.{until} {made.note}".strip()
        yield DiaryLine(day.date(), text, str(made.by), 4, made.withdrawn_at is not None)


def pins(trial: Trial) -> Iterable[Pin]:
    for made in standing(trial):
        day = timezone.localtime(made.done_at).date()
        yield Pin(day, f"{made.what}, {day:%-d %b}")


def due(today: date) -> Iterable[Due]:
    """Repeats that are due within a week, each counted from the last time that the same was done."""
    since = timezone.now() - timedelta(days=200)
    rows = Care.objects.in_force().filter(trial__decided_at__isnull=True, done_at__gte=since).select_related("trial")
    last: dict[tuple[int, str], Care] = {}
    for made in rows.order_by("done_at"):
        last[made.trial_id, made.what.casefold()] = made
    for made in last.values():
        if not made.every_days:
            continue
        day = timezone.localtime(made.done_at).date()
        again = next_times(day, made.every_days, [], today + timedelta(days=7))
        if again:
            yield Due(
                "Do",
                made.what,
                made.trial,
                f"every {made.every_days} days",
                again,
                reverse("events:care", args=[made.trial.slug]),
            )


def cared(trial_ids: Sequence[int]) -> dict[tuple[int, str], date]:
    """The last day of each kind of care in some trials, by trial id and kind."""
    rows = Care.objects.in_force().filter(trial__in=trial_ids).order_by().values_list("trial", "kind")
    return {(trial, kind): timezone.localtime(last).date() for trial, kind, last in rows.annotate(last=Max("done_at"))}
