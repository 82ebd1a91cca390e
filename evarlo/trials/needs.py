"""What a trial needs before it can be sown: seed by entry with its working, trays, materials, what is short, and what it costs."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from typing import Any

from evarlo.catalogue.models import Crop
from evarlo.grounds.history import history_of
from evarlo.seeds.models import Lot
from evarlo.seeds.queries import Stock, stocks_by_cultivar
from evarlo.trials.models import Entry, Material, NeedPlan, Plot, Trial
from evarlo.trials.plot_numbers import chosen_plots
from evarlo.ui.units import measured
from evarlo.ui.words import counted
from trialcore.reckoning import doses
from trialcore.reckoning.sowing import (
    FewSeeds,
    chance_of_fewer,
    emergence_share,
    few_seeds,
    machine_spacing_cm,
    medium_litres,
    seeds_per_station,
    seeds_to_sow,
    trays_needed,
)

RAISED = {"raised": True, "sown": False}  # what is said of plants; as the crop usually is where nothing is
NODULES_YEARS = 4  # for which rhizobia are counted on after a legume
FEW_EMPTY = 0.05  # of cells or stations that may stay empty before another seed a station is advised


@dataclass(frozen=True)
class EntryNeed:
    """One entry: its stations, the seeds they take, how that was reckoned, what is in stock and what is missing."""

    entry: Entry
    name: str
    stations: int
    seeds: int
    working: str
    lots: tuple[Stock, ...]
    in_stock: int
    packets: int | None
    order_by: date | None
    cost: float | None
    cells: int
    plots: int
    becomes: float  # the share of its seeds that becomes plants

    @property
    def few(self) -> FewSeeds | None:
        """What the seeds in stock give where there are some and fewer than wanted; None elsewhere, and of what is no seed."""
        if not (self.short and self.in_stock and self.plots and self.stations):
            return None
        if any(s.lot.material != Lot.Material.SEED for s in self.lots):
            return None
        return few_seeds(self.in_stock, self.becomes, self.plots, self.stations // self.plots)

    @property
    def a_plot(self) -> int:
        """Places of one plot for which seed is reckoned."""
        return self.stations // self.plots if self.plots else 0

    @property
    def short(self) -> int:
        return max(0, self.seeds - self.in_stock)

    @property
    def doubts(self) -> list[str]:
        """What is to be said of the lots that would be used."""
        return [f"Lot {s.lot.name}: {s.said}" for s in self.lots if s.said]


@dataclass(frozen=True)
class MaterialNeed:
    """One material: what a plot gets and what the trial takes, in `unit`, with the working in words."""

    material: Material
    a_plot: float
    in_all: float
    unit: str
    working: str
    packs: int | None
    cost: float | None


@dataclass(frozen=True)
class Needs:
    plan: NeedPlan
    rows: tuple[EntryNeed, ...]
    materials: tuple[MaterialNeed, ...]
    plots: int
    places_a_plot: tuple[int, ...]  # one figure; several where the spacing of entries differs
    place: str  # what such a place is called: a station, a plug, a plant
    trays: int
    medium_l: float
    advice: str
    sow_on: date | None

    @property
    def seeds(self) -> int:
        return sum(r.seeds for r in self.rows)

    @property
    def short(self) -> list[EntryNeed]:
        return [r for r in self.rows if r.short]

    @property
    def unequal(self) -> bool:
        """Whether something is given to some plots only."""
        return any(m.material.plots for m in self.materials)

    @property
    def cost(self) -> float:
        """What is to be bought, as far as its prices are known."""
        return sum(r.cost or 0.0 for r in self.rows) + sum(m.cost or 0.0 for m in self.materials)

    @property
    def without_price(self) -> int:
        """How many things to buy have no price."""
        return sum(r.short > 0 and r.cost is None for r in self.rows) + sum(m.cost is None for m in self.materials)


def plan_of(trial: Trial) -> NeedPlan:
    """How the trial's needs are reckoned; from its crop's profile while nobody has said otherwise. Nothing is written."""
    usual = defaults_for(trial.crop) | ({"transplant": True} if trial.plant_on else {})  # what is planted was raised
    usual["per_station"] = trial.per_station
    return getattr(trial, "need_plan", None) or NeedPlan(trial=trial, **usual)


def defaults_for(crop: Crop) -> dict[str, Any]:
    """A crop's usual way of raising."""
    profile = crop.profile
    made: dict[str, Any] = {"transplant": "transplant" in str(profile.get("raising", "")).split(" or ")[0]}
    if crop.piece != "seed":
        made["germination"] = 100.0
    if profile.get("cell_ml"):
        made["cell_ml"] = float(profile["cell_ml"])
    return made


