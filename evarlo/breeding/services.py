"""Every act of the selection nursery: cross, grow, save, name."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from typing import Any

from django.db import transaction
from django.db.models import ProtectedError
from django.utils import timezone

from evarlo.breeding.gate import Standing, gate_of
from evarlo.breeding.laying import MOST_PLANTS, Row, rows_of
from evarlo.breeding.models import Cross, Gate, Generation, Grown, How, Named, Saved
from evarlo.breeding.purity import COVERED, selfs
from evarlo.breeding.traits import mark_trait
from evarlo.catalogue.models import Crop, Cultivar
from evarlo.catalogue.services import cultivar_named, cultivar_of
from evarlo.grounds.models import Bed
from evarlo.people.models import User
from evarlo.seeds.models import Lot, Move
from evarlo.seeds.services import keep_lot, move_stock, stock_of
from evarlo.trials.deeds import record
from evarlo.trials.models import Entry, Plot, Trial
from evarlo.trials.plan import CriterionPlan
from evarlo.trials.planning import free_slug
from evarlo.trials.services import add_criteria
from evarlo.ui.refused import Refused, only_done

LONGEST = 40  # letters of a line's name: its lot has the same


@transaction.atomic
def cross(
    crop: Crop, name: str, seed_parent: str, pollen_parent: str, isolation: str, seeds: int, on: date, by: User, today: date,
    note: str = "",
) -> Cross:  # fmt: skip
    """Two cultivars were crossed and gave `seeds`. Raises Refused for a day to come, a name that is taken, one parent twice, or a
    parent that is a segregating generation: its plants differ, so the parent has to be one of them."""
    only_done(on, today)
    parents = []
    for field_name, typed in (("seed_parent", seed_parent), ("pollen_parent", pollen_parent)):
        found = cultivar_of(crop, typed)
        if found is None:
            raise Refused(f"“{typed[:24]}” is not on the list of {crop.name}. Expected a cultivar on the list.", field_name)
        if found.segregates:
            raise Refused(
                f"Plants of {found.name} differ from one another. Expected a cultivar that is fixed, or a clone.", field_name
            )
        parents.append(found)
    if parents[0] == parents[1]:
        raise Refused("A cross takes two parents. Expected another cultivar.", "pollen_parent")
    if Cross.objects.filter(crop=crop, name__iexact=name).exists():
        raise Refused(f"There is a cross {name} of {crop.name} already. Give this one another name.", "name")
    if seeds < 1:
        raise Refused("Expected one seed or more.", "seeds")
    f1 = _progeny(crop, f"{name} F1", Cultivar.Breeding.F1, parents[0], f"{parents[0].name} × {parents[1].name}")
    lot = keep_lot(None, f1, {"name": f"{name}-F1", "year": on.year, "note": f"crossed {on:%-d %b %Y}"}, by)
    move_stock(lot, Move.Why.RECEIVED, seeds, on, by, today, "from the cross")
    return Cross.objects.create(
        crop=crop, name=name, seed_parent=parents[0], pollen_parent=parents[1], on=on, isolation=isolation, note=note, f1=f1,
        lot=lot, by=by, at=timezone.now(),
    )  # fmt: skip


def _progeny(crop: Crop, name: str, breeding: str, parent: Cultivar, note: str) -> Cultivar:
    if cultivar_of(crop, name):
        raise Refused(f"{crop.name} has a cultivar {name} already. Give it another name.", "name")
    made = cultivar_named(crop, name)
    made.breeding, made.note, made.relation, made.related = breeding, note, Cultivar.Relation.CHILD, parent
    made.save(update_fields=["breeding", "note", "relation", "related"])
    return made


@dataclass(frozen=True)
class Ask:
    """What a generation is grown from and where: saved seed (none is the cross's own), plants of each, the check and after how
    many plants it stands, the bed, distances in centimetres, and by what plants are chosen."""

    saved: Sequence[Saved]
    plants: int
    check: str
    check_every: int
    season: str
    bed: Bed
    between_rows_cm: float
    in_row_cm: float
    criteria: Sequence[CriterionPlan]
    sow_on: date | None = None
    name: str = ""


@transaction.atomic
def grow(made: Cross, ask: Ask, by: User) -> Generation:
    """Plant a generation: every plant a place of its own along the rows, the check after every few. Raises Refused for seed of
    another cross or of unlike generations, too many plants, a bed that does not hold them, or a check that is one of its own."""
    crop = made.crop
    if any(s.plot.trial.generation.cross_id != made.pk for s in ask.saved):
        raise Refused("That seed is of another cross.", "saved")
    paths = {tuple(s.path) for s in ask.saved} or {()}
    if len(paths) > 1:
        raise Refused("Grow seed of one generation at a time: how fixed plants are would differ among them.", "saved")
    check = cultivar_of(crop, ask.check)
    if check is None or check.segregates:
        raise Refused(f"“{ask.check[:24]}” is not a fixed cultivar on the list of {crop.name}. Checks have to be alike.", "check")
    if Trial.objects.filter(name__iexact=ask.name, season=ask.season).exists():
        raise Refused(f"There is a trial “{ask.name}” in season {ask.season} already. Give this one another name.", "name")
    families = [s.progeny for s in ask.saved] or [made.f1]
    if check in families:
        raise Refused(f"{check.name} is what is grown. Expected another cultivar, that stands beside it.", "check")
    if ask.plants * len(families) > MOST_PLANTS:
        raise Refused(f"That makes {ask.plants * len(families)} plants; {MOST_PLANTS} at most can be walked as one.", "plants")
    for lot in [s.lot for s in ask.saved] or [made.lot]:
        _has_enough(lot, ask.plants)
    rows = rows_of(len(families), ask.plants, ask.check_every, ask.bed, ask.between_rows_cm, ask.in_row_cm)
    trial = Trial.objects.create(
        slug=free_slug(f"{ask.name} {ask.season}"), name=ask.name, season=ask.season, crop=crop, bed=ask.bed,
        design=Trial.Design.PLANTS, blocks=1, blind=False, path_m=0,
        plot_length_m=ask.in_row_cm / 100, plot_width_m=ask.between_rows_cm / 100,
        between_rows_cm=ask.between_rows_cm, in_row_cm=ask.in_row_cm, sow_on=ask.sow_on, layout_fixed_at=timezone.now(),
        made_by=by, made_at=timezone.now(),
        question=f"Which plants of {made.name} are worth going on with?",
    )  # fmt: skip
    entries = [Entry.objects.create(trial=trial, code=c.name, cultivar=c) for c in families]
    beside = Entry.objects.create(trial=trial, code=check.name, cultivar=check, is_check=True)
    for entry, saved in zip(entries, ask.saved, strict=False):
        Grown.objects.create(entry=entry, saved=saved)
    _put_plants(trial, rows, entries, beside)
    add_criteria(trial, ask.criteria)
    mark_trait()
    path = next(iter(paths))
    grown = Generation.objects.create(
        cross=made, trial=trial, path=list(path), check_every=ask.check_every, by=by, at=timezone.now()
    )
    record(trial, by, f"{grown}: {len(rows)} plants laid out, {check.name} after every {ask.check_every}.")
    return grown


def _has_enough(lot: Lot, seeds: int) -> None:
    """Seed is taken when it is sown; a plan only asks whether there is enough."""
    there = stock_of(lot)
    if there < seeds:
        raise Refused(f"Lot {lot.name} has {there} seeds left, fewer than {seeds}. Grow fewer plants of each.", "plants")


def _put_plants(trial: Trial, rows: Sequence[Row], entries: Sequence[Entry], check: Entry) -> None:
    Plot.objects.bulk_create(
        Plot(
            trial=trial, entry=check if r.family is None else entries[r.family], number=r.number, place=place, row=r.row, col=r.col,
            x=r.x, y=r.y, length=trial.plot_length_m or 0.1, width=trial.plot_width_m or 0.1, bed=trial.bed,
        )
        for place, r in enumerate(rows, start=1)
    )  # fmt: skip


@transaction.atomic
def save_seed(
    plot: Plot, mating: str, isolation: str, seeds: int, on: date, by: User, today: date, pollen: Plot | None = None,
    note: str = "", called: str = "",
) -> Saved:  # fmt: skip
    """Seed of one plant: a lot of its own with its parentage, `called` as the breeder numbers it, else after the plants it comes
    from. Raises Refused for a check, a day to come, an outcrossing plant that is said to be selfed without being bagged, a sister
    that is none, no seed, or a name too long for a lot."""
    made = plot.trial.generation
    crop = made.cross.crop
    only_done(on, today)
    if plot.entry.is_check:
        raise Refused(f"{plot.number} is the check. Seed is saved of plants of the cross.", "number")
    if mating == How.SELFED and not selfs(crop) and isolation not in COVERED:
        by_whom = crop.profile.get("pollination", "others")
        raise Refused(f"{crop.name} is pollinated by {by_whom}: not bagged or caged it is open-pollinated.", "isolation")
    sister = pollen is not None and pollen.trial_id == plot.trial_id and pollen.pk != plot.pk and not pollen.entry.is_check
    if mating == How.SIBBED and not sister:
        raise Refused("Name the sister plant that gave the pollen.", "pollen")
    if seeds < 1:
        raise Refused("Expected one seed or more.", "seeds")
    count = Saved.objects.filter(plot=plot).count()
    letter = "abcdefghijklmnopqrstuvwxyz"[count % 26] if count else ""
    name = " ".join(called.split()) or f"{made.cross.name}-{_lineage(plot)}{letter}"
    if len(name) > LONGEST:
        raise Refused(f"“{name}” is too long for a label: {LONGEST} letters at most. Give the line a number of its own.", "called")
    parent = _plant(plot)
    progeny = _progeny(crop, name, _grown_as(mating), plot.entry.cultivar, parent)
    lot = keep_lot(None, progeny, {"name": name, "year": on.year, "note": f"{How(mating).label} from {parent}"[:200]}, by)
    move_stock(lot, Move.Why.RECEIVED, seeds, on, by, today, f"saved of plant {plot.number}")
    kept = Saved.objects.create(
        plot=plot, pollen=pollen if mating == How.SIBBED else None, mating=mating, isolation=isolation, progeny=progeny, lot=lot,
        on=on, note=note, by=by, at=timezone.now(),
    )  # fmt: skip
    record(plot.trial, by, f"{seeds} seeds saved of plant {plot.number}, {How(mating).label}: {progeny.name}."[:300])
    return kept


def _plant(plot: Plot) -> str:
    return f"{plot.entry.cultivar.name}, plant {plot.number}"


def _grown_as(mating: str) -> Cultivar.Breeding:
    """What grows from seed of a plant before it has a name: plants that differ, or a clone."""
    return Cultivar.Breeding.CLONE if mating == How.CLONED else Cultivar.Breeding.F2


@transaction.atomic
def drop_saved(saved: Saved, by: User) -> None:
    """Take back seed that was put on record by mistake: the line and its lot are gone, and their name is free again. Raises Refused
    once anything came of it."""
    plot, name = saved.plot, saved.progeny.name
    if Named.objects.filter(saved=saved).exists():
        raise Refused(f"{name} was named. Records of it stay.")
    seeds = _drop(saved, saved.lot, saved.progeny)
    record(plot.trial, by, f"Taken back: {seeds} seeds of plant {plot.number}, {name}.")


@transaction.atomic
def drop_cross(made: Cross) -> None:
    """Take back a cross that was put on record by mistake, with its seed. Raises Refused once anything came of it."""
    _drop(made, made.lot, made.f1)


def _drop(made: Cross | Saved, lot: Lot, progeny: Cultivar) -> int:
    """Delete what was put on record of seed; how many seeds it was. Raises Refused where anything else is on record of it."""
    if lot.moves.count() > 1 or lot.tests.exists():
        raise Refused(f"Something was done with the seed of {progeny.name} since, by its ledger. Count it to nought instead.")
    seeds = stock_of(lot)
    try:
        made.delete()
        lot.delete()
        progeny.delete()
    except ProtectedError:
        raise Refused(f"Other records stand on {progeny.name}: its plants, a trial or a claim. Take those back first.") from None
    return seeds


def _lineage(plot: Plot) -> str:
    """The numbers of the plants from which a plant descends, and its own, with strokes between."""
    grown = Grown.objects.filter(entry=plot.entry).select_related("saved__plot__entry").first()
    return f"{_lineage(grown.saved.plot)}-{plot.number}" if grown else plot.number


@transaction.atomic
def keep_gate(crop: Crop, typed: Mapping[str, Any]) -> Gate:
    """From when on a line of the crop may be named."""
    return Gate.objects.update_or_create(crop=crop, defaults=dict(typed))[0]


@transaction.atomic
def name_line(saved: Saved, name: str, by: User, today: date) -> Named:
    """Give a line its name: it is a cultivar from now on. Raises Refused while the gate finds anything short, and for a name that
    is taken."""
    if Named.objects.in_force().filter(saved=saved).exists():
        raise Refused(f"It is named already: {saved.progeny.name}.", "name")
    standing: Standing = gate_of(saved)
    if standing.short:
        raise Refused(f"It cannot be named yet: {standing.short[0]}", "name")
    name = " ".join(name.split())
    crop = saved.progeny.crop
    if not name or len(name) > 60:
        raise Refused("Expected a name of at most 60 letters.", "name")
    if cultivar_of(crop, name):
        raise Refused(f"{crop.name} has a cultivar {name} already.", "name")
    before = saved.progeny.name
    Cultivar.objects.filter(pk=saved.progeny_id).update(
        name=name,
        breeding=Cultivar.Breeding.CLONE if saved.mating == How.CLONED else Cultivar.Breeding.OPEN,
        note=f"named from {before}"[:200],
    )
    saved.progeny.refresh_from_db()
    return Named.objects.create(
        saved=saved, before=before, found=[vars(line) for line in standing.lines], on=today, by=by, at=timezone.now()
    )


@transaction.atomic
def undo_name(named: Named, by: User) -> str:
    """Take a name back that was given too early or mistyped: the line is called as it was before, and its gate decides again. What
    it was called. Raises Refused once it stands in a trial with others under that name."""
    saved, name = named.saved, named.saved.progeny.name
    stands = saved.progeny.entries.filter(trial__generation=None).select_related("trial").first()
    if stands:
        raise Refused(f"It stands in {stands.trial} under that name. Another way to write it is added on its own page.")
    if cultivar_of(saved.progeny.crop, named.before):
        raise Refused(f"{saved.progeny.crop.name} has another cultivar {named.before} by now.")
    named.undone_at = timezone.now()
    named.save(update_fields=["undone_at"])
    Cultivar.objects.filter(pk=saved.progeny_id).update(
        name=named.before, breeding=_grown_as(saved.mating), note=_plant(saved.plot)
    )
    record(saved.plot.trial, by, f"The name {name} was taken back from {named.before}.")
    return name
