"""Pests, diseases and weeds: what a trial is watched for, how it stands, and where it lies from day to day."""

from __future__ import annotations

from typing import Any

from django import forms
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_POST

from evarlo.catalogue.models import Problem
from evarlo.catalogue.problems import add_problem
from evarlo.nursery.names import called
from evarlo.people.permissions import may
from evarlo.people.requests import PersonRequest
from evarlo.pests.models import Watch
from evarlo.pests.watches import (
    Course,
    begin_watch,
    confirm,
    course_of,
    end_watch,
    in_words,
    set_threshold,
    suspect_again,
    threshold_for,
    traits_of,
)
from evarlo.pests.words import clustered_in_words
from evarlo.trials.frame import frame
from evarlo.trials.ground import values_ground
from evarlo.trials.models import Trial
from evarlo.trials.queries import judged_plots
from evarlo.trials.views import trial_or_404
from evarlo.ui.draw.progress import ProgressLine, progress
from evarlo.ui.fields import Day, Number, OwnIds, Words
from evarlo.ui.notice import say
from evarlo.ui.refused import said_beside

MOST_MAPS = 16


class WatchForm(OwnIds):
    problem = forms.ChoiceField(label="Watch for")
    since = Day(label="Since", error_messages={"required": "Nothing was typed. Expected the day it was first looked for."})

    def __init__(self, trial: Trial, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        fitting = [p for p in Problem.objects.all() if p.is_for(trial.crop)]
        self.choose_from("problem", [(str(p.pk), f"{p.name} ({p.get_kind_display()})") for p in fitting])


class ProblemForm(OwnIds):
    unmarked = ("signs", "threshold")
    name = Words(label="Name", most=40, error_messages={"required": "Nothing was typed. Expected what it is called."})
    kind = forms.ChoiceField(label="Kind", choices=Problem.Kind.choices)
    signs = Words(label="Signs", most=300, required=False)
    threshold = Number(label="Act at", low=0, high=100, unit="%", required=False)
    threshold_of = forms.ChoiceField(label="of", choices=Problem.Measure.choices)


class ConfirmForm(OwnIds):
    unmarked = ("how",)
    how = Words(label="How it was confirmed", most=200, required=False)
    on = Day(label="Day", error_messages={"required": "Nothing was typed. Expected the day."})


class ThresholdForm(OwnIds):
    unmarked = ("threshold",)
    threshold = Number(label="Act at", low=0, high=100, unit="%", required=False)


@may("see")
def pests_page(request: PersonRequest, slug: str, form: WatchForm | None = None, own: ProblemForm | None = None) -> HttpResponse:
    trial = trial_or_404(slug)
    plots = judged_plots(trial)
    rows = []
    for watch in trial.watches.select_related("problem", "confirmed_by"):
        course = course_of(watch, traits_of(watch)[0], plots)
        rows.append((watch, course, in_words(watch, course)))
    context = {
        "rows": rows,
        "form": form or WatchForm(trial, initial={"since": timezone.localdate()}),
        "own": own or ProblemForm(),
        "opened": form is not None,
        "own_opened": own is not None,
    }
    context |= frame(request, trial, "walk")
    return render(request, "pests/pests.html", context, status=422 if form or own else 200)


@may("observe")
@require_POST
def new_watch(request: PersonRequest, slug: str) -> HttpResponse:
    trial = trial_or_404(slug)
    form = WatchForm(trial, request.POST)
    if form.is_valid():
        with said_beside(form):
            problem = Problem.objects.get(pk=form.cleaned_data["problem"])
            made = begin_watch(trial, problem, form.cleaned_data["since"], request.user, timezone.localdate())
            return redirect("pests:watch", slug, made.pk)
    return pests_page(request, slug, form)


@may("describe")
@require_POST
def new_problem(request: PersonRequest, slug: str) -> HttpResponse:
    form = ProblemForm(request.POST)
    if form.is_valid():
        with said_beside(form):
            made = add_problem(form.cleaned_data)
            say(request, f"{made.name} can be watched for from now on.")
            return redirect("pests:pests", slug)
    return pests_page(request, slug, own=form)


def _watch(slug: str, pk: int) -> Watch:
    return get_object_or_404(Watch.objects.select_related("problem", "trial__crop", "trial__bed__site"), trial__slug=slug, pk=pk)


@may("see")
def watch_page(
    request: PersonRequest, slug: str, pk: int, form: ConfirmForm | None = None, limit: ThresholdForm | None = None
) -> HttpResponse:
    trial, watch = trial_or_404(slug), _watch(slug, pk)
    told_by, other = traits_of(watch)
    traits = sorted((told_by, other), key=lambda t: t.kind)  # plants before area
    plots = judged_plots(trial)
    asked = request.GET.get("by", "")
    shown = asked if asked in [t.key for t in traits] else told_by.key
    courses = {t.key: course_of(watch, t, plots) for t in traits}
    course = courses[shown]
    context: dict[str, Any] = {
        "watch": watch,
        "traits": traits,
        "shown": shown,
        "course": course,
        "clustered": clustered_in_words(course.together) if course and course.together else None,
        "said": in_words(watch, courses[told_by.key]),
        "form": form or ConfirmForm(initial={"on": timezone.localdate(), "how": watch.confirmed_how}),
        "limit": limit or ThresholdForm(initial={"threshold": watch.threshold}),
        "opened": form is not None,
        "limit_opened": limit is not None,
    }
    if course:
        names = called(trial, request.user)
        lines = [ProgressLine(names[e.entry_id], e.points, _is_check(plots, e.entry_id)) for e in course.entries]
        limit_drawn = threshold_for(watch, course.trait)
        about = f"{course.trait.name}, percent by entry over the season"
        context |= {
            "rows": [(e, names[e.entry_id]) for e in course.entries],
            "drawing": progress(lines, about, limit_drawn),
            "maps": _maps(trial, course),
        }
    status = 422 if form or limit else 200
    return render(request, "pests/watch.html", context | frame(request, trial, "walk", layer=shown), status=status)


def _is_check(plots: list[Any], entry_id: int) -> bool:
    return any(p.entry.is_check for p in plots if p.entry_id == entry_id)


def _maps(trial: Trial, course: Course) -> list[tuple[Any, Any]]:
    """The plan as it was at each look, to one scale of colours."""
    top = max((v for look in course.looks for v in look.by_plot.values()), default=0.0) or 1.0
    looks = course.looks[-MOST_MAPS:]
    return [(look, values_ground(trial, look.by_plot, top, f"{course.trait.name} on {look.on:%-d %b %Y}")) for look in looks]


@may("exclude")
@require_POST
def confirm_act(request: PersonRequest, slug: str, pk: int) -> HttpResponse:
    watch = _watch(slug, pk)
    if "again" in request.POST:
        suspect_again(watch)
        return redirect("pests:watch", slug, pk)
    form = ConfirmForm(request.POST)
    if form.is_valid():
        with said_beside(form):
            confirm(watch, form.cleaned_data["how"], form.cleaned_data["on"], request.user, timezone.localdate())
            say(request, f"{watch.problem} is confirmed.")
            return redirect("pests:watch", slug, pk)
    return watch_page(request, slug, pk, form)


@may("exclude")
@require_POST
def threshold_act(request: PersonRequest, slug: str, pk: int) -> HttpResponse:
    form = ThresholdForm(request.POST)
    if not form.is_valid():
        return watch_page(request, slug, pk, limit=form)
    set_threshold(_watch(slug, pk), form.cleaned_data["threshold"])
    return redirect("pests:watch", slug, pk)


@may("exclude")
@require_POST
def end_act(request: PersonRequest, slug: str, pk: int) -> HttpResponse:
    watch = _watch(slug, pk)
    end_watch(watch)
    say(request, f"The trial is no longer watched for {watch.problem.name.lower()}; what was scored stays.")
    return redirect("pests:pests", slug)
