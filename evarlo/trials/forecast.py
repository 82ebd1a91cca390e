"""What a plan amounts to before anything is sown: plots, plants, room in the beds and what can be told apart."""

from __future__ import annotations

import json
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from statistics import median
from typing import Any

from django.utils import timezone
from django.utils.safestring import SafeString

from evarlo.catalogue.models import Crop
from evarlo.catalogue.services import crop_named
from evarlo.grounds.models import Bed as BedOnRecord
from evarlo.seeds.models import Lot
from evarlo.trials.advice import advised_design
from evarlo.trials.doubts import date_doubts
from evarlo.trials.drafting import Draft, Wanted, precision_of, room_lacking, sketch
from evarlo.trials.frame import frosts_of
from evarlo.trials.laying import drawing_of, wanted_of
from evarlo.trials.models import TWO_FACTORS, NeedPlan, Trial
from evarlo.trials.needs import RAISED, cells_of, defaults_for, places_a_plot, seeds_of
from evarlo.trials.plan import IN_EACH_BED, MOST_BLOCKS, MOST_ENTRIES, MOST_PLOTS, OBSERVED
from evarlo.trials.registry import registry
from evarlo.trials.tasks import planned_dates
from evarlo.ui.draw.advisor import Step, advisor
from evarlo.ui.draw.calendar import Row, calendar
from evarlo.ui.draw.plan import Outline, Tag, plan, stacked
from evarlo.ui.units import figure_shown, measured, unit_shown
from trialcore.inference.power import precision, smallest_found
from trialcore.layouts.bed import Bed, PlotSize, Spacing
from trialcore.reckoning.sowing import trays_needed

STRIP_YEARS = (3, 6)  # after which single strips are told of
MOST_SHOWN = 10
Fits = tuple[int | None, PlotSize | None]  # the most blocks, and the largest plots of the shape, that would fit
MOST_TRIED = 800  # plots up to which smaller plots and other numbers of blocks are tried out for what would fit
Design = Trial.Design


@dataclass(frozen=True)
class Holds:
    """What a plot holds: its plants, and the places for which seed is reckoned."""

    plants: int
    places: int


@dataclass(frozen=True)
class Offer:
    """What would fit, in words, and the fields of the form (as JSON) that make it so."""

    said: str
    values: str


@dataclass(frozen=True)
class Forecast:
    """As much as the figures typed so far allow; the rest is None or empty."""

    plots: int | None = None
    judged: int | None = None
    rows: int | None = None
    plants_a_row: int | None = None
    per_station: int = 1
    plants: int | None = None
    others: tuple[tuple[str, int], ...] = ()  # entries of another spacing, and how many of their plants a plot holds
    area_m2: float | None = None
    draft: Draft | None = None
    drawing: SafeString | None = None
    seeds: int | None = None
    trays: int | None = None
    room: str = ""
    offers: tuple[Offer, ...] = ()
    tells: float | None = None
    cv_said: str = ""
    tells_what: str = ""
    dates: SafeString | None = None
    doubts: tuple[str, ...] = ()
    dropped: tuple[str, ...] = ()  # what of the entries was dropped in an earlier season, and why
    advice: str = ""
    more: str = ""
    curve: SafeString | None = None

    @property
    def plants_a_plot(self) -> int | None:
        return None if self.rows is None or self.plants_a_row is None else self.rows * self.plants_a_row * self.per_station


