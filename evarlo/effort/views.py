"""The time book of a trial: a timer on the phone or minutes typed, and what it tells of the entries."""

from __future__ import annotations

import uuid
from typing import Any

from django import forms
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_POST

from evarlo.effort.models import WorkTime
from evarlo.effort.queries import by_entry, times_of
from evarlo.effort.services import MOST_MINUTES, MOST_PEOPLE, Took, keep_time, undo_time
from evarlo.effort.words import NO_RANKS, work_in_words
from evarlo.people.permissions import allowed, may, may_take_back
from evarlo.people.requests import PersonRequest
from evarlo.trials.choosing import PlotsField, groups_of
from evarlo.trials.frame import frame
from evarlo.trials.models import Trial
from evarlo.trials.views import trial_or_404
from evarlo.ui.fields import Day, Number, OwnIds, Words
from evarlo.ui.notice import say
from evarlo.ui.refused import said_beside, said_on_top
from evarlo.ui.words import counted

SHOWN = 40


class TimeForm(OwnIds):
    unmarked = ("what", "people")
    key = forms.UUIDField(widget=forms.HiddenInput, required=False)
    task = forms.ChoiceField(label="Task", choices=WorkTime.Task.choices)
    what = Words(label="In other words", most=60, required=False)
    on = Day(label="Day", error_messages={"required": "Nothing was typed. Expected the day on which it was done."})
    minutes = Number(label="Took", low=0.1, high=MOST_MINUTES, unit="min")
    people = Number(label="Each of", low=1, high=MOST_PEOPLE, unit="people", whole=True, required=False)

    def __init__(self, trial: Trial, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields["plots"] = PlotsField(trial)


@may("see")
def effort(request: PersonRequest, slug: str) -> HttpResponse:
    return _page(request, trial_or_404(slug))


@may("observe")
@require_POST
def keep(request: PersonRequest, slug: str) -> HttpResponse:
    trial = trial_or_404(slug)
    form = TimeForm(trial, request.POST)
    if form.is_valid():
        d = form.cleaned_data
        plots = list(trial.plots.filter(number__in=d["plots"]))
        with said_beside(form):
            took = Took(d["task"], d["on"], d["minutes"], d["people"] or 1, d["what"])
            made = keep_time(trial, plots, took, request.user, d["key"] or uuid.uuid4(), timezone.localdate())
            say(request, f"{made} on {counted(len(plots), 'plot')} is kept.")
            return redirect("effort:effort", slug)
    return _page(request, trial, form)


@may("observe")
@require_POST
def undo(request: PersonRequest, slug: str, key: uuid.UUID) -> HttpResponse:
    made = get_object_or_404(WorkTime.objects.in_force(), trial__slug=slug, pk=key)
    with said_on_top(request):
        may_take_back(request.user, made.by_id, made.at)
        undo_time(made)
        say(request, f"{made} is taken back.")
    return redirect("effort:effort", slug)


def _page(request: PersonRequest, trial: Trial, form: TimeForm | None = None) -> HttpResponse:
    times = times_of(trial)
    entries = by_entry(trial, request.user) if allowed(request.user, "compare") else []
    first = {"on": timezone.localdate(), "people": 1, "key": uuid.uuid4(), "task": WorkTime.Task.PICK}
    context = {
        "form": form or TimeForm(trial, initial=first),
        "groups": groups_of(trial),
        "times": [(t, ", ".join(p.number for p in sorted(t.plots.all(), key=lambda p: p.place))) for t in times[:SHOWN]],
        "more": max(0, len(times) - SHOWN),
        "entries": entries,
        "lead": work_in_words(times, entries),
        "no_ranks": NO_RANKS,
    }
    return render(request, "effort/effort.html", context | frame(request, trial, "pick"), status=422 if form else 200)
