"""Cultivars by crop, and what is known of each crop."""

from __future__ import annotations

from typing import Any

from django import forms
from django.http import HttpResponse, QueryDict
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse

from evarlo.catalogue.models import Crop, Cultivar
from evarlo.catalogue.profile import FIELDS, GROUPS, SPACING, read_value, shown
from evarlo.catalogue.queries import CultivarRow, cultivar_rows
from evarlo.catalogue.services import add_cultivar, crop_named, cultivar_of, keep_crop, likely_duplicates
from evarlo.people.given_again import given_again
from evarlo.people.permissions import allowed, may
from evarlo.people.requests import PersonRequest, typed
from evarlo.ui.fields import Number, Words
from evarlo.ui.listing import Column, Listing
from evarlo.ui.notice import say
from evarlo.ui.unchanged import kept


class NewCultivar(forms.Form):
    crop = Words(
        label="Crop",
        most=60,
        error_messages={"required": "Nothing was typed. Expected a crop."},
        widget=forms.TextInput(attrs={"list": "crops"}),
    )
    name = Words(label="Cultivar", most=60, error_messages={"required": "Nothing was typed. Expected a name."})
    note = Words(label="Note", most=200, required=False)

    def clean(self) -> dict[str, str]:
        data = super().clean() or {}
        crop = crop_named(data.get("crop", ""))
        known = cultivar_of(crop, data.get("name", "")) if crop else None
        if known is not None:
            as_ = "" if known.name.casefold() == data["name"].casefold() else f" as {known.name}"
            self.add_error("name", f"{data['name']} is on the list of {data['crop']} already{as_}.")
        return data


@may("see")
@given_again
def cultivars(request: PersonRequest) -> HttpResponse:
    form = NewCultivar(typed(request))
    if request.method == "POST" and allowed(request.user, "plan") and form.is_valid():
        data = form.cleaned_data
        made = add_cultivar(data["crop"], data["name"], data["note"])
        say(request, f"{made.name} is on the list of {made.crop.name}.")
        return redirect("catalogue:list")
    names = allowed(request.user, "see_names")
    rows = kept("cultivars", cultivar_rows, of=())
    listing = Listing(request, "cultivars", cultivar_columns(names), rows, "crop", "cultivar")
    if (file := listing.taken()) is not None:
        return file
    context = {
        "listing": listing,
        "all_crops": Crop.objects.all(),
        "form": form,
        "alike": kept("alike", likely_duplicates, of=()) if allowed(request.user, "plan") else [],
    }
    return render(request, "catalogue/cultivars.html", context, status=422 if form.errors else 200)


def cultivar_columns(names: bool) -> list[Column[CultivarRow]]:
    """What the list of cultivars tells; a name leads to its page for those who may see names."""
    leads = (lambda c: reverse("catalogue:cultivar", args=[c.pk])) if names else None
    return [
        Column("name", "Cultivar", lambda c: c.name, url=leads),
        Column("crop", "Crop", lambda c: f"{c.crop}, {c.name}", text=lambda c: c.crop),
        Column("also", "Also known as", lambda c: c.also),
        Column("trials", "Trials", lambda c: c.trials, number=True),
        Column("note", "Note", lambda c: c.note),
        Column("breeding", "Breeding", lambda c: dict(Cultivar.Breeding.choices).get(c.breeding, ""), spare=True),
        Column("maturity", "Maturity", lambda c: c.maturity, spare=True),
        Column("use", "Use", lambda c: c.use, spare=True),
    ]


class CropForm(forms.Form):
    """A crop's name and profile as typed. Each figure is read by the rules of its field."""

    name = Words(label="Crop", most=60, error_messages={"required": "Nothing was typed. Expected the crop's name."})
    between_rows_cm = Number(label="Between rows", low=1, high=500, unit="cm", initial=40)
    in_row_cm = Number(label="In the row", low=0.5, high=500, unit="cm", initial=30)
    cv_percent = Number(label="Plot-to-plot CV of yield", low=0.5, high=100, unit="%", initial=15)

    def __init__(self, crop: Crop | None, data: QueryDict | None = None) -> None:
        known = crop.profile if crop else {}
        initial = {key: shown(field, known.get(key), unit=False) for key, field in FIELDS.items()}
        for name in ("name", *SPACING):
            value = getattr(crop, name, None)
            if value is not None:
                initial[name] = value
        super().__init__(data, initial=initial)
        self.crop = crop
        for key, field in FIELDS.items():
            if field.kind == "choice":
                made: forms.Field = forms.ChoiceField(choices=[("", "—"), *((c, c) for c in field.choices)], required=False)
            else:
                made = forms.CharField(required=False)
            made.label, made.unit, made.unmarked = field.label, field.unit, True  # type: ignore[attr-defined]
            made.widget.attrs.update(autocomplete="off")
            self.fields[key] = made

    def clean(self) -> dict[str, Any]:
        data = super().clean() or {}
        for key, field in FIELDS.items():
            try:
                data[key] = read_value(field, data.get(key) or "")
            except ValueError as error:
                self.add_error(key, str(error))
        same = Crop.objects.filter(name__iexact=data.get("name", ""))
        if any(other != self.crop for other in same):
            self.add_error("name", f"{data['name']} is on record already.")
        return data

    @property
    def groups(self) -> list[dict[str, Any]]:
        return [{"name": name, "fields": [(self[f.key], f.hint) for f in fields]} for name, fields in GROUPS]


@may("see")
@given_again
def crops(request: PersonRequest) -> HttpResponse:
    """Every crop with the figures that are looked up most."""
    keys = ("family", "frost", "soil_c", "edible_days", "picking")
    rows = [(crop, [shown(FIELDS[k], crop.profile.get(k)) for k in keys]) for crop in Crop.objects.all()]
    return render(request, "catalogue/crops.html", {"rows": rows, "heads": [FIELDS[k].label for k in keys]})


@may("plan")
def new_crop(request: PersonRequest) -> HttpResponse:
    """A crop that is not known yet."""
    return _crop_page(request, None)


@may("see")
@given_again
def crop_page(request: PersonRequest, pk: int) -> HttpResponse:
    """One crop's profile: to read, and for the manager to change."""
    return _crop_page(request, get_object_or_404(Crop, pk=pk))


def _crop_page(request: PersonRequest, crop: Crop | None) -> HttpResponse:
    form = CropForm(crop, typed(request))
    if request.method == "POST" and allowed(request.user, "plan") and form.is_valid():
        kept = keep_crop(crop, form.cleaned_data, request.user)
        say(request, f"{kept.name}: the profile is kept.")
        return redirect("catalogue:crop", kept.pk)
    known = crop.profile if crop else {}
    groups = [(name, [(f, text) for f in fields if (text := shown(f, known.get(f.key)))]) for name, fields in GROUPS]
    context = {"crop": crop, "form": form, "known": [g for g in groups if g[1]]}
    return render(request, "catalogue/crop.html", context, status=422 if form.errors else 200)
