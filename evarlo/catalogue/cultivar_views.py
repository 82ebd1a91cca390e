"""One cultivar: what it is, its other names and kin, and what is claimed of it."""

from __future__ import annotations

from typing import Any

from django import forms
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_POST

from evarlo.catalogue import services
from evarlo.catalogue.models import Cultivar
from evarlo.catalogue.profile import FIELDS, shown
from evarlo.catalogue.services import CULTIVAR_FIELDS, add_synonym, keep_apart, keep_cultivar
from evarlo.catalogue.traits import library
from evarlo.people.given_again import given_again
from evarlo.people.permissions import may
from evarlo.people.requests import PersonRequest
from evarlo.ui.fields import Number, Words
from evarlo.ui.notice import say
from evarlo.ui.refused import said_beside


class CultivarForm(forms.Form):
    breeding = forms.ChoiceField(label="Breeding", choices=[("", "not known"), *Cultivar.Breeding.choices], required=False)
    maturity = Words(label="Maturity", most=40, required=False)
    use = Words(label="Use", most=40, required=False)
    habit = Words(label="Habit", most=40, required=False)
    height_cm = Number(label="Height", low=1, high=1000, unit="cm", required=False)
    pollination = Words(label="Pollination", most=40, required=False)
    species = Words(label="Species", most=60, required=False)
    crossing = Words(label="Crossing group", most=40, required=False)
    relation = forms.ChoiceField(label="Is", choices=[("", "—"), *Cultivar.Relation.choices], required=False)
    related = Words(label="of which cultivar", most=60, required=False, widget=forms.TextInput(attrs={"list": "kin"}))
    note = Words(label="Note", most=200, required=False)

    def clean(self) -> dict[str, Any]:
        data = super().clean() or {}
        if bool(data.get("relation")) != bool(data.get("related")) and "related" not in self.errors:
            self.add_error("related", "Expected both: how it is related, and to which cultivar.")
        return data


class SynonymForm(forms.Form):
    synonym = Words(label="Also known as", most=60, error_messages={"required": "Nothing was typed. Expected another name."})


class ClaimForm(forms.Form):
    says = Words(label="It is said", most=160, error_messages={"required": "Nothing was typed. Expected what is claimed."})
    trait = forms.ChoiceField(label="About", required=False)
    value = Number(label="Figure", low=-1e6, high=1e6, required=False)
    source = Words(label="Source", most=80, required=False)
    climate = Words(label="Climate it was made in", most=80, required=False)

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        about = self.fields["trait"]
        assert isinstance(about, forms.ChoiceField)
        traits = [t for t in library() if t.compared]
        about.choices = [("", "anything else"), *((t.key, t.with_unit) for t in traits)]

    def clean(self) -> dict[str, Any]:
        data = super().clean() or {}
        if data.get("value") is not None and not data.get("trait"):
            self.add_error("value", "Expected which trait the figure is about.")
        return data


def _cultivar(pk: int) -> Cultivar:
    return get_object_or_404(Cultivar.objects.select_related("crop", "related"), pk=pk)


def _page(request: PersonRequest, cultivar: Cultivar, **bound: forms.Form) -> HttpResponse:
    initial = {field: getattr(cultivar, field) for field in (*CULTIVAR_FIELDS, "relation")}
    initial["related"] = cultivar.related.name if cultivar.related else ""
    profile = cultivar.crop.profile
    context: dict[str, Any] = {
        "cultivar": cultivar,
        "form": CultivarForm(initial=initial),
        "synonym": SynonymForm(),
        "claim": ClaimForm(),
        "kin": cultivar.crop.cultivars.exclude(pk=cultivar.pk),
        "crossing": cultivar.crossing or cultivar.species or shown(FIELDS["crossing"], profile.get("crossing")),
        "pollination": cultivar.pollination or shown(FIELDS["pollination"], profile.get("pollination")),
        "isolation": shown(FIELDS["isolation_m"], profile.get("isolation_m")),
    }
    wrong = any(form.errors for form in bound.values())
    return render(request, "catalogue/cultivar.html", context | bound, status=422 if wrong else 200)


@may("see_names")
@given_again
def cultivar_page(request: PersonRequest, pk: int) -> HttpResponse:
    return _page(request, _cultivar(pk))


@may("plan")
@require_POST
def keep(request: PersonRequest, pk: int) -> HttpResponse:
    cultivar, form = _cultivar(pk), CultivarForm(request.POST)
    if form.is_valid():
        with said_beside(form):
            keep_cultivar(cultivar, form.cleaned_data)
            say(request, f"What is known of {cultivar.name} is kept.")
            return redirect("catalogue:cultivar", pk)
    return _page(request, _cultivar(pk), form=form)


@may("plan")
@require_POST
def new_synonym(request: PersonRequest, pk: int) -> HttpResponse:
    cultivar, form = _cultivar(pk), SynonymForm(request.POST)
    if form.is_valid():
        with said_beside(form):
            add_synonym(cultivar, form.cleaned_data["synonym"])
            return redirect("catalogue:cultivar", pk)
    return _page(request, cultivar, synonym=form)


@may("plan")
@require_POST
def drop_synonym(_request: PersonRequest, pk: int, synonym: int) -> HttpResponse:
    services.drop_synonym(_cultivar(pk), synonym)
    return redirect("catalogue:cultivar", pk)


@may("plan")
@require_POST
def new_claim(request: PersonRequest, pk: int) -> HttpResponse:
    cultivar, form = _cultivar(pk), ClaimForm(request.POST)
    if form.is_valid():
        with said_beside(form):
            services.add_claim(cultivar, form.cleaned_data)
            return redirect("catalogue:cultivar", pk)
    return _page(request, cultivar, claim=form)


@may("plan")
@require_POST
def drop_claim(_request: PersonRequest, pk: int, claim: int) -> HttpResponse:
    services.drop_claim(_cultivar(pk), claim)
    return redirect("catalogue:cultivar", pk)


@may("plan")
@require_POST
def apart(request: PersonRequest, pk: int, other: int) -> HttpResponse:
    """Two names that look alike are two cultivars."""
    one, two = _cultivar(pk), _cultivar(other)
    keep_apart(one, two)
    say(request, f"{one.name} and {two.name} are kept apart.")
    return redirect("catalogue:list")
