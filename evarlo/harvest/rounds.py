"""When to pick again: the interval that was agreed, and what waiting longer did to the classes in this trial."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from typing import Any

from django.db.models import Count, Exists, Max, OuterRef, Q, QuerySet, Sum
from django.urls import reverse
from django.utils import timezone

from evarlo.grounds.models import WeatherDay
from evarlo.harvest.classes import plan_of
from evarlo.harvest.models import PickClass, Picking, PickPart, PickPlan, StoredLot
from evarlo.harvest.queries import standing, standing_of
from evarlo.harvest.store import looks_due
from evarlo.trials.models import Trial
from evarlo.trials.registry import Due, registry
from evarlo.ui.words import counted
from trialcore.field.degree_days import degree_days
from trialcore.field.rounds import Wait, overmature_by_wait, wait_until_next

FIRST_WITHIN = 7  # days ahead of which a first pick is asked for
MOST_WAITS = 5  # of the waits whose over-mature shares are told, the shortest first
WARM_BACK, LEAST_WARM = 60, 10  # days of weather that are looked at, and the fewest before the last pick that say what is usual
DONE_AFTER = 21  # days without a pick after which a trial is no longer asked for one


@dataclass(frozen=True)
class NextPick:
    """When the next round is due, and why."""

    on: date
    last: date
    every: int
    wait: Wait
    share: float | None  # over-mature, of the last round

    @property
    def because(self) -> str:
        """What moved it from the interval agreed, in words; empty where nothing did."""
        moved = []
        if self.wait.for_overmature and self.share is not None:
            moved.append(f"{100 * self.share:.0f} % over-mature in the last pick")
        if self.wait.for_heat:
            moved.append("the warm days since" if self.wait.for_heat > 0 else "the cool days since")
        earlier = self.wait.days < self.every
        return f"{'sooner' if earlier else 'later'} for {' and '.join(moved)}" if moved and self.wait.days != self.every else ""


def every_days(trial: Trial) -> int | None:
    """Every how many days the trial is picked; None where nobody said."""
    return plan_of(trial).every_days


def next_pick(trial: Trial) -> NextPick | None:
    """The next round of a trial that is picked again and again; None before the first, or without an interval."""
    every = every_days(trial)
    if not every:
        return None
    whole, over = _rounds(trial)
    return _next(every, whole, over, _warmth([trial]).get(trial.pk, {})) if whole else None


def next_picks(every: Mapping[Trial, int]) -> dict[int, NextPick]:
    """The next round of each trial by id, with its interval; three statements for any number of them."""
    whole: dict[int, dict[date, float]] = defaultdict(dict)
    for pk, on, good, cull in _weights(standing_of(every), "plot__trial", "on"):
        whole[pk][on] = good + cull
    over: dict[int, dict[date, float]] = defaultdict(dict)
    for pk, on, kg in _late(list(every)).values_list("pick_class__trial", "picking__on").annotate(Sum("kg")):
        over[pk][on] = kg
    picked = [t for t in every if whole.get(t.pk)]
    warmth = _warmth(picked)
    return {t.pk: _next(every[t], whole[t.pk], over[t.pk], warmth.get(t.pk, {})) for t in picked}


def _weights(rows: QuerySet[Picking], *by: str) -> Iterable[Any]:
    """All weight, marketable and culled, by some fields, in the order of the days."""
    return rows.filter(nought="").order_by("on").values_list(*by).annotate(Sum("marketable_kg"), Sum("cull_kg"))


def _late(trials: Sequence[Trial]) -> QuerySet[PickPart]:
    """What of the weigh-ins that count was over-mature."""
    counts = {"picking__superseded_by__isnull": True, "picking__withdrawn": False}
    return PickPart.objects.filter(
        pick_class__trial__in=trials, pick_class__reason=PickClass.Reason.OVERMATURE, **counts
    ).order_by()


def _next(every: int, whole: dict[date, float], over: dict[date, float], warmth: dict[date, float]) -> NextPick:
    days = list(whole)
    last = days[-1]
    shares = [over.get(d, 0.0) / whole[d] for d in days if whole[d] > 0]
    since = [w for d, w in warmth.items() if d > last]
    before = [w for d, w in warmth.items() if d <= last]
    usual = sum(before) / len(before) if len(before) >= LEAST_WARM else None
    wait = wait_until_next(every, shares, since, usual)
    return NextPick(last + timedelta(days=wait.days), last, every, wait, shares[-1] if shares else None)


def _warmth(trials: Sequence[Trial]) -> dict[int, dict[date, float]]:
    """The degree days of each day of the last weeks on record at the site of each trial whose crop has a base temperature."""
    based = {t: t.crop.profile.get("base_c") for t in trials if t.bed is not None}
    sites = {t.bed.site_id for t, base in based.items() if t.bed and base is not None}
    if not sites:
        return {}
    days: dict[int, list[tuple[date, float, float]]] = defaultdict(list)
    start = timezone.localdate() - timedelta(days=WARM_BACK)
    rows = WeatherDay.objects.filter(site__in=sites, day__gte=start)
    for site, day, low, high in rows.values_list("site", "day", "tmin", "tmax"):
        days[site].append((day, low, high))
    found = {}
    for trial, base in based.items():
        known = days.get(trial.bed.site_id) if trial.bed and base is not None else None
        if known and base is not None:
            warm = degree_days(
                [low for _, low, _ in known], [high for _, _, high in known], base, trial.crop.profile.get("upper_c")
            )
            found[trial.pk] = {day: float(w) for (day, _, _), w in zip(known, warm, strict=True)}
    return found


def _rounds(trial: Trial) -> tuple[dict[date, float], dict[date, float]]:
    """All weight of each day of picking, and the over-mature part of it, in kilograms."""
    return trial.once("pick-rounds", lambda: _read_rounds(trial))


def _read_rounds(trial: Trial) -> tuple[dict[date, float], dict[date, float]]:
    whole = {on: good + cull for on, good, cull in _weights(standing(trial), "on")}
    late = _late([trial]).values_list("picking__on").annotate(Sum("kg"))
    return whole, dict(late)


def by_wait(trial: Trial) -> dict[int, float]:
    """The over-mature share (0 to 1) of all that was picked after a wait of so many days."""
    whole, over = _rounds(trial)
    days = [d for d in whole if whole[d] > 0]
    if not over or len(days) < 2:
        return {}
    numbers = [float((d - days[0]).days) for d in days]
    return overmature_by_wait(numbers, [over.get(d, 0.0) for d in days], [whole[d] for d in days])


def round_in_words(trial: Trial) -> str:
    """When the next pick is due, and what waiting longer did; empty without an interval."""
    every = every_days(trial)
    if every is None:
        return ""
    found = next_pick(trial)
    said = f"Picked every {counted(every, 'day')}"
    why = f", {found.because}" if found and found.because else ""
    said += f"; the next is due on {found.on:%a %-d %b}{why}." if found else "."
    shares = by_wait(trial)
    if len(shares) > 1:
        told = ", ".join(f"after {counted(days, 'day')} {100 * share:.0f} %" for days, share in list(shares.items())[:MOST_WAITS])
        said += f" Over-mature by how long it waited: {told}."
    return said


def _first_after(waiting: Sequence[tuple[Trial, PickPlan]], today: date) -> Iterable[Due]:
    """First picks that follow a stage, once it was seen in the first plot."""
    for trial, plan in waiting:
        stage = plan.first_after
        seen = registry.reached(trial, stage, None, True) if registry.reached and stage else None
        on = seen + timedelta(days=plan.first_days) if seen else None
        if on and stage and on <= today + timedelta(days=FIRST_WITHIN):
            what = f"First pick, {counted(plan.first_days, 'day')} after {stage.name.lower()}"
            yield Due("Pick", what, trial, "every plot", on, reverse("harvest:pick", args=[trial.slug]))


def due(today: date) -> Iterable[Due]:
    """First picks that are near and not begun, those due again by the interval, and what is in store to be looked at."""
    soon = today + timedelta(days=FIRST_WITHIN)
    stands = Q(plots__pickings__superseded_by__isnull=True, plots__pickings__withdrawn=False)
    in_store = Exists(StoredLot.objects.in_force().filter(trial=OuterRef("pk")))
    trials = Trial.objects.filter(decided_at__isnull=True, layout_fixed_at__isnull=False).annotate(keeps=in_store)
    near = trials.filter(Q(pick_on__lte=soon) | Q(pick_plan__isnull=False) | Q(keeps=True))
    near = near.select_related("pick_plan__first_after", "crop", "bed")
    keeping: list[Trial] = []
    again: dict[Trial, int] = {}
    plots: dict[int, str] = {}
    first_after: list[tuple[Trial, PickPlan]] = []
    for trial in near.annotate(last=Max("plots__pickings__on", filter=stands), size=Count("plots", distinct=True)):
        url, plan = reverse("harvest:pick", args=[trial.slug]), getattr(trial, "pick_plan", None)
        if trial.keeps:
            keeping.append(trial)
        if trial.last is None and trial.pick_on and trial.pick_on <= soon:
            yield Due("Pick", "First pick", trial, counted(trial.size, "plot"), trial.pick_on, url)
        elif trial.last is None and plan and plan.first_after:
            first_after.append((trial, plan))
        elif trial.last and plan and plan.every_days and trial.last >= today - timedelta(days=DONE_AFTER + plan.every_days):
            again[trial], plots[trial.pk] = plan.every_days, counted(trial.size, "plot")
    yield from _first_after(first_after, today)
    found = next_picks(again) if again else {}
    for one in again:
        if (n := found.get(one.pk)) and today - timedelta(days=DONE_AFTER) <= n.on <= today + timedelta(days=1):
            what = f"Every {counted(n.every, 'day')}, last on {n.last:%-d %b}{f', {n.because}' if n.because else ''}"
            yield Due("Pick", what, one, plots[one.pk], n.on, reverse("harvest:pick", args=[one.slug]))
    if keeping:
        yield from looks_due(keeping, today)
