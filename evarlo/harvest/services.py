"""Keeping weigh-ins."""

from __future__ import annotations

import uuid
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from datetime import date
from typing import Any

from django.db import transaction
from django.utils import timezone

from evarlo.events.care import not_before
from evarlo.grounds.models import Site
from evarlo.harvest.models import Crate, PickClass, PickedAnyway, Picking, PickPart
from evarlo.nursery.queries import plot_sown_on
from evarlo.people.models import User
from evarlo.trials.deeds import record
from evarlo.trials.laying import fixed_or_refused
from evarlo.trials.models import Plot, Trial
from evarlo.ui.refused import Refused, only_done
from evarlo.ui.units import measured
from evarlo.ui.words import counted
from trialcore.field.grading import graded_classes, shared_out
from trialcore.inference.outliers import usual_factor

MOST_KG = 500.0
MOST_PIECES = 10_000
ADD, CORRECT = "add", "correct"


@dataclass(frozen=True)
class WeighedPart:
    """What of it fell into one class, net."""

    pick_class: PickClass
    kg: float
    count: int | None = None
    se_kg: float = 0.0
    graded_count: int | None = None


def weighed_by_class(parts: Sequence[WeighedPart], **more: Any) -> Weighed:
    """A weigh-in from its classes: what is marketable, also after trimming, and what is culled are their sums. Pieces are summed
    where every class with a weight was counted."""
    good = [p for p in parts if p.pick_class.kind != PickClass.Kind.CULL]
    cull = [p for p in parts if p.pick_class.kind == PickClass.Kind.CULL]
    return Weighed(_kg(good), _pieces(good), _kg(cull), _pieces(cull), parts=tuple(p for p in parts if p.kg or p.count), **more)


def graded_lot(parts: Sequence[WeighedPart], lot_kg: float, lot_count: int, **more: Any) -> Weighed:
    """A weigh-in of a lot of which `parts` were graded: each class is carried over to the lot, with what grading leaves unsure.

    Raises Refused where a class was not counted, or more were graded than the lot has.
    """
    told = [p for p in parts if p.kg or p.count]
    graded, kg = sum(p.count or 0 for p in told), _kg(told)
    if not told or any(not p.kg or not p.count for p in told):
        raise Refused("Expected weight and pieces of every class that was found among the graded ones.", "lot_count")
    if not 2 <= graded <= lot_count:
        raise Refused(f"{counted(graded, 'piece')} graded of {lot_count}. Expected from two to all of them.", "lot_count")
    if kg > lot_kg * (1 + 1e-9):
        raise Refused(f"The graded ones weigh {measured(kg, 'kg')}, more than the lot.", "lot_kg")
    shares = graded_classes([(p.kg, p.count or 0) for p in told], lot_count)
    pieces = shared_out([p.count or 0 for p in told], lot_count)
    carried = []
    for part, share, count in zip(told, shares, pieces, strict=True):
        of_lot, se = share.of(lot_kg)
        carried.append(WeighedPart(part.pick_class, round(of_lot, 6), count, round(se, 6), part.count))
    good = [i for i, p in enumerate(told) if p.pick_class.kind != PickClass.Kind.CULL]
    both = [(_kg([told[i] for i in some]), sum(told[i].count or 0 for i in some)) for some in (good, _others(good, len(told)))]
    unsure = graded_classes(both, lot_count)[0].of(lot_kg)[1]
    return replace(weighed_by_class(carried, **more), graded_kg=kg, graded_se_kg=round(unsure, 6))


def _others(some: Sequence[int], count: int) -> list[int]:
    return [i for i in range(count) if i not in some]


def _kg(parts: Sequence[WeighedPart]) -> float:
    return round(sum(p.kg for p in parts), 6)


def _pieces(parts: Sequence[WeighedPart]) -> int | None:
    counts = [p.count for p in parts if p.kg or p.count is not None]
    known = [c for c in counts if c is not None]
    return sum(known) if counts and len(known) == len(counts) else None


