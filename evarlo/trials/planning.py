"""From a plan to a trial with its entries, criteria and a first layout; another plan, and another year on its plots."""

from __future__ import annotations

import random
from collections.abc import Sequence
from typing import Any

from django.db import transaction
from django.db.models import QuerySet
from django.utils import timezone
from django.utils.text import slugify

from evarlo.catalogue.models import Crop
from evarlo.catalogue.services import cultivar_named
from evarlo.people.models import User
from evarlo.trials.deeds import record
from evarlo.trials.laying import lay_out, still_open
from evarlo.trials.models import (
    Criterion,
    Entry,
    Plot,
    Trial,
)
from evarlo.trials.needs import defaults_for, plan_of
from evarlo.trials.plan import SHARED, TrialPlan, check_plan
from evarlo.trials.services import add_criteria, keep_need_plan
from evarlo.ui.refused import Refused
from evarlo.ui.words import counted


@transaction.atomic
def plan_trial(plan: TrialPlan, by: User, seed: int | None = None) -> Trial:
    """Make a trial with its entries, criteria and a first layout. Raises Refused when the plan cannot stand."""
    check_plan(plan)
    shared = {name: getattr(plan, name) for name in SHARED} | {"blocks": plan.blocks_in_all}
    slug = free_slug(f"{plan.name} {plan.season}")
    trial = Trial.objects.create(slug=slug, levels=list(plan.levels), made_by=by, made_at=timezone.now(), **shared)
    _put_in(trial, plan, seed)
    _keep_raising(trial, plan)
    record(trial, by, f"Planned with {counted(len(plan.entries), 'entry')}: {trial.design_in_words}."[:300])
    lay_out(trial, seed, by)
    return trial


@transaction.atomic
def change_plan(trial: Trial, plan: TrialPlan, by: User) -> Trial:
    """Put another plan in the place of a trial's, and draw it anew. Raises Refused once the layout is fixed, or when the plan
    cannot stand; the trial then stays as it was."""
    trial = still_open(trial)
    check_plan(plan, instead_of=trial)
    for name in SHARED:
        setattr(trial, name, getattr(plan, name))
    trial.blocks = plan.blocks_in_all
    trial.levels = list(plan.levels)
    trial.save()
    trial.plots.all().delete()
    trial.entries.all().delete()
    trial.criteria.all().delete()
    trial.block_places.all().delete()
    _put_in(trial, plan)
    _keep_raising(trial, plan)
    record(trial, by, f"Plan changed: {counted(len(plan.entries), 'entry')}, {trial.design_in_words}."[:300])
    lay_out(trial, None, by)
    return trial


@transaction.atomic
def follow_trial(before: Trial, name: str, season: str, crop: Crop, by: User) -> Trial:
    """Another year on the same plots: the same layout, numbers and entries, for this crop or another. Raises Refused while the
    layout of the trial before can still change, when it has a follower, or for a name that is taken."""
    if not before.is_fixed or before.bed is None:
        raise Refused("Only plots whose layout is fixed in a bed can be used again.")
    if before.followers.exists():
        raise Refused(f"Its plots are used again by {before.followers.get()} already.")
    if Trial.objects.filter(name__iexact=name, season=season).exists():
        raise Refused(f"There is a trial “{name}” in season {season} already. Give this one another name.", "name")
    kept = {
        field: getattr(before, field)
        for field in SHARED
        if field not in ("name", "season", "crop", "sow_on", "plant_on", "pick_on")
    }
    now = timezone.now()
    trial = Trial.objects.create(
        slug=free_slug(f"{name} {season}"),
        name=name,
        season=season,
        crop=crop,
        levels=before.levels,
        follows=before,
        made_by=by,
        made_at=now,
        layout_seed=before.layout_seed,
        layout_fixed_at=now,
        output_unit=before.output_unit,
        **kept,
    )
    trial.more_beds.set(before.more_beds.all())
    entries = {}
    told = list(before.entries.select_related("cultivar"))
    codes = drawn_codes([e.code for e in told]) if trial.blind else [e.code for e in told]
    for code, e in sorted(zip(codes, told, strict=True), key=lambda pair: pair[0]):
        cultivar = e.cultivar if crop == before.crop else cultivar_named(crop, e.cultivar.name)
        entries[e.pk] = Entry.objects.create(
            trial=trial, code=code, cultivar=cultivar, is_check=e.is_check, repeated=e.repeated, in_row_cm=e.in_row_cm
        )
    same = ("number", "block", "inner", "level", "bed_id", "place", "row", "col", "x", "y", "length", "width")
    Plot.objects.bulk_create(
        Plot(trial=trial, entry=entries[p.entry_id], **{field: getattr(p, field) for field in same}) for p in before.plots.all()
    )
    for c in before.criteria.all():
        Criterion.objects.create(
            trial=trial, trait=c.trait, rank=c.rank, direction=c.direction, matters=c.matters, must=c.must, weight=c.weight
        )
    record(trial, by, f"Another year on the plots of {before.name}, {before.season}.")
    return trial


def drawn_codes(codes: Sequence[str], seed: int | None = None) -> list[str]:
    """The codes of a trial in an order that nobody can know: in the order typed the first would be the check, and a cultivar the
    same each year. A `seed` draws the same order again, for trials that are made and not grown."""
    luck = random.Random(seed) if seed is not None else random.SystemRandom()  # noqa: S311
    return luck.sample(codes, len(codes))


def _put_in(trial: Trial, plan: TrialPlan, seed: int | None = None) -> None:
    """The entries, criteria and further beds of a plan."""
    prefix = "".join(word[0] for word in plan.crop.name.split()[:2]).upper()
    digits = max(2, len(str(len(plan.entries))))
    numbered = [f"{prefix}{number:0{digits}d}" for number in range(1, len(plan.entries) + 1)]
    repeated = {name.casefold() for name in plan.repeated}
    own = {name.casefold(): apart for name, apart in plan.own_spacing.items()}
    codes = drawn_codes(numbered, seed) if plan.blind else numbered
    for code, name in sorted(zip(codes, plan.entries, strict=True)):  # so that the order of the rows tells nothing either
        Entry.objects.create(
            trial=trial,
            code=code,
            cultivar=cultivar_named(plan.crop, name),
            is_check=name.casefold() == plan.check.casefold(),
            repeated=name.casefold() in repeated and name.casefold() != plan.check.casefold(),
            in_row_cm=own.get(name.casefold()),
        )
    add_criteria(trial, plan.criteria)
    trial.more_beds.set(plan.more_beds)
    trial.read_anew()


def _keep_raising(trial: Trial, plan: TrialPlan) -> None:
    """Whether plants are raised, where it was said or a day to plant says it: every task, window and need follows."""
    raised = True if plan.raised is None and plan.plant_on else plan.raised
    if raised is not None and plan_of(trial).transplant != raised:
        keep_need_plan(trial, {**defaults_for(trial.crop), "transplant": raised})


def free_slug(text: str) -> str:
    """An address for a trial that no other trial has."""
    return free_slug_among(text, Trial.objects.values_list("slug", flat=True))


def free_slug_among(text: str, slugs: QuerySet[Any, str]) -> str:
    """An address made of a name that is not among `slugs`."""
    stem = slugify(text)[:60] or "trial"
    taken = set(slugs.filter(slug__startswith=stem))
    return next(s for s in (stem, *(f"{stem}-{n}" for n in range(2, len(taken) + 3))) if s not in taken)
