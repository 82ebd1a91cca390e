"""When to pick again: the interval that was agreed, and what waiting longer did to the classes in this trial."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, timedelta
from itertools import pairwise

from django.db.models import Count, Exists, Max, OuterRef, Q, Sum
from django.urls import reverse

from evarlo.harvest.models import PickClass, PickPart, PickPlan, StoredLot
from evarlo.harvest.queries import standing
from evarlo.harvest.store import looks_due
from evarlo.trials.models import Trial
from evarlo.trials.registry import Due
from evarlo.ui.words import counted

FIRST_WITHIN = 7  # days ahead of which a first pick is asked for
DONE_AFTER = 21  # days without a pick after which a trial is no longer asked for one


def every_days(trial: Trial) -> int | None:
    """Every how many days the trial is picked; None where nobody said."""
    plan = PickPlan.objects.filter(trial=trial).first()
    return plan.every_days if plan else None


def next_pick(trial: Trial) -> date | None:
    """The day on which the next pick is due: the interval after the last one."""
    every = every_days(trial)
    return _next_pick(trial, every) if every else None


def _next_pick(trial: Trial, every: int) -> date | None:
    last = standing(trial).aggregate(last=Max("on"))["last"]
    return last + timedelta(days=every) if last else None


@dataclass(frozen=True)
class Waiting:
    """The over-mature share of all weight, 0 to 1, of picks within the interval and of those after a longer wait; the numbers of
    picks they rest on."""

    within: float
    rounds_within: int
    later: float
    rounds_later: int


def waiting_of(trial: Trial) -> Waiting | None:
    """What waiting costs in this trial; None without an interval, classes, or picks of both kinds. The first pick of all has no
    wait and counts in neither."""
    every = every_days(trial)
    return _waiting(trial, every) if every else None


def _waiting(trial: Trial, every: int) -> Waiting | None:
    rows = standing(trial).values("on").order_by("on")
    whole = {r["on"]: r["good"] + r["cull"] for r in rows.annotate(good=Sum("marketable_kg"), cull=Sum("cull_kg"))}
    parts = PickPart.objects.filter(picking__in=standing(trial))
    late = parts.filter(pick_class__reason=PickClass.Reason.OVERMATURE).values("picking__on").order_by()
    over = {r["picking__on"]: r["kg"] for r in late.annotate(kg=Sum("kg"))}
    sums: dict[bool, list[tuple[float, float]]] = defaultdict(list)
    days = [day for day in whole if whole[day] > 0]
    for before, day in pairwise(days):
        sums[(day - before).days > every].append((over.get(day, 0.0), whole[day]))
    if not sums[False] or not sums[True] or not over:
        return None
    shares = {kind: sum(o for o, _ in some) / sum(w for _, w in some) for kind, some in sums.items()}
    return Waiting(shares[False], len(sums[False]), shares[True], len(sums[True]))


def round_in_words(trial: Trial) -> str:
    """When the next pick is due, and what waiting longer did; empty without an interval."""
    every = every_days(trial)
    if every is None:
        return ""
    due_on = _next_pick(trial, every)
    said = f"Picked every {counted(every, 'day')}"
    said += f"; the next is due on {due_on:%a %-d %b}." if due_on else "."
    cost = _waiting(trial, every)
    if cost and cost.later > cost.within:
        said += (
            f" After a longer wait {100 * cost.later:.0f} % were over-mature, else {100 * cost.within:.0f} % "
            f"({cost.rounds_later} and {counted(cost.rounds_within, 'pick')})."
        )
    return said


def due(today: date) -> Iterable[Due]:
    """First picks that are near and not begun, those due again by the interval, and what is in store to be looked at."""
    soon = today + timedelta(days=FIRST_WITHIN)
    stands = Q(plots__pickings__superseded_by__isnull=True, plots__pickings__withdrawn=False)
    in_store = Exists(StoredLot.objects.in_force().filter(trial=OuterRef("pk")))
    trials = Trial.objects.filter(decided_at__isnull=True, layout_fixed_at__isnull=False).annotate(keeps=in_store)
    near = trials.filter(Q(pick_on__lte=soon) | Q(pick_plan__isnull=False) | Q(keeps=True)).select_related("pick_plan")
    keeping = []
    for trial in near.annotate(last=Max("plots__pickings__on", filter=stands), size=Count("plots", distinct=True)):
        url, plan = reverse("harvest:pick", args=[trial.slug]), getattr(trial, "pick_plan", None)
        if trial.keeps:
            keeping.append(trial)
        if trial.last is None and trial.pick_on and trial.pick_on <= soon:
            yield Due("Pick", "First pick", trial, counted(trial.size, "plot"), trial.pick_on, url)
        elif trial.last and plan:
            on = trial.last + timedelta(days=plan.every_days)
            if today - timedelta(days=DONE_AFTER) <= on <= today + timedelta(days=1):
                what = f"Every {counted(plan.every_days, 'day')}, last on {trial.last:%-d %b}"
                yield Due("Pick", what, trial, counted(trial.size, "plot"), on, url)
    if keeping:
        yield from looks_due(keeping, today)