def forecast(typed: dict[str, Any], entries: int) -> Forecast:
    """Reckon from the fields of the new-trial form that could be read."""
    wanted = wanted_from(typed, entries)
    if wanted is None:
        return Forecast()
    made: dict[str, Any] = {"plots": wanted.plots, "advice": _advice(typed, wanted, entries)}
    length, width = typed.get("plot_length_m"), typed.get("plot_width_m")
    spacing: Spacing | None = None
    if length and width:
        made["area_m2"] = wanted.plots * length * width
        if typed.get("between_rows_cm") and typed.get("in_row_cm"):
            spacing = _spacing(typed, typed["in_row_cm"])
            made["rows"], made["plants_a_row"] = spacing.shape
            made["per_station"] = spacing.per_station
            if spacing.border:
                made["judged"] = spacing.judged
            made["others"] = tuple((name, _spacing(typed, cm).plants) for name, cm in (typed.get("own_spacing") or {}).items())
    crop = crop_named(typed.get("crop") or "")
    usual = NeedPlan(**defaults_for(crop)) if crop else NeedPlan()
    raised = usual.transplant or bool(typed.get("plant_on"))
    usual.transplant = RAISED.get(str(typed.get("raised")), raised)
    usual.per_station = made.get("per_station", 1)
    if crop and typed.get("cv_percent"):
        made["cv_said"] = cv_in_words(typed, wanted, crop)
    if crop and typed.get("entries"):
        made["dropped"] = tuple(said for source in registry.dropped for said in source(crop, typed["entries"]))
    if crop and typed.get("sow_on"):
        made |= _dates(typed, crop, usual)
    stands = spacing is not None and spacing.stations > 0
    if stands:
        held = _held_each(typed, wanted, usual)
        made["plants"] = sum(h.plants for h in held)
        made["seeds"], made["trays"] = seeds_in_all([h.places for h in held], usual)
    made |= _precision(typed, wanted, usual, length * width if length and width else None, stands)
    if length and width and (spacing is None or stands) and typed.get("bed_length_m") and typed.get("bed_width_m"):
        made |= _in_beds(typed, wanted)
    return Forecast(**made)


def own_cvs() -> dict[int, list[float]]:
    """The CVs of the station's own signed trials, by crop id."""
    found: dict[int, list[float]] = {}
    for source in registry.past_cv:
        for crop, cvs in source().items():
            found.setdefault(crop, []).extend(cvs)
    return found


def cv_in_words(typed: dict[str, Any], wanted: Wanted, crop: Crop) -> str:
    """Where the CV comes from, and what another one would mean."""
    cv, own = float(typed["cv_percent"]), own_cvs().get(crop.pk, [])
    low, high = (min(own), max(own)) if len(own) > 1 else (0.75 * cv, 1.35 * cv)
    best, worst = _tells(typed | {"cv_percent": low}, wanted), _tells(typed | {"cv_percent": high}, wanted)
    span = f" At {low:.0f} % it would be {best:.0f} %, at {high:.0f} % {worst:.0f} %." if best and worst else ""
    if own:
        many = f"{len(own)} own trials" if len(own) > 1 else "one own trial"
        return f"{many[0].upper()}{many[1:]} of {crop.name.lower()} varied by {median(own):.0f} % from plot to plot.{span}"
    return f"No own trial of {crop.name.lower()} is signed yet, so {cv:.0f} % from plot to plot is a usual figure.{span}"


def _dates(typed: dict[str, Any], crop: Crop, usual: NeedPlan) -> dict[str, Any]:
    """The season as the typed days and the crop's profile make it, and what about it is doubtful."""
    days = {name: typed.get(name) for name in ("sow_on", "plant_on", "pick_on")}
    known = BedOnRecord.objects.filter(site__name__iexact=typed.get("site") or "").select_related("site").first()
    trial = Trial(crop=crop, bed=known, **days)
    usual.trial = trial  # its plan, wherever the tasks ask for it
    rows = [
        Row(key, what, d.on, d.earliest, d.latest, "settled" if d.settled else "reckoned", False, bool(d.late_by or d.early_by))
        for key, what, d in planned_dates(trial)
    ]
    frosts = frosts_of(trial, min(r.earliest for r in rows), max(r.latest for r in rows))
    return {"dates": calendar(rows, frosts, timezone.localdate()), "doubts": tuple(date_doubts(trial))}


