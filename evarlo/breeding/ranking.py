"""Sister plants ranked while they are still being walked."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from evarlo.breeding.models import Generation, Saved
from evarlo.breeding.seen import CLASSES, numbers_of
from evarlo.breeding.traits import MARK, MARKS
from evarlo.catalogue.models import Trait
from evarlo.compare.analysis import digits_for
from evarlo.trials.models import Criterion, Plot
from evarlo.trials.queries import criteria_of, left_out, plots_of, readings_of
from trialcore.analyses.sisters import Ground, Ranked, Sign, expected_of, ranked, without_ground


@dataclass(frozen=True)
class Figure:
    """One criterion of one plant: as seen, and with the ground taken out; None where it was not seen."""

    seen: float | None
    adjusted: float | None
    fails: bool


@dataclass(frozen=True)
class Plant:
    """A plant among its sisters: how it is marked and why, its figures in the order of the criteria, its index and rank, what its
    offspring are to be expected like in the leading criterion, and the seed saved of it."""

    plot: Plot
    mark: str
    reason: str
    figures: tuple[Figure, ...]
    ranked: Ranked
    expected: float | None
    saved: tuple[Saved, ...]


@dataclass(frozen=True)
class Sisters:
    """A generation as it stands: its plants, best first, then those without an index; the checks among them; and what is known of
    the ground for each criterion."""

    criteria: tuple[Criterion, ...]
    plants: tuple[Plant, ...]
    grounds: tuple[Ground, ...]
    digits: tuple[int, ...]
    checks: int
    looked_at: int


def sisters_of(made: Generation) -> Sisters:
    """Rank the plants of a generation by its criteria, the ground taken out by the checks. Plants left out have no figure."""
    trial = made.trial
    plots = plots_of(trial)
    out = left_out([trial])
    criteria = [c for c in criteria_of(trial) if c.trait.kind not in CLASSES]
    where = [(p.x + p.length / 2, p.y + p.width / 2) for p in plots]
    is_check = [p.entry.is_check for p in plots]
    signs, grounds = [], []
    for c in criteria:
        numbers = numbers_of(trial, c.trait)
        seen = [None if p.pk in out else numbers.get(p.pk) for p in plots]
        ground = without_ground(seen, where, is_check)
        grounds.append(ground)
        signs.append(Sign(ground.adjusted.tolist(), seen, c.sign, c.weight, c.must))
    sister = [not check for check in is_check]
    places = ranked(signs, sister) if signs else [Ranked(None, None, ())] * len(plots)
    marks = readings_of(trial, trait) if (trait := Trait.objects.filter(key=MARK).first()) else {}
    saved: dict[int, list[Saved]] = {}
    for s in Saved.objects.filter(plot__trial=trial).select_related("progeny", "lot"):
        saved.setdefault(s.plot_id, []).append(s)
    plants = []
    for i, p in enumerate(plots):
        if is_check[i]:
            continue
        mark = marks.get(p.pk)
        said = MARKS[int(mark.number) - 1] if mark and mark.number else ""
        figures = tuple(
            Figure(s.seen[i], None if np.isnan(g.adjusted[i]) else float(g.adjusted[i]), k in places[i].fails)
            for k, (s, g) in enumerate(zip(signs, grounds, strict=True))
        )
        plants.append(
            Plant(p, said, mark.note if mark else "", figures, places[i], _expected(grounds, i, sister), tuple(saved.get(p.pk, ())))
        )

    def place_of(x: Plant) -> tuple[bool, int, bool, float, int]:
        r = x.ranked
        return r.rank is None, r.rank or 0, r.index is None, -(r.index or 0.0), x.plot.place

    order = sorted(plants, key=place_of)
    digits = tuple(
        digits_for(g.sister_sd / 3 if g.sister_sd else 1.0, c.trait.decimals) for g, c in zip(grounds, criteria, strict=True)
    )
    looked_at = sum(any(f.seen is not None for f in x.figures) for x in plants)
    return Sisters(tuple(criteria), tuple(order), tuple(grounds), digits, sum(is_check), looked_at)


def _expected(grounds: list[Ground], at: int, sister: list[bool]) -> float | None:
    """What the selfed offspring of a plant are expected to be in the leading criterion; None where the checks do not tell."""
    if not grounds or grounds[0].heritability is None or np.isnan(grounds[0].adjusted[at]):
        return None
    own = grounds[0].adjusted[np.array(sister)]
    return expected_of(float(grounds[0].adjusted[at]), float(np.nanmean(own)), grounds[0].heritability)
