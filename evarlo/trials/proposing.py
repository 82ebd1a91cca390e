"""A plan from the first word: everything that was not typed yet is proposed, from the crop's profile, the site and own past
trials."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from collections.abc import Set as AbstractSet
from dataclasses import dataclass, field
from datetime import date, timedelta
from math import ceil, sqrt
from statistics import median

from evarlo.catalogue.models import Crop, Different, Trait
from evarlo.catalogue.services import crop_named
from evarlo.catalogue.traits import library
from evarlo.grounds.history import family_of, history_of
from evarlo.grounds.models import Bed
from evarlo.grounds.weather import record_of
from evarlo.people.places import place
from evarlo.trials.drafting import Wanted, room_lacking
from evarlo.trials.forecast import own_cvs
from evarlo.trials.models import NeedPlan, Trial
from evarlo.trials.needs import RAISED, defaults_for, plan_of
from evarlo.trials.plan import MOST_ENTRIES
from evarlo.trials.queries import kept_elsewhere
from evarlo.trials.registry import registry
from evarlo.trials.tasks import window_of
from evarlo.ui.units import value_shown
from trialcore.layouts.bed import Bed as Room
from trialcore.layouts.bed import PlotSize, stations
from trialcore.reckoning.names import near_duplicates
from trialcore.reckoning.schedule import years_later

Design = Trial.Design
USUAL_ENTRIES, USUAL_BLOCKS, FEWEST_BLOCKS = 8, 4, 2
MANY = 20  # entries above which blocks are better incomplete
JUDGED = 12  # plants that a plot should hold where nothing else is known
MOST_ASKED, MOST_PAIRS = 60, 6  # names among which twins are looked for while they are typed, and pairs asked about at once
LATE = 7  # days by which a best sowing day may lie behind


@dataclass
class Proposal:
    """What is proposed, by the names of the form's fields and as it would be typed; and in words where each rests on."""

    values: dict[str, str] = field(default_factory=dict)
    why: list[str] = field(default_factory=list)
    going_on: list[str] = field(default_factory=list)  # cultivars that earlier verdicts keep in trials, the check first


def propose(typed: Mapping[str, str], touched: AbstractSet[str], today: date) -> Proposal:
    """Everything that a person has not `touched`, proposed by what they have typed. Nothing before there is a crop."""
    made = Proposal()
    crop = crop_named(typed.get("crop", "")) or _new_crop(typed.get("crop", ""))
    if crop is None:
        return made
    last = _last_trial(crop)
    _put(made, touched, _entries(made, typed, touched, crop, last))
    told = {**typed, **made.values}
    _put(made, touched, _spacing(crop, last))
    _put(made, touched, _criteria(last))
    told |= made.values
    _put(made, touched, _ground(made, told, touched, crop, today))
    told |= made.values
    _put(made, touched, _days(made, told, crop, last, today))
    _put(made, touched, _name(crop, {**told, **made.values}, touched, today))
    return made


def _put(made: Proposal, touched: AbstractSet[str], values: Mapping[str, str]) -> None:
    made.values |= {name: value for name, value in values.items() if name not in touched}


def _new_crop(name: str) -> Crop | None:
    """A crop that is not on record: what can be said of any."""
    return Crop(name=name.strip()[:60]) if name.strip() else None


def _last_trial(crop: Crop) -> Trial | None:
    """The newest trial of the crop that was planned here."""
    if crop.pk is None:
        return None
    planned = Trial.objects.filter(crop=crop, practice=False, arriving=False, plot_length_m__isnull=False)
    return planned.exclude(pk__in=kept_elsewhere()).select_related("bed__site").order_by("-season", "-pk").first()


def typed_names(text: str) -> list[str]:
    """Entries as typed or pasted: one a line, or with commas, semicolons or tabs between."""
    for sign in ",;\t":
        text = text.replace(sign, "\n")
    return [name for line in text.splitlines() if (name := " ".join(line.split()))]


def wanted_count(typed: Mapping[str, str]) -> int | None:
    """How many entries somebody asked for."""
    text = typed.get("count", "").strip()
    return min(MOST_ENTRIES, max(2, int(text))) if text.isdecimal() and len(text) < 5 else None


