"""Sow and Plant: the day each plot was sown and planted."""

from __future__ import annotations

from typing import Any

from django import forms
from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.utils import timezone

from evarlo.nursery.models import Step
from evarlo.nursery.queries import step_rows
from evarlo.nursery.services import keep_step
from evarlo.people.permissions import allowed, may
from evarlo.people.requests import PersonRequest, typed
from evarlo.trials.frame import frame
from evarlo.trials.models import Trial
from evarlo.trials.plot_numbers import chosen_plots
from evarlo.trials.services import Refused
from evarlo.trials.views import trial_or_404
from evarlo.ui.fields import Day, Words
from evarlo.ui.notice import say


class StepForm(forms.Form):
    level = forms.ChoiceField(required=False)
    on = Day(label="Day", error_messages={"required": "Nothing was typed. Expected the day it was done."})
    plots = Words(label="Plots", most=400, required=False)

    def __init__(self, trial: Trial, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.trial = trial
        level = self.fields["level"]
        assert isinstance(level, forms.ChoiceField)
        level.label = trial.factor
        level.choices = [("", "every one"), *((x, x) for x in trial.levels)]
        level.unmarked = True  # type: ignore[attr-defined]

    def clean_plots(self) -> list[str]:
        """The numbers that were typed; nothing means every plot."""
        return chosen_plots(self.trial, self.cleaned_data["plots"]) or [p.number for p in self.trial.plots.all()]


@may("see")
def sow(request: PersonRequest, slug: str) -> HttpResponse:
    return _step(request, slug, Step.SOWN, "sow")


@may("see")
def plant(request: PersonRequest, slug: str) -> HttpResponse:
    return _step(request, slug, Step.PLANTED, "plant")


def _step(request: PersonRequest, slug: str, step: Step, stage: str) -> HttpResponse:
    trial = trial_or_404(slug)
    form = StepForm(trial, typed(request), initial={"on": timezone.localdate()})
    if request.method == "POST" and allowed(request.user, "sow") and form.is_valid():
        plots = trial.plots.filter(number__in=form.cleaned_data["plots"])
        if form.cleaned_data["level"]:
            plots = plots.filter(level=form.cleaned_data["level"])
        on = form.cleaned_data["on"]
        try:
            changed = keep_step(trial, step, on, plots, request.user, timezone.localdate())
        except Refused as refusal:
            form.add_error(refusal.field or None, str(refusal))
        else:
            done = f"{changed} plots {step.label} on {on:%-d %b}." if changed else "Every one of these plots had that date already."
            say(request, done)
            return redirect(request.path)
    rows = step_rows(trial, step)
    total = trial.plots.count()
    by_day: dict[object, list[str]] = {}
    numbers = dict(trial.plots.values_list("pk", "number"))
    for row in sorted(rows, key=lambda r: (r.on, numbers[r.plot_id])):
        by_day.setdefault(row.on, []).append(numbers[row.plot_id])
    context = frame(request, trial, stage) | {
        "form": form,
        "done": len(rows),
        "left": total - len(rows),
        "total": total,
        "by_day": by_day,
        "step": step,
        "planned": trial.sow_on if step == Step.SOWN else trial.plant_on,
    }
    return render(request, "nursery/step.html", context, status=422 if form.errors else 200)
