"""Every write to a trial: one function an act, one transaction each, checks first."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

from django.db import transaction
from django.utils import timezone
from django.utils.text import slugify

from evarlo.catalogue.models import Crop, Cultivar, Trait
from evarlo.grounds.models import Bed
from evarlo.people.models import User
from evarlo.trials.drafting import Draft, best_seed, draft
from evarlo.trials.models import Criterion, Deed, Entry, Exclusion, Plot, Trial
from trialcore.bed import Bed as BedSize
from trialcore.bed import PlotSize

MOST_ENTRIES = 200
MOST_BLOCKS = 20


class Refused(ValueError):
    """An act that cannot be done, with the reason in words for the person. `field` is where it was typed."""

    def __init__(self, message: str, field: str = "") -> None:
        super().__init__(message)
        self.field = field


@dataclass(frozen=True)
class CriterionPlan:
    trait: Trait
    direction: str
    matters: float


@dataclass(frozen=True)
class TrialPlan:
    """Everything a planned trial is made from. Lengths in metres, spacings in centimetres."""

    name: str
    question: str
    crop: Crop
    season: str
    bed: Bed
    entries: Sequence[str]
    check: str
    blocks: int
    plot_length_m: float
    plot_width_m: float
    path_m: float
    between_rows_cm: float
    in_row_cm: float
    cv_percent: float
    criteria: Sequence[CriterionPlan]
    sow_on: date | None = None
    plant_on: date | None = None
    pick_on: date | None = None
    blind: bool = True
    design: str = Trial.Design.BLOCKS
    block_size: int | None = None


@transaction.atomic
def plan_trial(plan: TrialPlan, by: User, seed: int | None = None) -> Trial:
    """Make a trial with its entries, criteria and a first layout. Raises Refused when the plan cannot stand."""
    _check_plan(plan)
    trial = Trial.objects.create(
        slug=free_slug(f"{plan.name} {plan.season}"),
        name=plan.name,
        question=plan.question,
        crop=plan.crop,
        season=plan.season,
        bed=plan.bed,
        design=plan.design,
        blocks=plan.blocks,
        block_size=plan.block_size,
        plot_length_m=plan.plot_length_m,
        plot_width_m=plan.plot_width_m,
        path_m=plan.path_m,
        between_rows_cm=plan.between_rows_cm,
        in_row_cm=plan.in_row_cm,
        cv_percent=plan.cv_percent,
        blind=plan.blind,
        sow_on=plan.sow_on,
        plant_on=plan.plant_on,
        pick_on=plan.pick_on,
        made_by=by,
        made_at=timezone.now(),
    )
    prefix = "".join(word[0] for word in plan.crop.name.split()[:2]).upper()
    digits = max(2, len(str(len(plan.entries))))
    for number, name in enumerate(plan.entries, start=1):
        Entry.objects.create(
            trial=trial,
            code=f"{prefix}{number:0{digits}d}",
            cultivar=cultivar_named(plan.crop, name),
            is_check=name.casefold() == plan.check.casefold(),
        )
    add_criteria(trial, plan.criteria)
    many = "replicates of incomplete blocks" if plan.design == Trial.Design.INCOMPLETE else trial.get_design_display()
    record(trial, by, f"Planned with {len(plan.entries)} entries in {plan.blocks} {many}.")
    lay_out(trial, seed, by)
    return trial


def _check_plan(plan: TrialPlan) -> None:
    folded = [name.casefold() for name in plan.entries]
    if len(folded) < 2:
        raise Refused("A comparison needs at least two entries, the check among them.", "entries")
    if len(folded) > MOST_ENTRIES:
        raise Refused(f"{len(folded)} entries are more than one trial can hold; at most {MOST_ENTRIES}.", "entries")
    twice = sorted({name for name in plan.entries if folded.count(name.casefold()) > 1})
    if twice:
        raise Refused(f"“{twice[0]}” is named twice. Each entry stands once; blocks repeat it.", "entries")
    if plan.check.casefold() not in folded:
        raise Refused("Choose one of the entries as the check: the cultivar the others are to beat.", "check")
    if not 2 <= plan.blocks <= MOST_BLOCKS:
        raise Refused(f"Blocks: from 2 to {MOST_BLOCKS}. With one block luck and cultivar cannot be told apart.", "blocks")
    if plan.design == Trial.Design.INCOMPLETE and not 2 <= (plan.block_size or 0) < len(folded):
        raise Refused(f"Plots in a block: from 2 to {len(folded) - 1}, one fewer than the entries.", "block_size")
    if not plan.criteria:
        raise Refused("Name at least one criterion: the trait you will decide by.", "criteria")
    dates = [("sow_on", plan.sow_on), ("plant_on", plan.plant_on), ("pick_on", plan.pick_on)]
    if Trial.objects.filter(name__iexact=plan.name, season=plan.season).exists():
        raise Refused(f"There is a trial “{plan.name}” in season {plan.season} already. Give this one another name.", "name")
    known = [(field, day) for field, day in dates if day]
    for (_, earlier), (field, later) in itertools.pairwise(known):
        if later < earlier:
            raise Refused(f"{later:%-d %b %Y} lies before the stage ahead of it, {earlier:%-d %b %Y}.", field)


def free_slug(text: str) -> str:
    """An address for a trial that no other trial has."""
    stem = slugify(text)[:60] or "trial"
    taken = set(Trial.objects.filter(slug__startswith=stem).values_list("slug", flat=True))
    return next(s for s in (stem, *(f"{stem}-{n}" for n in range(2, len(taken) + 3))) if s not in taken)


def cultivar_named(crop: Crop, name: str) -> Cultivar:
    """The cultivar of that name, whatever its capitals; put on the list when it is new."""
    found = Cultivar.objects.filter(crop=crop, name__iexact=name).first()
    return found or Cultivar.objects.create(crop=crop, name=name)


def add_criteria(trial: Trial, criteria: Sequence[CriterionPlan]) -> None:
    """Set down by what the trial decides, the leading criterion first."""
    if len({c.trait.pk for c in criteria}) < len(criteria):
        raise Refused("A trait can be a criterion only once.", "criteria")
    Criterion.objects.bulk_create(
        Criterion(trial=trial, trait=c.trait, rank=rank, direction=c.direction, matters=c.matters)
        for rank, c in enumerate(criteria, start=1)
    )


def record(trial: Trial, by: User, said: str, **detail: Any) -> Deed:
    """Write down an act on the trial as a whole."""
    return Deed.objects.create(trial=trial, at=timezone.now(), by=by, said=said, detail=detail)


@transaction.atomic
def lay_out(trial: Trial, seed: int | None, by: User) -> None:
    """Draw the plots anew from `seed`, or from a fresh one that keeps an entry from standing beside itself.

    Raises Refused once the layout is fixed, or when the design cannot be drawn.
    """
    trial = Trial.objects.select_for_update().get(pk=trial.pk)
    if trial.is_fixed:
        raise Refused("The layout is fixed: stakes may be in the ground. It can no longer be shuffled.")
    assert trial.bed
    entries = {e.code: e for e in trial.entries.all()}
    check = next((e.code for e in entries.values() if e.is_check), "")
    try:
        seed = best_seed(lambda s: _drawn(trial, list(entries), s), check, trial.bed.bearing) if seed is None else seed
        drawn = _drawn(trial, list(entries), seed)
    except ValueError as error:
        raise Refused(f"This design cannot be drawn: {error}.", "block_size") from None
    trial.plots.all().delete()
    Plot.objects.bulk_create(
        Plot(
            trial=trial, entry=entries[p.code], block=p.block, inner=p.inner, number=p.number, place=place, row=p.row, col=p.col,
            x=p.x, y=p.y, length=p.length, width=p.width,
        )
        for place, p in enumerate(drawn.plots, start=1)
    )  # fmt: skip
    trial.layout_seed = seed
    trial.save(update_fields=["layout_seed"])
    record(trial, by, f"Layout drawn from seed {seed}.", seed=seed)


def _drawn(trial: Trial, codes: list[str], seed: int) -> Draft:
    """The layout that a seed gives in the trial's bed."""
    assert trial.bed and trial.plot_length_m and trial.plot_width_m
    size = PlotSize(trial.plot_length_m, trial.plot_width_m, trial.path_m)
    room = BedSize(trial.bed.length_m, trial.bed.width_m)
    return draft(trial.design, codes, trial.blocks, trial.block_size, size, room, seed)