def _entries(made: Proposal, typed: Mapping[str, str], touched: AbstractSet[str], crop: Crop, last: Trial | None) -> dict[str, str]:
    """Entries, their number and their check: those that earlier verdicts keep, then others on the list of the crop."""
    found = [source(crop) for source in registry.going_on] if crop.pk is not None else []
    made.going_on = [name for board in found for name in board.kept]
    dropped = {name for board in found for name in board.dropped}
    if "entries" in touched:
        names = typed_names(typed.get("entries", ""))
        count = max(len(names), wanted_count(typed) or 0) if "count" in touched else len(names)
    else:
        listed = _listed(crop)
        names = [*made.going_on, *(n for n in listed if n not in made.going_on and n not in dropped)]
        usual = len(made.going_on) if len(made.going_on) > 1 else USUAL_ENTRIES
        count = wanted_count(typed) or usual if "count" in touched else usual
        names = names[:count]
    check = _last_check(last)
    folded = {n.casefold() for n in names}
    return {
        "entries": "\n".join(names),
        "count": str(count or len(names) or USUAL_ENTRIES),
        "check": check if check.casefold() in folded else "",
    }


def _listed(crop: Crop) -> list[str]:
    return list(crop.cultivars.filter(stands_in=False).values_list("name", flat=True)) if crop.pk is not None else []


def _last_check(last: Trial | None) -> str:
    check = last.entries.filter(is_check=True).select_related("cultivar").first() if last else None
    return check.cultivar.name if check else ""


def _spacing(crop: Crop, last: Trial | None) -> dict[str, str]:
    """Plots, spacing and how much single plots differ: as in the newest trial, else by the crop's profile."""
    cvs = own_cvs().get(crop.pk or 0, [])
    cv = round(median(cvs), 1) if cvs else crop.cv_percent
    if last and last.plot_length_m and last.plot_width_m:
        sizes = {name: getattr(last, name) for name in ("plot_length_m", "plot_width_m", "path_m", "between_rows_cm", "in_row_cm")}
        more = {"border": str(last.border or ""), "guard_m": _figure(last.guard_m or None, "m")}
        more["per_station"] = "" if last.per_station == 1 else str(last.per_station)
        more["staggered"] = "on" if last.staggered else ""
    else:
        rows = 2 if crop.between_rows_cm >= 70 else 3 if crop.between_rows_cm >= 30 else 4
        plants = max(2, ceil(JUDGED / rows))
        sizes = {
            "plot_length_m": max(0.6, ceil(plants * crop.in_row_cm / 10) / 10),
            "plot_width_m": ceil(rows * crop.between_rows_cm / 10) / 10,
            "path_m": 0.5,
            "between_rows_cm": crop.between_rows_cm,
            "in_row_cm": crop.in_row_cm,
        }
        more = {"border": "", "guard_m": "", "per_station": "", "staggered": ""}
    shown = {name: _figure(value, name.rpartition("_")[2]) for name, value in sizes.items()}
    return shown | more | {"cv_percent": f"{cv:g}"}


def _figure(value: float | None, unit: str) -> str:
    """A figure as this person types it."""
    return "" if value is None else f"{round(value_shown(value, unit), 3):g}"


def _criteria(last: Trial | None) -> dict[str, str]:
    """What decides: as in the newest trial of the crop, else its yield per area."""
    rows: list[tuple[str, str, float | None, float | None, float]] = []
    if last:
        rows = [(c.trait.key, c.direction, c.matters, c.must, c.weight) for c in last.criteria.select_related("trait")]
    if not rows:
        lead = next((t for t in library() if t.key == "marketable-yield"), None) or Trait.objects.filter(key="plot-yield").first()
        rows = [(lead.key, lead.direction, lead.matters, None, 1.0)] if lead else []
    made: dict[str, str] = {}
    for i in range(1, 5):
        key, direction, matters, must, weight = rows[i - 1] if i <= len(rows) else ("", "higher", None, None, 1.0)
        made |= {f"trait_{i}": key, f"direction_{i}": direction, f"matters_{i}": "" if matters is None else f"{matters:g}"}
        made |= {f"must_{i}": "" if must is None else f"{must:g}", f"weight_{i}": "" if weight == 1 else f"{weight:g}"}
    return made


def _number(typed: Mapping[str, str], name: str) -> float | None:
    """A figure of the form that is a plain number; one in another unit is left to the form."""
    try:
        return float(typed.get(name, "").replace(",", "."))
    except ValueError:
        return None


@dataclass(frozen=True)
class _Choice:
    """A bed for a design: fewer blocks, ground that is taken or tired, and more room than needed count against it."""

    bed: Bed
    blocks: int
    taken: str
    tired: str

    @property
    def cost(self) -> tuple[bool, bool, int, float]:
        return bool(self.taken), bool(self.tired), -self.blocks, self.bed.area_m2


