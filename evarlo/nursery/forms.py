"""What is typed at the sowing bench, at the trays and at planting."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from django import forms

from evarlo.nursery.models import Happening, Left, Place, RaisingRule, Tending
from evarlo.seeds.queries import Stock
from evarlo.trials.models import Cause, Entry, Trial
from evarlo.trials.plot_numbers import chosen_plots
from evarlo.ui.fields import Day, Number, OwnIds, Words
from trialcore.reckoning.balance import Kind
from trialcore.reckoning.sitting import daylight_doubts, sitting_doubts

DAY = {"required": "Nothing was typed. Expected the day it was done."}
MANY = {"required": "Nothing was typed. Expected how many."}


class SessionFields(OwnIds):
    """What all seeds of one sitting have in common."""

    unmarked: tuple[str, ...] = ("medium", "depth_mm", "orientation", "soak_h", "cover", "warmth_c", "hygiene")

    on = Day(label="Day", error_messages=DAY)
    medium = Words(label="Medium", most=60, required=False, widget=forms.TextInput(attrs={"list": "media"}))
    depth_mm = Number(label="Depth", low=0, high=500, unit="mm", required=False)
    orientation = Words(label="Seed laid", most=30, required=False, widget=forms.TextInput(attrs={"list": "orientations"}))
    soak_h = Number(label="Soaked", low=0, high=240, unit="h", required=False)
    cover = Words(label="Covered with", most=40, required=False)
    warmth_c = Number(label="Kept at", low=-5, high=50, unit="°C", required=False)
    hygiene = Words(label="Hygiene", most=60, required=False)
    sure = forms.BooleanField(label="Sow it, although the ledger has less", required=False)
    anyway = forms.BooleanField(label="Sow it so all the same", required=False)

    def held_against(self, trial: Trial) -> bool:
        """Whether the sitting is as the crop wants it, or somebody said that it is right all the same; else it is asked about."""
        d = self.cleaned_data
        profile = trial.crop.profile
        doubts = sitting_doubts(profile, d.get("depth_mm"), d.get("warmth_c"), d.get("cover") or "")
        doubts += daylight_doubts(profile, d["on"], trial.bed.site.latitude if trial.bed else None) if d.get("on") else []
        if doubts and not d["anyway"]:
            self.add_error("anyway", ". ".join(doubts) + ".")
        return not self.errors


class SowForm(SessionFields):
    """Seeds of one entry into cells of a tray."""

    unmarked = (*SessionFields.unmarked, "lot", "level", "cells")
    entry = forms.ChoiceField(label="Packet")
    lot = forms.ChoiceField(label="From lot", required=False)
    level = forms.ChoiceField(label="For", required=False)
    per_cell = Number(label="Seeds a cell", low=1, high=500, whole=True, error_messages=MANY)
    cells = Words(label="Cells", most=2000, required=False)
    again = forms.BooleanField(label="Sown again, because too little came up", required=False)

    def __init__(
        self, trial: Trial, entries: Sequence[Entry], called: dict[int, str], lots: Sequence[Stock], *args: Any, **kwargs: Any
    ) -> None:
        super().__init__(*args, **kwargs)
        code = {e.cultivar_id: e.code for e in entries}
        self.choose_from("entry", [(e.code, called[e.pk]) for e in entries])
        named = [(str(s.lot.pk), f"{code[s.lot.cultivar_id]}: lot {s.lot.name}, {s.seeds} {s.lot.counted_in}") for s in lots]
        self.choose_from("lot", [("", "the freshest in stock"), ("none", "not on record"), *named])
        self.choose_from("level", [("", "every level"), *((x, x) for x in trial.levels)])


class TrayForm(OwnIds):
    unmarked = ("cell_ml", "place")
    tray_name = Words(label="Tray", most=20, error_messages={"required": "Nothing was typed. Expected a name, such as T14."})
    rows = Number(label="Rows", low=1, high=52, whole=True, initial=6, error_messages=MANY)
    cols = Number(label="Cells in a row", low=1, high=100, whole=True, initial=10, error_messages=MANY)
    cell_ml = Number(label="Cell", low=1, high=20_000, unit="ml", required=False)
    place = forms.ModelChoiceField(Place.objects.select_related("site"), label="Stands", required=False, empty_label="not said")


class CorrectTray(OwnIds):
    unmarked = ("cell_ml",)
    tray_name = Words(label="Its name", most=20, error_messages={"required": "Nothing was typed. Expected a name, such as T14."})
    rows = Number(label="Its rows", low=1, high=52, whole=True, error_messages=MANY)
    cols = Number(label="Cells in each", low=1, high=100, whole=True, error_messages=MANY)
    cell_ml = Number(label="Each cell", low=1, high=20_000, unit="ml", required=False)
    why = Words(label="Why", most=200, error_messages={"required": "Nothing was typed. Expected why it is corrected."})


class PlotsForm(OwnIds):
    """A day, and plots by their numbers; empty means every one."""

    on = Day(label="Day", error_messages=DAY)
    plots = Words(label="Plots", most=400, required=False)

    def __init__(self, trial: Trial, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.trial = trial

    def clean_plots(self) -> list[str]:
        return chosen_plots(self.trial, self.cleaned_data["plots"]) or [p.number for p in self.trial.plots.all()]


class PlantForm(PlotsForm):
    bound = forms.BooleanField(label="Plant root-bound plants, their roots loosened", required=False)


class SowPlotsForm(SessionFields, PlotsForm):
    seeds = Number(label="Seeds a plot", low=1, high=100_000, whole=True, error_messages=MANY)


class CountForm(OwnIds):
    plants = Number(label="Plants", low=0, high=100_000, whole=True, error_messages=MANY)
    on = Day(label="Counted on", error_messages=DAY)
    cells = Words(label="By cell", most=2000, required=False)


LEFT = [("", "not said"), *Left.choices]


class ActForm(OwnIds):
    """Something that happened to plants of one sowing."""

    unmarked = ("cause", "whose", "left", "note")
    KINDS = (
        (Kind.LOST, "were lost"),
        (Kind.NOT_UP, "did not come up, because"),
        (Kind.THINNED, "were thinned, cut"),
        (Kind.GRADED_OUT, "were graded out"),
        (Kind.GIVEN, "were given away"),
    )
    sowing = forms.ChoiceField(label="Of")
    plants = Number(label="How many", low=1, high=100_000, whole=True, error_messages=MANY)
    kind = forms.ChoiceField(label="What", choices=[(k.value, words) for k, words in KINDS])
    cause = Words(label="Cause", most=60, required=False, widget=forms.TextInput(attrs={"list": "causes"}))
    whose = forms.ChoiceField(label="It was", choices=Happening.Whose.choices, required=False)
    left = forms.ChoiceField(label="What stayed", choices=LEFT, required=False)
    on = Day(label="Day", error_messages=DAY)
    note = Words(label="Note", most=200, required=False)

    def __init__(self, choices: list[tuple[str, str]], *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.choose_from("sowing", choices)


class PrickForm(OwnIds):
    unmarked = ("cells",)
    sowing = forms.ChoiceField(label="Seedlings of")
    plants = Number(label="How many", low=1, high=10_000, whole=True, error_messages=MANY)
    tray = Words(label="Into tray", most=20, error_messages={"required": "Nothing was typed. Expected the name of a tray."})
    cells = Words(label="Cells", most=2000, required=False)
    on = Day(label="Day", error_messages=DAY)

    def __init__(self, choices: list[tuple[str, str]], *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.choose_from("sowing", choices)


class TendForm(OwnIds):
    unmarked = ("trays", "said")
    trays = Words(label="Trays", most=400, required=False)
    what = forms.ChoiceField(label="What was done", choices=Tending.What.choices)
    on = Day(label="Day", error_messages=DAY)
    said = Words(label="In words", most=120, required=False)


class HardenForm(OwnIds):
    plant_on = Day(label="Planting", error_messages={"required": "Nothing was typed. Expected the day of planting."})
    days = Number(label="Days", low=3, high=30, whole=True, initial=9, error_messages=MANY)


class RuleForm(OwnIds):
    unmarked = ("left", "reserve", "release")
    surplus = forms.ChoiceField(label="Seedlings in one cell", choices=RaisingRule.Surplus.choices)
    left = forms.ChoiceField(label="Where one is left", choices=LEFT, required=False)
    reserve = Number(label="Held back", low=0, high=1000, whole=True, unit="plants an entry", required=False)
    release = Words(label="Released when", most=120, required=False)


class OutlookForm(OwnIds):
    unmarked = ("wind", "rain")
    tmin = Number(label="Coldest", low=-40, high=45, unit="°C", error_messages={"required": "Nothing was typed."})
    tmax = Number(label="Warmest", low=-40, high=55, unit="°C", error_messages={"required": "Nothing was typed."})
    wind = Number(label="Wind up to", low=0, high=60, unit="m/s", required=False)
    rain = Number(label="Rain", low=0, high=500, unit="mm", required=False)


CAUSES = [("", "choose"), (Cause.ACCIDENT, "an accident"), (Cause.FAILED, "the cultivar failed")]


class StandRuleForm(OwnIds):
    least_stand = Number(label="Least stand judged", low=1, high=100, unit="% of stations", required=False, unmarked=True)


class PlaceForm(OwnIds):
    unmarked = ("celsius", "light_h")
    name = Words(label="Place", most=40, error_messages={"required": "Nothing was typed. Expected a name."})
    capacity = Number(label="Holds", low=0.5, high=10_000, unit="trays", error_messages=MANY)
    shelter = forms.ChoiceField(label="Where", choices=Place.Shelter.choices)
    celsius = Number(label="Heated to", low=-5, high=45, unit="°C", required=False)
    light_h = Number(label="Lamps", low=0, high=24, unit="h a day", required=False)
