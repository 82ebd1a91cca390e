"""What is typed to plan a trial, and to leave a plot out."""

from __future__ import annotations

import re
from datetime import date
from typing import Any

from django import forms

from evarlo.catalogue.models import Trait
from evarlo.catalogue.services import crop_on_record
from evarlo.catalogue.traits import library
from evarlo.grounds.models import Bed
from evarlo.grounds.services import add_bed, bed_named, site_on_record
from evarlo.trials.advice import DESIGNS
from evarlo.trials.models import LEFT_OUT, TWO_FACTORS, WITHDRAWN, Trial
from evarlo.trials.needs import RAISED, plan_of
from evarlo.trials.plan import IN_ROW, MOST_BLOCKS, MOST_ENTRIES, SHARED, CriterionPlan, TrialPlan
from evarlo.trials.queries import FILLED
from evarlo.ui.fields import Day, Number, Words
from evarlo.ui.units import figure_shown, measured, value_shown
from evarlo.ui.words import names_in
from trialcore.reckoning.schedule import years_later

CRITERIA = 4
UNNAMED = "Entry"  # with a number: a place for a cultivar that nobody has named yet
MOST_TYPED = 20_000
TYPED = tuple(name for name in SHARED if name not in ("crop", "bed"))  # as the form and the trial both name them
SAME_BED = 0.01  # metres by which a size typed in another unit may differ from the one on record


class Criteria(forms.Form):
    """What a trial is decided by, the leading criterion first: `rows` of them, among `traits`."""

    rows = CRITERIA

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.traits = {t.key: t for t in self.offered()}
        for i in range(1, self.rows + 1):
            self.fields[f"trait_{i}"] = forms.ChoiceField(label=f"Criterion {i}", choices=_grouped(self.traits), required=i == 1)
            self.fields[f"direction_{i}"] = forms.ChoiceField(label="Better when", choices=Trait.Direction.choices, required=False)
            self.fields[f"matters_{i}"] = Number(label="A difference that matters", low=0, high=1e6, required=False)
            self.fields[f"must_{i}"] = Number(label="Must have", low=-1e6, high=1e6, required=False)
            self.fields[f"weight_{i}"] = Number(label="Weight", low=0.01, high=100, required=False)

    def offered(self) -> list[Trait]:
        return offered_traits()

    def clean(self) -> dict[str, Any]:
        data = super().clean() or {}
        for i in range(1, self.rows + 1):
            if data.get(f"trait_{i}") and data.get(f"matters_{i}") is None and f"matters_{i}" not in self.errors:
                self.add_error(f"matters_{i}", "Nothing was typed. Expected the smallest difference worth acting on.")
        return data

    @property
    def criteria(self) -> list[CriterionPlan]:
        data = self.cleaned_data
        chosen = [(i, self.traits[data[f"trait_{i}"]]) for i in range(1, self.rows + 1) if data.get(f"trait_{i}")]
        return [
            CriterionPlan(
                trait,
                data[f"direction_{i}"] or trait.direction,
                data[f"matters_{i}"],
                data.get(f"must_{i}"),
                data.get(f"weight_{i}") or 1.0,
            )
            for i, trait in chosen
        ]

    @property
    def criteria_rows(self) -> list[dict[str, Any]]:
        return [
            {part: self[f"{part}_{i}"] for part in ("trait", "direction", "matters", "must", "weight")}
            for i in range(1, self.rows + 1)
        ]


class ChangeCriteria(Criteria):
    """The criteria of a trial that is under way, and why they change."""

    why = Words(label="Why they change", most=200, error_messages={"required": "Nothing was typed. Expected why they change."})

    def __init__(self, trial: Trial, *args: Any, **kwargs: Any) -> None:
        self.own = [c.trait for c in trial.criteria.select_related("trait")]
        self.rows = max(CRITERIA, len(self.own))
        super().__init__(*args, initial=criteria_as_typed(trial), **kwargs)

    def offered(self) -> list[Trait]:
        return [*self.own, *(t for t in offered_traits() if t not in self.own)]


