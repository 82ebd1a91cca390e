"""Keeping weigh-ins."""

from __future__ import annotations

import uuid
from dataclasses import dataclass
from datetime import date

from django.db import transaction
from django.utils import timezone

from evarlo.events.care import not_before
from evarlo.harvest.models import Picking
from evarlo.nursery.queries import plot_sown_on
from evarlo.people.models import User
from evarlo.trials.laying import fixed_or_refused
from evarlo.trials.models import Plot
from evarlo.ui.refused import Refused

MOST_KG = 500.0
MOST_PIECES = 10_000


@dataclass(frozen=True)
class Weighed:
    """What lay on the bench: kilograms, and pieces where they were counted."""

    marketable_kg: float
    marketable_count: int | None = None
    cull_kg: float = 0.0
    cull_count: int | None = None
    sure: bool = False  # picked although something holds the plot back


@transaction.atomic
def keep_picking(plot: Plot, on: date, weighed: Weighed, by: User, key: uuid.UUID, today: date) -> Picking:
    """Keep one weigh-in. The same `key` sent again is kept once. Raises Refused for what cannot be."""
    again = Picking.objects.filter(pk=key).select_related("plot").first()
    if again is not None:
        if (again.plot_id, again.on, again.marketable_kg) == (plot.pk, on, weighed.marketable_kg):
            return again
        raise Refused(f"This form was kept already: plot {again.plot}, {again.marketable_kg:g} kg. Load the page anew.")
    _check(plot, on, weighed, today)
    return Picking.objects.create(
        id=key,
        plot=plot,
        on=on,
        marketable_kg=weighed.marketable_kg,
        marketable_count=weighed.marketable_count,
        cull_kg=weighed.cull_kg,
        cull_count=weighed.cull_count,
        by=by,
        at=timezone.now(),
    )


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
            "plot",
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
    """Take a weigh-in back. Its row stays on record."""
    if Picking.objects.filter(supersedes=picking).exists():
        return
    Picking.objects.create(
        plot=picking.plot, on=picking.on, marketable_kg=0, withdrawn=True, supersedes=picking, by=by, at=timezone.now()
    )
