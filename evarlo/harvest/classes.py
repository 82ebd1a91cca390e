"""The classes by which a trial's harvest is weighed: proposed from the crop, set once, switched off and never lost."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from django.db import transaction

from evarlo.catalogue.models import Crop, Trait
from evarlo.harvest.models import PickClass, PickPlan
from evarlo.people.models import User
from evarlo.trials.deeds import record
from evarlo.trials.laying import running_or_refused
from evarlo.trials.models import Trial
from evarlo.ui.refused import Refused
from evarlo.ui.words import counted

Kind, Part, Reason = PickClass.Kind, PickClass.Part, PickClass.Reason
MOST_CLASSES = 9  # each has its key


@dataclass(frozen=True)
class ClassPlan:
    """A class as typed."""

    name: str
    kind: str = Kind.MARKETABLE
    part: str = Part.MAIN
    reason: str = ""
    counted: bool = True


def classes_of(trial: Trial) -> list[PickClass]:
    """The classes that are weighed now, in their order; none where a weight and what is culled is enough."""
    return trial.once("pick-classes", lambda: list(trial.pick_classes.filter(used=True)))


def usual_classes(crop: Crop) -> list[ClassPlan]:
    """What is usually told apart of a crop: fruits that grow on are over-mature when late, heads are followed by shoots."""
    culls = [ClassPlan("Misshapen", Kind.CULL, reason=Reason.MISSHAPEN), ClassPlan("Pest", Kind.CULL, reason=Reason.PEST)]
    if crop.profile.get("picking") == "repeated":
        return [ClassPlan("Marketable"), ClassPlan("Over-mature", Kind.CULL, reason=Reason.OVERMATURE), *culls]
    return [
        ClassPlan("Marketable"),
        ClassPlan("After trimming", Kind.TRIMMED),
        ClassPlan("Undersize", Kind.CULL, reason=Reason.UNDERSIZE),
        *culls,
    ]


@transaction.atomic
def keep_classes(trial: Trial, plans: Sequence[ClassPlan], by: User) -> None:
    """Weigh by these classes from now on, in this order. What was weighed in one that is no longer named keeps it, switched off.

    Raises Refused for a signed season, two of one name, more than there are keys, or none that is marketable.
    """
    running_or_refused(trial, "name_1")
    folded = [p.name.casefold() for p in plans]
    if twice := next((p.name for p in plans if folded.count(p.name.casefold()) > 1), None):
        raise Refused(f"“{twice}” is named twice. Expected each class once.", "name_1")
    if len(plans) > MOST_CLASSES:
        raise Refused(f"Found {len(plans)} classes. Expected {MOST_CLASSES} at most: each has its key.", "name_1")
    if plans and all(p.kind == Kind.CULL for p in plans):
        raise Refused("Expected at least one class that is marketable.", "kind_1")
    known = {c.name.casefold(): c for c in trial.pick_classes.all()}
    if not plans and not known:
        return
    for rank, p in enumerate(plans, start=1):
        reason = p.reason if p.kind == Kind.CULL else ""
        figures = {"kind": p.kind, "part": p.part, "reason": reason, "counted": p.counted, "used": True, "rank": rank}
        if (there := known.pop(p.name.casefold(), None)) and there.kind != p.kind and there.parts.exists():
            raise Refused(f"“{there.name}” has weights as {there.get_kind_display()}. Give the other a name of its own.", "kind_1")
        PickClass.objects.update_or_create(trial=trial, name=there.name if there else p.name, defaults=figures)
    for gone in known.values():
        if gone.parts.exists():
            PickClass.objects.filter(pk=gone.pk).update(used=False, rank=len(plans) + 1)
        else:
            gone.delete()
    record(trial, by, f"Weighed by: {', '.join(p.name for p in plans) or 'marketable and cull'}."[:300])


@dataclass(frozen=True)
class Picked:
    """When and how a trial is picked, as typed."""

    every_days: int | None = None
    first_after: Trait | None = None
    first_days: int = 0
    piece_low_g: float | None = None
    piece_high_g: float | None = None
    standard_moisture: float | None = None


def plan_of(trial: Trial) -> PickPlan:
    """How the trial is picked; an empty plan where nobody said."""
    return trial.once("pick-plan", lambda: PickPlan.objects.filter(trial=trial).first() or PickPlan(trial=trial))


@transaction.atomic
def keep_plan(trial: Trial, picked: Picked, by: User) -> None:
    """Pick the trial so from now on. Raises Refused for a signed season, or a size wanted that ends before it begins."""
    running_or_refused(trial, "every_days")
    low, high = picked.piece_low_g, picked.piece_high_g
    if low and high and high <= low:
        raise Refused(f"Found {low:g} to {high:g} g. Expected the heaviest above the lightest.", "piece_high_g")
    trial.read_anew()  # somebody may have said otherwise since the page was read
    plan = plan_of(trial)
    if Picked(**{name: getattr(plan, name) for name in vars(picked)}) == picked:
        return
    PickPlan.objects.update_or_create(trial=trial, defaults=vars(picked))
    trial.read_anew()
    said = [f"every {counted(picked.every_days, 'day')}"] if picked.every_days else ["as it comes"]
    if picked.first_after:
        said.append(f"first {counted(picked.first_days, 'day')} after {picked.first_after.name.lower()}")
    if low or high:
        said.append(f"pieces of {low or 0:g} g and more" if not high else f"pieces of {low or 0:g} to {high:g} g")
    if picked.standard_moisture is not None:
        said.append(f"dry harvest at {picked.standard_moisture:g} % moisture")
    record(trial, by, f"Picked {', '.join(said)}."[:300])
