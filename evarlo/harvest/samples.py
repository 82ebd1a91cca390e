"""Samples that are tested after the pick: what each piece gave, how old the sample was, and what a plot comes to."""

from __future__ import annotations

import re
import uuid
from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date
from statistics import fmean

from django.db import transaction
from django.utils import timezone

from evarlo.catalogue.models import Trait
from evarlo.harvest.models import TestedSample, TestRule
from evarlo.people.models import User
from evarlo.trials.deeds import record
from evarlo.trials.laying import running_or_refused
from evarlo.trials.models import Plot, Trial
from evarlo.trials.registry import DiaryLine, Reading, Readings
from evarlo.ui.refused import Refused, only_done
from evarlo.ui.words import counted, fixed
from trialcore.field.moisture import moisture_of

# Traits that are weighed before and after: by what the sample is treated, and whether what stays or what goes is the value.
BEFORE_AND_AFTER = {"dry-matter": "stays", "edible-share": "stays", "harvest-moisture": "goes"}
USUAL_HOURS = {"sugar": 24.0, "texture": 24.0, "flesh-colour": 48.0}  # what changes while it lies
MOST_PARTS, MOST_HOURS = 60, 2000.0
NUMBER = r"\d+(?:[.,]\d+)?"
PIECE = re.compile(rf"({NUMBER})(?:\s*/\s*({NUMBER}))?")


@dataclass(frozen=True)
class Tested:
    """A sample as typed: one figure a piece, or pairs of weights before and after."""

    on: date
    hours: float
    parts: tuple[tuple[float, ...], ...]


def read_parts(text: str, trait: Trait) -> tuple[tuple[float, ...], ...]:
    """The pieces in what was typed, with spaces or semicolons between: “8.2 8,6 7.9”, or “200/38” where a sample is weighed before
    and after. Raises Refused for anything else."""
    pairs = trait.key in BEFORE_AND_AFTER
    said = "weights before and after, such as 200/38" if pairs else "a figure for each piece, such as 8.2 8.6 7.9"
    made: list[tuple[float, ...]] = []
    for word in re.sub(r"\s*/\s*", "/", text.replace(";", " ")).split():
        found = PIECE.fullmatch(word)
        if not found or (found[2] is not None and not pairs):
            raise Refused(f"Found “{word[:20]}”. Expected {said}.", "values")
        made.append(tuple(float(x.replace(",", ".")) for x in found.groups() if x is not None))
    if not 1 <= len(made) <= MOST_PARTS:
        raise Refused(f"Found {counted(len(made), 'figure')}. Expected {said}, at most {MOST_PARTS}.", "values")
    if len({len(p) for p in made}) > 1:
        raise Refused("Found pairs and single figures. Expected the one or the other.", "values")
    return tuple(made)


def value_of(parts: Sequence[tuple[float, ...]], trait: Trait) -> float:
    """What a sample comes to: the mean of its pieces, or in percent what stays of their weight (or goes). Raises Refused for
    figures that cannot be."""
    if len(parts[0]) == 1:
        for (x,) in parts:
            if (trait.low is not None and x < trait.low) or (trait.high is not None and x > trait.high):
                raise Refused(f"Found {x:g}. Expected from {trait.low:g} to {trait.high:g} {trait.unit}.", "values")
        return fmean(x for (x,) in parts)
    before, after = sum(p[0] for p in parts), sum(p[1] for p in parts)
    try:
        goes = moisture_of(before, after)
    except ValueError:
        raise Refused(f"Found {before:g} before and {after:g} after. Expected less after than before.", "values") from None
    return goes if BEFORE_AND_AFTER.get(trait.key) == "goes" else 100 - goes


@transaction.atomic
def keep_sample(plot: Plot, trait: Trait, tested: Tested, by: User, key: uuid.UUID, today: date) -> TestedSample:
    """Keep a sample; the same `key` sent again is kept once. Raises Refused for what cannot be."""
    if again := TestedSample.objects.filter(pk=key).first():
        return again
    running_or_refused(plot.trial, "values")
    if trait.source != Trait.Source.TEST:
        raise Refused(f"{trait.name} is not tested on samples.", "trait")
    only_done(tested.on, today)
    if not 0 <= tested.hours <= MOST_HOURS:
        raise Refused(f"Found {tested.hours:g}. Expected from 0 to {MOST_HOURS:g} hours from the pick.", "hours")
    value = value_of(tested.parts, trait)
    return TestedSample.objects.create(
        id=key, plot=plot, trait=trait, on=tested.on, hours=tested.hours, parts=tested.parts, value=value, by=by, at=timezone.now()
    )


