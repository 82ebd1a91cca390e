"""Acts on a trial that stands: one function an act, one transaction each, checks first."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from datetime import datetime
from typing import Any

from django.db import transaction
from django.db.models import Model, QuerySet
from django.utils import timezone

from evarlo.catalogue.models import Cultivar
from evarlo.people.models import User
from evarlo.trials.deeds import record
from evarlo.trials.laying import running_or_refused
from evarlo.trials.models import (
    Criterion,
    Material,
    NeedPlan,
    Trial,
)
from evarlo.trials.plan import CriterionPlan
from evarlo.trials.registry import registry
from evarlo.ui.refused import Refused

MOST_MATERIALS = 40


@transaction.atomic
def drop_material(material: Material) -> None:
    """A material that the plots do not get after all. Its row stays on record."""
    material.undone_at = timezone.now()
    material.save(update_fields=["undone_at"])


@transaction.atomic
def declare_output(trial: Trial, unit: str, per_kg: float, by: User) -> None:
    """In which unit the output of years on the same plots is summed, and how much of it a marketable kilogram makes."""
    for year in trial.years:
        Trial.objects.filter(pk=year.pk).update(output_unit=unit)
    Trial.objects.filter(pk=trial.pk).update(output_per_kg=per_kg)
    record(trial, by, f"A marketable kilogram counts as {per_kg:g} {unit}.")


@transaction.atomic
def archive(trial: Trial, away: bool, by: User) -> None:
    """Put a trial away, or bring it back. Its records stay, and count in programmes as before."""
    Trial.objects.filter(pk=trial.pk).update(archived_at=timezone.now() if away else None)
    record(trial, by, "Put away." if away else "Brought back.")


# What a plan is made of. Whatever else hangs on a trial was recorded, and is never deleted with it.
OF_A_PLAN = frozenset(
    ("trials." + name)
    for name in ("trial", "trial_more_beds", "entry", "plot", "criterion", "blockplace", "needplan", "deed", "protocol")
)


@transaction.atomic
def delete_plan(trial: Trial) -> None:
    """Delete a trial of which nothing is recorded. Raises Refused, with what is on record, where something is."""
    trial = Trial.objects.select_for_update().get(pk=trial.pk)
    plots, entries = trial.plots.all(), trial.entries.all()
    hangs = {m for rows in (Trial.objects.filter(pk=trial.pk), entries, plots) for m in _recorded_of(rows)}
    if hangs:
        what = ", ".join(sorted(str(m._meta.verbose_name_plural) for m in hangs))
        raise Refused(f"There are records of {trial.name} ({what}), and records are never deleted. Put the trial away instead.")
    stand_ins = list(Cultivar.objects.filter(entries__trial=trial, stands_in=True).values_list("pk", flat=True))
    plots.delete()
    entries.delete()
    trial.delete()
    Cultivar.objects.filter(pk__in=stand_ins, entries__isnull=True).delete()


def _recorded_of(rows: QuerySet[Any]) -> Iterable[type[Model]]:
    """What refers to some rows and is no part of a plan."""
    of_a_plan = OF_A_PLAN | registry.of_a_plan
    for relation in rows.model._meta.related_objects:
        model = relation.related_model
        if model._meta.label_lower not in of_a_plan and model._base_manager.filter(**{f"{relation.field.name}__in": rows}).exists():
            yield model


def add_criteria(trial: Trial, criteria: Sequence[CriterionPlan]) -> None:
    """Set down by what the trial decides, the leading criterion first."""
    if len({c.trait.pk for c in criteria}) < len(criteria):
        raise Refused("A trait can be a criterion only once.", "criteria")
    Criterion.objects.bulk_create(
        Criterion(trial=trial, trait=c.trait, rank=rank, direction=c.direction, matters=c.matters, must=c.must, weight=c.weight)
        for rank, c in enumerate(criteria, start=1)
    )


@transaction.atomic
def accept_rotation(trial: Trial, reason: str, by: User) -> None:
    """Keep why a rotation too short is accepted; without a reason it is no longer. Raises Refused for words too long."""
    reason = " ".join(reason.split())
    if len(reason) > 200 or any(not c.isprintable() for c in reason):
        raise Refused(f"Found {len(reason)} characters. Expected a reason in plain words, 200 at most.")
    if not reason and not trial.breach_reason:
        raise Refused("Nothing was typed. Expected why it is accepted.")
    Trial.objects.filter(pk=trial.pk).update(breach_reason=reason)
    record(trial, by, f"Rotation accepted as it is: {reason}"[:300] if reason else "Rotation no longer accepted as it is.")


@transaction.atomic
def keep_need_plan(trial: Trial, typed: Mapping[str, Any]) -> None:
    """Keep how the trial's seed and trays are reckoned."""
    NeedPlan.objects.update_or_create(trial=trial, defaults=dict(typed))


