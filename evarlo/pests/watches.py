"""Pests, diseases and weeds that a trial is watched for: how much there is, whether something has to be done, how it goes on and
where it lies."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date
from zlib import crc32

from django.db import transaction
from django.utils import timezone

from evarlo.catalogue.models import Problem, Trait
from evarlo.catalogue.problems import area_trait, plants_trait
from evarlo.people.models import User
from evarlo.pests.models import Watch
from evarlo.trials.laying import fixed_or_refused
from evarlo.trials.models import Plot, Trial
from evarlo.trials.registry import Pin
from evarlo.ui.refused import Refused, only_done
from evarlo.walks.models import Observation
from evarlo.walks.queries import standing_of
from trialcore.field.clustering import Together, lies_together
from trialcore.field.incidence import Incidence, Reached, mean_severity, trial_incidence
from trialcore.field.progress import progress_area


@dataclass(frozen=True)
class Look:
    """One round for a problem: its day, what it tells of the trial, and the percent of each plot (by id)."""

    on: date
    trait: Trait
    found: Incidence
    by_plot: dict[int, float]


@dataclass(frozen=True)
class EntryCourse:
    """How an entry fared: the mean percent of its plots at each look, and the mean over the season where there are two."""

    entry_id: int
    code: str
    points: tuple[tuple[date, float], ...]
    season: float | None


@dataclass(frozen=True)
class Course:
    """A problem over the season by one measure, plants or area."""

    trait: Trait
    looks: tuple[Look, ...]
    entries: tuple[EntryCourse, ...]
    together: Together | None

    @property
    def last(self) -> Look:
        return self.looks[-1]


@transaction.atomic
def begin_watch(trial: Trial, problem: Problem, since: date, by: User, today: date) -> Watch:
    """Watch a trial for a problem, as a suspicion until it is confirmed. Begun again it goes on. Raises Refused for a day to
    come or a layout that is not fixed."""
    only_done(since, today, "since")
    fixed_or_refused(trial, "problem")
    plants_trait(problem)
    area_trait(problem)
    made, new = Watch.objects.get_or_create(
        trial=trial, problem=problem, defaults={"since": since, "threshold": problem.threshold, "by": by, "at": timezone.now()}
    )
    if not new and made.ended_at:
        made.ended_at = None
        made.save(update_fields=["ended_at"])
    return made


@transaction.atomic
def confirm(watch: Watch, how: str, on: date, by: User, today: date) -> None:
    """Say how a suspicion was made sure of. Raises Refused without it, or for a day to come."""
    if not how.strip():
        raise Refused("Say how it was confirmed: a hand lens, a cut stem, a laboratory.", "how")
    only_done(on, today)
    watch.confirmed_on, watch.confirmed_how, watch.confirmed_by = on, how.strip(), by
    watch.save(update_fields=["confirmed_on", "confirmed_how", "confirmed_by"])


@transaction.atomic
def suspect_again(watch: Watch) -> None:
    """It was something else, or nobody is sure any more."""
    watch.confirmed_on, watch.confirmed_how, watch.confirmed_by = None, "", None
    watch.save(update_fields=["confirmed_on", "confirmed_how", "confirmed_by"])


@transaction.atomic
def set_threshold(watch: Watch, percent: float | None) -> None:
    """The percent at which something is done in this trial; None for never."""
    watch.threshold = percent
    watch.save(update_fields=["threshold"])


@transaction.atomic
def end_watch(watch: Watch) -> None:
    watch.ended_at = timezone.now()
    watch.save(update_fields=["ended_at"])


def traits_of(watch: Watch) -> tuple[Trait, Trait]:
    """The two traits by which a problem is followed, the one that its threshold is told by first."""
    plants, area = plants_trait(watch.problem), area_trait(watch.problem)
    return (plants, area) if watch.problem.threshold_of == Problem.Measure.PLANTS else (area, plants)


def threshold_for(watch: Watch, trait: Trait) -> float | None:
    """The threshold where it is told by this trait; None for the other one."""
    of_plants = watch.problem.threshold_of == Problem.Measure.PLANTS
    return watch.threshold if (trait.kind == Trait.Kind.AFFECTED) == of_plants else None


def course_of(watch: Watch, trait: Trait, plots: Sequence[Plot]) -> Course | None:
    """What the rounds for one measure tell; None before the first. Plots that are left out of the trial do not count."""
    rows = standing_of(watch.trial).filter(round__trait=trait, number__isnull=False, plot__in=[p.pk for p in plots])
    by_round: dict[int, list[Observation]] = defaultdict(list)
    for o in rows.order_by("seen_on", "at"):
        by_round[o.round_id].append(o)
    if not by_round:
        return None
    threshold = threshold_for(watch, trait)
    looks = tuple(sorted((_look(trait, some, threshold) for some in by_round.values()), key=lambda x: x.on))
    return Course(trait, looks, _by_entry(looks, plots), _together(watch, looks[-1], plots))


def _look(trait: Trait, some: Sequence[Observation], threshold: float | None) -> Look:
    by_plot = {o.plot_id: float(o.number or 0) for o in some}
    if trait.kind == Trait.Kind.AFFECTED:
        looked = [o.looked or 1 for o in some]
        affected = [round((o.number or 0) * n / 100) for o, n in zip(some, looked, strict=True)]
        found = trial_incidence(affected, looked, threshold)
    else:
        found = mean_severity(list(by_plot.values()), threshold)
    return Look(max(o.seen_on for o in some), trait, found, by_plot)


def _by_entry(looks: Sequence[Look], plots: Sequence[Plot]) -> tuple[EntryCourse, ...]:
    own: dict[int, list[Plot]] = defaultdict(list)
    for p in plots:
        own[p.entry_id].append(p)
    found = []
    by_plot: dict[int, list[tuple[date, float]]] = defaultdict(list)
    for look in looks:
        for pk, value in look.by_plot.items():
            by_plot[pk].append((look.on, value))
    for entry_id, some in own.items():
        points: dict[date, float] = {}
        for look in looks:
            values = [look.by_plot[p.pk] for p in some if p.pk in look.by_plot]
            if values:
                points[look.on] = sum(values) / len(values)
        seasons = [mean for p in some if (mean := _over_the_season(by_plot[p.pk])) is not None]
        season = sum(seasons) / len(seasons) if seasons else None
        found.append(EntryCourse(entry_id, some[0].entry.code, tuple(points.items()), season))
    return tuple(sorted(found, key=lambda e: (e.season is None, -(e.season or 0), e.code)))


def _over_the_season(points: Sequence[tuple[date, float]]) -> float | None:
    """The mean of a plot between its first and its last score; a missed round is bridged. None with fewer than two."""
    days = sorted(points)
    if len(days) < 2:
        return None
    return progress_area([float((d - days[0][0]).days) for d, _ in days], [v for _, v in days]).standardised


def _together(watch: Watch, look: Look, plots: Sequence[Plot]) -> Together | None:
    """Whether what was seen last lies together, within one bed."""
    seen = [p for p in plots if p.pk in look.by_plot]
    if len({p.bed_id for p in seen}) != 1:
        return None
    middles = [(p.x + p.length / 2, p.y + p.width / 2) for p in seen]
    seed = crc32(f"{watch.pk} {look.on}".encode())
    return lies_together([look.by_plot[p.pk] for p in seen], [x for x, _ in middles], [y for _, y in middles], seed)


def in_words(watch: Watch, course: Course | None) -> str:
    """How it stands, plainly."""
    if course is None:
        return "Not scored yet."
    found, of = course.last.found, "of the plants" if course.trait.kind == Trait.Kind.AFFECTED else "of the area"
    said = f"{found.percent:.3g} % {of} on {course.last.on:%-d %b} (95 %: {found.lower95:.2g} to {found.upper95:.3g})"
    match found.reached:
        case Reached.YES:
            return f"{said}: the threshold of {watch.threshold:g} % is reached."
        case Reached.NO:
            return f"{said}: the threshold of {watch.threshold:g} % is not reached."
        case Reached.UNSURE:
            return f"{said}: whether the threshold of {watch.threshold:g} % is reached cannot be told yet; look at more plants."
    return f"{said}."


def pins(trial: Trial) -> Iterable[Pin]:
    for watch in trial.watches.select_related("problem"):
        if watch.confirmed_on:
            yield Pin(watch.confirmed_on, f"{watch.problem} confirmed, {watch.confirmed_on:%-d %b}", hurts=True)
