"""Frost, hail and other mishaps: which plots were reached, how they are judged, and whether it was an accident or a weakness."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from django.db import transaction
from django.urls import reverse
from django.utils import timezone

from evarlo.catalogue.models import Trait
from evarlo.databases.marks import of_its_trial
from evarlo.events.models import Event, Hit
from evarlo.events.plants import Lives, lives_of, marks_by_plot
from evarlo.events.rules import KEEP, PULL, Rule, check_rule, reason_in_words, rule_in_words, rule_of, ruled
from evarlo.grounds.weather import record_of
from evarlo.nursery.models import StationMark
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
WORDS = {
    "frost": "Frost down to {:.1f} °C",
    "heat": "Heat up to {:.1f} °C",
    "flood": "{:.0f} mm of rain in a day",
    "drought": "{:.0f} days without rain",
}


@dataclass(frozen=True)
class HitLine:
    """A plot that was reached: its damage and recovery in percent, what the rule says of it, and what became of its plants
    where they were looked at."""

    hit: Hit
    damage: float | None
    recovery: float | None
    ruled: str
    lives: Lives | None = None


@dataclass(frozen=True)
class EventLine:
    event: Event
    hits: tuple[HitLine, ...]
    rule_open: bool  # it may still be written: nobody has looked

    @property
    def undecided(self) -> int:
        return sum(not h.hit.called for h in self.hits)

    def by_rule(self, ruling: str) -> list[HitLine]:
        """The plots that nobody judged yet and of which the rule says this."""
        return [h for h in self.hits if not h.hit.called and h.ruled == ruling]

    @property
    def toll(self) -> dict[int, tuple[int, int]]:
        """By entry: how many of the plots it has here the rule would leave out, where it would leave out any."""
        pulled = Counter(h.hit.plot.entry_id for h in self.by_rule(PULL))
        here = Counter(h.hit.plot.entry_id for h in self.hits)
        return {entry: (n, here[entry]) for entry, n in pulled.items()}


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
    trial: Trial,
    kind: str,
    on: date,
    note: str,
    plots: Sequence[Plot],
    recover_days: int | None,
    rule: Rule,
    by: User,
    today: date,
    by_plants: bool = False,
) -> Event:
    """Write down an event with the plots it reached, and put on the calendar when damage and recovery are scored there; judged
    `by_plants` nothing is scored, and which of them live is marked at their stations.

    Raises Refused for a day to come or before sowing, for no plots, a layout that is not fixed, plants whose stations are not
    known, or a rule on recovery that is never scored.
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
    check_rule(rule, recover_days)
    if by_plants and trial.spacing is None:
        raise Refused("Which plants live can be marked where rows and distances give each its station.", "judged")
    ids = [p.pk for p in plots]
    damage = recovery = None
    if not by_plants:
        damage = plan_round(trial, Trait.objects.get(key="damage"), today, ids)
    if recover_days and not by_plants:
        recovery = plan_round(trial, Trait.objects.get(key="recovery"), on + timedelta(days=recover_days), ids)
    made = Event.objects.create(
        trial=trial,
        kind=kind,
        on=on,
        note=note.strip(),
        recover_days=recover_days,
        pull_over=rule.pull_over,
        unless_over=rule.unless_over,
        by_plants=by_plants,
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


def lines_of(trial: Trial) -> list[EventLine]:
    """The events with their plots, newest first, in a few statements."""
    events = standing(trial)
    hits: dict[int, list[Hit]] = defaultdict(list)
    for hit in Hit.objects.filter(event__in=events).select_related("plot__entry", "by"):
        hits[hit.event_id].append(hit)
    marks = marks_by_plot(trial) if any(e.by_plants for e in events) else {}
    today = timezone.localdate()
    return [_line(event, hits[event.pk], marks, today) for event in reversed(events)]


def _line(event: Event, hits: Sequence[Hit], marks: Mapping[int, Sequence[StationMark]], today: date) -> EventLine:
    rule = rule_of(event)
    damage, recovery = _scores(event.damage), _scores(event.recovery)
    lives: dict[int, Lives] = {}
    if event.by_plants:
        told = [(h.plot_id, lives_of(event, h, marks.get(h.plot_id, ()))) for h in hits]
        lives = {plot: found for plot, found in told if found}
        damage = {plot: found.damage for plot, found in lives.items()}
        healed = event.recover_days is None or event.on + timedelta(days=event.recover_days) <= today
        recovery = {plot: found.recovery for plot, found in lives.items() if found.recovery is not None and healed}
    some = []
    for h in hits:
        d, r = damage.get(h.plot_id), recovery.get(h.plot_id)
        some.append(HitLine(h, d, r, ruled(rule, d, r), lives.get(h.plot_id)))
    return EventLine(event, tuple(some), not damage)


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
def follow_rule(event: Event, by: User, today: date) -> tuple[list[HitLine], list[HitLine]]:
    """Do what the rule says of the plots that nobody judged yet: those to be pulled are left out of every comparison, the others
    count; which, each with its figures as the reason. Raises Refused while the rule says nothing of any."""
    line = next(x for x in lines_of(event.trial) if x.event.pk == event.pk)
    pulled, kept = line.by_rule(PULL), line.by_rule(KEEP)
    if not pulled and not kept:
        raise Refused("The rule says nothing yet of a plot that is not judged: score the damage first.")
    rule = rule_of(event)
    for some, called in ((pulled, Hit.Called.ACCIDENT), (kept, Hit.Called.KEPT)):
        for h in some:
            call([h.hit], called, reason_in_words(rule, h.damage, h.recovery), by, today)
    done = f"{counted(len(pulled), 'plot')} left out, {counted(len(kept), 'plot')} kept"
    record(event.trial, by, f"{event}: the rule was followed; {done}.")
    return pulled, kept


@transaction.atomic
def looked_at(hits: Sequence[Hit], by: User, today: date) -> None:
    """Somebody looked at every plant of these plots: what is not marked at its station is unhurt."""
    Hit.objects.filter(pk__in=[h.pk for h in hits]).update(looked_on=today, by=by, at=timezone.now())


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
    ("kept", "kept by the rule and counted"),
    ("", "not judged yet, counted so far"),
)