@dataclass(frozen=True)
class Weighed:
    """What lay on the bench: kilograms, and pieces where they were counted."""

    marketable_kg: float
    marketable_count: int | None = None
    cull_kg: float = 0.0
    cull_count: int | None = None
    sure: bool = False  # picked although something holds the plot back
    parts: tuple[WeighedPart, ...] = ()  # the same by class, where the trial has classes
    nought: str = ""  # why there is no weight
    tare_kg: float = 0.0
    graded_kg: float | None = None  # of which the classes were told, where that was a part of the lot
    graded_se_kg: float = 0.0
    again: str = ""  # where the plot has a weigh-in of the day already: ADD to it, or CORRECT it
    far: bool = False  # it is right although it lies far from the others


@transaction.atomic
def keep_picking(plot: Plot, on: date, weighed: Weighed, by: User, key: uuid.UUID, today: date) -> Picking:
    """Keep one weigh-in. The same `key` sent again is kept once. Raises Refused for what cannot be."""
    again = Picking.objects.filter(pk=key).select_related("plot").first()
    if again is not None:
        if (again.plot_id, again.on, *figures_of(again)) == (plot.pk, on, *figures_of(weighed)):
            return again
        raise Refused(f"This form was kept already: plot {again.plot}, {again.marketable_kg:g} kg. Load the page anew.")
    _check(plot, on, weighed, today)
    before = plot.pickings.in_force().filter(on=on).order_by("-at").first()
    _doubt(plot, on, weighed, before)
    return _put(key, plot, on, weighed, by, before if weighed.again == CORRECT else None)


def _put(key: uuid.UUID, plot: Plot, on: date, weighed: Weighed, by: User, supersedes: Picking | None) -> Picking:
    """Write the row and its classes."""
    now, figures = timezone.now(), kept(weighed) | {name: getattr(weighed, name) for name in ("tare_kg", *GRADED)}
    made = Picking.objects.create(id=key, plot=plot, on=on, by=by, at=now, supersedes=supersedes, **figures)
    _put_parts(made, weighed.parts)
    return made


def _put_parts(picking: Picking, parts: Iterable[WeighedPart | PickPart]) -> None:
    names = ("pick_class", "kg", "count", "se_kg", "graded_count")
    PickPart.objects.bulk_create(PickPart(picking=picking, **{n: getattr(p, n) for n in names}) for p in parts)


@transaction.atomic
def correct_picking(picking: Picking, on: date, weighed: Weighed, by: User, key: uuid.UUID, today: date) -> Picking:
    """Put other figures in the place of a weigh-in; its row stays on record. Raises Refused for what cannot be."""
    again = Picking.objects.filter(pk=key).first()
    if again is not None:
        return again
    if Picking.objects.filter(supersedes=picking).exists():
        raise Refused("This weigh-in was corrected or taken back in the meantime. Open it anew.")
    _check(picking.plot, on, weighed, today)
    return _put(key, picking.plot, on, weighed, by, picking)


WEIGHTS = ("marketable_kg", "marketable_count", "cull_kg", "cull_count")
FIGURES = (*WEIGHTS, "nought")
GRADED = ("graded_kg", "graded_se_kg")


def figures_of(one: Picking | Weighed) -> tuple[Any, ...]:
    """What was on the bench, of a record or of what was typed."""
    return tuple(getattr(one, name) for name in FIGURES)


def kept(one: Picking | Weighed) -> dict[str, Any]:
    return dict(zip(FIGURES, figures_of(one), strict=True))


def _doubt(plot: Plot, on: date, weighed: Weighed, before: Picking | None) -> None:
    """What is asked about once: a second weigh-in of the day, and a weight far from those of the plot, its entry or the trial."""
    if before is not None and weighed.again not in (ADD, CORRECT):
        had = measured(before.marketable_kg, "kg")
        raise Refused(f"{plot.number} has {had} on {on:%-d %b} already: add this to it, or correct it?", "again")
    if weighed.far or weighed.marketable_kg == 0:
        return
    measures = _usual(plot, on)
    if measures and all(not low <= weighed.marketable_kg <= high for low, high, _ in measures):
        low, high, whose = measures[0]
        others_lie = f"{whose} lead to expect {measured(round(low, 2), 'kg')} to {measured(round(high, 2), 'kg')}"
        raise Refused(f"Found {measured(weighed.marketable_kg, 'kg')}; {others_lie}. Is it right?", "far")


