"""One bed: what it is like, what stood on each part of it, its soil, and what stands in the way."""

from __future__ import annotations

from typing import Any

from django import forms
from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_POST

from evarlo.catalogue.models import Crop
from evarlo.catalogue.services import crop_named
from evarlo.grounds import services
from evarlo.grounds.history import Lain, clashes_in, history_of, keep_use, shared_yields
from evarlo.grounds.models import Bed, BedUse
from evarlo.grounds.services import BED_TRAITS, place_bed
from evarlo.grounds.words import part_in_words, when_in_words
from evarlo.people.corrections import corrections_of
from evarlo.people.given_again import given_again
from evarlo.people.permissions import may
from evarlo.people.requests import PersonRequest
from evarlo.ui.draw.occupancy import Box, occupancy
from evarlo.ui.fields import Day, Number, Words
from evarlo.ui.notice import say
from evarlo.ui.refused import said_beside
from trialcore.reckoning.rotation import stretches, years_since


class BedForm(forms.Form):
    environment = forms.ChoiceField(label="Stands in", choices=Bed.Environment.choices)
    zone = Words(label="Zone of the site", most=40, required=False)
    gradient = forms.ChoiceField(label="Ground changes", choices=[("", "not known to"), *Bed.Gradient.choices], required=False)
    gradient_note = Words(label="How it changes", most=120, required=False)
    shade_hours = Number(label="Hours of shade at midsummer", low=0, high=24, required=False)
    pests = Words(label="Soil-borne pests", most=200, required=False)


class UseForm(forms.Form):
    kind = forms.ChoiceField(label="What", choices=BedUse.Kind.choices)
    what = Words(
        label="Crop or material",
        most=80,
        widget=forms.TextInput(attrs={"list": "crops"}),
        error_messages={"required": "Nothing was typed. Expected what stood there or was put on."},
    )
    from_m = Number(label="From", low=0, high=1000, unit="m", initial=0)
    to_m = Number(label="to", low=0, high=1000, unit="m")
    since = Day(label="Since")
    until = Day(label="Until", required=False)
    yield_kg = Number(label="Bore", low=0, high=1e6, unit="kg", required=False)
    together = forms.BooleanField(label="Shares its ground on purpose", required=False)
    note = Words(label="Note", most=200, required=False)


class SoilForm(forms.Form):
    on = Day(label="Day")
    ph = Number(label="pH", low=2, high=12, required=False)
    organic = Number(label="Organic matter", low=0, high=100, unit="%", required=False)
    nitrogen = Number(label="Nitrogen", low=0, high=100_000, unit="mg/kg", required=False)
    phosphorus = Number(label="Phosphorus", low=0, high=100_000, unit="mg/kg", required=False)
    potassium = Number(label="Potassium", low=0, high=100_000, unit="mg/kg", required=False)
    note = Words(label="Note", most=120, required=False)


class ObstacleForm(forms.Form):
    what = Words(label="What", most=40, error_messages={"required": "Nothing was typed. Expected what stands in the way."})
    x = Number(label="Along", low=0, high=1000, unit="m")
    y = Number(label="Across", low=0, high=500, unit="m")
    length = Number(label="Length", low=0.05, high=1000, unit="m")
    width = Number(label="Width", low=0.05, high=500, unit="m")


class PlaceBed(forms.Form):
    """Where the middle of a bed lies, from any corner of the site that one goes by, and where its length points."""

    east_m = Number(label="East of the corner", low=-5000, high=5000, unit="m")
    north_m = Number(label="North of the corner", low=-5000, high=5000, unit="m")
    bearing = Number(label="Length points to", low=0, high=359.9, unit="°")


class CorrectBed(forms.Form):
    name = Words(label="Name", most=40, error_messages={"required": "Nothing was typed. Expected the bed's name."})
    length_m = Number(label="Length", low=0.1, high=1000, unit="m")
    width_m = Number(label="Width", low=0.1, high=500, unit="m")
    why = Words(label="Why", most=200, error_messages={"required": "Nothing was typed. Expected why it is corrected."})


def _bed(pk: int) -> Bed:
    return get_object_or_404(Bed.objects.select_related("site"), pk=pk)