RECORDED = {  # how a trait gets its values
    Trait.Source.WALK: "Scored on walks",
    Trait.Source.PICK: "From weigh-ins",
    Trait.Source.COURSE: "From several rounds of a walk",
    Trait.Source.WITHIN: "From single plants of a walk",
    Trait.Source.TEST: "From samples tested after the pick",
    Trait.Source.STORE: "From the keeping test",
    Trait.Source.WORK: "From the time that work took",
}


def _grouped(traits: dict[str, Trait]) -> list[Any]:
    """The traits by how each is recorded."""
    groups: dict[str, list[tuple[str, str]]] = {how: [] for how in ("Weighed on a walk, or at the picks", *RECORDED.values())}
    for t in traits.values():
        how = "Weighed on a walk, or at the picks" if t.key in FILLED else RECORDED[Trait.Source(t.source)]
        groups[how].append((t.key, t.with_unit))
    return [("", "—"), *((how, some) for how, some in groups.items() if some)]


class NewTrial(Criteria):
    count = Number(label="Number of entries", low=2, high=MOST_ENTRIES, whole=True, required=False, unmarked=True)
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
    check = Words(label="Check", most=60, widget=forms.TextInput(attrs={"list": "listed"}))
    repeated = Words(
        label="Further checks", most=300, required=False, widget=forms.TextInput(attrs={"placeholder": "names, commas between"})
    )
    more_beds = forms.CharField(
        label="Further beds",
        required=False,
        widget=forms.TextInput(attrs={"spellcheck": "false", "placeholder": "no other bed", "list": "beds"}),
        help_text="Several with ; between: beds of this site, or new ones with their size, such as South strip 18 × 7 m.",
    )
    each_bed = forms.ChoiceField(
        label="How blocks are shared out",
        choices=[("", "for the blocks that the first does not hold"), ("each", "each with as many blocks, to compare the places")],
        required=False,
    )
    design = forms.ChoiceField(
        label="Design", choices=[(d.key, d.name) for d in DESIGNS], required=False, initial=Trial.Design.BLOCKS
    )
    factor = Words(label="Second factor", most=40, required=False, widget=forms.TextInput(attrs={"list": "factors"}))
    levels = forms.CharField(
        label="Its levels, one a line", required=False, widget=forms.Textarea(attrs={"rows": 3, "spellcheck": "false"})
    )
    entries_whole = forms.BooleanField(label="Entries lie on the large plots, the second factor within them", required=False)
    block_size = Number(label="Plots in a block", low=2, high=50, whole=True, required=False, unmarked=True)
    blocks = Number(label="Blocks", low=1, high=MOST_BLOCKS, whole=True, initial=4)
    check_plots = Number(label="Plots of the check in a block", low=1, high=10, whole=True, required=False, unmarked=True)
    plot_length_m = Number(label="Plot length", low=0.1, high=100, unit="m")
    plot_width_m = Number(label="Plot width", low=0.1, high=100, unit="m")
    path_m = Number(label="Path between blocks", low=0, high=20, unit="m", initial=0.5)
    guard_m = Number(label="Guard strip at the bed's edge", low=0, high=20, unit="m", required=False, unmarked=True)
    border = Number(label="Border not judged", low=0, high=5, unit="plants", whole=True, required=False, unmarked=True)
    between_rows_cm = Number(label="Between rows", low=1, high=500, unit="cm")
    in_row_cm = Number(label="In the row", low=IN_ROW[0], high=IN_ROW[1], unit="cm")
    own_spacing = forms.CharField(
        label="Entries of another habit, with their own spacing, one a line",
        required=False,
        widget=forms.Textarea(attrs={"rows": 2, "spellcheck": "false"}),
    )
    staggered = forms.BooleanField(label="Rows are staggered, each plant between two of the next row", required=False)
    per_station = Number(label="Plants at a station", low=1, high=20, whole=True, required=False, unmarked=True)
    cv_percent = Number(label="Plot-to-plot CV", low=0.5, high=100, unit="%", initial=15)
    raised = forms.ChoiceField(
        label="Plants",
        choices=[("", "as this crop usually is"), ("raised", "raised, then planted out"), ("sown", "sown where they stand")],
        required=False,
    )
    treatments = forms.BooleanField(label="The entries are treatments of one cultivar", required=False)
    sow_on = Day(label="Sow on", required=False)
    plant_on = Day(label="Plant on", required=False)
    pick_on = Day(label="First pick about", required=False)
    blind = forms.BooleanField(label="Keep names from those who score", required=False, initial=True)

    saves_seed = forms.BooleanField(label="Seed will be saved from its plots", required=False)

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        for name in ("design", "factor", "levels", "repeated", "raised", "more_beds", "each_bed", "own_spacing"):
            self.fields[name].unmarked = True  # type: ignore[attr-defined]
        for name, field in self.fields.items():
            if field.required and name not in ("blind",):
                field.error_messages["required"] = f"Nothing was typed. Expected {expected(field)}."

    def clean_levels(self) -> list[str]:
        levels = [" ".join(line.split()) for line in self.cleaned_data["levels"][:MOST_TYPED].splitlines() if line.strip()]
        if (long := next((x for x in levels if len(x) > 60), None)) or any(not c.isprintable() for x in levels for c in x):
            raise forms.ValidationError(f"Found “{(long or levels[0])[:24]}”. Expected plain words, 60 characters at most a level.")
        return levels

    def clean_repeated(self) -> list[str]:
        return names_in(self.cleaned_data["repeated"])

    def clean_more_beds(self) -> list[Bed]:
        """Beds of the site, one a line: a name on record, or a name with its size. New ones are not on record yet."""
        site = " ".join(str(self.data.get("site", "")).split())
        known = {b.name.casefold(): b for b in Bed.objects.filter(site__name__iexact=site)}
        found: dict[str, Bed] = {}
        for line in self.cleaned_data["more_beds"][:MOST_TYPED].replace(";", "\n").splitlines():
            if line.strip():
                bed = _bed_typed(" ".join(line.split()), known)
                if bed.name.casefold() in {*found, str(self.data.get("bed", "")).strip().casefold()}:
                    raise forms.ValidationError(f"“{bed.name}” is named twice. Expected each bed once.")
                found[bed.name.casefold()] = bed
        return list(found.values())

    def clean_each_bed(self) -> bool:
        return bool(self.cleaned_data["each_bed"])

    def clean_own_spacing(self) -> dict[str, float]:
        """Names with centimetres, one a line."""
        found: dict[str, float] = {}
        apart = Number(label="In the row", low=IN_ROW[0], high=IN_ROW[1], unit="cm")
        for line in self.cleaned_data["own_spacing"][:MOST_TYPED].splitlines():
            if not line.strip():
                continue
            told = re.fullmatch(r"(.+?)[\s,:]+([0-9][0-9.,]*\s*[a-z\"″]*)", line.strip())
            if told is None:
                raise forms.ValidationError(f"Found “{line[:40]}”. Expected a name and its distance, such as Rook 60.")
            found[" ".join(told[1].split())] = apart.clean(told[2])
        return found

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
        data["design"] = data.get("design") or Trial.Design.BLOCKS
        if data["design"] == Trial.Design.INCOMPLETE and data.get("block_size") is None and "block_size" not in self.errors:
            self.add_error("block_size", "Nothing was typed. Expected how many plots an incomplete block holds.")
        if data["design"] != Trial.Design.INCOMPLETE:
            data["block_size"] = None
            self.errors.pop("block_size", None)
        if data["design"] == Trial.Design.LATIN and data.get("entries"):
            data["blocks"] = len(data["entries"])
            self.errors.pop("blocks", None)
        self._name_the_rest(data)
        data["guard_m"], data["border"] = data.get("guard_m") or 0.0, data.get("border") or 0
        data["per_station"] = data.get("per_station") or 1
        data["check_plots"] = data.get("check_plots") or 1
        if data["design"] not in TWO_FACTORS:
            data |= {"factor": "", "levels": [], "entries_whole": False}
        elif data["design"] == Trial.Design.FACTORIAL:
            data["entries_whole"] = False
        data["each_bed"] = bool(data.get("each_bed") and data.get("more_beds"))
        if data["design"] == Trial.Design.PAIRS:  # every entry beside one check
            data["repeated"] = []
        self._check_bed(data)
        return data

    def _name_the_rest(self, data: dict[str, Any]) -> None:
        """Entries that were counted and not named yet keep their places: they are named before the layout is fixed."""
        count, names = data.get("count") or 0, list(data.get("entries") or ())
        if len(names) >= count or ("entries" in self.errors and names):
            return
        free = (f"{UNNAMED} {n}" for n in range(1, 2 * MOST_ENTRIES))
        folded = {n.casefold() for n in names}
        while len(names) < count:
            name = next(free)
            if name.casefold() not in folded:
                names.append(name)
        data["entries"] = names
        self.errors.pop("entries", None)
        if not data.get("check") and names[0].startswith(UNNAMED):
            data["check"] = names[0]
            self.errors.pop("check", None)

    def _check_bed(self, data: dict[str, Any]) -> None:
        if not all(k in data for k in ("site", "bed", "bed_length_m", "bed_width_m")):
            return
        known = bed_named(data["site"], data["bed"])
        sides = [(known.length_m, data["bed_length_m"]), (known.width_m, data["bed_width_m"])] if known else []
        if known and all(abs(kept - typed) <= SAME_BED for kept, typed in sides):
            data["bed_length_m"], data["bed_width_m"] = known.length_m, known.width_m
        elif known:
            self.add_error(
                "bed",
                f"{known.name} is {figure_shown(known.length_m, 'm')} × {measured(known.width_m, 'm')} on record. "
                "Use that size, or give this bed another name.",
            )

    def plan(self) -> TrialPlan:
        """The plan that was typed; its crop, site and bed are put on record when they are new."""
        data = self.cleaned_data
        crop = crop_on_record(data["crop"], **{name: data[name] for name in ("between_rows_cm", "in_row_cm", "cv_percent")})
        site = site_on_record(data["site"])
        bed = add_bed(site, data["bed"], data["bed_length_m"], data["bed_width_m"], data["bearing"])
        more_beds = [
            further if further.pk else add_bed(site, further.name, further.length_m, further.width_m, further.bearing)
            for further in data["more_beds"]
        ]
        return TrialPlan(
            **{name: data[name] for name in (*TYPED, "entries", "check", "levels", "repeated", "own_spacing")},
            more_beds=more_beds,
            crop=crop,
            bed=bed,
            criteria=self.criteria,
            raised=RAISED.get(data["raised"]),
        )