def seeds_in_all(stations: Sequence[int], usual: NeedPlan) -> tuple[int, int | None]:
    """Seeds of all entries, of which the stations of each are given, and their trays, by the crop's usual way of raising and
    before any lot is known."""
    needs = [seeds_of(n, usual) for n in stations]
    return sum(needs), trays_needed(sum(cells_of(n, usual) for n in needs), usual.tray_cells) if usual.transplant else None


def _spacing(typed: dict[str, Any], in_row_cm: float) -> Spacing:
    sides = (typed["plot_length_m"], typed["plot_width_m"], typed["between_rows_cm"] / 100, in_row_cm / 100)
    return Spacing(*sides, typed.get("per_station") or 1, typed.get("border") or 0, bool(typed.get("staggered")))


def _holds(spacing: Spacing, usual: NeedPlan) -> Holds:
    return Holds(spacing.plants, places_a_plot(spacing.stations, spacing.per_station, usual))


def _held_each(typed: dict[str, Any], wanted: Wanted, usual: NeedPlan) -> list[Holds]:
    """What all plots of each entry hold, in the order in which entries were typed."""
    own = {name.casefold(): cm for name, cm in (typed.get("own_spacing") or {}).items()}
    names = [name.casefold() for name in typed.get("entries") or ()]
    made = []
    for i, plots in enumerate(wanted.plots_each):
        cm = own.get(names[i]) if i < len(names) else None
        each = _holds(_spacing(typed, cm or typed["in_row_cm"]), usual)
        made.append(Holds(plots * each.plants, plots * each.places))
    return made


def wanted_from(typed: dict[str, Any], entries: int) -> Wanted | None:
    """The design as far as it was typed, with stand-ins for codes; None while it cannot be laid out."""
    blocks, design = typed.get("blocks"), typed.get("design") or Design.BLOCKS
    if not 2 <= entries <= MOST_ENTRIES:
        return None
    if design == Design.LATIN:
        blocks = entries
    if not blocks or not (1 if design in OBSERVED else 2) <= blocks <= MOST_BLOCKS:
        return None
    levels = tuple(typed.get("levels") or ()) if design in TWO_FACTORS else ()
    if design in TWO_FACTORS and not (levels and len(levels) > 1):
        return None
    codes = tuple(str(i) for i in range(entries))
    checks = 1 + len(typed.get("repeated") or ()) if design == Design.AUGMENTED else 1
    whole, many = bool(typed.get("entries_whole")), typed.get("check_plots") or 1
    per_bed = blocks if typed.get("each_bed") and typed.get("more_beds") and design in IN_EACH_BED else 0
    blocks *= 1 + len(typed.get("more_beds") or ()) if per_bed else 1
    wanted = Wanted(design, codes, blocks, typed.get("block_size"), levels, whole, codes[:checks], many, per_bed)
    return wanted if wanted.plots <= MOST_PLOTS else None


def _tells(typed: dict[str, Any], wanted: Wanted) -> float | None:
    given = precision_of(wanted)
    return smallest_found(typed["cv_percent"], given) if given else None


def _precision(typed: dict[str, Any], wanted: Wanted, usual: NeedPlan, area: float | None, stands: bool) -> dict[str, Any]:
    if not typed.get("cv_percent") or (wanted.blocks < 2 and wanted.design in OBSERVED):
        return {}
    mine = _tells(typed, wanted)
    if mine is None:
        return {}
    what = "between a new entry and a check" if wanted.design == Design.AUGMENTED else "of the mean"
    if wanted.design in TWO_FACTORS:
        what = f"of the mean, over all levels of {(typed.get('factor') or 'the second factor').lower()},"
    return {"tells": mine, "tells_what": what, "curve": _curve(typed, wanted, usual, area, stands)}


