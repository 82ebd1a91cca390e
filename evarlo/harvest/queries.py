"""What the picks tell, and what they add to a trial's pages."""

from __future__ import annotations

import uuid
from collections import defaultdict
from collections.abc import Callable, Iterable, Sequence
from datetime import date, datetime, timedelta

from django.db.models import Count, Exists, F, Max, Min, Q, QuerySet, Sum, Window
from django.db.models.functions import RowNumber
from django.urls import reverse

from evarlo.catalogue.models import Trait
from evarlo.harvest.classes import plan_of
from evarlo.harvest.models import PickClass, Picking, PickPart, PickPlan, StoredLot, TestedSample
from evarlo.harvest.samples import of_plots
from evarlo.harvest.stand import stands_over
from evarlo.harvest.store import stored_in
from evarlo.harvest.words import look_in_words, part_in_words
from evarlo.nursery.queries import not_judged, sown_on
from evarlo.trials.models import Cause, Criterion, Exclusion, Plot, Trial
from evarlo.trials.registry import DiaryLine, Reading, Readings, Span
from evarlo.ui.reckoned import Reckoned
from evarlo.ui.words import counted
from evarlo.walks.queries import readings as walk_readings
from trialcore.field.moisture import at_standard_moisture
from trialcore.field.picks import Pick, PlotYield, plot_yield


def newer(trial: Trial, since: datetime, who: int) -> int:
    """How many weigh-ins of a trial others have recorded since a moment."""
    return Picking.objects.filter(plot__trial=trial, at__gt=since).exclude(by=who).count()


def _percent(share: float | None) -> float | None:
    return None if share is None else 100 * share


# What each picked trait takes from a plot's season.
FIGURES: dict[str, Callable[[PlotYield], float | None]] = {
    "marketable-yield": lambda y: y.kg_per_m2,
    "marketable-per-plant": lambda y: y.g_per_plant,
    "marketable-per-plant-set-out": lambda y: y.g_per_plant_set_out,
    "piece-weight": lambda y: y.piece_g,
    "marketable-share": lambda y: _percent(y.marketable_share),
    "days-to-first-pick": lambda y: y.days_to_first_pick,
    "days-to-half-yield": lambda y: y.flow.to_half if y.flow else None,
    "picking-span": lambda y: y.flow.span if y.flow else None,
    "picking-evenness": lambda y: None if y.flow is None or y.flow.evenness is None else 100 * y.flow.evenness,
    "pieces-in-all": lambda y: y.pieces,
    "overmature-share": lambda y: _percent(y.overmature_share),
    "in-window-share": lambda y: _percent(y.in_window_share),
    "picking-damage": lambda y: _percent(y.damaged_share),
    "side-yield": lambda y: y.side_kg_per_m2,
}
MANY = 200  # plots beyond which all of the trial are read


def standing(trial: Trial) -> QuerySet[Picking]:
    """The weigh-ins that count."""
    return standing_of([trial])


def standing_of(trials: Iterable[Trial]) -> QuerySet[Picking]:
    """The weigh-ins of some trials that count."""
    return Picking.objects.in_force().filter(plot__trial__in=list(trials))


def yields(trial: Trial) -> dict[int, PlotYield]:
    """The season of each plot that was picked, by plot id."""
    return trial.once("yields", lambda: _yields(trial))


# A plot's season by the plot, how many rows it has, the newest of them, the classes, and what else it is reckoned from.
_SEASONS: Reckoned[tuple[object, ...], PlotYield] = Reckoned(4000)


def _yields(trial: Trial) -> dict[int, PlotYield]:
    sown, stand, area = sown_on(trial), stands_over(trial), areas(trial)
    once = trial.crop.profile.get("picking") == "once over"
    classes = tuple(trial.pick_classes.values_list("pk", "kind", "reason", "part"))
    rows = Picking.objects.filter(plot__trial=trial).order_by().values("plot_id")
    stamps = rows.annotate(Count("pk"), Max("at"), Sum("marketable_kg"), Sum("cull_kg"), Max("on"))
    keys: dict[int, tuple[object, ...]] = {}
    for row in stamps:
        pk = row["plot_id"]
        if pk in area and pk in stand:
            keys[pk] = (*row.values(), classes, area[pk], stand[pk], sown.get(pk), once)

    def make(plots: set[int]) -> dict[int, PlotYield]:
        picks = _picks(trial, plots)
        return {pk: plot_yield(picks.get(pk, ()), area[pk], stand[pk], sown.get(pk), once) for pk in plots}

    return {pk: season for pk, season in _SEASONS.get(keys, make).items() if season.picks}


