"""What the rounds tell, and what they add to a trial's pages."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta

from django.db.models import Count, Max, Min, Q, QuerySet
from django.urls import reverse

from evarlo.catalogue.models import Trait
from evarlo.databases.marks import of_its_trial, within_trials
from evarlo.nursery.queries import sown_on
from evarlo.trials.models import Criterion, Plot, Trial
from evarlo.trials.queries import left_out
from evarlo.trials.registry import DiaryLine, Due, Pin, Reading, Readings, Span
from evarlo.ui.words import counted
from evarlo.walks.models import Observation, Rival, Round, Value
from trialcore.field.progress import progress_area
from trialcore.field.samples import sample_mean
from trialcore.field.stages import days_between
from trialcore.field.standing import Stood, stood


def current(walk: Round) -> QuerySet[Observation]:
    """The observation that stands for each plot of a round."""
    return Observation.objects.in_force().filter(round=walk)


def standing_of(trial: Trial) -> QuerySet[Observation]:
    """Every observation of a trial that stands."""
    return Observation.objects.in_force().filter(round__trial=trial)


@of_its_trial
def latest_round(trial: Trial, trait: Trait) -> Round | None:
    """The newest round of a trait that has any value."""
    rounds = Round.objects.filter(trial=trial, trait=trait, observations__isnull=False)
    return rounds.order_by("-number").first()


@of_its_trial
def readings(trial: Trial, trait: Trait, walk: Round | None = None) -> Readings:
    """The values of a round (the newest with any value unless one is given), dates as days from sowing."""
    walk = walk or latest_round(trial, trait)
    if walk is None:
        return {}
    rows = current(walk).order_by().values_list("plot_id", "number", "day", "cause", "note", "looked")
    if trait.kind != Trait.Kind.DATE:
        return {plot: Reading(number, None, cause, note, looked) for plot, number, _, cause, note, looked in rows}
    sown, reached = sown_on(trial), first_days(trial, trait)
    found: Readings = {}
    for plot, _, day, cause, note, _ in rows:
        start = sown.get(plot)
        if reached.get(plot):
            day, cause = reached[plot], ""
        days = days_between(start, day) if start and day and start <= day else None
        found[plot] = Reading(days, day, cause, note)
    return found


def first_days(trial: Trial, trait: Trait) -> dict[int, date]:
    """The day on which each plot (by id) reached a stage, by the walks that hold."""
    from evarlo.walks.stages import windows

    return {plot: w.by for plot, w in windows(trial, trait).items() if w.by}


@of_its_trial
def course(trial: Trial, trait: Trait) -> Readings:
    """The mean of a share over the season, plot by plot: the area under its course by the days."""
    assert trait.of
    if trait.of.kind == Trait.Kind.YES_NO:
        since = lasted(trial, trait.of)
        return {pk: Reading(s.middle, note="" if s.most is not None else "at least; it lasts still") for pk, s in since.items()}
    points: dict[int, list[tuple[date, float]]] = defaultdict(list)
    rows = standing_of(trial).filter(round__trait=trait.of_id, number__isnull=False).order_by("seen_on", "at")
    for plot, on, number in rows.values_list("plot_id", "seen_on", "number"):
        points[plot] = [p for p in points[plot] if p[0] != on] + [(on, float(number or 0))]  # the later of two of one day
    found: Readings = {}
    for plot, some in points.items():
        if len(some) > 1:
            days = [float((on - some[0][0]).days) for on, _ in some]
            found[plot] = Reading(progress_area(days, [n for _, n in some]).standardised)
    return found


@of_its_trial
def lasted(trial: Trial, trait: Trait) -> dict[int, Stood]:
    """How long a yes lasted in each plot (by id) that had one, over the rounds of a trait."""
    looks: dict[int, dict[date, bool]] = defaultdict(dict)
    rows = standing_of(trial).filter(round__trait=trait, number__isnull=False).order_by("seen_on", "at")
    for plot, on, number in rows.values_list("plot_id", "seen_on", "number"):
        looks[plot][on] = bool(number)  # the later of two of one day
    found = {pk: stood([(float(on.toordinal()), fit) for on, fit in some.items()]) for pk, some in looks.items()}
    return {pk: s for pk, s in found.items() if s}


@of_its_trial
def within(trial: Trial, trait: Trait) -> Readings:
    """How far the plants of each plot differ in the newest round, in percent of their mean."""
    assert trait.of
    walk = latest_round(trial, trait.of)
    rows = current(walk).values_list("plot_id", "parts") if walk else ()
    return {plot: Reading(sample_mean(parts).cv_percent) for plot, parts in rows if parts and len(parts) > 2}


@of_its_trial
def walked_traits(trial: Trial) -> list[Trait]:
    """Traits of which this trial has a value, and what is reckoned from them."""
    rounds = dict(
        Round.objects.filter(trial=trial, observations__isnull=False)
        .values("trait")
        .annotate(n=Count("pk", distinct=True))
        .values_list("trait", "n")
        .order_by()
    )
    again = [t for t, n in rounds.items() if n > 1]
    derived = Q(of__in=again, source=Trait.Source.COURSE) | Q(of__in=list(rounds), source=Trait.Source.WITHIN)
    return list(Trait.objects.filter(Q(pk__in=list(rounds)) | derived))


def walkable(walk: Round) -> list[Plot]:
    """The plots of a round along the path; those left out of the trial are not walked."""
    plots = walk.trial.plots.exclude(pk__in=left_out([walk.trial_id]))
    return list(plots.filter(pk__in=walk.only) if walk.only else plots)


def shown(value: Value, trait: Trait) -> str:
    """A value as it is read out: 17 %, 14 Jul, 3 of 10, or why there is none."""
    if value.cause:
        return str(value.get_cause_display())
    if value.day:
        return f"{value.day:%-d %b}"
    if value.number is None:
        return "nothing"
    match trait.kind:
        case Trait.Kind.CATEGORY:
            return str(trait.choices[int(value.number) - 1])
        case Trait.Kind.YES_NO:
            return "yes" if value.number else "no"
        case Trait.Kind.AFFECTED:
            return f"{value.number * (value.looked or 0) / 100:.0f} of {value.looked} plants"
    mean = f"{value.number:.4g} {trait.unit}".strip()
    return f"{mean}, mean of {len(value.parts)}" if value.parts else mean


def diary(plot: Plot, _names: bool) -> Iterable[DiaryLine]:
    rows = plot.observations.order_by("at").select_related("by", "round__trait").prefetch_related("superseded_by")
    eyes = who_scored(plot)
    for row in rows:
        what = row.round.trait
        if row.withdrawn:
            text = f"{what.name}: taken back."
        elif row.cause:
            text = f"{what.name}: no value, {row.get_cause_display()}."
        else:
            text = f"{what.name}: {shown(row, what)}."
        only_for = None if row.round.closed_at else frozenset(eyes[row.round_id])
        yield DiaryLine(row.seen_on, f"{text} {row.note}".strip(), str(row.by), 3, hasattr(row, "superseded_by"), only_for)


def who_scored(plot: Plot) -> dict[int, set[int]]:
    """By round, who has given a value of this plot (by id)."""
    found: dict[int, set[int]] = defaultdict(set)
    for kept in (Observation, Rival):
        for round_id, by in kept.objects.filter(plot=plot).values_list("round", "by"):
            found[round_id].add(by)
    return found


def rounds_of(trial: Trial) -> list[Round]:
    """Every round of a trial, read once for a page."""
    return trial.once("rounds", lambda: list(Round.objects.filter(trial=trial).select_related("trait")))


@of_its_trial
def spans(trial: Trial) -> Iterable[Span]:
    seen = Observation.objects.filter(round__trial=trial).aggregate(first=Min("seen_on"), last=Max("seen_on"))
    planned = [r.due_on for r in rounds_of(trial) if r.due_on]
    first, last = seen["first"] or min(planned, default=None), max(filter(None, (seen["last"], *planned)), default=None)
    if first and last:
        yield Span("walk", first, last, planned=seen["first"] is None)


def pins(trial: Trial) -> Iterable[Pin]:
    for walk in rounds_of(trial):
        on = walk.opened_on or walk.due_on
        if on:
            to_do = not walk.opened_on
            text = f"{walk.trait.name}, {'to walk' if to_do else 'walked'} {on:%-d %b}"
            yield Pin(on, text, key=f"walk-{walk.pk}" if to_do else "")


def begun(trial_ids: Sequence[int]) -> dict[tuple[int, str], date]:
    """The first day on which the stand was counted and a first flower was seen in each trial."""
    keys = {"stand": "stand", "first-flower": "flower"}
    rows = Observation.objects.in_force().filter(round__trial__in=trial_ids, round__trait__key__in=keys, cause="")
    found = rows.order_by().values_list("round__trial", "round__trait__key").annotate(first=Min("seen_on"))
    with within_trials(*trial_ids):
        return {(trial, keys[key]): first for trial, key, first in found}


@of_its_trial
def reached(trial: Trial, trait: Trait, value: float | None, in_first: bool) -> date | None:
    """The day on which a trait was at `value` or above (a stage: was there) in the first plot, or in half of those that count."""
    first: dict[int, date] = {}
    rows = standing_of(trial).filter(round__trait=trait).order_by("seen_on", "at")
    for plot, number, day, on in rows.values_list("plot_id", "number", "day", "seen_on"):
        so_far = day is not None if trait.kind == Trait.Kind.DATE else number is not None and number >= (value or 0.0)
        if so_far:
            first.setdefault(plot, day or on)
    plots = set(trial.plots.exclude(pk__in=left_out([trial])).values_list("pk", flat=True))
    days = sorted(on for plot, on in first.items() if plot in plots)
    enough = 1 if in_first else -(-len(plots) // 2)
    return days[enough - 1] if days and len(days) >= enough else None


def due(today: date) -> Iterable[Due]:
    """Rounds that are planned for the next days or begun and not finished."""
    soon = today + timedelta(days=7)
    rounds = list(
        Round.objects.filter(closed_at__isnull=True, due_on__lte=soon, trial__decided_at__isnull=True).select_related(
            "trial", "trait"
        )
    )
    gone = left_out({r.trial_id for r in rounds}) if rounds else set()
    there: dict[int, set[int]] = defaultdict(set)
    for trial_id, plot in Plot.objects.filter(trial__in={r.trial_id for r in rounds}).order_by().values_list("trial", "pk"):
        there[trial_id].add(plot)
    seen: dict[int, set[int]] = defaultdict(set)
    looked_at = Observation.objects.filter(round__in=rounds).order_by().values_list("round", "plot").distinct()
    with within_trials(*{r.trial_id for r in rounds}):
        for round_id, plot in looked_at:
            seen[round_id].add(plot)
    for walk in rounds:
        plots = len((set(walk.only) or there[walk.trial_id]) - gone)
        done = len(seen[walk.pk] - gone)
        if walk.due_on and done < plots:
            left = counted(plots - done, "plot") if not done else f"{plots - done} of {plots} plots left"
            url = reverse("walks:walk", args=[walk.trial.slug])
            yield Due("Walk", walk.trait.name, walk.trial, left, walk.due_on, url)


def complete(trial_ids: list[int]) -> dict[tuple[int, str], set[int]]:
    wanted: dict[tuple[int, str], set[int]] = {}
    criteria = Criterion.objects.filter(trial__in=trial_ids, trait__source=Trait.Source.WALK)
    for trial_id, trait_id in criteria.values_list("trial", "trait"):
        wanted[trial_id, f"trait {trait_id}"] = set()
    rows = Observation.objects.in_force().filter(round__trial__in=trial_ids)
    for trial_id, trait_id, plot_id in rows.values_list("round__trial", "round__trait", "plot").distinct():
        if (trial_id, f"trait {trait_id}") in wanted:
            wanted[trial_id, f"trait {trait_id}"].add(plot_id)
    return wanted


@dataclass(frozen=True)
class RoundLine:
    """A round as it stands in the list: how many plots have a value."""

    round: Round
    done: int
    plots: int

    @property
    def left(self) -> int:
        return self.plots - self.done


def newer(trial: Trial, since: datetime, who: int) -> int:
    """How many values of a trial others have recorded since a moment."""
    return Observation.objects.filter(round__trial=trial, at__gt=since).exclude(by=who).count()


@of_its_trial
def round_lines(trial: Trial) -> list[RoundLine]:
    """The rounds of a trial, those to be walked first."""
    out = left_out([trial])
    plots = set(trial.plots.exclude(pk__in=out).values_list("pk", flat=True))
    seen: dict[int, set[int]] = defaultdict(set)
    for round_id, plot_id in standing_of(trial).values_list("round", "plot"):
        seen[round_id].add(plot_id)
    rounds = Round.objects.filter(trial=trial).select_related("trait")
    asked = {r.pk: plots & set(r.only) if r.only else plots for r in rounds}
    lines = [RoundLine(r, len(seen[r.pk] & asked[r.pk]), len(asked[r.pk])) for r in rounds]
    return sorted(lines, key=lambda x: (x.round.closed_at is not None or x.left == 0, x.round.due_on or date.max, x.round.pk))
