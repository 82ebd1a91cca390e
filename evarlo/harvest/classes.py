"""The classes by which a trial's harvest is weighed: proposed from the crop, set once, switched off and never lost."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from django.db import transaction

from evarlo.catalogue.models import Crop
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


@transaction.atomic
def keep_interval(trial: Trial, every_days: int | None, by: User) -> None:
    """How often the trial is picked, from now on; None where it is picked once, or as it comes."""
    if every_days is None:
        PickPlan.objects.filter(trial=trial).delete()
        return
    PickPlan.objects.update_or_create(trial=trial, defaults={"every_days": every_days})
    record(trial, by, f"Picked every {counted(every_days, 'day')}.")
