"""The protocol of a trial, its versions, and the plots that got something else."""

from __future__ import annotations

from typing import Any

from django import forms
from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.utils import timezone
from django.views.decorators.http import require_POST

from evarlo.people.given_again import given_again
from evarlo.people.permissions import may
from evarlo.people.requests import PersonRequest
from evarlo.trials.frame import frame
from evarlo.trials.models import Trial
from evarlo.trials.plot_numbers import chosen_plots
from evarlo.trials.protocol import PARTS, keep_deviation, keep_protocol, marks_of
from evarlo.trials.views import trial_or_404
from evarlo.ui.fields import Day, Words
from evarlo.ui.notice import say
from evarlo.ui.refused import said_beside


class ProtocolForm(forms.Form):
    since = Day(label="Valid from", error_messages={"required": "Nothing was typed. Expected a day."})
    why = Words(label="Why it changes", most=200, required=False)

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        for key, name in PARTS:
            self.fields[key] = forms.CharField(label=name, required=False, widget=forms.Textarea(attrs={"rows": 3}))
            self.fields[key].unmarked = True  # type: ignore[attr-defined]

    @property
    def steps(self) -> list[forms.BoundField]:
        return [self[key] for key, _ in PARTS]


class DeviationForm(forms.Form):
    plots = Words(label="Plots", most=400, required=False)
    on = Day(label="Day", error_messages={"required": "Nothing was typed. Expected the day it was done."})
    said = Words(label="What they got instead", most=200, required=False)

    def __init__(self, trial: Trial, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.trial = trial
        for name in ("plots", "said"):
            self.fields[name].unmarked = True  # type: ignore[attr-defined]

    def clean_plots(self) -> list[str]:
        return chosen_plots(self.trial, self.cleaned_data["plots"])


@may("see")
@given_again
def protocol_page(request: PersonRequest, slug: str) -> HttpResponse:
    return _page(request, trial_or_404(slug))


def _page(request: PersonRequest, trial: Trial, **bound: forms.Form) -> HttpResponse:
    versions = list(trial.protocols.select_related("by").order_by("-number"))
    newest = versions[0] if versions else None
    today = timezone.localdate()
    context: dict[str, Any] = frame(request, trial, "plan", layer="entry") | {
        "versions": versions,
        "newest": newest,
        "lines": [(name, newest.steps.get(key, "")) for key, name in PARTS] if newest else [],
        "marks": marks_of(trial),
        "form": ProtocolForm(initial={**(newest.steps if newest else {}), "since": today}),
        "deviation": DeviationForm(trial, initial={"on": today}),
    }
    wrong = any(form.errors for form in bound.values())
    return render(request, "trials/protocol.html", context | bound, status=422 if wrong else 200)


@may("plan")
@require_POST
def keep(request: PersonRequest, slug: str) -> HttpResponse:
    trial, form = trial_or_404(slug), ProtocolForm(request.POST)
    if form.is_valid():
        d = form.cleaned_data
        with said_beside(form):
            made = keep_protocol(trial, d, d["since"], d["why"], request.user)
            say(request, f"Version {made.number} of the protocol is kept." if made else "Nothing was changed.")
            return redirect("trials:protocol", slug)
    return _page(request, trial, form=form)


@may("observe")
@require_POST
def deviate(request: PersonRequest, slug: str) -> HttpResponse:
    trial = trial_or_404(slug)
    form = DeviationForm(trial, request.POST)
    if form.is_valid():
        d = form.cleaned_data
        with said_beside(form):
            plots = list(trial.plots.filter(number__in=d["plots"]))
            n = keep_deviation(plots, d["on"], d["said"], request.user, timezone.localdate())
            say(request, f"Kept for {n} plot{'s' if n > 1 else ''}, in their diaries and on every comparison.")
            return redirect("trials:protocol", slug)
    return _page(request, trial, deviation=form)
