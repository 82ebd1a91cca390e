"""What is typed in the selection nursery."""

from __future__ import annotations

import re
from typing import Any

from django import forms

from evarlo.breeding.laying import MOST_PLANTS
from evarlo.breeding.models import Generation, How, Isolation
from evarlo.catalogue.models import Crop
from evarlo.grounds.models import Bed
from evarlo.trials.forms import Criteria
from evarlo.ui.fields import Day, Number, Words

MISSING = "Nothing was typed. Expected {}."


def _need(what: str) -> dict[str, str]:
    return {"required": MISSING.format(what)}


def _listed() -> forms.TextInput:
    return forms.TextInput(attrs={"list": "listed"})


class CrossForm(forms.Form):
    crop = forms.ModelChoiceField(Crop.objects.all(), label="Crop", error_messages=_need("a crop"))
    name = Words(label="Name of the cross", most=20, error_messages=_need("a short name"))
    seed_parent = Words(label="Seed parent", most=60, error_messages=_need("a cultivar"), widget=_listed())
    pollen_parent = Words(label="Pollen parent", most=60, error_messages=_need("a cultivar"), widget=_listed())
    isolation = forms.ChoiceField(label="Kept from other pollen", choices=Isolation.choices)
    seeds = Number(label="Seeds it gave", low=1, high=100_000, whole=True, error_messages=_need("a count of seeds"))
    on = Day(label="Crossed on", error_messages=_need("the day"))
    note = Words(label="Note", most=200, required=False)


class GrowForm(Criteria):
    rows = 3

    name = Words(label="Name of the trial", most=80, error_messages=_need("a name"))
    season = Words(label="Season", most=20, error_messages=_need("a season"))
    bed = forms.ModelChoiceField(Bed.objects.select_related("site"), label="Bed", error_messages=_need("a bed"))
    plants = Number(label="Plants of each", low=1, high=MOST_PLANTS, whole=True, error_messages=_need("how many plants"))
    check = Words(label="Check among them", most=60, error_messages=_need("a cultivar"), widget=_listed())
    check_every = Number(label="A check after every", low=2, high=50, whole=True, unit="plants", error_messages=_need("a number"))
    between_rows_cm = Number(label="Between rows", low=1, high=500, unit="cm", error_messages=_need("a distance"))
    in_row_cm = Number(label="In the row", low=0.5, high=500, unit="cm", error_messages=_need("a distance"))
    sow_on = Day(label="Sow on", required=False)