def _curve(typed: dict[str, Any], wanted: Wanted, usual: NeedPlan, area: float | None, stands: bool) -> SafeString | None:
    """What each number of blocks tells apart and takes; a Latin square has no choice of it."""
    if wanted.design == Design.LATIN:
        return None
    blocks = wanted.blocks
    last = min(MOST_BLOCKS, max(MOST_SHOWN, blocks + 2))
    shown = range(2, last + 1) if last <= MOST_SHOWN else range(max(2, last - MOST_SHOWN + 2), last + 1)
    price = price_of_a_seed(typed.get("crop") or "") if stands else None
    rows = [
        "plots",
        *([f"plot ground, {unit_shown('m²')}"] if area else []),
        *(["plants", "seeds"] if stands else []),
        *(["seed cost"] if price else []),
    ]
    steps = []
    for b in shown:
        then = replace(wanted, blocks=b)
        if (tells := _tells(typed, then)) is None:
            continue
        n = then.plots
        seeds: list[str] = []
        if stands:
            held = _held_each(typed, then, usual)
            count = seeds_in_all([h.places for h in held], usual)[0]
            seeds = [str(sum(h.plants for h in held)), str(count), *([f"{count * price:.0f}"] if price else [])]
        takes = [str(n), *([figure_shown(n * area, "m²", 0)] if area else []), *seeds]
        steps.append(Step(b, tells, tuple(takes)))
    if len(steps) < 2:
        return None
    said = "; ".join(f"{s.replicates} {repeats_of(wanted)} tell {s.tells:.0f} % apart" for s in steps)
    return advisor(steps, blocks, rows, said)


def repeats_of(wanted: Wanted) -> str:
    return Trial(design=wanted.design).repeats


def price_of_a_seed(crop: str) -> float | None:
    """The usual price of one seed of a crop, from the lots that tell it; None while none does."""
    lots = Lot.objects.filter(cultivar__crop__name__iexact=crop, price__isnull=False, packet__isnull=False)
    prices = [price / packet for price, packet in lots.values_list("price", "packet") if price is not None and packet]
    return median(prices) if prices else None


def _size(typed: dict[str, Any]) -> PlotSize:
    return PlotSize(typed["plot_length_m"], typed["plot_width_m"], typed.get("path_m") or 0.0, typed.get("guard_m") or 0.0)


def _beds(typed: dict[str, Any]) -> list[Bed]:
    more = [Bed(b.length_m, b.width_m) for b in typed.get("more_beds") or ()]
    return [Bed(typed["bed_length_m"], typed["bed_width_m"]), *more]


def _draft(wanted: Wanted, size: PlotSize, beds: Sequence[Bed]) -> Draft | None:
    try:
        return sketch(wanted, size, beds)
    except ValueError:
        return None


def _in_beds(typed: dict[str, Any], wanted: Wanted) -> dict[str, Any]:
    size, beds = _size(typed), _beds(typed)
    drawn = _draft(wanted, size, beds)
    if drawn is None:
        return {}
    if not drawn.fits:
        would = _what_fits(wanted, size, beds)
        return {
            "draft": drawn,
            "room": room_in_words(wanted, beds, drawn, would),
            "offers": offers_for(typed, wanted, size, would),
        }
    bearing = typed.get("bearing")
    at = stacked([(b.length, b.width) for b in beds])
    names = [typed.get("bed") or "", *(b.name for b in typed.get("more_beds") or ())]
    tags = [
        Tag(
            0,
            p.number,
            p.x + at[p.bed][0],
            p.y + at[p.bed][1],
            p.length,
            p.width,
            url="#",
            left=_seen(wanted, p.inner, p.level),
            said=f"Block {p.block}" if p.block else "plot",
        )
        for p in drawn.plots
    ]
    soils = [
        Outline(name if len(beds) > 1 else "", x, y, b.length, b.width) for name, (x, y), b in zip(names, at, beds, strict=True)
    ]
    drawing = plan(tags, soils, 90.0 if bearing is None else bearing, True, 520, 330, title="Plots in the bed")
    made = {"draft": drawn, "drawing": drawing, "room": room_in_words(wanted, beds, drawn)}
    return made | {"more": more_in_words(typed, wanted)}


