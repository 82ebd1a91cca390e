"""What is typed about a lot and its ledger."""

from __future__ import annotations

from typing import Any

from django import forms
from django.utils import timezone

from evarlo.catalogue.models import Cultivar
from evarlo.seeds.models import GerminationTest, Lot, Move
from evarlo.ui.fields import Day, Number, OwnIds, Words


class LotForm(forms.Form):
    cultivar = Words(label="Cultivar", most=60, widget=forms.TextInput(attrs={"list": "cultivars"}))
    name = Words(label="Lot", most=40)
    supplier = Words(label="Supplier", most=40, required=False)
    material = forms.ChoiceField(label="Material", choices=Lot.Material.choices, required=False, initial=Lot.Material.SEED)
    year = Number(label="Grown in", low=1950, high=2200, whole=True, required=False)
    germination = Number(label="Stated germination", low=1, high=100, unit="%", required=False)
    packet = Number(label="In a packet", low=1, high=10_000_000, whole=True, required=False)
    price = Number(label="Price of a packet", low=0, high=1e6, required=False)
    thousand_g = Number(label="Thousand-seed weight", low=0.01, high=5000, unit="g", required=False)
    diameter_mm = Number(label="Seed diameter", low=0.1, high=100, unit="mm", required=False)
    treatment = Words(label="Treatment", most=80, required=False)
    grade = Words(label="Grade or preparation", most=60, required=False)
    note = Words(label="Note", most=200, required=False)

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        wanted = {"cultivar": "a cultivar on the list", "name": "the number of the lot"}
        for name, what in wanted.items():
            self.fields[name].error_messages["required"] = f"Nothing was typed. Expected {what}."

    def clean_cultivar(self) -> Cultivar:
        """The cultivar of that name; of several crops' the one written as “name, crop”."""
        name, _, crop = self.cleaned_data["cultivar"].partition(", ")
        found = Cultivar.objects.filter(name__iexact=name)
        found = found.filter(crop__name__iexact=crop) if crop else found
        if found.count() > 1:
            raise forms.ValidationError(
                f"Several crops have a {name}. Expected its crop too, such as {found[0].name}, {found[0].crop}."
            )
        known = found.first()
        if known is None:
            raise forms.ValidationError(f"“{name[:24]}” is not on the list of cultivars. Put it there first.")
        return known

    def clean_year(self) -> int | None:
        year: int | None = self.cleaned_data["year"]
        if year is not None and year > timezone.localdate().year:
            raise forms.ValidationError(f"Found {year}. Expected a year that has come.")
        return year


class MoveForm(OwnIds):
    why = forms.ChoiceField(label="What", choices=[c for c in Move.Why.choices if c[0] != Move.Why.UNDONE])
    seeds = Number(label="How many", low=0, high=100_000_000, whole=True)
    on = Day(label="Day")
    note = Words(label="Note", most=120, required=False)
    sure = forms.BooleanField(label="Keep it, although the ledger has less", required=False)


class BeginForm(OwnIds):
    unmarked = ("method",)
    method = forms.ChoiceField(label="Test of", choices=GerminationTest.Method.choices, required=False)
    began_on = Day(label="Begun on", error_messages={"required": "Nothing was typed. Expected the day it was laid out."})
    replicates = Number(label="Replicates", low=1, high=20, whole=True, initial=4)
    seeds = Number(label="Seeds in each", low=1, high=1000, whole=True, initial=25)
    celsius = Number(label="At", low=-5, high=50, unit="°C", required=False)
    on_what = Words(label="On", most=60, required=False)
    sure = forms.BooleanField(label="Begin it, although the ledger has less", required=False)