@transaction.atomic
def undo_sample(sample: TestedSample) -> None:
    """A sample was none, or was typed wrong; it stays on record."""
    TestedSample.objects.in_force().filter(pk=sample.pk).update(undone_at=timezone.now())


@transaction.atomic
def keep_rule(trial: Trial, trait: Trait, most_hours: float | None, by: User) -> None:
    """How old a sample may be when the trait is tested, from now on and backwards; None for any age."""
    running_or_refused(trial, "most_hours")
    TestRule.objects.update_or_create(trial=trial, trait=trait, defaults={"most_hours": most_hours or MOST_HOURS})
    record(
        trial, by, f"{trait.name} counts within {most_hours:g} h of the pick." if most_hours else f"{trait.name}: any age counts."
    )


def most_hours(trial: Trial) -> dict[int, float | None]:
    """How old a sample may be by the id of each trait: what was set for the trial, else what is usual; None for any age."""
    traits = Trait.objects.filter(source=Trait.Source.TEST)
    usual = {t.pk: USUAL_HOURS.get(t.key) for t in traits}
    set_here = dict(trial.test_rules.values_list("trait", "most_hours"))
    return usual | {pk: None if h >= MOST_HOURS else h for pk, h in set_here.items()}


def tested_in(trial: Trial, trait: Trait | None = None) -> list[tuple[TestedSample, bool]]:
    """Every sample of a trial that stands, the newest first, each with whether it was too old to count."""
    rows = TestedSample.objects.in_force().filter(plot__trial=trial).select_related("plot__entry", "trait", "by")
    rows, bounds = (rows.filter(trait=trait) if trait else rows), most_hours(trial)
    return [(s, _too_old(s, bounds.get(s.trait_id))) for s in rows.order_by("-on", "-at")]


def _too_old(sample: TestedSample, bound: float | None) -> bool:
    return bound is not None and sample.hours > bound


def readings(trial: Trial, trait: Trait) -> Readings:
    """The mean of a plot's samples that were young enough."""
    values: dict[int, list[TestedSample]] = defaultdict(list)
    for sample, old in tested_in(trial, trait):
        if not old:
            values[sample.plot_id].append(sample)
    return {
        pk: Reading(
            fmean(s.value for s in some),
            note=f"{counted(len(some), 'sample')}, {counted(sum(len(s.parts) for s in some), 'piece')}",
        )
        for pk, some in values.items()
    }


def of_plots(trial: Trial, key: str) -> dict[int, float]:
    """A sampled share of each plot by id; a plot without a sample has the mean of its entry's plots, where one has any."""
    trait = Trait.objects.filter(key=key).first()
    own = {pk: r.number for pk, r in readings(trial, trait).items() if r.number is not None} if trait else {}
    if not own:
        return {}
    entries = dict(trial.plots.values_list("pk", "entry"))
    of_entry: dict[int, list[float]] = defaultdict(list)
    for pk, value in own.items():
        of_entry[entries[pk]].append(value)
    return {pk: own[pk] if pk in own else fmean(of_entry[e]) for pk, e in entries.items() if pk in own or e in of_entry}


def said_of(sample: TestedSample, old: bool) -> str:
    """A sample as a line."""
    figure = f"{fixed(sample.value, sample.trait.decimals)} {sample.trait.unit}".strip()
    age = f"{sample.hours:g} h after the pick"
    return f"{sample.trait.name}: {figure} of {counted(len(sample.parts), 'piece')}, {age}{', too old to count' if old else ''}."


def diary(plot: Plot, _names: bool) -> Iterable[DiaryLine]:
    bounds = most_hours(plot.trial)
    for s in plot.tested_samples.select_related("trait", "by"):
        struck = s.undone_at is not None
        yield DiaryLine(s.on, said_of(s, _too_old(s, bounds.get(s.trait_id))), str(s.by), 5, struck)