def _page(request: PersonRequest, bed: Bed, **bound: forms.Form) -> HttpResponse:
    today = timezone.localdate()
    lain = history_of([bed])[bed.pk]
    uses = [x.use for x in lain]
    boxes = [_box(x) for x in lain]
    context: dict[str, Any] = {
        "bed": bed,
        "drawing": occupancy(boxes, bed.length_m, today) if boxes else None,
        "lain": [(x, when_in_words(x), part_in_words(x)) for x in reversed(lain)],
        "clashes": clashes_in(lain),
        "shared": shared_yields(bed, lain),
        "years": sorted(years_since(uses, today).items(), key=lambda x: x[1]),
        "stretches": stretches([x.use for x in lain if x.grew], bed.length_m, today),
        "soil": bed.soil_tests.all(),
        "obstacles": bed.obstacles.in_force(),
        "crops": Crop.objects.values_list("name", flat=True),
        "traits": BedForm(initial={name: getattr(bed, name) for name in BED_TRAITS}),
        "use": UseForm(initial={"to_m": bed.length_m}),
        "test": SoilForm(initial={"on": today}),
        "obstacle": ObstacleForm(),
        "place": PlaceBed(initial={"east_m": bed.east_m, "north_m": bed.north_m, "bearing": bed.bearing}),
        "right": CorrectBed(initial={"name": bed.name, "length_m": bed.length_m, "width_m": bed.width_m}),
        "corrections": corrections_of(bed),
    }
    wrong = any(form.errors for form in bound.values())
    return render(request, "grounds/bed.html", context | bound, status=422 if wrong else 200)


def _box(x: Lain) -> Box:
    kind = "trial" if x.url else "legume" if x.use.fixes else "crop" if x.use.family else "other"
    return Box(x.use.start_m, x.use.end_m, x.use.since, x.use.until, x.use.name, kind, x.url)


@may("see")
@given_again
def bed_page(request: PersonRequest, pk: int) -> HttpResponse:
    return _page(request, _bed(pk))


@may("plan")
@require_POST
def keep_traits(request: PersonRequest, pk: int) -> HttpResponse:
    bed, form = _bed(pk), BedForm(request.POST)
    if not form.is_valid():
        return _page(request, bed, traits=form)
    services.keep_bed(bed, {name: form.cleaned_data[name] for name in BED_TRAITS})
    say(request, f"Saved: {bed.name}.")
    return redirect("grounds:bed", pk)


@may("plan")
@require_POST
def correct(request: PersonRequest, pk: int) -> HttpResponse:
    bed, form = _bed(pk), CorrectBed(request.POST)
    if form.is_valid():
        with said_beside(form):
            services.correct_bed(bed, **form.cleaned_data, by=request.user)
            say(request, f"Corrected: {bed}.")
            return redirect("grounds:bed", pk)
    return _page(request, _bed(pk), right=form)


@may("plan")
@require_POST
def place(request: PersonRequest, pk: int) -> HttpResponse:
    """Where a bed lies on its site, from the drawing or in figures."""
    bed = _bed(pk)
    form = PlaceBed(request.POST)
    if not form.is_valid():
        return _page(request, bed, place=form)
    data = form.cleaned_data
    place_bed(bed, data["east_m"], data["north_m"], data["bearing"], request.user)
    if request.htmx:
        return HttpResponse(status=204)
    say(request, f"{bed.name} lies there from now on.")
    return redirect("grounds:bed", pk)


@may("plan")
@require_POST
def add_use(request: PersonRequest, pk: int) -> HttpResponse:
    bed, form = _bed(pk), UseForm(request.POST)
    if form.is_valid():
        d = form.cleaned_data
        crop = crop_named(d["what"])
        with said_beside(form):
            keep_use(
                bed,
                d["kind"],
                d["what"],
                crop,
                (d["from_m"], d["to_m"]),
                d["since"],
                d["until"],
                d["note"],
                d["together"],
                d["yield_kg"],
            )
            return redirect("grounds:bed", pk)
    return _page(request, bed, use=form)


@may("plan")
@require_POST
def drop_use(_request: PersonRequest, pk: int, use: int) -> HttpResponse:
    if not services.drop_use(_bed(pk), use):
        raise Http404("Nothing of that is on record here.")
    return redirect("grounds:bed", pk)


@may("plan")
@require_POST
def add_soil(request: PersonRequest, pk: int) -> HttpResponse:
    bed, form = _bed(pk), SoilForm(request.POST)
    if form.is_valid():
        with said_beside(form):
            services.add_soil_test(bed, form.cleaned_data, timezone.localdate())
            return redirect("grounds:bed", pk)
    return _page(request, bed, test=form)


@may("plan")
@require_POST
def add_obstacle(request: PersonRequest, pk: int) -> HttpResponse:
    bed, form = _bed(pk), ObstacleForm(request.POST)
    if form.is_valid():
        with said_beside(form):
            services.add_obstacle(bed, **form.cleaned_data)
            return redirect("grounds:bed", pk)
    return _page(request, bed, obstacle=form)


@may("plan")
@require_POST
def drop_obstacle(_request: PersonRequest, pk: int, obstacle: int) -> HttpResponse:
    if not services.drop_obstacle(_bed(pk), obstacle):
        raise Http404("Nothing of that is on record here.")
    return redirect("grounds:bed", pk)
