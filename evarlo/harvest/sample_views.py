"""Samples that are tested after the pick, on their page: one line a plot, as fast as the bench."""

from __future__ import annotations

import json
import uuid
from datetime import date
from typing import Any

from django import forms
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_POST

from evarlo.catalogue.models import Trait
from evarlo.catalogue.traits import add_test, library
from evarlo.harvest.models import TestedSample
from evarlo.harvest.samples import (
    BEFORE_AND_AFTER,
    MOST_HOURS,
    Tested,
    keep_rule,
    keep_sample,
    most_hours,
    read_parts,
    tested_in,
    undo_sample,
)
from evarlo.harvest.words import TESTING, samples_in_words
from evarlo.people.permissions import may, may_take_back
from evarlo.people.requests import PersonRequest
from evarlo.trials.frame import frame
from evarlo.trials.models import Trial
from evarlo.trials.stakes import code_read
from evarlo.trials.views import trial_or_404
from evarlo.ui.fields import Day, Number, OwnIds, Words
from evarlo.ui.notice import say, warn
from evarlo.ui.refused import Refused, said_beside

SHOWN = 30


class SampleForm(forms.Form):
    key = forms.UUIDField(widget=forms.HiddenInput, initial=uuid.uuid4)
    on = Day(label="Tested on", error_messages={"required": "Nothing was typed. Expected the day of the test."})
    hours = Number(label="After the pick", low=0, high=MOST_HOURS, unit="h")
    plot = Words(label="Plot", most=60, error_messages={"required": "Nothing was typed. Expected a plot number."})
    values = Words(label="Values", most=600, error_messages={"required": "Nothing was typed. Expected a figure for each piece."})

    def __init__(self, trial: Trial, trait: Trait, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.trial, self.trait = trial, trait
        self.fields["values"].label = (
            "Before/after, g" if trait.key in BEFORE_AND_AFTER else f"Each piece, {trait.unit or '1 to 9'}"
        )

    def clean_plot(self) -> Any:
        typed = self.cleaned_data["plot"]
        scanned = code_read(typed)
        if scanned and scanned[0] != self.trial.pk:
            raise forms.ValidationError("That stake is of another trial.")
        found = self.trial.plots.filter(number__iexact=scanned[1] if scanned else typed).first()
        if found is None:
            raise forms.ValidationError(f"Found “{typed}”. Expected a plot of this trial.")
        return found

    def clean_values(self) -> Any:
        try:
            return read_parts(self.cleaned_data["values"], self.trait)
        except Refused as refusal:
            raise forms.ValidationError(str(refusal)) from None


class RuleForm(OwnIds):
    unmarked = ("most_hours",)
    most_hours = Number(label="Counts up to", low=0.5, high=MOST_HOURS, unit="h", required=False)


class OwnTestForm(OwnIds):
    name = Words(label="What is tested", most=60)
    unit = Words(label="Unit", most=16)
    method = Words(label="How", most=300)
    low = Number(label="Lowest", low=-1e6, high=1e6)
    high = Number(label="Highest", low=-1e6, high=1e6)
    lower = forms.BooleanField(label="Lower is better", required=False)


@may("see")
def samples(request: PersonRequest, slug: str) -> HttpResponse:
    trial, traits = trial_or_404(slug), _tests()
    wanted = request.GET.get("of") or _last(trial)
    trait = next((t for t in traits if t.key == wanted), traits[0])
    if request.method == "POST":
        return _sampled(request, trial, trait)
    return _page(request, trial, trait)


@may("pick")
def _sampled(request: PersonRequest, trial: Trial, trait: Trait) -> HttpResponse:
    """A sample: typed ahead into the browser's queue, or sent as a form where there is no script."""
    trait = next((t for t in _tests() if t.key == request.POST.get("of")), trait)
    form = SampleForm(trial, trait, request.POST)
    if form.is_valid():
        d = form.cleaned_data
        with said_beside(form):
            tested = Tested(d["on"], d["hours"], d["values"])
            keep_sample(d["plot"], trait, tested, request.user, d["key"], timezone.localdate())
            if request.htmx:
                return _part(request, trial, trait, d["on"])
            say(request, f"Plot {d['plot'].number}: {trait.name.lower()} saved.")
            return redirect(f"{request.path}?of={trait.key}")
    return _part(request, trial, trait, None, form) if request.htmx else _page(request, trial, trait, form=form)


@may("pick")
@require_POST
def undo(request: PersonRequest, slug: str, key: uuid.UUID) -> HttpResponse:
    sample = get_object_or_404(TestedSample.objects.select_related("trait", "plot__trial"), pk=key, plot__trial__slug=slug)
    try:
        may_take_back(request.user, sample.by_id, sample.at)
        undo_sample(sample)
    except Refused as refusal:
        if request.htmx:
            return HttpResponse(str(refusal), status=422, content_type="text/plain")
        warn(request, str(refusal))
    if request.htmx:
        return _part(request, sample.plot.trial, sample.trait, sample.on)
    return redirect(f"{_url(slug)}?of={sample.trait.key}")


@may("plan")
@require_POST
def rule(request: PersonRequest, slug: str) -> HttpResponse:
    """How old a sample may be when this is tested."""
    trial = trial_or_404(slug)
    trait = get_object_or_404(Trait, key=request.POST.get("of", ""), source=Trait.Source.TEST)
    form = RuleForm(request.POST)
    if form.is_valid():
        with said_beside(form):
            keep_rule(trial, trait, form.cleaned_data["most_hours"], request.user)
            return redirect(f"{_url(slug)}?of={trait.key}")
    return _page(request, trial, trait, rule=form)


@may("plan")
@require_POST
def own(request: PersonRequest, slug: str) -> HttpResponse:
    """A test of one's own among the traits."""
    trial = trial_or_404(slug)
    form = OwnTestForm(request.POST)
    if form.is_valid():
        with said_beside(form):
            made = add_test(form.cleaned_data)
            say(request, f"{made.name} can be tested now.")
            return redirect(f"{_url(slug)}?of={made.key}")
    return _page(request, trial, _tests()[0], own=form)


def _url(slug: str) -> str:
    return reverse("harvest:samples", args=[slug])


def _last(trial: Trial) -> str:
    """What was tested last in this trial; sugar where nothing was yet."""
    last = tested_in(trial)
    return last[0][0].trait.key if last else "sugar"


def _tests() -> list[Trait]:
    return [t for t in library() if t.source == Trait.Source.TEST]


def _part(request: PersonRequest, trial: Trial, trait: Trait, on: date | None, form: SampleForm | None = None) -> HttpResponse:
    context = _bench(trial, trait, on, form)
    return render(request, "harvest/samples.html#bench", context, status=422 if form else 200)


def _page(request: PersonRequest, trial: Trial, trait: Trait, **given: Any) -> HttpResponse:
    context = _bench(trial, trait, None, given.get("form")) | {k: v for k, v in given.items() if k != "form"}
    page = context | frame(request, trial, "pick", layer=trait.key)
    return render(request, "harvest/samples.html", page, status=422 if given else 200)


def _bench(trial: Trial, trait: Trait, on: date | None, form: SampleForm | None = None) -> dict[str, Any]:
    path = list(trial.plots.order_by("place").values_list("number", flat=True))
    tested = tested_in(trial, trait)
    done = {s.plot.number for s, _ in tested}
    waiting = [n for n in path if n not in done]
    hours = tested[0][0].hours if tested and tested[0][0].on == timezone.localdate() else None  # of this morning's round
    first = {"on": on or timezone.localdate(), "hours": hours, "plot": waiting[0] if waiting else "", "key": uuid.uuid4()}
    bound = most_hours(trial).get(trait.pk)
    return {
        "trial": trial,
        "trait": trait,
        "traits": _tests(),
        "form": form or SampleForm(trial, trait, initial=first),
        "tested": tested[:SHOWN],
        "more": max(0, len(tested) - SHOWN),
        "lead": samples_in_words(trait, tested, len(path), bound),
        "how": TESTING.get(trait.key, trait.method),
        "pairs": trait.key in BEFORE_AND_AFTER,
        "path": json.dumps(path),
        "waiting": json.dumps(waiting),
        "rule": RuleForm(initial={"most_hours": bound}),
        "own": OwnTestForm(),
    }
