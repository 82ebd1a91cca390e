"""Events: what happened, which plots it reached, and what is decided of each."""

from __future__ import annotations

from datetime import date
from typing import Any

from django import forms
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_POST

from evarlo.events.events import (
    EventLine,
    HitLine,
    call,
    did_nothing,
    follow_rule,
    keep_event,
    lines_of,
    looked_at,
    proposals,
    withdraw_event,
)
from evarlo.events.models import Event, Hit
from evarlo.events.rules import Rule, keep_rule, rule_in_words, rule_of
from evarlo.events.words import lives_in_words, rule_acts_in_words
from evarlo.nursery.names import called
from evarlo.people.permissions import may
from evarlo.people.requests import PersonRequest
from evarlo.trials.choosing import PlotsField, groups_of
from evarlo.trials.frame import frame
from evarlo.trials.models import Trial
from evarlo.trials.views import trial_or_404
from evarlo.ui.fields import Day, Number, OwnIds, Words
from evarlo.ui.notice import say, warn
from evarlo.ui.refused import Refused, said_beside
from evarlo.ui.words import counted

JUDGED = [("", "a score of each plot"), ("plants", "which of its plants live")]


class RuleForm(OwnIds):
    unmarked: tuple[str, ...] = ("pull_over", "unless_over")
    pull_over = Number(label="Leave a plot out when its damage is over", low=0, high=100, unit="%", required=False)
    unless_over = Number(label="unless its recovery comes to", low=0, high=100, unit="%", required=False)

    def rule(self) -> Rule:
        return Rule(self.cleaned_data["pull_over"], self.cleaned_data["unless_over"])


