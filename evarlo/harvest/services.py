"""Keeping weigh-ins."""

from __future__ import annotations

import uuid
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
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
from trialcore.inference.outliers import usual_range

MOST_KG = 500.0
MOST_PIECES = 10_000
ADD, CORRECT = "add", "correct"


@dataclass(frozen=True)
class WeighedPart:
    """What of it fell into one class, net."""

    pick_class: PickClass
    kg: float
    count: int | None = None


def weighed_by_class(parts: Sequence[WeighedPart], **more: Any) -> Weighed:
    """A weigh-in from its classes: what is marketable, also after trimming, and what is culled are their sums. Pieces are summed
    where every class with a weight was counted."""
    good = [p for p in parts if p.pick_class.kind != PickClass.Kind.CULL]
    cull = [p for p in parts if p.pick_class.kind == PickClass.Kind.CULL]
    return Weighed(_kg(good), _pieces(good), _kg(cull), _pieces(cull), parts=tuple(p for p in parts if p.kg or p.count), **more)


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
    now, figures = timezone.now(), kept(weighed) | {"tare_kg": weighed.tare_kg}
    made = Picking.objects.create(id=key, plot=plot, on=on, by=by, at=now, supersedes=supersedes, **figures)
    _put_parts(made, weighed.parts)
    return made


def _put_parts(picking: Picking, parts: Iterable[WeighedPart | PickPart]) -> None:
    PickPart.objects.bulk_create(PickPart(picking=picking, pick_class=p.pick_class, kg=p.kg, count=p.count) for p in parts)


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


def figures_of(one: Picking | Weighed) -> tuple[Any, ...]:
    """What was on the bench, of a record or of what was typed."""
    return tuple(getattr(one, name) for name in FIGURES)


def kept(one: Picking | Weighed) -> dict[str, Any]:
    return dict(zip(FIGURES, figures_of(one), strict=True))


def _doubt(plot: Plot, on: date, weighed: Weighed, before: Picking | None) -> None:
    """What is asked about once: a second weigh-in of the day, and a weight far from those of the trial."""
    if before is not None and weighed.again not in (ADD, CORRECT):
        had = measured(before.marketable_kg, "kg")
        raise Refused(f"{plot.number} has {had} on {on:%-d %b} already: add this to it, or correct it?", "again")
    others = Picking.objects.in_force().filter(plot__trial=plot.trial_id, marketable_kg__gt=0)
    weights = list(others.values_list("marketable_kg", flat=True))
    usual = None if weighed.far or weighed.marketable_kg == 0 else usual_range(weights)
    if usual and not usual[0] <= weighed.marketable_kg <= usual[1]:
        low, high = max(0.0, usual[0]), usual[1]
        others_lie = f"the other weigh-ins lead to expect {measured(low, 'kg')} to {measured(high, 'kg')}"
        raise Refused(f"Found {measured(weighed.marketable_kg, 'kg')}; {others_lie}. Is it right?", "far")


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
    told = {"on": before.on, **kept(before)} if before else {"on": picking.on, "marketable_kg": 0, "withdrawn": True}
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
