"""Where one plot ends and the next begins is lost: both are left out until it is found, or the plants beside it are not judged."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from datetime import date

from django.db import transaction
from django.utils import timezone

from evarlo.identity.doubts import undoubted_or_refused
from evarlo.identity.models import Doubt
from evarlo.nursery.queries import aside_in_words
from evarlo.nursery.stand import What, mark_station
from evarlo.people.models import User
from evarlo.trials.leaving_out import exclude_plot, is_left_out, lift_exclusion
from evarlo.trials.models import IDENTITY, Plot, Trial
from evarlo.trials.queries import plots_of
from evarlo.trials.registry import registry
from evarlo.ui.refused import Refused
from trialcore.layouts.bed import Side, beside

CLOSE = 1.0  # metres between two plots that may run into each other
SLACK = 1e-6
ENDS = (Doubt.Outcome.FOUND, Doubt.Outcome.STRIP, Doubt.Outcome.UNKNOWN)


def side_towards(plot: Plot, other: Plot) -> Side | None:
    """At which side of a plot another lies close by; None where it does not."""
    if plot.pk == other.pk or plot.bed_id != other.bed_id:
        return None
    along = min(plot.x + plot.length, other.x + other.length) - max(plot.x, other.x)  # how far they share the x they lie on
    across = min(plot.y + plot.width, other.y + other.width) - max(plot.y, other.y)
    if across > SLACK and -CLOSE - SLACK <= along <= SLACK:
        return "left" if other.x < plot.x else "right"
    if along > SLACK and -CLOSE - SLACK <= across <= SLACK:
        return "near" if other.y < plot.y else "far"
    return None


def neighbours_of(plot: Plot) -> list[Plot]:
    """The plots that lie close beside one, those that touch it first."""

    def gap(other: Plot) -> float:
        along = max(plot.x, other.x) - min(plot.x + plot.length, other.x + other.length)
        across = max(plot.y, other.y) - min(plot.y + plot.width, other.y + other.width)
        return round(max(along, across), 3)

    return sorted((p for p in plots_of(plot.trial) if side_towards(plot, p)), key=gap)


@transaction.atomic
def lose_boundary(plot: Plot, neighbour: Plot, why: str, on: date, by: User) -> Doubt:
    """It cannot be told where two plots meet: both are left out of every comparison until that is settled. Raises Refused
    without a reason, for plots that do not lie beside each other, or while one of them is in doubt."""
    if not why.strip():
        raise Refused("Say what happened to the boundary.", "why")
    if neighbour.trial_id != plot.trial_id or side_towards(plot, neighbour) is None:
        raise Refused(f"Choose a plot beside {plot.number}.", "neighbour")
    for p in (plot, neighbour):
        undoubted_or_refused(p)
    note = f"Boundary of {plot.number} and {neighbour.number} lost: {why.strip()}"[:200]
    out = [None if is_left_out(p) else exclude_plot(p, IDENTITY, note, on, by) for p in (plot, neighbour)]
    now = timezone.now()
    return Doubt.objects.create(
        plot=plot,
        neighbour=neighbour,
        why=why.strip(),
        raised_on=on,
        by=by,
        at=now,
        exclusion=out[0],
        exclusion_beside=out[1],
    )


@transaction.atomic
def settle_boundary(doubt: Doubt, outcome: str, deep: int | None, how: str, on: date, by: User) -> int:
    """Found again: both plots count. The plants beside it are not judged: both count without the `deep` lines of plants on
    either side of it; how many plants those are. Nobody can tell: both stay left out. Raises Refused without saying how, for
    plants that nobody can number or that are the whole plot, or where one of the plots was picked as a whole already."""
    known = Doubt.objects.select_for_update().select_related("plot__trial", "neighbour", "exclusion", "exclusion_beside")
    doubt = known.get(pk=doubt.pk)
    if doubt.outcome or doubt.neighbour is None:
        raise Refused("It was settled already.")
    if outcome not in ENDS:
        raise Refused("Say what became of the boundary.", "outcome")
    if not how.strip():
        raise Refused("Say how it was settled: it stands in the diary of both plots.", "how")
    count = _set_aside(doubt.plot, doubt.neighbour, deep, on, by) if outcome == Doubt.Outcome.STRIP else 0
    if outcome != Doubt.Outcome.UNKNOWN:
        for exclusion in (doubt.exclusion, doubt.exclusion_beside):
            if exclusion:
                lift_exclusion(exclusion, by)
    doubt.outcome, doubt.how, doubt.settled_on, doubt.settled_by = outcome, how.strip(), on, by
    doubt.save(update_fields=["outcome", "how", "settled_on", "settled_by"])
    return count


def marks(trial: Trial) -> Iterable[str]:
    """What every comparison says of plants that are not judged."""
    said = aside_in_words(trial)
    return [said] if said else []


def _set_aside(plot: Plot, neighbour: Plot, deep: int | None, on: date, by: User) -> int:
    """Mark the plants on either side of a boundary as not judged; how many."""
    trial = plot.trial
    if trial.spacing is None:
        raise Refused("Plants beside it can be set aside where rows and distances give each its station.", "outcome")
    if not deep:
        raise Refused("Say how many lines of plants on either side are in doubt.", "deep")
    borne = {pk for source in registry.borne for pk in source(trial)}
    picked = [p.number for p in (plot, neighbour) if p.pk in borne]
    if picked:
        raise Refused(
            f"Plot {picked[0]} was picked with those plants in it, and their weight cannot be parted from the rest.", "outcome"
        )
    count = 0
    for p, other in ((plot, neighbour), (neighbour, plot)):
        side = side_towards(p, other)
        assert side is not None
        spacing = trial.spacing_of(p.entry)
        assert spacing is not None
        points = replace(spacing, staggered=False).points()  # a line goes across all rows, staggered or not
        turned = abs(p.length - spacing.length) > SLACK
        stations = beside([(b, a) if turned else (a, b) for a, b in points], side, deep)
        if len(stations) >= len(points):
            raise Refused(f"That is every plant of {p.number}. Expected fewer lines.", "deep")
        for station in stations:
            mark_station(p, station, What.UNSURE, on, by, on)
        count += len(stations)
    return count