def needs_of(trial: Trial, names: dict[int, str], today: date) -> Needs:
    """Reckon it all from the plots as they are laid out."""
    plan = plan_of(trial)
    count: dict[int, int] = defaultdict(int)
    for entry_id in trial.plots.values_list("entry_id", flat=True):
        count[entry_id] += 1
    entries = trial.named_entries
    lots = stocks_by_cultivar(today.year, [e.cultivar_id for e in entries])
    start = trial.sow_on
    rows = tuple(
        _row(e, names.get(e.pk, e.code), count[e.pk], places_of(e, trial, plan), plan, lots.get(e.cultivar_id, []), start)
        for e in entries
    )
    cells = sum(r.cells for r in rows)
    trays = trays_needed(cells, plan.tray_cells) if plan.transplant else 0
    medium = medium_litres(trays, plan.tray_cells, plan.cell_ml) if trays else 0.0
    every = sum(count.values())
    typed = trial.once("materials", lambda: list(trial.materials.in_force()))
    materials = tuple(_material(m, trial, len(chosen_plots(trial, m.plots)) or every) for m in typed)
    places = tuple(sorted({r.stations // r.plots for r in rows if r.plots}))
    return Needs(plan, rows, materials, every, places, place_of(trial, plan), trays, medium, _advice(trial, plan), start)


def entries_short(trials: Sequence[Trial], today: date) -> dict[int, int]:
    """How many entries of each trial are short of seed, of trials with a lot on record for any of their entries: of the
    others nothing is known. A bounded number of statements for any number of trials."""
    count: dict[int, int] = defaultdict(int)
    for entry_id in Plot.objects.filter(trial__in=trials).values_list("entry_id", flat=True):
        count[entry_id] += 1
    entries: dict[int, list[Entry]] = defaultdict(list)
    for entry in Entry.objects.filter(trial__in=trials).select_related("cultivar"):
        entries[entry.trial_id].append(entry)
    lots = stocks_by_cultivar(today.year, {e.cultivar_id for some in entries.values() for e in some})
    found = {}
    for trial in trials:
        here = entries[trial.pk]
        if any(e.cultivar_id in lots for e in here):
            plan = plan_of(trial)
            rows = [
                _row(e, e.code, count[e.pk], places_of(e, trial, plan), plan, lots.get(e.cultivar_id, []), trial.sow_on)
                for e in here
            ]
            found[trial.pk] = sum(r.short > 0 for r in rows)
    return found


def in_plugs(per_station: int, plan: NeedPlan) -> bool:
    """Whether the plants of a station are raised together, in one cell."""
    return per_station > 1 and plan.transplant and plan.per_station > 1


def places_a_plot(stations: int, per_station: int, plan: NeedPlan) -> int:
    """For how many places of a plot seed is reckoned: its stations, where the seeds of one lie together, else its plants."""
    return stations * per_station if plan.transplant and not in_plugs(per_station, plan) else stations


def seeds_of(stations: int, plan: NeedPlan, germination: float | None = None) -> int:
    """Seeds for an entry's stations, wherever that is asked: planning, ordering and sowing. `germination` is the share that its
    lot brings up, else what the plan takes."""
    share = plan.germination / 100 if germination is None else germination
    if not stations:
        return 0
    return seeds_to_sow(stations, plan.per_station, share, plan.field_percent / 100, plan.spare_percent / 100, plan.spare)


def cells_of(seeds: int, plan: NeedPlan) -> int:
    """Cells that seeds take, several in each as planned."""
    return -(-seeds // plan.per_station)


def _row(entry: Entry, name: str, plots: int, a_plot: int, plan: NeedPlan, lots: list[Stock], start: date | None) -> EntryNeed:
    best = lots[0] if lots else None
    share = (best.germination if best and best.germination else plan.germination) / 100
    if best and best.lot.material != Lot.Material.SEED:
        share = 1.0
    count = plots * a_plot
    field = plan.field_percent / 100
    seeds = seeds_of(count, plan, share)
    in_stock = sum(max(0, s.seeds) for s in lots)
    short = max(0, seeds - in_stock)
    packet, price = (best.lot.packet, best.lot.price) if best else (None, None)
    packets = doses.packs(short, packet) if packet and short else None
    cost = packets * price if packets and price is not None else None
    order_by = start - timedelta(days=plan.lead_days) if start and short else None
    cells = cells_of(seeds, plan) if plan.transplant else 0
    working = _working(count, place_of(entry.trial, plan), plan, share, field, seeds, best)
    return EntryNeed(
        entry, name, count, seeds, working, tuple(lots), in_stock, packets, order_by, cost, cells, plots, share * field
    )


def places_of(entry: Entry, trial: Trial, plan: NeedPlan) -> int:
    """The same of an entry of a trial."""
    spacing = trial.spacing_of(entry)
    return places_a_plot(spacing.stations if spacing else 0, trial.per_station, plan)


def place_of(trial: Trial, plan: NeedPlan) -> str:
    """What a place of a plot is called where its seed is reckoned."""
    if trial.per_station == 1 or not plan.transplant:
        return "station"
    return "plug" if in_plugs(trial.per_station, plan) else "plant"


def _working(count: int, place: str, plan: NeedPlan, share: float, field: float, seeds: int, best: Stock | None) -> str:
    empty = (1 - share * field) ** plan.per_station
    if plan.per_station == 1:
        each = f"{count} {place}s ÷ ({share:.2f} × {field:.2f})"
        spare = f" + {plan.spare_percent:g} %" if plan.spare_percent else ""
    else:
        each = f"{count} {place}s × {plan.per_station}"
        covered = max(plan.spare_percent, 100 * empty / (1 - empty) if empty < 1 else 0)
        spare = f" + {covered:.3g} % for the {100 * empty:.1f} % that stay empty" if covered else ""
    spare += f" + {plan.spare} spare" if plan.spare else ""
    what = best.lot.counted_in if best else f"{plan.trial.crop.piece}s"
    packs = doses.packs(seeds, best.lot.packet) if best and best.lot.packet else 0
    packets = f" = {packs} packet{'s' if packs > 1 else ''}" if packs else ""
    lot = f" of lot {best.lot.name}" if best else ""
    assumed = (" (germination as tested)" if best.tested else "") if best and best.germination else " (germination assumed)"
    if what != "seeds":
        assumed = ""
    return f"{each}{spare} = {seeds} {what}{packets}{lot}{assumed}"


def by_machine(trial: Trial, plan: NeedPlan) -> str:
    """How far apart a machine drops seeds where the crop is sown where it stands, in words; empty elsewhere."""
    if plan.transplant or not (trial.between_rows_cm and trial.in_row_cm) or trial.crop.piece != "seed":
        return ""
    wanted = trial.per_station * 1e4 / (trial.between_rows_cm * trial.in_row_cm)
    apart = machine_spacing_cm(wanted, trial.between_rows_cm, plan.germination / 100, plan.field_percent / 100)
    comes = f"{plan.germination:g} % × {plan.field_percent:g} %"
    return f"By machine: a seed every {measured(apart, 'cm', 1)} in the row for {wanted:.1f} plants a m², of which {comes} come up."


def inoculation(trial: Trial) -> str:
    """Whether a legume wants an inoculant here, by what stood in its beds; empty for other crops."""
    if str(trial.crop.profile.get("family", "")).casefold() != "fabaceae" or trial.bed is None:
        return ""
    start = trial.sow_on or trial.made_at.date()
    since = start - timedelta(days=round(365.25 * NODULES_YEARS))
    before = [
        lain.use
        for some in history_of(trial.beds).values()
        for lain in some
        if lain.use.fixes and lain.use.name != trial.name and since <= lain.use.since < start
    ]
    if before:
        last = max(before, key=lambda use: use.since)
        return f"No inoculant is needed if it shares its rhizobia with {last.name}, which stood here from {last.since:%b %Y}."
    strain = f"Use the strain for {trial.crop.name.lower()}."
    return f"Inoculate: no legume is on record for its ground in {NODULES_YEARS} years. {strain}"


def _advice(trial: Trial, plan: NeedPlan) -> str:
    """How often a station stays empty, or gets fewer plants than wanted, and what would mend that."""
    share = emergence_share(plan.germination / 100, plan.field_percent / 100)
    where = "cell" if plan.transplant else "station"
    wanted = 1 if plan.transplant and not in_plugs(trial.per_station, plan) else trial.per_station
    if wanted > 1:
        return _fewer_advice(plan, share, wanted, where)
    empty = (1 - share) ** plan.per_station
    said = f"With {counted(plan.per_station, plan.trial.crop.piece)} a {where}, {100 * empty:.0f} % stay empty"
    better = seeds_per_station(plan.germination / 100, plan.field_percent / 100, FEW_EMPTY)
    if empty > FEW_EMPTY and better > plan.per_station:
        return f"{said}; {better} would leave fewer than {100 * FEW_EMPTY:.0f} % empty."
    return f"{said}."


def _fewer_advice(plan: NeedPlan, share: float, wanted: int, where: str) -> str:
    """The same where several plants are wanted at one station."""
    fewer = chance_of_fewer(plan.per_station, share, wanted)
    each = counted(plan.per_station, plan.trial.crop.piece)
    said = f"With {each} a {where}, {100 * fewer:.0f} % get fewer than {counted(wanted, 'plant')}"
    better = seeds_per_station(plan.germination / 100, plan.field_percent / 100, FEW_EMPTY, wanted)
    if fewer > FEW_EMPTY:
        return f"{said}; {better} would leave fewer than {100 * FEW_EMPTY:.0f} % so, and are thinned to {wanted}."
    return f"{said}." + (f" Thin to {wanted}." if plan.per_station > wanted else "")


def material_need(material: Material, trial: Trial) -> MaterialNeed:
    """What a plot gets of one material, and the trial in all."""
    plots = len(chosen_plots(trial, material.plots)) or trial.plots.count()
    return _material(material, trial, plots)


def _material(m: Material, trial: Trial, plots: int) -> MaterialNeed:
    """Where the spacing of entries differs, by that of the trial: a material is the same for every plot."""
    spacing = trial.spacing
    a_plot = spacing.plants if spacing else 0
    area = trial.plot_area_m2 or 0.0
    rows = spacing.shape[0] if spacing and a_plot else 0
    length = trial.plot_length_m or 0.0
    match m.kind:
        case Material.Kind.RATE:
            amount, unit = doses.from_rate(m.amount, m.unit, area), "ml" if m.unit in ("ml/m²", "l/ha") else "g"
            working = f"{m.amount:g} {m.unit} × {measured(area, 'm²', 2)}"
        case Material.Kind.NUTRIENT:
            supply = doses.soil_supply_g_m2(m.soil or 0.0)
            amount, unit = doses.fertiliser_g(m.amount, m.grade or 100.0, area, supply), "g"
            soil = f" − {supply:.1f} in the soil" if m.soil else ""
            working = f"({m.amount:g} g/m²{soil}) × {measured(area, 'm²', 2)} ÷ {m.grade or 100:g} %"
        case Material.Kind.LAYER:
            amount, unit = doses.layer_litres(m.amount, area), "l"
            working = f"{measured(m.amount, 'cm')} × {measured(area, 'm²', 2)}"
        case Material.Kind.PLANT:
            amount, unit = m.amount * a_plot, "pieces"
            working = f"{m.amount:g} × {a_plot} plants"
        case _:
            amount, unit = m.amount * rows * length, "m"
            working = f"{m.amount:g} × {rows} rows × {measured(length, 'm')}"
    in_all = amount * plots
    packs = doses.packs(in_all, m.pack) if m.pack else None
    cost = packs * m.price if packs is not None and m.price is not None else None
    return MaterialNeed(m, amount, in_all, unit, working, packs, cost)


def order_lines(needs: Needs) -> list[list[str]]:
    """What is to be bought, a line each, with its units and the day to order by; the first line names the columns."""
    lines = [["item", "supplier", "amount", "unit", "packs", "pack_size", "order_by", "cost"]]
    for r in needs.short:
        lot = r.lots[0].lot if r.lots else None
        lines.append(
            [
                r.name,
                lot.supplier if lot else "",
                str(r.short),
                lot.counted_in if lot else f"{r.entry.trial.crop.piece}s",
                _text(r.packets),
                _text(lot.packet if lot else None),
                r.order_by.isoformat() if r.order_by else "",
                _text(r.cost),
            ]
        )
    for m in needs.materials:
        order_by = needs.sow_on - timedelta(days=needs.plan.lead_days) if needs.sow_on else None
        lines.append(
            [
                m.material.name,
                "",
                f"{m.in_all:.4g}",
                m.unit,
                _text(m.packs),
                _text(m.material.pack),
                order_by.isoformat() if order_by else "",
                _text(m.cost),
            ]
        )
    return lines


def _text(value: float | None) -> str:
    return "" if value is None else f"{value:.10g}"