@transaction.atomic
def add_material(trial: Trial, typed: Mapping[str, Any]) -> Material:
    """Put a material on the trial's list. Raises Refused where its amount cannot be found from what was typed."""
    if typed["kind"] == Material.Kind.NUTRIENT and not typed.get("grade"):
        raise Refused("Nothing was typed. Expected how much of the nutrient the material holds, in percent.", "grade")
    if trial.materials.in_force().count() >= MOST_MATERIALS:
        raise Refused(f"A trial holds {MOST_MATERIALS} materials at most.", "name")
    return Material.objects.create(trial=trial, **typed)


@transaction.atomic
def rename(trial: Trial, name: str, why: str, by: User) -> None:
    """Put a trial's name right, on record; its address stays, since it stands on stakes and labels. Raises Refused for the name of
    another trial of the season, and without a reason."""
    name = " ".join(name.split())
    if not name or len(name) > 80:
        raise Refused("Expected a name of at most 80 letters.", "name")
    if Trial.objects.filter(name__iexact=name, season=trial.season).exclude(pk=trial.pk).exists():
        raise Refused(f"There is a trial “{name}” in season {trial.season} already.", "name")
    if name == trial.name:
        raise Refused("That is its name already.", "name")
    if not why.strip():
        raise Refused("Nothing was typed. Expected why the name is corrected.", "why")
    record(trial, by, f"Name corrected from “{trial.name}” to “{name}”: {why.strip()}"[:300])
    Trial.objects.filter(pk=trial.pk).update(name=name)


@transaction.atomic
def change_criteria(trial: Trial, criteria: Sequence[CriterionPlan], why: str, by: User) -> None:
    """Decide by other criteria from now on; what they were stays on record with the reason. Raises Refused once the verdicts are
    signed, without a reason, and for criteria that cannot stand."""
    trial = Trial.objects.select_for_update().get(pk=trial.pk)
    running_or_refused(trial, "why", "changing them")
    if not criteria:
        raise Refused("Name at least one criterion: the trait you will decide by.", "trait_1")
    if not why.strip():
        raise Refused("Nothing was typed. Expected why they change.", "why")
    before = ", ".join(_criterion_in_words(c) for c in trial.criteria.select_related("trait"))
    trial.criteria.all().delete()
    add_criteria(trial, criteria)
    now = ", ".join(_criterion_in_words(c) for c in trial.criteria.select_related("trait"))
    record(trial, by, f"Decided by {now}; before, by {before or 'nothing'}: {why.strip()}"[:300])


def _criterion_in_words(c: Criterion) -> str:
    must = f", must have {c.must_in_words}" if c.must is not None else ""
    return f"{c.trait.name.lower()} ({c.get_direction_display()}, {c.matters:g} matter{must})"


@transaction.atomic
def choose_guard(trial: Trial, family: bool, by: User) -> None:
    """Hold all comparisons with the check to 5 % together, or each on its own; on record, since it moves the bars."""
    if Trial.objects.filter(pk=trial.pk).exclude(family_guard=family).update(family_guard=family):
        how = "all together (Dunnett)" if family else "each on its own"
        record(trial, by, f"Comparisons with the check are held to 5 % {how}.")


@transaction.atomic
def reopen(trial: Trial, by: User, why: str) -> None:
    """Let a signed season be added to again; the signed board stays as it was. Raises Refused without a reason."""
    if not why.strip():
        raise Refused("Say why it is reopened: the signed verdicts stood on what was known then.", "why")
    if Trial.objects.filter(pk=trial.pk, decided_at__isnull=False).update(decided_at=None):
        record(trial, by, f"Reopened after it was signed: {why.strip()}"[:300])


@transaction.atomic
def mark_decided(trial: Trial, at: datetime) -> None:
    """The verdicts are signed: nothing more is due for this trial."""
    Trial.objects.filter(pk=trial.pk).update(decided_at=at)


@transaction.atomic
def open_names(trial: Trial, by: User, why: str = "the verdicts are signed") -> None:
    """Show cultivar names to everyone from now on; who opened them, when and why stays on record. Raises Refused without a
    reason."""
    if not why.strip():
        raise Refused("Say why the names are opened: scores given afterwards are no longer blind.", "why")
    trial = Trial.objects.select_for_update().get(pk=trial.pk)
    if trial.opened_at is None:
        trial.opened_at = timezone.now()
        trial.save(update_fields=["opened_at"])
        record(trial, by, f"Names opened to everyone, signed by {by}: {why.strip()}."[:300])
