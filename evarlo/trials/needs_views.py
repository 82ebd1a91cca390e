"""Needs: the page, its settings and materials, the order list, and the kit for the day."""

from __future__ import annotations

from typing import Any

from django import forms
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_POST

from evarlo.catalogue.profile import FIELDS, shown
from evarlo.people.given_again import given_again
from evarlo.people.permissions import may
from evarlo.people.requests import PersonRequest
from evarlo.trials import queries
from evarlo.trials.frame import frame
from evarlo.trials.models import Material, NeedPlan, Trial
from evarlo.trials.needs import by_machine, inoculation, needs_of, order_lines, plan_of
from evarlo.trials.plot_numbers import chosen_plots
from evarlo.trials.services import add_material, drop_material, keep_need_plan
from evarlo.trials.views import trial_or_404
from evarlo.trials.words import few_seeds_in_words, needs_in_words, places_in_words
from evarlo.ui.fields import Number, Words
from evarlo.ui.refused import said_beside
from evarlo.ui.tables import as_csv
from trialcore.reckoning.doses import PER_M2

PLAN_FIELDS = (
    "per_station",
    "germination",
    "field_percent",
    "spare_percent",
    "spare",
    "transplant",
    "tray_cells",
    "cell_ml",
    "lead_days",
)


class NeedForm(forms.Form):
    per_station = Number(label="Seeds a station or cell", low=1, high=20, whole=True)
    germination = Number(label="Germination, if a lot says none", low=1, high=100, unit="%")
    field_percent = Number(label="Share that becomes plants", low=1, high=100, unit="%")
    spare_percent = Number(label="To spare", low=0, high=500, unit="%")
    spare = Number(label="and besides", low=0, high=100_000, unit="seeds", whole=True)
    transplant = forms.BooleanField(label="Raised in trays and planted out", required=False)
    tray_cells = Number(label="Cells in a tray", low=1, high=1000, whole=True)
    cell_ml = Number(label="Cell", low=1, high=20_000, unit="ml")
    lead_days = Number(label="From order to arrival", low=0, high=400, unit="days", whole=True)


class MaterialForm(forms.Form):
    name = Words(label="Material", most=60, error_messages={"required": "Nothing was typed. Expected what it is."})
    kind = forms.ChoiceField(label="Reckoned as", choices=Material.Kind.choices)
    amount = Number(label="Amount", low=0, high=1e6)
    unit = forms.ChoiceField(label="Rate in", choices=[(u, u) for u in PER_M2], required=False)
    grade = Number(label="Grade", low=0.1, high=100, unit="%", required=False, unmarked=True)
    soil = Number(label="Soil test", low=0, high=100_000, unit="mg/kg", required=False, unmarked=True)
    pack = Number(label="In a pack", low=0.001, high=1e6, required=False, unmarked=True)
    plots = Words(label="For plots", most=400, required=False)
    price = Number(label="Price of a pack", low=0, high=1e6, required=False, unmarked=True)

    def __init__(self, trial: Trial, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.trial = trial
        self.fields["unit"].unmarked = True  # type: ignore[attr-defined]

    def clean_plots(self) -> str:
        chosen_plots(self.trial, self.cleaned_data["plots"])
        return str(self.cleaned_data["plots"])


@may("plan")
@given_again
def needs_page(request: PersonRequest, slug: str) -> HttpResponse:
    trial = trial_or_404(slug)
    plan = plan_of(trial)
    form = NeedForm(initial={name: getattr(plan, name) for name in PLAN_FIELDS})
    return _page(request, trial, form, MaterialForm(trial))


def _page(request: PersonRequest, trial: Trial, form: NeedForm, material: MaterialForm) -> HttpResponse:
    needs = needs_of(trial, queries.entry_names(trial, request.user), timezone.localdate())
    context: dict[str, Any] = {"needs": needs, "said": needs_in_words(trial, needs), "form": form, "material": material}
    context["rows"] = [(r, few_seeds_in_words(r, needs.plan)) for r in needs.rows]
    context |= {"machine": by_machine(trial, needs.plan), "inoculation": inoculation(trial)}
    wrong = form.errors or material.errors
    if request.htmx and not wrong:
        return render(request, "trials/needs.html#needs", context | {"trial": trial})
    return render(
        request, "trials/needs.html", context | frame(request, trial, "plan", layer="entry"), status=422 if wrong else 200
    )


@may("plan")
@require_POST
def keep_needs(request: PersonRequest, slug: str) -> HttpResponse:
    """How the needs are reckoned was changed: they are reckoned anew at once."""
    trial = trial_or_404(slug)
    form = NeedForm(request.POST)
    if form.is_valid():
        keep_need_plan(trial, form.cleaned_data)
        if not request.htmx:
            return redirect("trials:needs", slug)
    elif request.htmx:
        return HttpResponse(status=204)  # half typed; said when it is sent as a whole
    return _page(request, trial, form, MaterialForm(trial))


@may("plan")
@require_POST
def new_material(request: PersonRequest, slug: str) -> HttpResponse:
    trial = trial_or_404(slug)
    form = MaterialForm(trial, request.POST)
    if form.is_valid():
        with said_beside(form):
            add_material(trial, form.cleaned_data)
            return redirect("trials:needs", slug)
    plan: NeedPlan = plan_of(trial)
    return _page(request, trial, NeedForm(initial={name: getattr(plan, name) for name in PLAN_FIELDS}), form)


@may("plan")
@require_POST
def take_material_off(_request: PersonRequest, slug: str, pk: int) -> HttpResponse:
    drop_material(get_object_or_404(Material.objects.in_force(), trial__slug=slug, pk=pk))
    return redirect("trials:needs", slug)


@may("plan")
def orders(request: PersonRequest, slug: str) -> HttpResponse:
    """The order list, for a supplier or another program."""
    trial = trial_or_404(slug)
    needs = needs_of(trial, queries.entry_names(trial, request.user), timezone.localdate())
    return as_csv(f"{trial.slug}-orders", order_lines(needs))


@may("see")
def kit(request: PersonRequest, slug: str) -> HttpResponse:
    """What to take along on the day of sowing or planting, plot by plot, by code: it may lie open on the bench."""
    trial = trial_or_404(slug)
    codes = {e.pk: e.code for e in trial.entries.all()}
    needs = needs_of(trial, codes, timezone.localdate())
    depth = shown(FIELDS["depth_mm"], trial.crop.profile.get("depth_mm"))
    context = {"trial": trial, "needs": needs, "depth": depth, "places": places_in_words(needs)}
    return render(request, "trials/kit_sheet.html", context)