class SaveForm(forms.Form):
    number = Words(label="Plant", most=60, error_messages=_need("the number on its stake"))
    mating = forms.ChoiceField(label="Pollinated", choices=How.choices)
    isolation = forms.ChoiceField(label="Kept from other pollen", choices=Isolation.choices)
    pollen = Words(label="Pollen of plant", most=60, required=False)
    seeds = Number(label="Seeds", low=1, high=1_000_000, whole=True, error_messages=_need("a count of seeds"))
    on = Day(label="Saved on", error_messages=_need("the day"))
    called = Words(label="Called", most=40, required=False)
    note = Words(label="Note", most=200, required=False)

    def __init__(self, made: Generation, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.made = made
        for name in ("number", "pollen"):
            self.fields[name].widget.attrs["list"] = "plants"

    def _plant(self, name: str) -> Any:
        number = self.cleaned_data[name]
        if not number:
            return None
        found = (
            self.made.trial.plots.select_related("entry__cultivar", "trial__generation__cross__crop").filter(number=number).first()
        )
        if found is None and number.isdecimal():
            found = next((p for p in self.made.trial.plots.all() if p.number.lstrip("0") == number.lstrip("0")), None)
        if found is None:
            raise forms.ValidationError(f"Found “{number}”. Expected the number of a plant of this generation.")
        return found

    def clean_number(self) -> Any:
        return self._plant("number")

    def clean_pollen(self) -> Any:
        return self._plant("pollen")


class GateForm(forms.Form):
    fixed = Number(label="Loci fixed, at least", low=0, high=99.99, unit="%")
    seasons = Number(label="Seasons seen", low=2, high=20, whole=True)
    plants = Number(label="Plants in the newest season", low=1, high=2000, whole=True)
    off_types = Number(label="Off-types, at most", low=0, high=50, unit="%")


class NameForm(forms.Form):
    name = Words(label="Its name", most=60, error_messages=_need("a name"))


class RatioForm(forms.Form):
    """Counts of plants against a ratio."""

    counts = Words(label="Counted", most=60, error_messages=_need("counts such as 78, 22"))
    ratio = Words(label="Against", most=40, error_messages=_need("a ratio such as 3:1"))

    @staticmethod
    def _numbers(text: str, sign: str) -> list[float]:
        parts = [p for p in re.split(sign, text.replace(",", ", ")) if p.strip()]
        if not all(re.fullmatch(r"\s*[0-9]{1,7}(\.[0-9]+)?\s*", p) for p in parts) or not 2 <= len(parts) <= 6:
            raise forms.ValidationError(
                f"Found “{text}”. Expected two to six whole numbers, such as {'78, 22' if ',' in sign else '3:1'}."
            )
        return [float(p) for p in parts]

    def clean_counts(self) -> list[int]:
        numbers = self._numbers(self.cleaned_data["counts"], r"[,;:/\s]+")
        if any(n != int(n) for n in numbers) or sum(numbers) < 1 or sum(numbers) > 100_000:
            raise forms.ValidationError("Expected whole numbers of plants, one at least and 100000 at most.")
        return [int(n) for n in numbers]

    def clean_ratio(self) -> list[float]:
        numbers = self._numbers(self.cleaned_data["ratio"], r"[:/\s]+")
        if min(numbers) <= 0:
            raise forms.ValidationError("Expected shares above nought.")
        return numbers

    def clean(self) -> dict[str, Any]:
        data = super().clean() or {}
        if "counts" in data and "ratio" in data and len(data["counts"]) != len(data["ratio"]):
            self.add_error("ratio", f"Found {len(data['ratio'])} classes for {len(data['counts'])} counts. Expected as many.")
        return data


class NumbersForm(forms.Form):
    """How many plants, how many families, what selecting brings."""

    dominant = Number(label="Genes wanted as the dominant look", low=0, high=12, whole=True, initial=1)
    recessive = Number(label="Genes wanted recessive, or fixed", low=0, high=12, whole=True, initial=1)
    selfings = Number(label="Selfings since the F1", low=1, high=10, whole=True, initial=1)
    linked = Number(label="Recombination of the first two, where they are linked", low=0, high=50, unit="%", required=False)
    coupled = forms.BooleanField(label="Their wanted sides came from one parent", required=False)
    chance = Number(label="Wanted chance of finding it", low=50, high=99.9, unit="%", initial=95)
    at_least = Number(label="Plants of it wanted", low=1, high=50, whole=True, initial=1)
    total = Number(label="Plants there is room for", low=2, high=2000, whole=True, initial=60)
    kept = Number(label="Kept of them", low=1, high=2000, whole=True, initial=3)
    heritability = Number(label="Heritability of a single plant", low=1, high=100, unit="%", initial=30)
    fixed = Number(label="Loci fixed in the mothers", low=0, high=99.9, unit="%", initial=50)
    next_plants = Number(label="Plants wanted next year, of each", low=1, high=2000, whole=True, initial=20)
    germination = Number(label="Come up", low=1, high=100, unit="%", initial=80)

    def clean(self) -> dict[str, Any]:
        data = super().clean() or {}
        if data.get("dominant") == 0 and data.get("recessive") == 0:
            self.add_error("dominant", "Expected one gene or more.")
        if data.get("linked") is not None:
            if (data.get("dominant") or 0) + (data.get("recessive") or 0) < 2:
                self.add_error("linked", "Expected two genes or more where two are linked.")
            if data.get("selfings") != 1:
                self.add_error("linked", "Linked genes are reckoned for the F2: expected one selfing.")
        if data.get("kept") and data.get("total") and data["kept"] > data["total"]:
            self.add_error("kept", f"Expected at most {data['total']}.")
        return data