def shuffle(trial: Trial, by: User) -> None:
    """Draw another layout from a fresh seed."""
    lay_out(trial, None, by)


@transaction.atomic
def fix_layout(trial: Trial, by: User) -> None:
    """From now on the layout stays as it is drawn. Raises Refused when it does not fit its bed."""
    trial = Trial.objects.select_for_update().get(pk=trial.pk)
    if trial.is_fixed:
        return
    if trial.bed and trial.plot_length_m and trial.plot_width_m:
        codes = list(trial.entries.values_list("code", flat=True))
        if not _drawn(trial, codes, trial.layout_seed or 0).fits:
            raise Refused("The layout does not fit its bed, so it cannot be staked out. Plan it with smaller plots.")
    trial.layout_fixed_at = timezone.now()
    trial.save(update_fields=["layout_fixed_at"])
    record(trial, by, f"Layout fixed as drawn from seed {trial.layout_seed}.", seed=trial.layout_seed)


@transaction.atomic
def exclude_plot(plot: Plot, cause: str, note: str, on: date, by: User) -> Exclusion:
    """Leave a plot out of every comparison. Raises Refused without a reason, or when it is left out already."""
    if not note.strip():
        raise Refused("Say in a few words what happened to the plot.", "note")
    if plot.exclusions.filter(lifted_at__isnull=True).exists():
        raise Refused(f"Plot {plot.number} is left out already.")
    return Exclusion.objects.create(plot=plot, cause=cause, note=note.strip(), on=on, by=by, at=timezone.now())


@transaction.atomic
def lift_exclusion(exclusion: Exclusion, by: User) -> None:
    """Take the plot back into the comparison; the exclusion stays on record."""
    Exclusion.objects.filter(pk=exclusion.pk, lifted_at__isnull=True).update(lifted_by=by, lifted_at=timezone.now())


@transaction.atomic
def mark_decided(trial: Trial, at: datetime) -> None:
    """The verdicts are signed: nothing more is due for this trial."""
    Trial.objects.filter(pk=trial.pk).update(decided_at=at)


@transaction.atomic
def open_names(trial: Trial, by: User) -> None:
    """Show cultivar names to everyone from now on."""
    trial = Trial.objects.select_for_update().get(pk=trial.pk)
    if trial.opened_at is None:
        trial.opened_at = timezone.now()
        trial.save(update_fields=["opened_at"])
        record(trial, by, "Names opened to everyone.")
