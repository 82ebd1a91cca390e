"""The day on which plots were sown or planted, where only that is kept."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import date
from typing import Any

from django import forms
from django.http import HttpResponse
from django.shortcuts import redirect
from django.utils import timezone

from evarlo.nursery.models import Step, StepDate
from evarlo.nursery.services import keep_step
from evarlo.people.permissions import allowed
from evarlo.people.requests import PersonRequest
from evarlo.trials.models import Trial
from evarlo.trials.plot_numbers import chosen_plots
from evarlo.ui.fields import Day, OwnIds, Words
from evarlo.ui.notice import say
from evarlo.ui.refused import Refused
from evarlo.ui.words import counted


class StepForm(OwnIds):
    unmarked = ("level",)
    level = forms.ChoiceField(required=False)
    on = Day(label="Day", error_messages={"required": "Nothing was typed. Expected the day it was done."})
    plots = Words(label="Plots", most=400, required=False)

    def __init__(self, trial: Trial, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.trial = trial
        self.fields["level"].label = trial.factor
        self.choose_from("level", [("", "every one"), *((x, x) for x in trial.levels)])

    def clean_plots(self) -> list[str]:
        """The numbers that were typed; nothing means every plot."""
        return chosen_plots(self.trial, self.cleaned_data["plots"]) or [p.number for p in self.trial.plots.all()]


def keep_step_form(request: PersonRequest, trial: Trial, step: Step, form: StepForm) -> HttpResponse | None:
    """Keep what the form says; where to go then, or None when something in it is wrong."""
    if not allowed(request.user, "sow") or not form.is_valid():
        return None
    plots = trial.plots.filter(number__in=form.cleaned_data["plots"])
    if form.cleaned_data["level"]:
        plots = plots.filter(level=form.cleaned_data["level"])
    on = form.cleaned_data["on"]
    try:
        changed = keep_step(trial, step, on, plots, request.user, timezone.localdate())
    except Refused as refusal:
        form.add_error(refusal.field or None, str(refusal))
        return None
    done = f"{counted(changed, 'plot')} {step.label} on {on:%-d %b}." if changed else "These plots had that date already."
    say(request, done)
    return redirect(request.path)


def days_on_record(trial: Trial, rows: Iterable[StepDate]) -> list[tuple[date, list[str]]]:
    """The plots that were sown or planted on each day."""
    numbers = dict(trial.plots.values_list("pk", "number"))
    by_day: dict[date, list[str]] = {}
    for row in sorted(rows, key=lambda r: (r.on, numbers[r.plot_id])):
        by_day.setdefault(row.on, []).append(numbers[row.plot_id])
    return list(by_day.items())