def offers_for(typed: dict[str, Any], wanted: Wanted, size: PlotSize, would: Fits) -> tuple[Offer, ...]:
    """What would fit where a plan does not: fewer blocks, smaller plots that still hold plants, another bed of the site."""
    made = []
    fewer, smaller = would
    if fewer and wanted.design != Design.LATIN:
        made.append(Offer(f"{fewer} {repeats_of(wanted)}", json.dumps({"blocks": str(fewer)})))
    if smaller:
        length, width = (figure_shown(side, "m", 2) for side in (smaller.length, smaller.width))
        made.append(
            Offer(f"plots of {length} × {width} {unit_shown('m')}", json.dumps({"plot_length_m": length, "plot_width_m": width}))
        )
    for bed in BedOnRecord.objects.filter(site__name__iexact=typed.get("site") or "").order_by("length_m"):
        if bed.name.casefold() != str(typed.get("bed") or "").casefold() and _fits(wanted, size, [Bed(bed.length_m, bed.width_m)]):
            sides = {"bed_length_m": figure_shown(bed.length_m, "m"), "bed_width_m": figure_shown(bed.width_m, "m")}
            made.append(Offer(f"{bed.name}", json.dumps({"bed": bed.name, **sides, "bearing": f"{bed.bearing:g}"})))
            break
    return tuple(made)


def _what_fits(wanted: Wanted, size: PlotSize, beds: Sequence[Bed]) -> Fits:
    """The most blocks, and the largest plots of the same shape, that the beds hold."""
    if wanted.plots > MOST_TRIED:
        return None, None
    now, fewest = (wanted.per_bed, 1) if wanted.per_bed else (wanted.blocks, 2)
    fewer = _largest(fewest, now - 1, lambda b: _fits(with_blocks(wanted, b, len(beds)), size, beds))
    share = _largest(6, 19, lambda s: _fits(wanted, _shrunk(size, s), beds))
    return fewer, _shrunk(size, share) if share else None


def with_blocks(wanted: Wanted, blocks: int, beds: int) -> Wanted:
    """The same design with so many blocks as they are typed: in all, or in each bed."""
    if wanted.per_bed:
        return replace(wanted, blocks=blocks * beds, per_bed=blocks)
    return replace(wanted, blocks=blocks)


def _seen(wanted: Wanted, inner: str, level: str) -> str:
    return level or (f"block {inner}" if inner and wanted.design == Design.INCOMPLETE else "")


def room_in_words(wanted: Wanted, beds: Sequence[Bed], drawn: Draft, instead: Fits = (None, None)) -> str:
    """Whether it fits, and if not, how much is missing and what would fit `instead`."""
    if drawn.fits:
        return f"It fits: {_used(beds, drawn)}, {drawn.shape}{_across(drawn)}."
    would = []
    fewer, smaller = instead
    if fewer and wanted.design != Design.LATIN:
        would.append(f"{fewer} {repeats_of(wanted)}")
    if smaller:
        would.append(f"plots of {figure_shown(smaller.length, 'm', 2)} × {measured(smaller.width, 'm', 2)}")
    what = f" {' or '.join(would).capitalize()} would fit." if would else " Fewer entries or another bed are needed."
    which = "the last bed" if len(beds) > 1 else "the bed"
    return f"It does not fit: {which} would have to be {_lacking(drawn.short_by)}.{what}"


def room_of(trial: Trial) -> str:
    """Why the drawn layout of a trial does not fit its beds; empty where it does."""
    drawn = drawing_of(trial)(trial.layout_seed or 0)
    if drawn.fits:
        return ""
    beds = [Bed(b.length_m, b.width_m) for b in trial.beds]
    size = PlotSize(trial.plot_length_m or 1, trial.plot_width_m or 1, trial.path_m, trial.guard_m)
    wanted = wanted_of(trial)
    return room_in_words(wanted, beds, drawn, _what_fits(wanted, size, beds))


def _shrunk(size: PlotSize, twentieths: int) -> PlotSize:
    return PlotSize(size.length * twentieths / 20, size.width * twentieths / 20, size.path, size.guard)