def _usual(plot: Plot, on: date) -> list[tuple[float, float, str]]:
    """The ranges by which a weight is in line, and whose they are: of the plot's own weigh-ins, else its entry's; and of the day's
    round, else of the whole trial, since a crop gives more at its peak. One of them is enough."""
    others = Picking.objects.in_force().filter(plot__trial=plot.trial_id, marketable_kg__gt=0)
    rows = list(others.values_list("marketable_kg", "plot", "plot__entry", "on"))
    own = [kg for kg, pk, _, _ in rows if pk == plot.pk], "this plot"
    entry = [kg for kg, _, pk, _ in rows if pk == plot.entry_id], "this entry"
    day = [kg for kg, _, _, then in rows if then == on], f"{on:%-d %b}"
    trial = [kg for kg, *_ in rows], "the trial"
    found = []
    for nearest in ((own, entry), (day, trial)):
        usual = next(((usual_factor(kg), kg, whose) for kg, whose in nearest if usual_factor(kg)), None)
        if usual and usual[0]:
            found.append((*usual[0], f"the {counted(len(usual[1]), 'weigh-in')} of {usual[2]}"))
    return found


def _check(plot: Plot, on: date, weighed: Weighed, today: date) -> None:
    fixed_or_refused(plot.trial)
    if on > today:
        raise Refused(f"{on:%-d %b %Y} is in the future.", "on")
    sown = plot_sown_on(plot)
    if sown and on < sown:
        raise Refused(f"Plot {plot.number} was sown on {sown:%-d %b %Y}, after this pick.", "on")
    if weighed.nought and (weighed.marketable_kg or weighed.cull_kg or weighed.parts):
        said = Picking.Nought(weighed.nought).label
        raise Refused(f"“{said.capitalize()}” and a weight cannot both be right.", "nought")
    free = weighed.sure or weighed.nought or plot.trial.picked_anyway.filter(on=on).exists()
    held = None if free else not_before(plot, on)
    if held:
        raise Refused(
            f"Plot {plot.number} is not to be picked before {held[0]:%-d %b %Y} ({held[1]}). What was picked is not for eating.",
            "sure",
        )
    _check_figures(weighed)


def _check_figures(weighed: Weighed) -> None:
    for field, kg in (("marketable_kg", weighed.marketable_kg), ("cull_kg", weighed.cull_kg)):
        if not 0 <= kg <= MOST_KG:
            raise Refused(f"Found {kg:g}. Expected a weight from 0 to {MOST_KG:g} kg.", field)
    for field, count, kg in (
        ("marketable_count", weighed.marketable_count, weighed.marketable_kg),
        ("cull_count", weighed.cull_count, weighed.cull_kg),
    ):
        if count is None:
            continue
        if not 0 <= count <= MOST_PIECES:
            raise Refused(f"Found {count}. Expected a count from 0 to {MOST_PIECES}.", field)
        if (count == 0) != (kg == 0):
            raise Refused(f"{count} pieces and {kg:g} kg cannot both be right.", field)


@transaction.atomic
def withdraw_picking(picking: Picking, by: User) -> None:
    """Take a weigh-in back: what it corrected counts again, or nothing does. Its row stays on record."""
    if Picking.objects.filter(supersedes=picking).exists():
        return
    before = picking.supersedes
    told = (
        {"on": before.on, **kept(before), **{n: getattr(before, n) for n in GRADED}}
        if before
        else {"on": picking.on, "marketable_kg": 0, "withdrawn": True}
    )
    made = Picking.objects.create(plot=picking.plot, supersedes=picking, by=by, at=timezone.now(), **told)
    _put_parts(made, before.parts.select_related("pick_class") if before else ())


@transaction.atomic
def pick_anyway(trial: Trial, on: date, why: str, by: User, today: date) -> None:
    """Held plots are picked on a day all the same, every one of them, for one reason. Raises Refused without it."""
    only_done(on, today)
    if not why.strip():
        raise Refused("Say why they are picked although the label holds them back.", "why")
    PickedAnyway.objects.create(trial=trial, on=on, why=why.strip()[:200], by=by, at=timezone.now())
    record(trial, by, f"Held plots are picked on {on:%-d %b %Y} all the same: {why.strip()}"[:300])


@transaction.atomic
def keep_crate(site: Site, name: str, kg: float) -> Crate:
    """Put a crate with its own weight on the list of a site, or weigh it anew."""
    return Crate.objects.update_or_create(site=site, name=name, defaults={"kg": kg})[0]
