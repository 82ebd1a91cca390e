"""A trial that stands in several environments or beds: who keeps their side of the check from one to the other."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from evarlo.catalogue.models import Trait
from evarlo.compare.analysis import Comparison
from evarlo.trials.models import WITHOUT_BLOCKS, Plot, Trial
from evarlo.ui.draw.curves import Below, Curve, curves
from evarlo.ui.draw.scale import bounds
from trialcore.analyses.mixed import JointTest
from trialcore.analyses.places import Contrasted, Places, analyse_places, interaction_of

MOST_CELLS = 400  # entries × places, beyond which the model takes too long for a page
MOST_LINES = 16  # in the drawing


@dataclass(frozen=True, eq=False)
class PlacesFound:
    """What a trial in several `places` says of each: the model, its test of whether differences depend on the place, and each
    entry's difference from the check by place and over all (by code)."""

    places: tuple[str, ...]
    worked: Places
    depends: JointTest | None
    within: dict[tuple[str, str], Contrasted]
    over_all: dict[str, Contrasted]
    crossing: tuple[Contrasted, ...]


def places_of(trial: Trial, plots: Sequence[Plot]) -> dict[int, str]:
    """Where each plot stands, by id: as a sheet named it, else the environment of its bed, or the bed where all beds are alike in
    that; empty where all stand in one place."""
    told = {p.pk: p.environment for p in plots if p.environment}
    if len(set(told.values())) > 1:
        return {p.pk: told.get(p.pk, "not said") for p in plots}
    beds = {b.pk: b for b in trial.beds}
    environments = {b.get_environment_display() for b in beds.values()}
    found = {
        p.pk: beds[p.bed_id].get_environment_display() if len(environments) > 1 else beds[p.bed_id].name
        for p in plots
        if p.bed_id in beds
    }
    return found if len(set(found.values())) > 1 and len(found) == len(plots) else {}


def _columns(found: Comparison) -> tuple[list[str], list[float | None], list[str], list[str] | None] | None:
    """Entry, value, place and block of each plot; None where the trial stands in one place, or has a second factor."""
    plots = [v.plot for v in found.plots]
    where = places_of(found.trial, plots)
    if not where or found.trial.two_factors or found.trial.design in (Trial.Design.LATIN, Trial.Design.PAIRS):
        return None
    blocks = None if found.trial.design in WITHOUT_BLOCKS else [p.block for p in plots]
    return [p.entry.code for p in plots], [v.value for v in found.plots], [where[p.pk] for p in plots], blocks


def depends_on_place(found: Comparison) -> JointTest | None:
    """Whether entries answer differently to the places of a trial, quickly; None where that does not arise."""
    columns = _columns(found)
    return interaction_of(*columns) if columns else None


def in_places(found: Comparison) -> PlacesFound | None:
    """The comparison place by place; None where the trial stands in one, or too little is known."""
    columns = _columns(found)
    if columns is None or len({*zip(columns[0], columns[2], strict=True)}) > MOST_CELLS:
        return None
    try:
        worked = analyse_places(*columns)
    except ValueError:
        return None
    check = found.check_code
    within = {(d.entry, d.where[0]): d for d in worked.within(check)} if check in worked.entries and check else {}
    over = {d.entry: d for d in worked.over_all(check)} if within and check else {}
    crossing = worked.crossing(check) if within and check else ()
    return PlacesFound(worked.environments, worked, worked.test("environment:entry"), within, over, crossing)


def slopes(found: Comparison, levels: Sequence[str], means: dict[tuple[str, str], float], strong: set[str], said: str) -> str:
    """Lines of entries from level to level, `means` by code and level; the `strong` ones are drawn so, and of many entries these,
    the check and the best are drawn alone."""
    codes = [r.entry.code for r in found.results if all((r.entry.code, w) in means for w in levels)]
    kept = {*strong, *codes[:MOST_LINES], *([found.check_code] if found.check_code else [])}
    names = {r.entry.code: (r.name, r.entry.is_check, r.entry.pk) for r in found.results}
    drawn = [
        Curve(names[c][0], [(i, means[c, w]) for i, w in enumerate(levels)], names[c][1], key=names[c][2], strong=c in strong)
        for c in codes
        if c in kept
    ]
    if not drawn or len(levels) < 2:
        return ""
    low, high = bounds([v for line in drawn for _, v in line.points])
    room = 0.06 * (high - low)
    low = 0.0 if found.trait.kind != Trait.Kind.DATE and 0 <= low < 0.4 * high else low - room
    below = Below(0, len(levels) - 1, [(i, level) for i, level in enumerate(levels)])
    return curves(sorted(drawn, key=lambda x: (x.is_check, x.strong)), said, below, high + room, found.trait.shown_unit, low=low)