def _largest(low: int, high: int, fits: Callable[[int], bool]) -> int | None:
    """The largest number for which `fits` holds, being true up to some point; None when it is for none."""
    if high < low or not fits(low):
        return None
    while low < high:
        middle = (low + high + 1) // 2
        low, high = (middle, high) if fits(middle) else (low, middle - 1)
    return low


def _fits(wanted: Wanted, size: PlotSize, beds: Sequence[Bed]) -> bool:
    try:
        return max(room_lacking(wanted, size, beds)) == 0
    except ValueError:
        return False


def _used(beds: Sequence[Bed], drawn: Draft) -> str:
    if len(beds) == 1:
        used = f"{figure_shown(drawn.used_length, 'm', 1)} × {measured(drawn.used_width, 'm', 1)}"
        return f"{used} of the bed's {figure_shown(beds[0].length, 'm')} × {measured(beds[0].width, 'm')}"
    held = [sum(at.bed == n for at in drawn.blocks.values()) for n in range(len(beds))]
    return f"{' and '.join(str(n) for n in held)} blocks in the {len(beds)} beds"


def _across(drawn: Draft) -> str:
    """Which blocks lie across their bed, because they fit only so."""
    turned = [str(n) for n, at in sorted(drawn.blocks.items()) if at.turned]
    if not turned:
        return ""
    return f"; block{'s' if len(turned) > 1 else ''} {', '.join(turned)} lie{'s' if len(turned) == 1 else ''} across"


def _lacking(short_by: tuple[float, float]) -> str:
    longer, wider = short_by
    gaps = ((longer, "longer"), (wider, "wider"))
    return " and ".join(f"{measured(gap, 'm', 1)} {what}" for gap, what in gaps if gap > 1e-9)


def more_in_words(typed: dict[str, Any], wanted: Wanted) -> str:
    """What two more blocks, or replicates of incomplete blocks, would tell apart, and what ground that needs."""
    beds = _beds(typed)
    if wanted.only_observed:
        return years_in_words(typed, wanted)
    then = with_blocks(wanted, (wanted.per_bed or wanted.blocks) + (1 if wanted.per_bed else 2), len(beds))
    if not typed.get("cv_percent") or then.blocks > MOST_BLOCKS or wanted.design == Design.LATIN or then.plots > MOST_PLOTS:
        return ""
    now, better = _tells(typed, wanted), _tells(typed, then)
    if now is None or better is None:
        return ""
    try:
        short = room_lacking(then, _size(typed), beds)
    except ValueError:
        return ""
    last = "the last bed" if len(beds) > 1 else "a bed"
    room = f"need {last} {_lacking(short)}" if max(short) > 0 else "fit there too"
    repeats = repeats_of(wanted)
    today = f"With {wanted.blocks} {repeats} you can tell {now:.0f} % apart"
    return f"{today}; {then.blocks} {repeats} would tell {better:.0f} % and {room}."


def years_in_words(typed: dict[str, Any], wanted: Wanted) -> str:
    """What single strips tell: nothing in one season, and with the seasons as replicates what that number of blocks would."""
    said = "One plot an entry: observation only."
    if not typed.get("cv_percent"):
        return said
    told = [(n, smallest_found(typed["cv_percent"], precision("rcbd", len(wanted.codes), n))) for n in STRIP_YEARS]
    years = " and ".join(f"{n} a difference of {tells:.0f} %" for n, tells in told)
    return (
        f"{said} Grown again each year its programme takes the seasons as replicates: at a spread of {typed['cv_percent']:g} % "
        f"after {years} would be found 8 times in 10, less surely where entries change places from season to season."
    )


def _advice(typed: dict[str, Any], wanted: Wanted, entries: int) -> str:
    """What is to be said of the design, with what is known of the first bed."""
    known = BedOnRecord.objects.filter(site__name__iexact=typed.get("site") or "", name__iexact=typed.get("bed") or "").first()
    beds = 1 + len(typed.get("more_beds") or [])
    return advised_design(wanted.design, entries, len(wanted.checks), bool(known and known.gradient), beds)