def _bed_typed(line: str, known: dict[str, Bed]) -> Bed:
    """A further bed as typed: its name, or its name and size such as “South strip 18 × 7 m”."""
    if line.casefold() in known:
        return known[line.casefold()]
    sized = re.fullmatch(r"(.{1,40}?),?\s+([0-9]+(?:[.,][0-9]+)?)\s*m?\s*[×xX*]\s*([0-9]+(?:[.,][0-9]+)?)\s*m?", line)
    if not sized or any(not c.isprintable() for c in line):
        raise forms.ValidationError(
            f"Found “{line[:40]}”. Expected a bed of this site, or a new one with its size, such as South strip 18 × 7 m."
        )
    name, (length, width) = sized[1], (float(v.replace(",", ".")) for v in sized.groups()[1:])
    if not (0.5 <= length <= 1000 and 0.3 <= width <= 500):
        raise forms.ValidationError(f"Found {length:g} × {width:g} m. Expected 0.5 to 1000 m by 0.3 to 500 m.")
    bed = known.get(name.casefold())
    if bed and (bed.length_m, bed.width_m) != (length, width):
        raise forms.ValidationError(
            f"{bed.name} is {figure_shown(bed.length_m, 'm')} × {measured(bed.width_m, 'm')} on record. Expected that size."
        )
    return bed or Bed(name=name, length_m=length, width_m=width)


