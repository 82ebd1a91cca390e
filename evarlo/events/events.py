"""Frost, hail and other mishaps: which plots were reached, how they are judged, and whether it was an accident or a weakness."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from django.db import transaction
from django.urls import reverse
from django.utils import timezone

from evarlo.catalogue.models import Trait
from evarlo.events.models import Event, Hit
from evarlo.grounds.weather import record_of
from evarlo.nursery.queries import sown_on
from evarlo.people.models import User
from evarlo.trials.deeds import record
from evarlo.trials.laying import fixed_or_refused
from evarlo.trials.leaving_out import exclude_plot, is_left_out, lift_exclusion
from evarlo.trials.models import Cause, Plot, Trial
from evarlo.trials.registry import DiaryLine, Due, Pin
from evarlo.ui.refused import Refused, only_done
from evarlo.ui.words import counted
from evarlo.walks.models import Round
from evarlo.walks.queries import current
from evarlo.walks.services import plan_round
from trialcore.field.weather import Spell, spells

MOST_EVENTS = 100
KEEP, PULL, WAIT, NO_RULE = "keep", "pull", "wait", ""
WORDS = {
    "frost": "Frost down to {:.1f} °C",
    "heat": "Heat up to {:.1f} °C",
    "flood": "{:.0f} mm of rain in a day",
    "drought": "{:.0f} days without rain",
}


@dataclass(frozen=True)
class Rule:
    """A plot is left out of the comparison when its damage is over `pull_over` percent, unless its recovery comes to
    `unless_over` percent."""

    pull_over: float | None = None
    unless_over: float | None = None


@dataclass(frozen=True)
class HitLine:
    """A plot that was reached: its damage and recovery in percent, and what the rule says of it."""

    hit: Hit
    damage: float | None
    recovery: float | None
    ruled: str


@dataclass(frozen=True)
class EventLine:
    event: Event
    hits: tuple[HitLine, ...]
    rule_open: bool  # it may still be written: nobody has looked

    @property
    def undecided(self) -> int:
        return sum(not h.hit.called for h in self.hits)


def standing(trial: Trial) -> list[Event]:
    """The events of a trial that were not taken back."""
    return list(trial.events.in_force().select_related("by", "damage__trait", "recovery__trait"))


def proposals(trial: Trial, today: date) -> list[tuple[Spell, str]]:
    """What the record of the weather holds since the trial was sown that nobody has said anything of yet, newest first."""
    sown = sown_on(trial)
    if trial.bed is None or not sown:
        return []
    profile = trial.crop.profile
    cold = {"hardy": -6.0, "half-hardy": -2.0}.get(str(profile.get("frost", "")), 0.0)
    days = [d for d in record_of(trial.bed.site).since(min(sown.values())) if d.day <= today]
    heat = profile.get("heat_limit_c")
    found = spells(days, cold, float(heat) if heat else None)
    known = list(trial.events.values_list("kind", "on"))  # also those that were taken back: they were looked at
    fresh = [s for s in found if not any(k == s.kind and s.first - timedelta(1) <= on <= s.last + timedelta(1) for k, on in known)]
    return [(s, WORDS[s.kind].format(s.figure)) for s in reversed(fresh)]


@transaction.atomic
def keep_event(
    trial: Trial, kind: str, on: date, note: str, plots: Sequence[Plot], recover_days: int | None, rule: Rule, by: User, today: date
) -> Event:
    """Write down an event with the plots it reached, and put on the calendar when damage and recovery are scored there.

    Raises Refused for a day to come or before sowing, for no plots, a layout that is not fixed, or a rule on recovery that is
    never scored.
    """
    only_done(on, today)
    fixed_or_refused(trial, "plots")
    if not plots:
        raise Refused("Nothing was chosen. Expected the plots that it reached.", "plots")
    first = min((day for plot, day in sown_on(trial).items() if plot in {p.pk for p in plots}), default=None)
    if first and on < first:
        raise Refused(f"These plots were sown on {first:%-d %b %Y}, after that day.", "on")
    if trial.events.count() >= MOST_EVENTS:
        raise Refused(f"A trial holds {MOST_EVENTS} events at most.", "kind")
    _check_rule(rule, recover_days)
    ids = [p.pk for p in plots]
    damage = plan_round(trial, Trait.objects.get(key="damage"), today, ids)
    recovery = None
    if recover_days:
        recovery = plan_round(trial, Trait.objects.get(key="recovery"), on + timedelta(days=recover_days), ids)
    made = Event.objects.create(
        trial=trial,
        kind=kind,
        on=on,
        note=note.strip(),
        recover_days=recover_days,
        pull_over=rule.pull_over,
        unless_over=rule.unless_over,
        damage=damage,
        recovery=recovery,
        by=by,
        at=timezone.now(),
    )
    Hit.objects.bulk_create(Hit(event=made, plot=p) for p in plots)
    record(
        trial, by, f"{made}: {counted(len(plots), 'plot')}.{' ' + rule_in_words(rule) if rule.pull_over is not None else ''}"[:300]
    )
    return made


def _check_rule(rule: Rule, recover_days: int | None) -> None:
    if rule.unless_over is not None and rule.pull_over is None:
        raise Refused("Say first over how much damage a plot is left out.", "pull_over")
    if rule.unless_over is not None and not recover_days:
        raise Refused("Say after how many days recovery is scored.", "recover_days")


def rule_of(event: Event) -> Rule:
    return Rule(event.pull_over, event.unless_over)


def rule_in_words(rule: Rule) -> str:
    if rule.pull_over is None:
        return "No rule was written."
    unless = f", unless its recovery comes to {rule.unless_over:g} % or more" if rule.unless_over is not None else ""
    return f"A plot is left out of the comparison when its damage is over {rule.pull_over:g} %{unless}."


@transaction.atomic
def keep_rule(event: Event, rule: Rule, by: User) -> None:
    """Write the rule, or another one. Raises Refused once a plot was scored: a rule written then fits what was seen."""
    event = Event.objects.select_for_update().get(pk=event.pk)
    if event.damage and current(event.damage).exists():
        raise Refused("Damage was scored already. A rule written now would fit what was seen, so it stays as it is.", "pull_over")
    _check_rule(rule, event.recover_days)
    event.pull_over, event.unless_over = rule.pull_over, rule.unless_over
    event.save(update_fields=["pull_over", "unless_over"])
    record(event.trial, by, f"{event}: {rule_in_words(rule)}"[:300])


def ruled(rule: Rule, damage: float | None, recovery: float | None) -> str:
    """What the rule says of a plot: keep, pull, wait for a score, or nothing where there is none."""
    if rule.pull_over is None:
        return NO_RULE
    if damage is None:
        return WAIT
    if damage <= rule.pull_over:
        return KEEP
    if rule.unless_over is None:
        return PULL
    if recovery is None:
        return WAIT
    return KEEP if recovery >= rule.unless_over else PULL


def lines_of(trial: Trial) -> list[EventLine]:
    """The events with their plots, newest first, in a few statements."""
    events = standing(trial)
    hits: dict[int, list[Hit]] = defaultdict(list)
    for hit in Hit.objects.filter(event__in=events).select_related("plot__entry", "by"):
        hits[hit.event_id].append(hit)
    found = []
    for event in events:
        damage, recovery = _scores(event.damage), _scores(event.recovery)
        rule = rule_of(event)
        some = tuple(
            HitLine(h, damage.get(h.plot_id), recovery.get(h.plot_id), ruled(rule, damage.get(h.plot_id), recovery.get(h.plot_id)))
            for h in hits[event.pk]
        )
        found.append(EventLine(event, some, not damage))
    return list(reversed(found))


def _scores(walk: Round | None) -> dict[int, float]:
    rows = current(walk).filter(number__isnull=False).values_list("plot_id", "number") if walk else ()
    return {plot: float(number or 0) for plot, number in rows}


@transaction.atomic
def call(hits: Sequence[Hit], called: str, reason: str, by: User, today: date) -> None:
    """Say of some plots whether what is seen there is an accident, so that they are left out of every comparison, or a weakness
    of the cultivar, so that they count; or take that back. Raises Refused without a reason."""
    if called and not reason.strip():
        raise Refused("Say in a few words why: it stands beside every comparison.", "reason")
    for hit in Hit.objects.select_for_update().filter(pk__in=[h.pk for h in hits]).select_related("plot", "event", "exclusion"):
        if hit.exclusion and called != Hit.Called.ACCIDENT:
            lift_exclusion(hit.exclusion, by)
            hit.exclusion = None
        if called == Hit.Called.ACCIDENT and not is_left_out(hit.plot):
            hit.exclusion = exclude_plot(hit.plot, Cause.ACCIDENT, f"{hit.event}: {reason.strip()}"[:200], today, by)
        hit.called, hit.reason, hit.by, hit.at = called, reason.strip() if called else "", by, timezone.now()
        hit.save()


@transaction.atomic
def withdraw_event(event: Event, by: User) -> None:
    """Take an event back: plots it left out count again, and rounds that nobody began are closed. What was scored stays."""
    event = Event.objects.select_for_update().get(pk=event.pk)
    if event.withdrawn_at:
        return
    for hit in event.hits.select_related("exclusion"):
        if hit.exclusion:
            lift_exclusion(hit.exclusion, by)
    Round.objects.filter(pk__in=[event.damage_id, event.recovery_id], closed_at__isnull=True).update(closed_at=timezone.now())
    event.withdrawn_at, event.withdrawn_by = timezone.now(), by
    event.save(update_fields=["withdrawn_at", "withdrawn_by"])
    record(event.trial, by, f"{event}: taken back.")


@transaction.atomic
def did_nothing(trial: Trial, kind: str, on: date, by: User) -> None:
    """What the weather record proposes did no harm here: it is not proposed again."""
    now = timezone.now()
    Event.objects.create(trial=trial, kind=kind, on=on, note="did no harm", by=by, at=now, withdrawn_at=now, withdrawn_by=by)


CALLED = (
    ("accident", "judged an accident and left out"),
    ("weakness", "judged a weakness and counted"),
    ("", "not judged yet, counted so far"),
)


def marks(trial: Trial) -> Iterable[str]:
    """What every comparison has to say of events."""
    for line in lines_of(trial):
        parts = []
        for called, words in CALLED:
            some = [h.hit.plot.number for h in line.hits if h.hit.called == called]
            if some:
                parts.append(f"{', '.join(some[:6])}{f' and {len(some) - 6} more' if len(some) > 6 else ''} {words}")
        yield f"{line.event}: plot{'s' if len(line.hits) > 1 else ''} {'; '.join(parts)}."


def diary(plot: Plot, _names: bool) -> Iterable[DiaryLine]:
    for hit in plot.hits.select_related("event__by", "by"):
        gone = hit.event.withdrawn_at is not None
        note = f" {hit.event.note}." if hit.event.note else ""
        yield DiaryLine(hit.event.on, f"{hit.event.get_kind_display().capitalize()} reached it.{note}", str(hit.event.by), 4, gone)
        if hit.called and hit.at:
            text = f"{hit.event.get_kind_display().capitalize()}: called {hit.get_called_display()}. {hit.reason}"
            yield DiaryLine(timezone.localdate(hit.at), text, str(hit.by), 5, gone)


def pins(trial: Trial) -> Iterable[Pin]:
    for event in trial.events.in_force():
        yield Pin(event.on, f"{event.get_kind_display().capitalize()}, {event.on:%-d %b}", hurts=True)


def due(today: date) -> Iterable[Due]:
    """Plots for which nobody has said yet whether it was an accident, once they were scored."""
    open_hits = Hit.objects.filter(called="", event__withdrawn_at__isnull=True, event__trial__decided_at__isnull=True)
    waiting: dict[int, tuple[Event, int]] = {}
    for hit in open_hits.select_related("event__trial"):
        event, n = waiting.get(hit.event_id, (hit.event, 0))
        waiting[hit.event_id] = (event, n + 1)
    for event, n in waiting.values():
        by = event.on + timedelta(days=event.recover_days or 3)
        if by <= today + timedelta(days=7):
            url = reverse("events:events", args=[event.trial.slug])
            yield Due("Judge", f"{event.get_kind_display()}, {event.on:%-d %b}", event.trial, counted(n, "plot"), by, url)