def _picks(trial: Trial, plots: set[int]) -> dict[int, list[Pick]]:
    """The picks of some plots that count, in the order of their days; two statements."""
    weighed = standing(trial).exclude(nought=Picking.Nought.MISSED).order_by("on")
    weighed = weighed if len(plots) > MANY else weighed.filter(plot__in=plots)
    apart = _apart(trial, plots)
    names = ("plot_id", "on", "marketable_kg", "cull_kg", "marketable_count", "cull_count", "graded_se_kg")
    found: dict[int, list[Pick]] = defaultdict(list)
    for pk, plot_id, on, good, cull, pieces, culled, se in weighed.values_list("pk", *names):
        if plot_id in plots:
            found[plot_id].append(Pick(on, good, cull, pieces, culled, grading_se_kg=se, **apart.get(pk, {})))
    return found


def _apart(trial: Trial, plots: set[int]) -> dict[uuid.UUID, dict[str, float]]:
    """What of each weigh-in was over-mature, undersize, a side harvest or a dry one, in kilograms, as the core names it."""
    found: dict[uuid.UUID, dict[str, float]] = defaultdict(dict)
    reason, part = PickClass.Reason, PickClass.Part
    named: dict[str, str] = {reason.OVERMATURE: "overmature_kg", reason.UNDERSIZE: "undersize_kg", reason.DAMAGED: "damaged_kg"}
    named |= {part.SIDE: "side_kg", part.DRY: "dry_kg"}
    culled = Q(pick_class__kind=PickClass.Kind.CULL, pick_class__reason__in=named)
    good = Q(pick_class__part__in=named) & ~Q(pick_class__kind=PickClass.Kind.CULL)
    rows = PickPart.objects.filter(culled | good, pick_class__trial=trial).order_by()
    rows = rows if len(plots) > MANY else rows.filter(picking__plot__in=plots)
    for pk, kind, why, of, kg in rows.values_list("picking", "pick_class__kind", "pick_class__reason", "pick_class__part", "kg"):
        name = named[why if kind == PickClass.Kind.CULL else of]
        found[pk][name] = found[pk].get(name, 0.0) + kg
    return found


def areas(trial: Trial) -> dict[int, float]:
    """The ground of each plot on which judged plants stand, in m², by plot id."""
    unsure = not_judged(trial)
    found = {}
    for pk, length, width, own in trial.plots.values_list("pk", "length", "width", "entry__in_row_cm"):
        spacing = trial.spacing_at(own or trial.in_row_cm)
        found[pk] = length * width * (spacing.judged_share if spacing else 1.0)
        if pk in unsure and spacing and spacing.judged_stations:
            found[pk] *= 1 - len(unsure[pk]) / spacing.judged_stations
    return found


def readings(trial: Trial, trait: Trait) -> Readings:
    """A picked trait for every plot that was picked; a plot whose stand failed, or is nought, counts as its cause says."""
    figure, seasons = FIGURES.get(trait.key), yields(trial)
    figures = {pk: figure(s) for pk, s in seasons.items()} if figure else _with_more(trial, trait.key, seasons)
    found = {pk: Reading(number) for pk, number in figures.items()}
    stand = Trait.objects.filter(key="stand").first()
    if stand:
        for pk, seen in walk_readings(trial, stand).items():
            if (seen.cause == Cause.FAILED or seen.number == 0) and pk not in found:
                found[pk] = Reading(cause=Cause.FAILED, note=seen.note or "no plant stood")
    return found


def fills(trial: Trial, trait: Trait) -> Readings:
    """One yield, whichever way it was weighed: the plot's on a walk from its weigh-ins, and that per area from the walk."""
    if trait.key == "plot-yield":
        return {pk: Reading(season.marketable_kg, note="from weigh-ins") for pk, season in yields(trial).items()}
    walked = Trait.objects.filter(key="plot-yield").first()
    if walked is None:
        return {}
    area = areas(trial)
    seen = {pk: r for pk, r in walk_readings(trial, walked).items() if r.number is not None and area[pk]}
    return {pk: Reading((r.number or 0.0) / area[pk], note="from the walk") for pk, r in seen.items()}