def offered_traits() -> list[Trait]:
    """The traits a new trial can be judged by."""
    return [t for t in library() if t.compared]


def expected(field: forms.Field) -> str:
    """What a field expects, in words."""
    return field.expected if isinstance(field, Number) else str(field.label).lower()


def as_typed(trial: Trial) -> dict[str, Any]:
    """A trial's plan as it would be typed, to be changed."""
    entries = list(trial.entries.select_related("cultivar").order_by("code"))
    typed: dict[str, Any] = {name: getattr(trial, name) for name in TYPED} | {
        "crop": trial.crop.name,
        "entries": "\n".join(e.cultivar.name for e in entries),
        "check": next((e.cultivar.name for e in entries if e.is_check), ""),
        "repeated": ", ".join(e.cultivar.name for e in entries if e.repeated),
        "levels": "\n".join(trial.levels),
        "more_beds": "; ".join(b.name for b in trial.beds[1:]),
        "each_bed": "each" if trial.each_bed else "",
        "blocks": trial.blocks_a_bed,
        "own_spacing": "\n".join(f"{e.cultivar.name} {round(value_shown(e.in_row_cm, 'cm'), 1):g}" for e in entries if e.in_row_cm),
        "raised": "raised" if plan_of(trial).transplant else "sown",
        "count": len(entries),
    }
    if trial.bed:
        bed = trial.bed
        typed |= {"site": bed.site.name, "bed": bed.name, "bed_length_m": bed.length_m, "bed_width_m": bed.width_m}
        typed["bearing"] = bed.bearing
    return typed | criteria_as_typed(trial)


