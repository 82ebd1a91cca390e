"""What is known of sowing and planting, and what it adds to a trial's pages."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import date, timedelta

from django.db.models import Count, Max, Min, Q, QuerySet
from django.urls import reverse

from evarlo.nursery.models import Step, StepDate
from evarlo.trials.models import Plot, Trial
from evarlo.trials.registry import DiaryLine, Due, Span


def standing() -> QuerySet[StepDate]:
    """The dates that count: neither corrected nor taken back."""
    return StepDate.objects.filter(superseded_by__isnull=True, withdrawn=False)


def step_rows(trial: Trial, step: str) -> list[StepDate]:
    """The date that stands for each plot."""
    return list(standing().filter(plot__trial=trial, step=step))


def sown_on(trial: Trial) -> dict[int, date]:
    """The sowing day of each plot that was sown, by plot id."""
    rows = standing().filter(plot__trial=trial, step=Step.SOWN).order_by()
    return trial.once("sown", lambda: dict(rows.values_list("plot_id", "on")))


def plot_sown_on(plot: Plot) -> date | None:
    """The sowing day of one plot."""
    row = standing().filter(plot=plot, step=Step.SOWN).first()
    return row.on if row else None


def diary(plot: Plot, names: bool) -> Iterable[DiaryLine]:
    rows = plot.step_dates.select_related("by").prefetch_related("superseded_by")
    for row in rows:
        text = f"{row.get_step_display().capitalize()}: taken back." if row.withdrawn else f"{row.get_step_display().capitalize()}."
        yield DiaryLine(row.on, text, str(row.by), 1, hasattr(row, "superseded_by"))
    for h in plot.plantings.select_related("by", "sowing__tray", "sowing__session"):
        sown = f"sown {h.sowing.session.on:%-d %b}{' again' if h.sowing.again else ''}, {h.sowing.where}"
        late = ", late, into gaps" if h.late else ""
        yield DiaryLine(h.on, f"{h.plants} plants{late} ({sown}).", str(h.by), 2, h.undone_at is not None)
    for b in plot.bought_in.select_related("by"):
        yield DiaryLine(b.on, f"{b.plants} bought plants from {b.source}.", str(b.by), 2, b.undone_at is not None)
    for m in plot.station_marks.select_related("by"):
        yield DiaryLine(m.on, f"Station {m.station + 1}: {m.get_what_display()}.", str(m.by), 3, m.undone_at is not None)


def spans(trial: Trial) -> Iterable[Span]:
    kept = {
        row["step"]: row for row in standing().filter(plot__trial=trial).values("step").annotate(first=Min("on"), last=Max("on"))
    }
    for step, stage, planned in ((Step.SOWN, "sow", trial.sow_on), (Step.PLANTED, "plant", trial.plant_on)):
        if step in kept:
            yield Span(stage, kept[step]["first"], kept[step]["last"])
        elif planned:
            yield Span(stage, planned, planned + timedelta(days=1), planned=True)


def begun(trial_ids: Sequence[int]) -> dict[tuple[int, str], date]:
    """The first day on which plots of each trial were sown and planted."""
    rows = standing().filter(plot__trial__in=trial_ids).values("plot__trial", "step")
    stage = {Step.SOWN: "sow", Step.PLANTED: "plant"}
    return {(row["plot__trial"], stage[Step(row["step"])]): row["first"] for row in rows.annotate(first=Min("on")).order_by()}


def due(today: date) -> Iterable[Due]:
    """Sowings and plantings whose planned day is near or past and that are not done."""
    soon = today + timedelta(days=7)
    standing_now = Q(plots__step_dates__superseded_by__isnull=True, plots__step_dates__withdrawn=False)

    def having(step: str) -> Count:
        return Count("plots__step_dates__plot", filter=standing_now & Q(plots__step_dates__step=step), distinct=True)

    open_now = Trial.objects.filter(layout_fixed_at__isnull=False, decided_at__isnull=True)
    trials = open_now.annotate(n=Count("plots", distinct=True), sown=having(Step.SOWN), planted=having(Step.PLANTED))
    for trial in trials:
        steps = ((Step.SOWN, "Sow", trial.sow_on, trial.sown), (Step.PLANTED, "Plant", trial.plant_on, trial.planted))
        for step, verb, on, done in steps:
            left = trial.n - done
            if on and on <= soon and left:
                url = reverse("nursery:sow" if step == Step.SOWN else "nursery:plant", args=[trial.slug])
                yield Due(verb, f"All {trial.blocks} blocks", trial, f"{left} plots", on, url)


def complete(trial_ids: list[int]) -> dict[tuple[int, str], set[int]]:
    planned = Trial.objects.filter(pk__in=trial_ids, origin=Trial.Origin.PLANNED).values_list("pk", flat=True)
    having: dict[tuple[int, str], set[int]] = {(pk, "sown"): set() for pk in planned}
    rows = standing().filter(plot__trial__in=planned, step=Step.SOWN)
    for trial_id, plot_id in rows.values_list("plot__trial", "plot").distinct():
        having[trial_id, "sown"].add(plot_id)
    return having
