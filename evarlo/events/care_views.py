"""Care: what was done to plots, what holds walks and picks back, and what is due again."""

from __future__ import annotations

import re
from datetime import datetime, time
from typing import Any

from django import forms
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_POST

from evarlo.events.care import (
    CAUTIONS,
    Done,
    keep_care,
    set_organic,
    withdraw_care,
)
from evarlo.events.models import Care
from evarlo.events.words import amount_in_words, kind_in_words, plots_in_words
from evarlo.people.permissions import may, may_take_back
from evarlo.people.requests import PersonRequest
from evarlo.trials.choosing import PlotsField, groups_of
from evarlo.trials.frame import frame
from evarlo.trials.holds import holds_in_words
from evarlo.trials.models import Trial
from evarlo.trials.needs import material_need
from evarlo.trials.views import trial_or_404
from evarlo.ui.fields import Day, Number, OwnIds, Words
from evarlo.ui.notice import say
from evarlo.ui.refused import said_beside, said_on_top

CLOCK = re.compile(r"([01]?[0-9]|2[0-3])[:.]([0-5][0-9])")


class CareForm(OwnIds):
    unmarked = (
        "what",
        "material",
        "amount",
        "unit",
        "entry_hours",
        "pick_days",
        "every_days",
        "note",
        "organic",
        "label_read",
        "sure",
        "at",
    )
    kind = forms.ChoiceField(label="What kind", choices=Care.Kind.choices)
    what = Words(label="What", most=80, required=False)
    material = forms.ChoiceField(label="or one of the trial's materials", required=False)
    on = Day(label="Day", error_messages={"required": "Nothing was typed. Expected the day it was done."})
    at = Words(label="Time", most=5, required=False)
    amount = Number(label="On each plot", low=0, high=1e5, required=False)
    unit = Words(label="Unit", most=12, required=False)
    entry_hours = Number(label="Nobody enters for", low=0, high=2000, unit="hours", required=False)
    pick_days = Number(label="Nothing is picked for", low=0, high=365, unit="days", whole=True, required=False)
    every_days = Number(label="Again after", low=1, high=365, unit="days", whole=True, required=False)
    note = Words(label="Note", most=200, required=False)
    label_read = forms.BooleanField(label="I read the label; the intervals are from it", required=False)
    organic = forms.BooleanField(label="Organic growing permits it", required=False)
    sure = forms.BooleanField(label="Done anyway", required=False)

    def __init__(self, trial: Trial, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields["plots"] = PlotsField(trial)
        self.materials = {str(m.pk): m for m in trial.materials.in_force()}
        self.choose_from("material", [("", "none"), *((k, m.name) for k, m in self.materials.items())])
        self.trial = trial

    def clean_at(self) -> time | None:
        typed = self.cleaned_data["at"]
        found = CLOCK.fullmatch(typed)
        if typed and not found:
            raise forms.ValidationError(f"Found “{typed}”. Expected a time such as 7:30.")
        return time(int(found[1]), int(found[2])) if found else None

    def clean(self) -> dict[str, Any]:
        data = super().clean() or {}
        if not data.get("what") and not data.get("material") and "what" not in self.errors:
            self.add_error("what", "Nothing was typed. Expected what was done, or one of the materials.")
        return data

    def done(self, now: datetime) -> Done:
        """As typed; the amount of a material is reckoned from its dose where none was typed. Without a time of day it is now, or
        for an earlier day its end, so that an interval is never too short."""
        d = self.cleaned_data
        material = self.materials.get(d["material"])
        amount, unit, what = d["amount"], d["unit"], d["what"]
        if material:
            need = material_need(material, self.trial)
            what = what or material.name
            if amount is None:
                amount, unit = round(need.a_plot, 2), need.unit
        local = timezone.localtime(now)
        end = local.time() if d["on"] == local.date() else time(23, 59)
        at = timezone.make_aware(datetime.combine(d["on"], d["at"] or end))
        return Done(
            d["kind"],
            what,
            at,
            amount,
            unit,
            d["entry_hours"] or 0.0,
            d["pick_days"] or 0,
            d["organic"],
            d["every_days"],
            d["note"],
            d["label_read"],
            d["sure"],
        )


@may("see")
def care_page(request: PersonRequest, slug: str, form: CareForm | None = None) -> HttpResponse:
    trial = trial_or_404(slug)
    every = trial.plots.count()
    newest = trial.care.select_related("by").prefetch_related("plots").order_by("-done_at", "-id")[:60]
    rows = [(made, kind_in_words(made), plots_in_words(list(made.plots.all()), every), amount_in_words(made)) for made in newest]
    context = {
        "rows": rows,
        "form": form or CareForm(trial, initial={"on": timezone.localdate()}),
        "opened": form is not None,
        "groups": groups_of(trial),
        "holds": holds_in_words(trial, timezone.now()),
        "cautions": [(k.label, words) for k, words in CAUTIONS.items()],
    }
    return render(request, "events/care.html", context | frame(request, trial, "walk"), status=422 if form else 200)


@may("observe")
@require_POST
def new_care(request: PersonRequest, slug: str) -> HttpResponse:
    trial, now = trial_or_404(slug), timezone.now()
    form = CareForm(trial, request.POST)
    if form.is_valid():
        plots = list(trial.plots.filter(number__in=form.cleaned_data["plots"]))
        with said_beside(form):
            made = keep_care(trial, plots, form.done(now), request.user, now)
            say(request, f"{made.what} is kept for {len(plots)} plot{'s' if len(plots) > 1 else ''}.")
            return redirect("events:care", slug)
    return care_page(request, slug, form)


@may("observe")
@require_POST
def undo_care(request: PersonRequest, slug: str, pk: int) -> HttpResponse:
    made = get_object_or_404(Care, trial__slug=slug, pk=pk)
    with said_on_top(request):
        may_take_back(request.user, made.by_id, made.at)
        withdraw_care(made, request.user)
        say(request, f"{made.what} is taken back; it stays on record, struck out.")
    return redirect("events:care", slug)


@may("plan")
@require_POST
def organic(request: PersonRequest, slug: str) -> HttpResponse:
    set_organic(trial_or_404(slug), request.POST.get("only") == "yes", request.user)
    return redirect("events:care", slug)
