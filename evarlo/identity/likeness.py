"""How near a plot lies to what it could be: entries of its trial, and a cultivar from outside by its difference from the check."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from math import sqrt

import numpy as np

from evarlo.catalogue.models import Cultivar, Trait
from evarlo.trials.models import Entry, Plot, Trial
from evarlo.trials.queries import plots_of, readings_of, traits_with_records

LEAST_PLOTS = 2  # of each candidate, for a trait to tell anything


@dataclass(frozen=True)
class Likeness:
    """How near a plot lies to a candidate in one trait: the plot's value, the candidate's mean over its other plots, and how
    many standard deviations of plots they are apart. Where they are many, it is not that one."""

    trait: Trait
    value: float
    mean: float
    apart: float


@dataclass(frozen=True)
class Candidate:
    """An entry of the trial, or a cultivar from outside it."""

    entry: Entry | None
    likeness: tuple[Likeness, ...]
    outside: Cultivar | None = None

    @property
    def apart(self) -> float | None:
        """Root mean square distance over the traits; None where no trait tells."""
        return sqrt(sum(x.apart**2 for x in self.likeness) / len(self.likeness)) if self.likeness else None


@dataclass(frozen=True)
class _Levelled:
    """One trait of a trial's plots, blocks set level: the doubted plot's value, the others' by entry id, and the standard
    deviation of plots of one entry."""

    own: float
    groups: dict[int, list[float]]
    sd: float


def likeness_of(plot: Plot, entries: Iterable[Entry], outside: Cultivar | None = None) -> list[Candidate]:
    """Each candidate with how near the plot lies to it in what was measured, the nearest first. Plots of a block are set level
    by the mean of their block. A cultivar from `outside` is expected as far from the check as it was in other trials with it."""
    trial = plot.trial
    plots = [p for p in plots_of(trial) if not p.exclusions_in_force or p.pk == plot.pk]  # type: ignore[attr-defined]
    check = next((p.entry for p in plots if p.entry.is_check), None)
    found: dict[int, list[Likeness]] = {}
    beyond: list[Likeness] = []
    entries = list(entries)
    for trait in traits_with_records(trial):
        level = _levelled(trial, trait, plot, plots) if trait.compared else None
        if level is None:
            continue
        for entry_id, values in level.groups.items():
            if len(values) >= LEAST_PLOTS:
                found.setdefault(entry_id, []).append(_like(trait, level, float(np.mean(values)), 1 / len(values)))
        if outside and check and len(level.groups.get(check.pk, ())) >= LEAST_PLOTS:
            beyond += _from_elsewhere(trial, trait, level, check, outside)
    made = [Candidate(e, tuple(found.get(e.pk, ()))) for e in entries]
    made += [Candidate(None, tuple(beyond), outside)] if outside else []
    return sorted(made, key=lambda c: (c.apart is None, c.apart or 0.0, c.entry.code if c.entry else ""))


def _like(trait: Trait, level: _Levelled, mean: float, error: float) -> Likeness:
    """`error` is the variance of the expected value in units of that of a plot."""
    return Likeness(trait, level.own, mean, (level.own - mean) / (level.sd * sqrt(1 + error)))


def _levelled(trial: Trial, trait: Trait, plot: Plot, plots: Sequence[Plot]) -> _Levelled | None:
    readings = readings_of(trial, trait)
    known = {p.pk: float(n) for p in plots if (r := readings.get(p.pk)) and (n := r.number) is not None}
    if plot.pk not in known:
        return None
    blocks: dict[str, list[float]] = {}
    for p in plots:
        if p.pk in known and p.pk != plot.pk:
            blocks.setdefault(p.block, []).append(known[p.pk])
    if plot.block not in blocks:
        return None
    level = {b: float(np.mean(v)) for b, v in blocks.items()}
    grand = float(np.mean(list(level.values())))
    set_level = {p.pk: known[p.pk] - level[p.block] + grand for p in plots if p.pk in known and p.block in level}
    groups: dict[int, list[float]] = {}
    for p in plots:
        if p.pk in set_level and p.pk != plot.pk:
            groups.setdefault(p.entry_id, []).append(set_level[p.pk])
    squares = sum(float(((np.array(v) - np.mean(v)) ** 2).sum()) for v in groups.values())
    df = sum(len(v) - 1 for v in groups.values())
    return _Levelled(set_level[plot.pk], groups, sqrt(squares / df)) if df >= 1 and squares > 0 else None


def _from_elsewhere(trial: Trial, trait: Trait, level: _Levelled, check: Entry, outside: Cultivar) -> list[Likeness]:
    """Where other trials had both the cultivar and this check: the check here and the mean difference there, each trial weighted
    by how well it knows it. Empty where none had."""
    weights, differences = [], []
    for other in Trial.objects.filter(entries__cultivar=outside, crop=trial.crop).exclude(pk=trial.pk).distinct():
        readings = readings_of(other, trait)
        by_cultivar: dict[int, list[float]] = {}
        for p in plots_of(other):
            reading = readings.get(p.pk)
            if reading and reading.number is not None and not p.exclusions_in_force:  # type: ignore[attr-defined]
                by_cultivar.setdefault(p.entry.cultivar_id, []).append(float(reading.number))
        theirs, checks = by_cultivar.get(outside.pk, []), by_cultivar.get(check.cultivar_id, [])
        if len(theirs) >= LEAST_PLOTS and len(checks) >= LEAST_PLOTS:
            weights.append(1 / (1 / len(theirs) + 1 / len(checks)))
            differences.append(float(np.mean(theirs) - np.mean(checks)))
    if not weights:
        return []
    here = level.groups[check.pk]
    expected = float(np.mean(here)) + float(np.average(differences, weights=weights))
    return [_like(trait, level, expected, 1 / len(here) + 1 / sum(weights))]
