"""What is typed to plan a trial, and to leave a plot out."""

from __future__ import annotations

from typing import Any

from django import forms

from evarlo.catalogue.models import Crop, Trait
from evarlo.grounds.models import Bed, Site
from evarlo.trials.models import Cause, Trial
from evarlo.trials.services import MOST_BLOCKS, MOST_ENTRIES, CriterionPlan, TrialPlan
from evarlo.ui.fields import Day, Number, Words

CRITERIA = 4
MOST_TYPED = 20_000


class NewTrial(forms.Form):
    name = Words(label="Name", most=80)
    question = Words(label="Question", most=300, required=False)
    crop = Words(label="Crop", most=60, widget=forms.TextInput(attrs={"list": "crops"}))
    season = Words(label="Season", most=20)
    site = Words(label="Site", most=60, widget=forms.TextInput(attrs={"list": "sites"}))
    bed = Words(label="Bed", most=40, widget=forms.TextInput(attrs={"list": "beds"}))
    bed_length_m = Number(label="Length", low=0.5, high=1000, unit="m")
    bed_width_m = Number(label="Width", low=0.3, high=500, unit="m")
    bearing = Number(label="Length points to", low=0, high=359, unit="°", initial=90)
    entries = forms.CharField(
        label="Entries, one a line",
        strip=True,
        widget=forms.Textarea(attrs={"rows": 7, "spellcheck": "false", "x-model": "typed"}),
    )
    check = Words(label="Check", most=60, widget=forms.TextInput(attrs={"list": "typed-entries"}))
    design = forms.ChoiceField(
        label="Design",
        choices=[
            (Trial.Design.BLOCKS, "Complete blocks: every entry once in every block"),
            (Trial.Design.INCOMPLETE, "Incomplete blocks: replicates cut into small blocks, for many entries"),
        ],
        required=False,
        initial=Trial.Design.BLOCKS,
    )
    block_size = Number(label="Plots in a block", low=2, high=50, whole=True, required=False, unmarked=True)
    blocks = Number(label="Blocks", low=2, high=MOST_BLOCKS, whole=True, initial=4)
    plot_length_m = Number(label="Plot length", low=0.1, high=100, unit="m")
    plot_width_m = Number(label="Plot width", low=0.1, high=100, unit="m")
    path_m = Number(label="Path between blocks", low=0, high=20, unit="m", initial=0.5)
    between_rows_cm = Number(label="Between rows", low=1, high=500, unit="cm")
    in_row_cm = Number(label="In the row", low=0.5, high=500, unit="cm")
    cv_percent = Number(label="Plot-to-plot CV", low=0.5, high=100, unit="%", initial=15)
    sow_on = Day(label="Sow on", required=False)
    plant_on = Day(label="Plant on", required=False)
    pick_on = Day(label="First pick about", required=False)
    blind = forms.BooleanField(label="Keep names from those who score", required=False, initial=True)

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        traits = [("", "—")] + [(t.key, f"{t.name}, {t.shown_unit}" if t.shown_unit else t.name) for t in offered_traits()]
        for i in range(1, CRITERIA + 1):
            self.fields[f"trait_{i}"] = forms.ChoiceField(label=f"Criterion {i}", choices=traits, required=i == 1)
            self.fields[f"direction_{i}"] = forms.ChoiceField(label="Better when", choices=Trait.Direction.choices, required=False)
            self.fields[f"matters_{i}"] = Number(label="A difference that matters", low=0, high=1e6, required=False)
        self.fields["design"].unmarked = True  # type: ignore[attr-defined]
        for name, field in self.fields.items():
            if field.required and name not in ("blind",):
                field.error_messages["required"] = f"Nothing was typed. Expected {expected(field)}."

    def clean_entries(self) -> list[str]:
        text = self.cleaned_data["entries"]
        if len(text) > MOST_TYPED:
            raise forms.ValidationError(f"Found {len(text)} characters. Expected one name a line, {MOST_ENTRIES} at most.")
        names = [" ".join(line.split()) for line in text.splitlines() if line.strip()]
        long = next((n for n in names if len(n) > 60), None)
        if long:
            raise forms.ValidationError(f"Found “{long[:24]}…” with {len(long)} characters. Expected a name of at most 60.")
        if any(not c.isprintable() for n in names for c in n):
            raise forms.ValidationError("Found control characters. Expected plain names, one a line.")
        return names

    def clean(self) -> dict[str, Any]:
        data = super().clean() or {}
        for i in range(1, CRITERIA + 1):
            if data.get(f"trait_{i}") and data.get(f"matters_{i}") is None and f"matters_{i}" not in self.errors:
                self.add_error(f"matters_{i}", "Nothing was typed. Expected the smallest difference worth acting on.")
        data["design"] = data.get("design") or Trial.Design.BLOCKS
        if data["design"] == Trial.Design.INCOMPLETE and data.get("block_size") is None and "block_size" not in self.errors:
            self.add_error("block_size", "Nothing was typed. Expected how many plots an incomplete block holds.")
        if data["design"] == Trial.Design.BLOCKS:
            data["block_size"] = None
        self._check_bed(data)
        return data

    def _check_bed(self, data: dict[str, Any]) -> None:
        if not all(k in data for k in ("site", "bed", "bed_length_m", "bed_width_m")):
            return
        known = Bed.objects.filter(site__name__iexact=data["site"], name__iexact=data["bed"]).first()
        if known and (known.length_m, known.width_m) != (data["bed_length_m"], data["bed_width_m"]):
            self.add_error(
                "bed",
                f"{known.name} is {known.length_m:g} × {known.width_m:g} m on record. "
                "Use that size, or give this bed another name.",
            )

    def plan(self) -> TrialPlan:
        """The plan that was typed; its crop, site and bed are put on record when they are new."""
        data = self.cleaned_data
        crop = Crop.objects.filter(name__iexact=data["crop"]).first() or Crop.objects.create(
            name=data["crop"], between_rows_cm=data["between_rows_cm"], in_row_cm=data["in_row_cm"], cv_percent=data["cv_percent"]
        )
        site = Site.objects.filter(name__iexact=data["site"]).first() or Site.objects.create(name=data["site"])
        bed = Bed.objects.filter(site=site, name__iexact=data["bed"]).first() or Bed.objects.create(
            site=site, name=data["bed"], length_m=data["bed_length_m"], width_m=data["bed_width_m"], bearing=data["bearing"]
        )
        traits = {t.key: t for t in offered_traits()}
        criteria = [
            CriterionPlan(
                traits[data[f"trait_{i}"]], data[f"direction_{i}"] or traits[data[f"trait_{i}"]].direction, data[f"matters_{i}"]
            )
            for i in range(1, CRITERIA + 1)
            if data.get(f"trait_{i}")
        ]
        return TrialPlan(
            **{
                k: data[k]
                for k in (
                    "name",
                    "question",
                    "season",
                    "entries",
                    "check",
                    "design",
                    "blocks",
                    "block_size",
                    "plot_length_m",
                    "plot_width_m",
                    "path_m",
                    "between_rows_cm",
                    "in_row_cm",
                    "cv_percent",
                    "sow_on",
                    "plant_on",
                    "pick_on",
                    "blind",
                )
            },
            crop=crop,
            bed=bed,
            criteria=criteria,
        )

    @property
    def criteria_rows(self) -> list[dict[str, Any]]:
        return [{part: self[f"{part}_{i}"] for part in ("trait", "direction", "matters")} for i in range(1, CRITERIA + 1)]


def offered_traits() -> list[Trait]:
    """The traits a new trial can be judged by: the library, not the columns of sheets."""
    return list(Trait.objects.exclude(key__startswith="sheet-"))


def expected(field: forms.Field) -> str:
    """What a field expects, in words."""
    return field.expected if isinstance(field, Number) else str(field.label).lower()


class LeaveOut(forms.Form):
    cause = forms.ChoiceField(label="Cause", choices=Cause.choices)
    note = Words(
        label="What happened", most=200, error_messages={"required": "Nothing was typed. Expected what happened to the plot."}
    )
    on = Day(label="When", error_messages={"required": "Nothing was typed. Expected the day it happened."})