@of_its_trial
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
    """Plots for which nobody has said yet whether it was an accident, once they were scored; and plants to be looked at."""
    open_hits = Hit.objects.filter(called="", event__withdrawn_at__isnull=True, event__trial__decided_at__isnull=True)
    waiting: dict[int, list[Hit]] = defaultdict(list)
    for hit in open_hits.select_related("event__trial"):
        waiting[hit.event_id].append(hit)
    for hits in waiting.values():
        event = hits[0].event
        url = reverse("events:events", args=[event.trial.slug])
        by = event.on + timedelta(days=event.recover_days or 3)
        if by <= today + timedelta(days=7):
            yield Due("Judge", f"{event.get_kind_display()}, {event.on:%-d %b}", event.trial, counted(len(hits), "plot"), by, url)
        unseen, since = _unseen(event, hits, today) if event.by_plants else ([], event.on)
        if unseen:
            what = f"Which plants live after the {event.get_kind_display()}, {event.on:%-d %b}"
            yield Due("Walk", what, event.trial, counted(len(unseen), "plot"), since, url)


def _unseen(event: Event, hits: Sequence[Hit], today: date) -> tuple[list[Hit], date]:
    """Plots at whose plants nobody looked since the event, or since recovery was to show; and that day."""
    again = event.on + timedelta(days=event.recover_days) if event.recover_days else None
    since = again if again and again <= today else event.on
    marked = {plot for plot, marks in marks_by_plot(event.trial).items() if any(m.on >= since for m in marks)}
    return [h for h in hits if h.plot_id not in marked and not (h.looked_on and h.looked_on >= since)], since
