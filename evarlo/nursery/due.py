"""What is due of sowing and planting: planned days that are near or past, and entries to be sown again while there is time."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import date, timedelta

from django.db.models import Count, Exists, OuterRef, Q
from django.urls import reverse

from evarlo.nursery.coming_up import last_sowing, to_sow_again
from evarlo.nursery.models import Sowing, Step
from evarlo.trials.models import Trial
from evarlo.trials.registry import Due
from evarlo.ui.words import counted

SOON = 7  # days ahead
FORGOTTEN = 200  # days after its sowing from which a plan that was never fixed is no longer asked about
RECENT = 60  # days since a sowing in which it may have to be sown again


def due(today: date) -> Iterable[Due]:
    """Of every trial whose layout is fixed and that is not decided."""
    standing = Q(plots__step_dates__superseded_by__isnull=True, plots__step_dates__withdrawn=False)

    def having(*steps: str) -> Count:
        return Count("plots__step_dates__plot", filter=standing & Q(plots__step_dates__step__in=steps), distinct=True)

    recent = Sowing.objects.in_force().filter(entry__trial=OuterRef("pk"), session__on__gte=today - timedelta(days=RECENT))
    trials = list(
        Trial.objects.filter(layout_fixed_at__isnull=False, decided_at__isnull=True)
        .select_related("crop", "bed__site", "need_plan", "raising_rule")
        .annotate(n=Count("plots", distinct=True), sown=having(Step.SOWN, Step.PLANTED), planted=having(Step.PLANTED))
        .annotate(raising=Exists(recent))
    )
    for trial in trials:
        steps = ((Step.SOWN, "Sow", trial.sow_on, trial.sown), (Step.PLANTED, "Plant", trial.plant_on, trial.planted))
        for step, verb, on, done in steps:
            left = trial.n - done
            if on and on <= today + timedelta(days=SOON) and left:
                url = reverse("nursery:sow" if step == Step.SOWN else "nursery:plant", args=[trial.slug])
                yield Due(verb, f"All {trial.blocks} blocks", trial, counted(left, "plot"), on, url)
    yield from _not_fixed(today)
    if raising := [t for t in trials if t.raising]:
        yield from _again(raising, today)


def _not_fixed(today: date) -> Iterable[Due]:
    """Trials that should be sown and whose layout can still change: nothing can be sown before it is fixed."""
    when = (today - timedelta(days=FORGOTTEN), today + timedelta(days=SOON))
    near = Trial.objects.filter(layout_fixed_at__isnull=True, origin=Trial.Origin.PLANNED, sow_on__range=when)
    for trial in near.annotate(n=Count("plots", distinct=True)):
        plots, url = counted(trial.n, "plot"), trial.get_absolute_url()
        yield Due("Fix", "The layout, before sowing", trial, plots, trial.sow_on or today, url)


def _again(raising: Sequence[Trial], today: date) -> Iterable[Due]:
    for trial, rows in to_sow_again(raising, today):
        last, _ = last_sowing(trial)
        if last:
            codes = ", ".join(r.book.entry.code for r in rows[:4])
            seeds = sum(r.resow.seeds for r in rows if r.resow)
            yield Due(
                "Sow", f"{codes} again", trial, counted(seeds, trial.crop.piece), last, reverse("nursery:coming", args=[trial.slug])
            )