def copy_as_typed(trial: Trial, today: date) -> dict[str, Any]:
    """Another trial like one that there is: its plan in the first season without one of its name, its days as many years on."""
    typed = as_typed(trial)
    taken = set(Trial.objects.filter(name__iexact=trial.name).values_list("season", flat=True))
    if trial.sow_on and trial.season.isdecimal() and len(trial.season) < 9:
        years = max(1, today.year - trial.sow_on.year)
        years = next(n for n in range(years, years + 200) if str(int(trial.season) + n) not in taken)
        days = {name: getattr(trial, name) for name in ("sow_on", "plant_on", "pick_on")}
        return (
            typed
            | {name: years_later(day, years) if day else None for name, day in days.items()}
            | {"season": int(trial.season) + years}
        )
    return typed | {"name": f"{trial.name} again"[:80]}


def criteria_as_typed(trial: Trial) -> dict[str, Any]:
    """What a trial is decided by, as it would be typed."""
    typed: dict[str, Any] = {}
    for i, c in enumerate(trial.criteria.select_related("trait"), start=1):
        typed |= {
            f"trait_{i}": c.trait.key,
            f"direction_{i}": c.direction,
            f"matters_{i}": c.matters,
            f"must_{i}": c.must,
            f"weight_{i}": c.weight,
        }
    return typed


class MoveBlock(forms.Form):
    """Where a block is to lie. Which beds and blocks there are is the service's to check."""

    block = Number(label="Block", low=1, high=500, whole=True)
    bed = Number(label="Bed", low=1, high=2**31, whole=True)
    x = Number(label="Along", low=0, high=1000, unit="m")
    y = Number(label="Across", low=0, high=500, unit="m")
    turned = forms.BooleanField(label="Turned", required=False)


class SwapPlots(forms.Form):
    other = Words(label="With plot", most=60, error_messages={"required": "Nothing was typed. Expected a plot number."})
    reason = Words(label="Because", most=200, error_messages={"required": "Nothing was typed. Expected why they change places."})


class LeaveOut(forms.Form):
    cause = forms.ChoiceField(label="Cause", choices=[c for c in LEFT_OUT if c[0] != WITHDRAWN])
    note = Words(
        label="What happened", most=200, error_messages={"required": "Nothing was typed. Expected what happened to the plot."}
    )
    on = Day(label="When", error_messages={"required": "Nothing was typed. Expected the day it happened."})


class RenameForm(forms.Form):
    name = Words(label="Name", most=80, error_messages={"required": "Nothing was typed. Expected the trial's name."})
    why = Words(label="Why", most=200, error_messages={"required": "Nothing was typed. Expected why the name is corrected."})
