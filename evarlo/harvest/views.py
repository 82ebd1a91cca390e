"""Pick: the weigh-in bench, fast from the keyboard."""

from __future__ import annotations

import uuid
from datetime import date
from typing import Any

from django import forms
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_POST

from evarlo.harvest.models import Picking
from evarlo.harvest.queries import left_to_pick, standing, yields
from evarlo.harvest.services import MOST_KG, MOST_PIECES, Weighed, keep_picking, withdraw_picking
from evarlo.people.permissions import allowed, may
from evarlo.people.requests import PersonRequest
from evarlo.trials.frame import frame
from evarlo.trials.holds import holds_in_words, pick_words
from evarlo.trials.models import Trial
from evarlo.trials.views import trial_or_404
from evarlo.ui.fields import Day, Number, Words
from evarlo.ui.refused import Refused
from evarlo.ui.units import unit_shown


class WeighIn(forms.Form):
    key = forms.UUIDField(widget=forms.HiddenInput, initial=uuid.uuid4)
    on = Day(label="Day", error_messages={"required": "Nothing was typed. Expected the day of the pick."})
    plot = Words(label="Plot", most=60, error_messages={"required": "Nothing was typed. Expected a plot number."})
    marketable_kg = Number(label="Marketable", low=0, high=MOST_KG, unit="kg", required=False, unmarked=True)
    marketable_count = Number(label="Pieces", low=0, high=MOST_PIECES, whole=True, required=False, unmarked=True)
    cull_kg = Number(label="Cull", low=0, high=MOST_KG, unit="kg", required=False, unmarked=True)
    cull_count = Number(label="Cull pieces", low=0, high=MOST_PIECES, whole=True, required=False, unmarked=True)

    sure = forms.BooleanField(label="Picked anyway; not for eating", required=False)

    def __init__(self, trial: Trial, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.trial = trial

    def clean_plot(self) -> Any:
        number = self.cleaned_data["plot"]
        found = self.trial.plots.filter(number__iexact=number).first()
        if found is None:
            raise forms.ValidationError(f"Found “{number}”. Expected a plot of this trial.")
        return found

    def clean(self) -> dict[str, Any]:
        data = super().clean() or {}
        if not self.errors and data.get("marketable_kg") is None and data.get("cull_kg") is None:
            self.add_error("marketable_kg", f"Nothing was typed. Expected a weight in {unit_shown('kg')}, or 0.")
        return data

    @property
    def weighed(self) -> Weighed:
        d = self.cleaned_data
        return Weighed(d["marketable_kg"] or 0.0, d["marketable_count"], d["cull_kg"] or 0.0, d["cull_count"], d["sure"])


@may("see")
def pick(request: PersonRequest, slug: str) -> HttpResponse:
    trial = trial_or_404(slug)
    if request.method == "POST" and allowed(request.user, "pick"):
        form = WeighIn(trial, request.POST)
        if form.is_valid():
            data = form.cleaned_data
            try:
                kept = keep_picking(data["plot"], data["on"], form.weighed, request.user, data["key"], timezone.localdate())
            except Refused as refusal:
                form.add_error(refusal.field or None, str(refusal))
            else:
                if not request.htmx:
                    return redirect(request.path)
                response = render(request, "harvest/pick.html#bench", _bench(request, trial, data["on"], None, kept))
                response["HX-Trigger-After-Swap"] = "ground-changed"
                return response
        day = form.cleaned_data.get("on") or timezone.localdate()
        context = _bench(request, trial, day, form, None)
        template = "harvest/pick.html#bench" if request.htmx else "harvest/pick.html"
        context |= {} if request.htmx else frame(request, trial, "pick", layer="marketable-yield")
        return render(request, template, context, status=422)
    context = frame(request, trial, "pick", layer="marketable-yield")
    return render(request, "harvest/pick.html", context | _bench(request, trial, timezone.localdate(), None, None))


def _bench(_request: PersonRequest, trial: Trial, on: date, form: WeighIn | None, kept: Picking | None) -> dict[str, Any]:
    waiting = left_to_pick(trial, on)
    after = next((p for p in waiting if kept and p.place > kept.plot.place), waiting[0] if waiting else None)
    form = form or WeighIn(trial, initial={"on": on, "plot": after.number if after else "", "key": uuid.uuid4()})
    rows = standing(trial).select_related("plot__entry", "by").order_by("-at")
    seasons = yields(trial)
    plots = {p.pk: p for p in trial.plots.select_related("entry")}
    return {
        "trial": trial,
        "form": form,
        "kept": kept,
        "waiting": len(waiting),
        "rows": rows[:25],
        "count": rows.count(),
        "seasons": [(plots[pk], seasons[pk]) for pk in sorted(seasons, key=lambda k: plots[k].place)],
        "on": on,
        "holds": holds_in_words(trial, timezone.now(), (pick_words,)),
    }


@may("pick")
@require_POST
def undo(request: PersonRequest, slug: str, key: uuid.UUID) -> HttpResponse:
    trial = trial_or_404(slug)
    picking = get_object_or_404(Picking.objects.select_related("plot"), pk=key, plot__trial=trial)
    withdraw_picking(picking, request.user)
    if not request.htmx:
        return redirect(reverse("harvest:pick", args=[slug]))
    response = render(request, "harvest/pick.html#bench", _bench(request, trial, picking.on, None, None))
    response["HX-Trigger-After-Swap"] = "ground-changed"
    return response
