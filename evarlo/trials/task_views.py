"""The calendar of a trial, and the feed of everything that is to be done."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from django import forms
from django.contrib.auth.decorators import login_not_required
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_POST

from evarlo.catalogue.models import Trait
from evarlo.catalogue.traits import library
from evarlo.grounds.weather import record_of
from evarlo.people.given_again import given_again
from evarlo.people.models import User
from evarlo.people.permissions import may
from evarlo.people.requests import PersonRequest
from evarlo.people.services import renew_calendar_key
from evarlo.trials.frame import frame, frosts_of
from evarlo.trials.icalendar import feed_of
from evarlo.trials.models import Trial
from evarlo.trials.queries import without_names
from evarlo.trials.registry import registry
from evarlo.trials.sowings import follow_on, for_market
from evarlo.trials.task_services import Trigger, add_task, bring_back_tasks, drop_task, finish_task, move_task
from evarlo.trials.tasks import MILESTONES, Line, SeasonTasks, season_tasks
from evarlo.trials.views import trial_or_404
from evarlo.trials.words import window_in_words
from evarlo.ui.draw.calendar import Row, calendar
from evarlo.ui.fields import Day, Number, Words
from evarlo.ui.notice import say, warn
from evarlo.ui.refused import Refused, said_beside, said_on_top
from trialcore.reckoning.schedule import Dated


class TaskForm(forms.Form):
    what = Words(label="Task", most=80, error_messages={"required": "Nothing was typed. Expected what is to be done."})
    on = Day(label="On", required=False)
    after = forms.ChoiceField(label="or after", required=False)
    days = Number(label="by", low=-400, high=400, unit="days", whole=True, required=False)
    condition = Words(label="or when", most=80, required=False)
    trait = forms.ChoiceField(label="or when records show", required=False)
    reaches = Number(label="at least", low=0, high=1e6, required=False)
    share = forms.ChoiceField(label="in", choices=[("half", "half of the plots"), ("first", "the first plot")], required=False)
    care = forms.ChoiceField(label="Done with care of the kind", required=False)

    def __init__(self, season: SeasonTasks, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        after = self.fields["after"]
        assert isinstance(after, forms.ChoiceField)
        after.choices = [("", "—"), *((line.key, line.what) for line in season.lines)]
        for name in ("on", "after", "days", "condition", "trait", "reaches", "share", "care"):
            self.fields[name].unmarked = True  # type: ignore[attr-defined]
        self.traits = {t.key: t for t in library() if t.source == Trait.Source.WALK}
        named = [(key, t.with_unit) for key, t in self.traits.items()]
        for name, choices in (("trait", [("", "—"), *named]), ("care", [("", "—"), *registry.care.items()])):
            chosen = self.fields[name]
            assert isinstance(chosen, forms.ChoiceField)
            chosen.choices = choices

    def clean(self) -> dict[str, Any]:
        data = super().clean() or {}
        trait = self.traits.get(data.get("trait") or "")
        if trait and trait.kind != Trait.Kind.DATE and data.get("reaches") is None and "reaches" not in self.errors:
            self.add_error("reaches", f"Nothing was typed. Expected how far {trait.name.lower()} has to come.")
        return data

    @property
    def trigger(self) -> Trigger | None:
        d = self.cleaned_data
        trait = self.traits.get(d["trait"])
        if trait is None:
            return None
        return Trigger(trait, None if trait.kind == Trait.Kind.DATE else d["reaches"], d["share"] == "first")


class SowingForm(forms.Form):
    """When to sow for a market day, or again and again; asked, not kept."""

    market = Day(label="Needed on", required=False)
    keeps = Number(label="It keeps", low=0, high=400, unit="days", whole=True, required=False)
    times = Number(label="Sowings", low=2, high=20, whole=True, required=False)
    every = Number(label="A harvest every", low=1, high=120, unit="days", whole=True, required=False)

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        for field in self.fields.values():
            field.unmarked = True  # type: ignore[attr-defined]


class DayForm(forms.Form):
    on = Day(label="Day", required=False)


@may("see")
@given_again
def calendar_page(request: PersonRequest, slug: str) -> HttpResponse:
    trial = trial_or_404(slug)
    return _page(request, trial, None)


def _page(request: PersonRequest, trial: Trial, form: TaskForm | None) -> HttpResponse:
    known = season_tasks(trial)
    lines = tuple(replace(line, what=without_names(trial, line.what, request.user)) for line in known.lines)
    season = replace(known, lines=lines)
    rows = [_row(line, d) for line, d in season.dated]
    drawing = None
    if rows:
        start, end = min(r.earliest for r in rows), max(r.latest for r in rows)
        drawing = calendar(rows, frosts_of(trial, start, end), timezone.localdate())
    asked = SowingForm(request.GET) if "market" in request.GET or "times" in request.GET else SowingForm()
    key = request.user.calendar_key
    context = frame(request, trial, "plan", layer="entry") | {
        "season": season,
        "lessons": {key: some for source in registry.of_task for key, some in source(trial).items()},
        "window": window_in_words(trial.crop, season.window),
        "drawing": drawing,
        "form": form or TaskForm(season),
        "today": timezone.localdate(),
        "milestones": MILESTONES,
        "feed": request.build_absolute_uri(reverse("trials:feed", args=[key])) if key else "",
        "asked": asked,
        **_answers(trial, asked),
        "dropped": trial.tasks.filter(dropped=True).count(),
    }
    return render(request, "trials/calendar.html", context, status=422 if form and form.errors else 200)


def _answers(trial: Trial, asked: SowingForm) -> dict[str, Any]:
    """What the questions about sowing days come to."""
    if not asked.is_bound or not asked.is_valid():
        return {}
    d = asked.cleaned_data
    made: dict[str, Any] = {}
    if d["market"]:
        made["market"] = for_market(trial, d["market"], d["keeps"] or 0)
    if d["times"] and d["every"]:
        record = record_of(trial.bed.site) if trial.bed else None
        found = follow_on(trial, record, d["times"], d["every"])
        made["refused" if isinstance(found, str) else "sowings"] = found
    return made


def _row(line: Line, d: Dated) -> Row:
    kind = "done" if line.done_on else "settled" if d.settled else "reckoned"
    moves = not line.done_on and not line.key.startswith("sow-")
    return Row(line.key, line.what, d.on, min(d.earliest, d.latest), d.latest, kind, moves, bool(d.late_by or d.early_by))


@may("plan")
@require_POST
def move(request: PersonRequest, slug: str, key: str) -> HttpResponse:
    trial = trial_or_404(slug)
    form = DayForm(request.POST)
    if not form.is_valid():
        warn(request, str(form.errors["on"][0]))
        return redirect("trials:calendar-page", slug)
    try:
        moved = move_task(trial, key, form.cleaned_data["on"], request.user)
    except Refused as refusal:
        warn(request, str(refusal))
        return redirect("trials:calendar-page", slug)
    names = {line.key: line.what for line in season_tasks(trial_or_404(slug)).lines}
    others = [f"{names[k]} {days:+d}" for k, days in moved.items() if k != key and k in names]
    if moved.get(key):
        say(request, f"{names[key]} moved by {moved[key]:+d} days." + (f" With it: {', '.join(others)}." if others else ""))
    return redirect("trials:calendar-page", slug)


@may("sow")
@require_POST
def finish(request: PersonRequest, slug: str, key: str) -> HttpResponse:
    trial = trial_or_404(slug)
    form = DayForm(request.POST)
    with said_on_top(request):
        if not form.is_valid():
            raise Refused(str(form.errors["on"][0]))
        finish_task(trial, key, form.cleaned_data["on"], request.user, timezone.localdate())
    return redirect("trials:calendar-page", slug)


@may("plan")
@require_POST
def add(request: PersonRequest, slug: str) -> HttpResponse:
    trial = trial_or_404(slug)
    form = TaskForm(season_tasks(trial), request.POST)
    if form.is_valid():
        d = form.cleaned_data
        with said_beside(form):
            days = d["days"] or 0
            add_task(trial, d["what"], d["on"], d["after"], days, d["condition"], request.user, form.trigger, d["care"])
            return redirect("trials:calendar-page", slug)
    return _page(request, trial, form)


@may("plan")
@require_POST
def drop(request: PersonRequest, slug: str, key: str) -> HttpResponse:
    trial = trial_or_404(slug)
    with said_on_top(request):
        if key == "all-back":
            bring_back_tasks(trial)
        else:
            drop_task(trial, key, request.user)
    return redirect("trials:calendar-page", slug)


@may("see")
@require_POST
def new_feed(request: PersonRequest, slug: str) -> HttpResponse:
    """A fresh address for this person's feed; the one before stops working."""
    renew_calendar_key(request.user)
    return redirect("trials:calendar-page", slug)


@login_not_required
def feed(request: HttpRequest, key: str) -> HttpResponse:
    """What is to be done in every trial, for a calendar program: the address itself is the permission to read it."""
    get_object_or_404(User, calendar_key=key, is_active=True)
    response = HttpResponse(feed_of(request.build_absolute_uri("/")), content_type="text/calendar; charset=utf-8")
    response["Cache-Control"] = "private, max-age=600"
    return response
