"""Keeping weigh-ins."""

from __future__ import annotations

import uuid
from dataclasses import dataclass
from datetime import date
from typing import Any

from django.db import transaction
from django.utils import timezone

from evarlo.events.care import not_before
from evarlo.harvest.models import Picking
from evarlo.nursery.queries import plot_sown_on
from evarlo.people.models import User
from evarlo.trials.laying import fixed_or_refused
from evarlo.trials.models import Plot
from evarlo.ui.refused import Refused
from evarlo.ui.units import measured
from trialcore.inference.outliers import usual_range

MOST_KG = 500.0
MOST_PIECES = 10_000
ADD, CORRECT = "add", "correct"


@dataclass(frozen=True)
class Weighed:
    """What lay on the bench: kilograms, and pieces where they were counted."""

    marketable_kg: float
    marketable_count: int | None = None
    cull_kg: float = 0.0
    cull_count: int | None = None
    sure: bool = False  # picked although something holds the plot back
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
    return Picking.objects.create(
        id=key, plot=plot, on=on, by=by, at=timezone.now(), supersedes=before if weighed.again == CORRECT else None, **kept(weighed)
    )


@transaction.atomic
def correct_picking(picking: Picking, on: date, weighed: Weighed, by: User, key: uuid.UUID, today: date) -> Picking:
    """Put other figures in the place of a weigh-in; its row stays on record. Raises Refused for what cannot be."""
    again = Picking.objects.filter(pk=key).first()
    if again is not None:
        return again
    if Picking.objects.filter(supersedes=picking).exists():
        raise Refused("This weigh-in was corrected or taken back in the meantime. Open it anew.")
    _check(picking.plot, on, weighed, today)
    return Picking.objects.create(id=key, plot=picking.plot, on=on, by=by, at=timezone.now(), supersedes=picking, **kept(weighed))


FIGURES = ("marketable_kg", "marketable_count", "cull_kg", "cull_count")


def figures_of(one: Picking | Weighed) -> tuple[float | None, ...]:
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
    held = None if weighed.sure else not_before(plot, on)
    if held:
        raise Refused(
            f"Plot {plot.number} is not to be picked before {held[0]:%-d %b %Y} ({held[1]}). What was picked is not for eating.",
            "sure",
        )
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
    Picking.objects.create(plot=picking.plot, supersedes=picking, by=by, at=timezone.now(), **told)