def marks(trial: Trial) -> Iterable[str]:
    """Plots in which more plants were counted than were set out: their figures per plant stand on the count."""
    if not standing(trial).exists():
        return
    stand = stands_over(trial)
    over = [(p, stand[p.pk]) for p in trial.plots.order_by("place") if stand[p.pk].over]
    if over:
        said = ", ".join(f"{p.number} ({max(n for _, n in s.counts)} of {s.set_out})" for p, s in over[:6])
        more = f" and {len(over) - 6} more" if len(over) > 6 else ""
        yield f"More plants were counted than set out in {said}{more}: count again, or write down what was put in."


def picked_traits(trial: Trial) -> list[Trait]:
    """The traits that picks can give, once there is a pick, what samples and lots in store tell; what is told by class only where
    the trial has one for it. One statement."""
    classes, plans = PickClass.objects.filter(trial=trial), PickPlan.objects.filter(trial=trial)
    samples = TestedSample.objects.in_force().filter(plot__trial=trial)
    reason, part = PickClass.Reason, PickClass.Part
    only_with = {
        "picking-damage": classes.filter(reason=reason.DAMAGED),
        "overmature-share": classes.filter(reason=reason.OVERMATURE),
        "in-window-share": classes.filter(reason__in=[reason.OVERMATURE, reason.UNDERSIZE]),
        "side-yield": classes.filter(part=part.SIDE),
        "dry-yield": classes.filter(part=part.DRY),
        "size-off-target": plans.filter(Q(piece_low_g__isnull=False) | Q(piece_high_g__isnull=False)),
        "edible-yield": samples.filter(trait__key="edible-share"),
    }
    picked = Q(key__in=[key for key in FIGURES if key not in only_with])
    for key, there in only_with.items():
        picked |= Q(Exists(there), key=key)
    lots = StoredLot.objects.in_force().filter(trial=trial, plot__isnull=False)
    return list(
        Trait.objects.filter(
            Q(picked, Exists(standing(trial)), source=Trait.Source.PICK)
            | Q(pk__in=samples.values("trait"))
            | Q(Exists(lots), Exists(plans.filter(market_days__isnull=False)), source=Trait.Source.STORE)
        )
    )


def _with_more(trial: Trial, key: str, seasons: dict[int, PlotYield]) -> dict[int, float | None]:
    """The figures of picks that need what was set for the trial or found in samples, by plot id."""
    plan = plan_of(trial)
    if key == "size-off-target":
        return {pk: _off_target(s.piece_g, plan.piece_low_g, plan.piece_high_g) for pk, s in seasons.items()}
    if key == "edible-yield":
        edible = of_plots(trial, "edible-share")
        return {
            pk: s.kg_per_m2 * edible[pk] / 100 if s.kg_per_m2 is not None and pk in edible else None for pk, s in seasons.items()
        }
    if plan.standard_moisture is None:
        return {pk: s.dry_kg_per_m2 for pk, s in seasons.items()}
    moist, standard = of_plots(trial, "harvest-moisture"), plan.standard_moisture
    return {
        pk: at_standard_moisture(s.dry_kg_per_m2, moist[pk], standard) if s.dry_kg_per_m2 is not None and pk in moist else None
        for pk, s in seasons.items()
    }


def _off_target(piece_g: float | None, low: float | None, high: float | None) -> float | None:
    """How far a piece lies outside what is wanted, in percent of the nearer end; 0 within."""
    if piece_g is None:
        return None
    if low and piece_g < low:
        return 100 * (low - piece_g) / low
    return 100 * (piece_g - high) / high if high and piece_g > high else 0.0


def borne(trial: Trial) -> dict[int, date]:
    """The first day on which each plot was picked."""
    return dict(standing(trial).order_by().values("plot_id").annotate(first=Min("on")).values_list("plot_id", "first"))