def _ground(made: Proposal, typed: Mapping[str, str], touched: AbstractSet[str], crop: Crop, today: date) -> dict[str, str]:
    """The design, its blocks and the bed: the smallest that holds it, is free and has rested from the family."""
    count = int(typed.get("count") or USUAL_ENTRIES)
    design = typed.get("design") if "design" in touched else (Design.INCOMPLETE if count > MANY else Design.BLOCKS)
    values = {"design": str(design), "levels": "", "factor": "", "more_beds": "", "each_bed": "", "check_plots": "", "repeated": ""}
    values["block_size"] = str(max(2, round(sqrt(count)))) if design == Design.INCOMPLETE else ""
    fixed = _number(typed, "blocks") if "blocks" in touched else None
    blocks = int(fixed) if fixed else (3 if design == Design.INCOMPLETE else USUAL_BLOCKS)
    size = _size(typed)
    known = list(_beds_offered(typed, touched))
    if not known:
        return values | {"blocks": str(blocks)} | _a_new_bed(count, blocks, size)
    choices = list(_choices(known, _tries(design, blocks, bool(fixed)), count, values, size, crop, today)) if size else []
    if not choices:
        first = known[0]
        return values | {"blocks": str(blocks)} | _bed_as_typed(first)
    best = min(choices, key=lambda c: c.cost)
    if "bed" not in touched:
        less = f", {best.blocks} blocks since more would not fit" if best.blocks < blocks else ""
        but = best.taken or best.tired
        made.why.append(f"{best.bed.name} is the smallest bed that holds it{less}{f'; {but}' if but else ''}.")
    return values | {"blocks": str(best.blocks)} | _bed_as_typed(best.bed)


def _size(typed: Mapping[str, str]) -> PlotSize | None:
    """The plots, in metres; None where they hold no plant or were typed in another unit."""
    length, width = _number(typed, "plot_length_m"), _number(typed, "plot_width_m")
    rows, row = _number(typed, "between_rows_cm"), _number(typed, "in_row_cm")
    if not length or not width or length <= 0 or width <= 0:
        return None
    if rows and row and rows > 0 and row > 0 and 0 in stations(length, width, rows / 100, row / 100):
        return None
    return PlotSize(length, width, _number(typed, "path_m") or 0.0, _number(typed, "guard_m") or 0.0)


def _beds_offered(typed: Mapping[str, str], touched: AbstractSet[str]) -> Iterable[Bed]:
    """The beds that may be meant: the one that was typed, those of the site that was typed, or all."""
    beds = Bed.objects.select_related("site")
    if "site" in touched and typed.get("site"):
        beds = beds.filter(site__name__iexact=typed["site"].strip())
    if "bed" in touched and typed.get("bed"):
        beds = beds.filter(name__iexact=typed["bed"].strip())
    return beds


def _tries(design: object, blocks: int, fixed: bool) -> list[int]:
    """How many blocks are tried, the wanted number first."""
    return [blocks] if fixed or design == Design.LATIN else list(range(blocks, FEWEST_BLOCKS - 1, -1))


def _choices(
    beds: Sequence[Bed], tries: Sequence[int], count: int, values: Mapping[str, str], size: PlotSize, crop: Crop, today: date
) -> Iterable[_Choice]:
    family, rests = family_of(crop)[0], float(crop.profile.get("rotation_years") or 0)
    lain = history_of(beds)
    codes = tuple(str(i) for i in range(count))
    block_size = int(values["block_size"] or 0) or None
    for bed in beds:
        here = lain[bed.pk]
        stands = next((x.said for x in here if x.use.until is None or x.use.until >= today), "")
        since = today - timedelta(days=round(365 * rests))
        same = next(
            (x.use.name for x in here if family and x.use.family == family and x.use.until and since <= x.use.until < today), ""
        )
        for blocks in tries:
            wanted = Wanted(values["design"], codes, blocks, block_size, checks=codes[:1])
            try:
                short = room_lacking(wanted, size, [Room(bed.length_m, bed.width_m)])
            except ValueError:
                break
            if short == (0.0, 0.0):
                taken = f"taken: {stands}" if stands else ""
                tired = f"{same} of the same family stood there within {rests:g} years" if same else ""
                yield _Choice(bed, blocks, taken, tired)
                break


def _bed_as_typed(bed: Bed) -> dict[str, str]:
    return {
        "site": bed.site.name,
        "bed": bed.name,
        "bed_length_m": _figure(bed.length_m, "m"),
        "bed_width_m": _figure(bed.width_m, "m"),
        "bearing": f"{bed.bearing:g}",
    }