class EventForm(RuleForm):
    unmarked = ("note", "judged", "recover_days", "pull_over", "unless_over")
    kind = forms.ChoiceField(label="What", choices=Event.Kind.choices)
    on = Day(label="Day", error_messages={"required": "Nothing was typed. Expected the day it happened."})
    note = Words(label="Note", most=200, required=False)
    judged = forms.ChoiceField(label="Judged by", choices=JUDGED, required=False)
    recover_days = Number(label="Look for recovery after", low=1, high=120, unit="days", whole=True, required=False)

    def __init__(self, trial: Trial, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields["plots"] = PlotsField(trial)
        if trial.spacing is None:
            del self.fields["judged"]


@may("see")
def events_page(request: PersonRequest, slug: str, form: EventForm | None = None, wrong: str = "") -> HttpResponse:
    trial, today = trial_or_404(slug), timezone.localdate()
    names = called(trial, request.user)
    given = {"kind": request.GET.get("kind"), "on": request.GET.get("on") or today.isoformat(), "recover_days": 14}
    lines = lines_of(trial)
    context = {
        "lines": [
            (x, _rows(x), rule_in_words(rule_of(x.event)), RuleForm(prefix=f"rule-{x.event.pk}"), rule_acts_in_words(x, names))
            for x in lines
        ],
        "names": names,
        "proposals": proposals(trial, today),
        "form": form or EventForm(trial, initial=given),
        "wrong": wrong,
        "opened": form is not None or "kind" in request.GET,
        "groups": groups_of(trial),
        "calls": [c for c in Hit.Called.choices if c[0] != Hit.Called.KEPT],
    }
    context |= frame(request, trial, "walk", layer="damage" if lines else "")
    return render(request, "events/events.html", context, status=422 if form or wrong else 200)


def _rows(line: EventLine) -> list[tuple[HitLine, str, float | None, float | None]]:
    """Each plot with its plants in words, and its damage and recovery to a tenth of a percent."""
    return [(h, lives_in_words(h.lives), _tenth(h.damage), _tenth(h.recovery)) for h in line.hits]


def _tenth(share: float | None) -> float | None:
    return None if share is None else round(share, 1)


@may("observe")
@require_POST
def new_event(request: PersonRequest, slug: str) -> HttpResponse:
    trial = trial_or_404(slug)
    form = EventForm(trial, request.POST)
    if form.is_valid():
        d = form.cleaned_data
        plots = list(trial.plots.filter(number__in=d["plots"]))
        with said_beside(form):
            today, by_plants = timezone.localdate(), d.get("judged") == "plants"
            made = keep_event(
                trial, d["kind"], d["on"], d["note"], plots, d["recover_days"], form.rule(), request.user, today, by_plants
            )
            now = "Mark now which plants are hurt, plot by plot" if by_plants else "Scoring their damage is on the calendar"
            say(request, f"{made} is kept, plots reached: {len(plots)}. {now}.")
            return redirect("events:events", slug)
    return events_page(request, slug, form)


def _event(slug: str, pk: int) -> Event:
    return get_object_or_404(Event.objects.in_force().select_related("trial"), trial__slug=slug, pk=pk)


@may("exclude")
@require_POST
def rule_act(request: PersonRequest, slug: str, pk: int) -> HttpResponse:
    form = RuleForm(request.POST, prefix=f"rule-{pk}")
    if not form.is_valid():
        return events_page(request, slug, wrong=str(next(iter(form.errors.values()))[0]))
    try:
        keep_rule(_event(slug, pk), form.rule(), request.user)
        say(request, rule_in_words(form.rule()))
    except Refused as refusal:
        return events_page(request, slug, wrong=str(refusal))
    return redirect("events:events", slug)


def _ticked(request: PersonRequest, event: Event) -> list[Hit]:
    wanted = [int(n) for n in request.POST.getlist("hit") if n.isdecimal() and len(n) < 15]
    return list(event.hits.filter(pk__in=wanted).select_related("plot"))


@may("exclude")
@require_POST
def follow_act(request: PersonRequest, slug: str, pk: int) -> HttpResponse:
    """What the rule says is done."""
    try:
        pulled, kept = follow_rule(_event(slug, pk), request.user, timezone.localdate())
    except Refused as refusal:
        return events_page(request, slug, wrong=str(refusal))
    say(request, f"By the rule: {counted(len(pulled), 'plot')} left out, {counted(len(kept), 'plot')} kept.")
    return redirect("events:events", slug)


@may("observe")
@require_POST
def looked_act(request: PersonRequest, slug: str, pk: int) -> HttpResponse:
    """The plots that were ticked are looked at: what is not marked there is unhurt."""
    hits = _ticked(request, _event(slug, pk))
    if not hits:
        return events_page(request, slug, wrong="Tick the plots that were looked at.")
    looked_at(hits, request.user, timezone.localdate())
    say(request, f"{', '.join(h.plot.number for h in hits[:8])}{' and more' if len(hits) > 8 else ''}: looked at.")
    return redirect("events:events", slug)


@may("exclude")
@require_POST
def judge_act(request: PersonRequest, slug: str, pk: int) -> HttpResponse:
    """Accident, weakness, or neither any more, for the plots that were ticked."""
    event = _event(slug, pk)
    hits = _ticked(request, event)
    as_called = request.POST.get("called", "")
    reason = " ".join(request.POST.get("reason", "").split())[:200]
    if not hits:
        return events_page(request, slug, wrong="Tick the plots that it is about.")
    if as_called and as_called not in Hit.Called.values:
        return events_page(request, slug, wrong="Expected an accident or a weakness.")
    try:
        call(hits, as_called, reason, request.user, timezone.localdate())
        words = f"judged {Hit.Called(as_called).label}" if as_called else "not judged after all"
        say(request, f"{', '.join(h.plot.number for h in hits[:8])}{' and more' if len(hits) > 8 else ''}: {words}.")
    except Refused as refusal:
        return events_page(request, slug, wrong=str(refusal))
    return redirect("events:events", slug)


@may("exclude")
@require_POST
def undo_event(request: PersonRequest, slug: str, pk: int) -> HttpResponse:
    event = _event(slug, pk)
    withdraw_event(event, request.user)
    say(request, f"{event} is taken back; plots it left out count again.")
    return redirect("events:events", slug)


@may("observe")
@require_POST
def no_event(request: PersonRequest, slug: str) -> HttpResponse:
    """A proposal of the weather record that did no harm."""
    trial = trial_or_404(slug)
    try:
        on = date.fromisoformat(request.POST.get("on", ""))
        did_nothing(trial, Event.Kind(request.POST.get("kind", "")).value, on, request.user)
    except ValueError:
        warn(request, "That proposal is no longer there.")
    return redirect("events:events", slug)