def diary(plot: Plot, _names: bool) -> Iterable[DiaryLine]:
    for row in plot.pickings.select_related("by").prefetch_related("superseded_by", "parts__pick_class"):
        if row.withdrawn:
            yield DiaryLine(row.on, "Weigh-in taken back.", str(row.by), 5)
            continue
        pieces = f", {row.marketable_count} pieces" if row.marketable_count is not None else ""
        cull = f"; culled {row.cull_kg:g} kg" if row.cull_kg else ""
        text = f"Picked {row.marketable_kg:g} kg marketable{pieces}{cull}."
        if row.nought:
            text = f"{row.get_nought_display().capitalize()}."
        elif parts := row.parts.all():
            text += f" {'; '.join(part_in_words(p) for p in parts)}."
        yield DiaryLine(row.on, text, str(row.by), 4, hasattr(row, "superseded_by"))
    for stored in stored_in(plot.trial, plot):
        lot = stored.lot
        place = f", {lot.place}" if lot.place else ""
        yield DiaryLine(lot.laid_on, f"{counted(lot.pieces, 'piece')} put into store{place}.", str(lot.by), 5)
        for check, lost in zip(stored.checks, stored.losses, strict=True):
            yield DiaryLine(check.on, look_in_words(check, lost), str(check.by), 5)


def weighed(trial_ids: Sequence[int]) -> dict[tuple[int, int], tuple[date, float]]:
    """By trial and bed: the last pick from its plots, and all marketable kilograms from them."""
    rows = Picking.objects.in_force().filter(plot__trial__in=trial_ids, plot__bed__isnull=False).order_by()
    by_bed = rows.values("plot__trial", "plot__bed").annotate(last=Max("on"), kg=Sum("marketable_kg"))
    return {(trial, bed): (last, kg) for trial, bed, last, kg in by_bed.values_list("plot__trial", "plot__bed", "last", "kg")}


def ways(plot: Plot) -> Iterable[tuple[str, str]]:
    """The weigh-ins of a plot, each of which can be corrected or taken back."""
    found = plot.pickings.in_force().count()
    if found:
        yield f"{reverse('harvest:pick', args=[plot.trial.slug])}?plot={plot.number}", counted(found, "weigh-in")


def spans(trial: Trial) -> Iterable[Span]:
    seen = standing(trial).aggregate(first=Min("on"), last=Max("on"))
    if seen["first"]:
        yield Span("pick", seen["first"], seen["last"])
    elif trial.pick_on:
        yield Span("pick", trial.pick_on, trial.pick_on + timedelta(days=14), planned=True)


def begun(trial_ids: Sequence[int]) -> dict[tuple[int, str], date]:
    """The first day on which something was picked in each trial."""
    rows = Picking.objects.in_force().filter(plot__trial__in=trial_ids).values("plot__trial")
    return {(row["plot__trial"], "pick"): row["first"] for row in rows.annotate(first=Min("on")).order_by()}


def complete(trial_ids: list[int]) -> dict[tuple[int, str], set[int]]:
    picked = Criterion.objects.filter(trial__in=trial_ids, trait__source=Trait.Source.PICK)
    having: dict[tuple[int, str], set[int]] = {(pk, "picked"): set() for pk in picked.values_list("trial", flat=True)}
    rows = Picking.objects.in_force().filter(plot__trial__in=trial_ids).exclude(nought=Picking.Nought.MISSED)
    for trial_id, plot_id in rows.values_list("plot__trial", "plot").distinct():
        if (trial_id, "picked") in having:
            having[trial_id, "picked"].add(plot_id)
    return having


def last_picks(trial: Trial) -> dict[int, Picking]:
    """The last weigh-in of each plot, by plot id."""
    newest = Window(RowNumber(), partition_by=F("plot_id"), order_by=[F("on").desc(), F("at").desc()])
    return {row.plot_id: row for row in standing(trial).annotate(nth=newest).filter(nth=1).order_by()}


def left_to_pick(trial: Trial, on: date) -> list[Plot]:
    """Plots without a weigh-in on that day, along the walking path, those left out of the trial not among them."""
    done = standing(trial).filter(on=on).values("plot")
    out = Exclusion.objects.in_force().filter(plot__trial=trial).values("plot")
    return list(trial.plots.exclude(pk__in=done).exclude(pk__in=out))