def _a_new_bed(count: int, blocks: int, size: PlotSize | None) -> dict[str, str]:
    """Where no bed is on record: one that holds the trial with a block across it, to be given its true size."""
    size = size or PlotSize(2.0, 1.5, 0.5, 0.0)
    length = blocks * size.length + (blocks - 1) * size.path
    own = place()
    return {
        "site": own.name if own else "",
        "bed": "Bed 1",
        "bed_length_m": _figure(ceil(10 * length) / 10, "m"),
        "bed_width_m": _figure(ceil(10 * count * size.width) / 10, "m"),
        "bearing": "0",
    }


def _days(made: Proposal, typed: Mapping[str, str], crop: Crop, last: Trial | None, today: date) -> dict[str, str]:
    """When to sow, plant and pick first: the next best day for the crop at the bed's site."""
    bed = (
        Bed.objects.filter(site__name__iexact=typed.get("site", ""), name__iexact=typed.get("bed", ""))
        .select_related("site")
        .first()
    )
    usual = NeedPlan(**defaults_for(crop)) if crop.pk else NeedPlan()
    usual.transplant = RAISED.get(typed.get("raised", ""), usual.transplant)
    record = record_of(bed.site) if bed else None
    edible = crop.profile.get("edible_days")
    for year in (today.year, today.year + 1):
        trial = Trial(crop=crop, bed=bed, season=str(year))
        usual.trial = trial
        assert plan_of(trial) is usual
        window = window_of(trial, record)
        sow = window.best or window.earliest
        if sow is None:
            break
        if sow < today - timedelta(days=LATE):
            if window.latest is None or window.latest < today:
                continue
            sow = today  # the best day is past, and there is still time
        ages = crop.profile.get("transplant_days")
        plant = sow + timedelta(days=round((ages[0] + ages[1]) / 2)) if usual.transplant and ages else None
        pick = sow + timedelta(days=round(edible[0])) if edible else None
        if window.reasons:
            made.why.append(window.reasons[0])
        days = {"sow_on": sow, "plant_on": plant, "pick_on": pick}
        return {name: f"{day:%Y-%m-%d}" if day else "" for name, day in days.items()}
    return _days_of(last, today)


def _days_of(last: Trial | None, today: date) -> dict[str, str]:
    """The days of the newest trial, in the first year in which they are still to come."""
    days = {name: getattr(last, name) if last else None for name in ("sow_on", "plant_on", "pick_on")}
    if days["sow_on"] is None:
        return dict.fromkeys(days, "")
    years = next(n for n in range(200) if years_later(days["sow_on"], n) >= today - timedelta(days=LATE))
    return {name: f"{years_later(day, years):%Y-%m-%d}" if day else "" for name, day in days.items()}


def _name(crop: Crop, typed: Mapping[str, str], touched: AbstractSet[str], today: date) -> dict[str, str]:
    """The season, a name that no trial of it has, and the question in its plainest form."""
    sown = typed.get("sow_on", "")[:4]
    season = typed.get("season", "") if "season" in touched else (sown if sown.isdecimal() else str(today.year))
    taken = {n.casefold() for n in Trial.objects.filter(season=season).values_list("name", flat=True)}
    names = [crop.name, *(f"{crop.name} {n}" for n in range(2, 99))]
    name = next((n for n in names if n.casefold() not in taken), "")
    lead = next((t.name for t in library() if t.key == typed.get("trait_1")), "")
    check = typed.get("check", "")
    against = f" than {check}" if check else ""
    more = "more" if typed.get("direction_1", "higher") == "higher" else "less"
    question = f"Which {crop.name.lower()} has {more} {lead.lower()}{against}?" if lead else ""
    return {"season": season, "name": name, "question": question}


def likely_twins(crop: Crop | None, names: Sequence[str]) -> list[dict[str, str]]:
    """Names of a plan that may be one cultivar, among themselves and with those on the crop's list, but for those known to be
    two."""
    if len(names) > MOST_ASKED:
        return []
    folded = {n.casefold() for n in names}
    listed = _listed(crop) if crop else []
    others = [n for n in listed if n.casefold() not in folded]
    apart = Different.objects.filter(one__crop=crop).values_list("one__name", "other__name") if crop and crop.pk else ()
    typed = [*near_duplicates(names, apart), *(x for n in names for x in near_duplicates([n, *others], apart) if n in (x.a, x.b))]
    seen: dict[frozenset[str], dict[str, str]] = {}
    for x in typed:
        pair = {"key": f"{x.a}/{x.b}", "a": x.a, "b": x.b, "why": x.why}
        seen.setdefault(frozenset((x.a, x.b)), pair)
    return list(seen.values())[:MOST_PAIRS]
