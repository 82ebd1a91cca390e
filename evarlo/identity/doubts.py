"""When what stands in a plot may not be what was sown: the doubt, what could tell, and what settling it does."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date
from math import sqrt

import numpy as np
from django.db import transaction
from django.urls import reverse
from django.utils import timezone

from evarlo.catalogue.models import Trait
from evarlo.identity.models import Doubt
from evarlo.people.models import User
from evarlo.trials.leaving_out import as_it_stands, exclude_plot, is_left_out, lift_exclusion
from evarlo.trials.models import IDENTITY, Entry, Plot, Trial
from evarlo.trials.queries import plots_of, readings_of, traits_with_records
from evarlo.trials.registry import DiaryLine, Due
from evarlo.ui.refused import Refused

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
    entry: Entry
    likeness: tuple[Likeness, ...]

    @property
    def apart(self) -> float | None:
        """Root mean square distance over the traits; None where no trait tells."""
        return sqrt(sum(x.apart**2 for x in self.likeness) / len(self.likeness)) if self.likeness else None


@transaction.atomic
def raise_doubt(plot: Plot, why: str, candidates: Sequence[Entry], tells: str, on: date, by: User) -> Doubt:
    """Doubt that a plot is what was sown. It is left out of every comparison until that is settled. Raises Refused without a
    reason, or while another doubt is open."""
    if not why.strip():
        raise Refused("Say what looks wrong about the plot.", "why")
    if plot.identity_doubts.filter(outcome="").exists():
        raise Refused(f"Plot {plot.number} is in doubt already; settle that first.", "why")
    exclusion = None if is_left_out(plot) else exclude_plot(plot, IDENTITY, f"Identity in doubt: {why.strip()}"[:200], on, by)
    made = Doubt.objects.create(
        plot=plot, why=why.strip(), tells=tells.strip(), raised_on=on, by=by, at=timezone.now(), exclusion=exclusion
    )
    made.candidates.set(e for e in candidates if e.trial_id == plot.trial_id)
    return made


@transaction.atomic
def settle_doubt(doubt: Doubt, outcome: str, entry: Entry | None, how: str, on: date, by: User) -> None:
    """Say what the plot is. As sown: it counts again. Another entry: its records count for that one from now on, and what was
    sown by the plan stays beside it. Nobody can tell: it stays left out. Raises Refused without saying how, for an entry of
    another trial or the plot's own, or when it was settled already."""
    doubt = Doubt.objects.select_for_update().select_related("plot__entry", "plot__trial", "exclusion").get(pk=doubt.pk)
    if doubt.outcome:
        raise Refused("It was settled already.")
    if outcome not in Doubt.Outcome.values:
        raise Refused("Say what it turned out to be.", "outcome")
    if not how.strip():
        raise Refused("Say how it was settled: it stands in the plot's diary.", "how")
    if outcome == Doubt.Outcome.OTHER:
        if entry is None or entry.trial_id != doubt.plot.trial_id:
            raise Refused("Choose the entry that it turned out to be.", "entry")
        if entry.pk == doubt.plot.entry_id:
            raise Refused("That is what was sown here. Choose “it is what was sown”.", "entry")
        as_it_stands(doubt.plot, entry, how.strip(), by)
    if outcome != Doubt.Outcome.UNKNOWN and doubt.exclusion:
        lift_exclusion(doubt.exclusion, by)
    doubt.outcome, doubt.entry, doubt.how = outcome, entry if outcome == Doubt.Outcome.OTHER else None, how.strip()
    doubt.settled_on, doubt.settled_by = on, by
    doubt.save(update_fields=["outcome", "entry", "how", "settled_on", "settled_by"])


def likeness_of(plot: Plot, entries: Iterable[Entry]) -> list[Candidate]:
    """Each candidate with how near the plot lies to it in what was measured, the nearest first. Plots of a block are set level
    by the mean of their block."""
    trial = plot.trial
    plots = [p for p in plots_of(trial) if not p.exclusions_in_force or p.pk == plot.pk]  # type: ignore[attr-defined]
    found: dict[int, list[Likeness]] = {}
    entries = list(entries)
    for trait in traits_with_records(trial):
        if trait.compared:
            for entry_id, like in _in_trait(trial, trait, plot, plots).items():
                found.setdefault(entry_id, []).append(like)
    made = [Candidate(e, tuple(found.get(e.pk, ()))) for e in entries]
    return sorted(made, key=lambda c: (c.apart is None, c.apart or 0.0, c.entry.code))


def _in_trait(trial: Trial, trait: Trait, plot: Plot, plots: Sequence[Plot]) -> dict[int, Likeness]:
    readings = readings_of(trial, trait)
    known = {p.pk: float(n) for p in plots if (r := readings.get(p.pk)) and (n := r.number) is not None}
    if plot.pk not in known:
        return {}
    blocks: dict[str, list[float]] = {}
    for p in plots:
        if p.pk in known and p.pk != plot.pk:
            blocks.setdefault(p.block, []).append(known[p.pk])
    if plot.block not in blocks:
        return {}
    level = {b: float(np.mean(v)) for b, v in blocks.items()}
    grand = float(np.mean(list(level.values())))
    set_level = {p.pk: known[p.pk] - level[p.block] + grand for p in plots if p.pk in known and p.block in level}
    groups: dict[int, list[float]] = {}
    for p in plots:
        if p.pk in set_level and p.pk != plot.pk:
            groups.setdefault(p.entry_id, []).append(set_level[p.pk])
    squares = sum(float(((np.array(v) - np.mean(v)) ** 2).sum()) for v in groups.values())
    df = sum(len(v) - 1 for v in groups.values())
    if df < 1 or squares <= 0:
        return {}
    sd, own = sqrt(squares / df), set_level[plot.pk]
    means = {e: (float(np.mean(v)), len(v)) for e, v in groups.items() if len(v) >= LEAST_PLOTS}
    return {e: Likeness(trait, own, mean, (own - mean) / (sd * sqrt(1 + 1 / n))) for e, (mean, n) in means.items()}


def diary(plot: Plot, names: bool) -> Iterable[DiaryLine]:
    for doubt in plot.identity_doubts.select_related("by", "settled_by", "entry__cultivar"):
        yield DiaryLine(doubt.raised_on, f"Identity in doubt: {doubt.why}. {doubt.tells}".strip(), str(doubt.by), 6)
        if doubt.outcome and doubt.settled_on:
            which = f" ({doubt.entry.cultivar.name if names else doubt.entry.code})" if doubt.entry else ""
            text = f"Settled: {doubt.get_outcome_display()}{which}. {doubt.how}"
            yield DiaryLine(doubt.settled_on, text, str(doubt.settled_by), 7)


def due(today: date) -> Iterable[Due]:
    open_doubts = Doubt.objects.filter(outcome="", plot__trial__decided_at__isnull=True).select_related("plot__trial")
    for doubt in open_doubts:
        trial = doubt.plot.trial
        url = reverse("identity:identity", args=[trial.slug, doubt.plot_id])
        yield Due("Settle", f"What stands in plot {doubt.plot.number}", trial, "1 plot", max(today, doubt.raised_on), url)


def ways(plot: Plot) -> Iterable[tuple[str, str]]:
    """The page about what stands in a plot."""
    yield reverse("identity:identity", args=[plot.trial.slug, plot.pk]), "What stands here?"
