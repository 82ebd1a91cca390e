"""What is known of sowing and planting, and what it adds to a trial's pages."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Sequence
from datetime import date, timedelta

from django.db.models import Max, Min, QuerySet

from evarlo.nursery.models import Happening, StationMark, Step, StepDate, Tending
from evarlo.trials.models import Plot, Trial
from evarlo.trials.queries import plots_of
from evarlo.trials.registry import DiaryLine, Span
from evarlo.ui.words import counted
from trialcore.reckoning.balance import Kind


def standing() -> QuerySet[StepDate]:
    """The dates that count: neither corrected nor taken back."""
    return StepDate.objects.in_force()


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


def diary(plot: Plot, _names: bool) -> Iterable[DiaryLine]:
    rows = plot.step_dates.select_related("by").prefetch_related("superseded_by")
    for row in rows:
        text = f"{row.get_step_display().capitalize()}: taken back." if row.withdrawn else f"{row.get_step_display().capitalize()}."
        yield DiaryLine(row.on, text, str(row.by), 1, hasattr(row, "superseded_by"))
    for h in plot.plantings.select_related("by", "sowing__tray", "sowing__session"):
        sown = f"sown {h.sowing.session.on:%-d %b}{' again' if h.sowing.again else ''}, {h.sowing.where}"
        late = ", late, into gaps" if h.late else ""
        yield DiaryLine(h.on, f"{counted(h.plants, 'plant')}{late} ({sown}).", str(h.by), 2, h.undone_at is not None)
    for b in plot.bought_in.select_related("by"):
        yield DiaryLine(b.on, f"{b.plants} bought plants from {b.source}.", str(b.by), 2, b.undone_at is not None)
    for m in plot.station_marks.select_related("by"):
        yield DiaryLine(m.on, f"Station {m.station + 1}: {m.get_what_display()}.", str(m.by), 3, m.undone_at is not None)


def spans(trial: Trial) -> Iterable[Span]:
    kept = {
        row["step"]: row for row in standing().filter(plot__trial=trial).values("step").annotate(first=Min("on"), last=Max("on"))
    }
    for step, phase, planned in ((Step.SOWN, "sow", trial.sow_on), (Step.PLANTED, "plant", trial.plant_on)):
        if step in kept:
            yield Span(phase, kept[step]["first"], kept[step]["last"])
        elif planned:
            yield Span(phase, planned, planned + timedelta(days=1), planned=True)


def begun(trial_ids: Sequence[int]) -> dict[tuple[int, str], date]:
    """The first day on which plots of each trial were sown and planted, and on which seedlings were counted."""
    rows = standing().filter(plot__trial__in=trial_ids).values("plot__trial", "step")
    phase = {Step.SOWN: "sow", Step.PLANTED: "plant"}
    found = {(row["plot__trial"], phase[Step(row["step"])]): row["first"] for row in rows.annotate(first=Min("on")).order_by()}
    counted = Happening.objects.in_force().filter(sowing__entry__trial__in=trial_ids, kind=Kind.COUNTED)
    for row in counted.values("sowing__entry__trial").annotate(first=Min("on")).order_by():
        found[row["sowing__entry__trial"], "emergence"] = row["first"]
    hardened = Tending.objects.in_force().filter(tray__sowings__entry__trial__in=trial_ids, what=Tending.What.HARDENED)
    for trial, first in hardened.order_by().values_list("tray__sowings__entry__trial").annotate(first=Min("on")):
        found[trial, "harden"] = first
    return found


def marks_in(trial: Trial) -> QuerySet[StationMark]:
    """Every mark at a station that stands, the oldest first."""
    return StationMark.objects.in_force().filter(plot__trial=trial).order_by("on", "id")


def station_marks(trial: Trial) -> dict[int, dict[int, StationMark]]:
    """The mark that stands at each station of each plot, by plot id and station."""
    found: dict[int, dict[int, StationMark]] = defaultdict(dict)
    for mark in marks_in(trial):
        found[mark.plot_id][mark.station] = mark
    return found


def every_mark(trial: Trial) -> list[StationMark]:
    """Those of `marks_in`, read once a page."""
    return trial.once("station_marks", lambda: list(marks_in(trial).select_related("plot__entry")))


def not_judged(trial: Trial) -> dict[int, dict[int, StationMark]]:
    """The stations within the net plot, by plot id, that are not judged because their plants may be the next plot's."""
    return trial.once("not_judged", lambda: _not_judged(trial))


def _not_judged(trial: Trial) -> dict[int, dict[int, StationMark]]:
    if trial.spacing is None:
        return {}
    found: dict[int, dict[int, StationMark]] = defaultdict(dict)
    for mark in every_mark(trial):
        spacing = trial.spacing_of(mark.plot.entry)
        if mark.what == StationMark.What.UNSURE and spacing and mark.station in spacing.inside:
            found[mark.plot_id][mark.station] = mark
    return found


def aside_in_words(trial: Trial) -> str:
    """The plots with plants beside a lost boundary, which are left when it is picked; empty where there are none."""
    unsure = not_judged(trial)
    numbers = [f"{p.number} ({len(unsure[p.pk])})" for p in plots_of(trial) if p.pk in unsure]
    return f"Not judged, beside a lost boundary: plants of {', '.join(numbers)}." if numbers else ""


def root_bound(trays: Iterable[int], on: date) -> dict[int, date]:
    """Since when the plants of each tray (by its id) are root-bound on a day: marked so, and not potted on since."""
    found: dict[int, date] = {}
    kinds = (Tending.What.BOUND, Tending.What.POTTED_ON)
    for t in Tending.objects.in_force().filter(tray__in=list(trays), what__in=kinds, on__lte=on).order_by("on", "id"):
        if t.what == Tending.What.POTTED_ON:
            found.pop(t.tray_id, None)
        else:
            found.setdefault(t.tray_id, t.on)
    return found


def gaps(trial: Trial) -> dict[int, set[int]]:
    """The stations of each plot at which a gap is marked and nothing came back."""
    found = {pk: {n for n, m in marks.items() if m.what == StationMark.What.GAP} for pk, marks in station_marks(trial).items()}
    return {pk: stations for pk, stations in found.items() if stations}


def complete(trial_ids: list[int]) -> dict[tuple[int, str], set[int]]:
    planned = Trial.objects.filter(pk__in=trial_ids, origin=Trial.Origin.PLANNED).values_list("pk", flat=True)
    having: dict[tuple[int, str], set[int]] = {(pk, "sown"): set() for pk in planned}
    rows = standing().filter(plot__trial__in=planned, step=Step.SOWN)
    for trial_id, plot_id in rows.values_list("plot__trial", "plot").distinct():
        having[trial_id, "sown"].add(plot_id)
    return having
