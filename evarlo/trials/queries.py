"""What the trial pages read."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass, replace
from typing import Any

from django.db.models import Case, Prefetch, When

from evarlo.catalogue.models import Trait
from evarlo.grounds.models import Bed
from evarlo.grounds.weather import frost_of
from evarlo.people.permissions import allowed
from evarlo.trials.drafting import DraftPlot, faults_in
from evarlo.trials.laying import conditions_of
from evarlo.trials.models import Criterion, Deed, Entry, Exclusion, Plot, Trial
from evarlo.trials.registry import DiaryLine, Readings, registry
from evarlo.ui.unchanged import each_told, told
from trialcore.layouts.neighbours import Fault
from trialcore.reckoning.frost import Frost


def trial_list() -> list[Trial]:
    """Every trial with its crop's name, newest season first, those put away too: for lists, which draw nothing."""
    shown = Trial.objects.filter(arriving=False, practice=False).select_related("crop", "bed__site")
    return list(shown.defer("crop__profile", "bed__site__frost_record"))


def shown_first(most: int) -> list[Trial]:
    """The trials that are drawn where there is room for some: those under way first, then the newest."""
    shown = Trial.objects.filter(arriving=False, practice=False, archived_at=None)
    decided = Case(When(decided_at=None, then=0), default=1)
    ordered = shown.select_related("crop", "bed__site").prefetch_related("more_beds").order_by(decided, "-season", "name")
    return list(ordered[:most])


def kept_elsewhere() -> set[int]:
    """The trials (by id) that others keep at their own place: nothing of them is due here, and no plan goes on from them."""
    return {pk for told in each_told(registry.elsewhere) for pk in told}


def frost_of_trial(trial: Trial) -> Frost | None:
    """The frost where a trial stands, moved by what its bed is under; None where nothing is known of it."""
    bed = trial.bed
    return trial.once("frost", lambda: frost_of(bed.site, bed.environment)) if bed else None


def names_shown(trial: Trial, user: Any) -> bool:
    """Whether this person may see which cultivar stands behind a code."""
    return not trial.blind or trial.opened_at is not None or allowed(user, "see_names")


def entry_names(trial: Trial, user: Any) -> dict[int, str]:
    """The name to show for each entry id; the code alone where the trial is blind for this person."""
    shown = names_shown(trial, user)
    return {e.pk: e.cultivar.name if shown else e.code for e in trial.named_entries}


def scores_blind(user: Any) -> bool:
    """Whether this person scores without seeing what others gave: everyone who walks and does not lead the trial."""
    return allowed(user, "observe") and not allowed(user, "plan")


HIDDEN = "(name hidden)"


def without_names(trial: Trial, text: str, user: Any) -> str:
    """What somebody wrote about a trial, without its cultivars' names and synonyms for those who must not know them. No code stands
    in a name's place: whoever typed the name would learn which it is."""
    if not text or names_shown(trial, user):
        return text
    return _pattern_of(trial).sub(HIDDEN, text)


def names_are_hidden(trial: Trial, user: Any) -> bool:
    """Whether this person knows names that are hidden from others."""
    return trial.blind and trial.opened_at is None and names_shown(trial, user)


def names_to_hide(trial: Trial, user: Any) -> list[str]:
    """The names that are hidden from others while the trial is blind, for who knows them: to be told as they are typed."""
    return _names_of(trial) if names_are_hidden(trial, user) else []


def _pattern_of(trial: Trial) -> re.Pattern[str]:
    def made() -> re.Pattern[str]:
        names = "|".join(re.escape(name) for name in _names_of(trial))
        return re.compile(rf"(?<!\w)(?:{names or '(?!)'})(?!\w)", re.IGNORECASE)

    return trial.once("names in writing", made)


def _names_of(trial: Trial) -> list[str]:
    """Whatever names a cultivar of the trial, the longest first."""

    def found() -> list[str]:
        entries = Entry.objects.filter(trial=trial).select_related("cultivar").prefetch_related("cultivar__synonyms")
        told = {
            name
            for e in entries
            for name in (e.cultivar.name, *(s.name for s in e.cultivar.synonyms.all()))
            if name.casefold() != e.code.casefold()
        }
        return sorted(told, key=len, reverse=True)

    return trial.once("names", found)


def plots_of(trial: Trial) -> list[Plot]:
    """The plots along the walking path, each with its entry and its standing exclusion if it has one."""
    standing = Exclusion.objects.in_force()
    plots = trial.plots.select_related("entry__cultivar").prefetch_related(
        Prefetch("exclusions", standing, to_attr="exclusions_in_force")
    )
    return trial.once("plots", lambda: list(plots))


def judged_plots(trial: Trial) -> list[Plot]:
    """The plots along the walking path that are not left out."""
    return [p for p in plots_of(trial) if not p.exclusions_in_force]  # type: ignore[attr-defined]


FILLED = ("plot-yield", "marketable-yield")  # measured on a walk or at the picks: one is reckoned from the other


def readings_of(trial: Trial, trait: Trait) -> Readings:
    """What is known of each plot for a trait, from whichever place of work records it: a plot of which its own place knows
    nothing is filled by another that measured the same."""

    return trial.once(f"readings {trait.pk}", lambda: dict(told(_readings, trial, trait)))


def _readings(trial: Trial, trait: Trait) -> Readings:
    own = registry.readings[trait.source](trial, trait)
    if trait.key in FILLED and any(p.pk not in own for p in plots_of(trial)):
        for fill in registry.fills:
            own = fill(trial, trait) | own
    return own


def criteria_of(trial: Trial) -> list[Criterion]:
    """By what a trial decides, the leading one first."""
    return trial.once("criteria", lambda: list(trial.criteria.select_related("trait")))


def traits_with_records(trial: Trial) -> list[Trait]:
    """The trial's criteria first, then every further trait that has a record."""
    return trial.once("traits", lambda: _traits_with_records(trial))


def _traits_with_records(trial: Trial) -> list[Trait]:
    traits = {c.trait_id: c.trait for c in criteria_of(trial)}
    for trait in recorded_traits(trial).values():
        traits.setdefault(trait.pk, trait)
    return list(traits.values())


def recorded_traits(trial: Trial) -> dict[int, Trait]:
    """The traits of which anything is recorded in this trial, by id."""

    def found() -> dict[int, Trait]:
        return {t.pk: t for told in each_told(registry.traits, trial) for t in told}

    return trial.once("recorded-traits", found)


TURNED = 1e-6  # metres by which a plot is longer or shorter than planned where it lies across its bed


@dataclass(frozen=True)
class LaidBlock:
    """A block as it lies: its bed, near corner and size in metres, and where it is drawn."""

    number: int
    bed: Bed
    x: float
    y: float
    length: float
    width: float
    turned: bool


def blocks_of(trial: Trial) -> list[LaidBlock]:
    """The blocks of a planned trial as they lie; the whole layout as one where the design has no blocks."""
    groups: dict[int, list[Plot]] = {}
    for p in plots_of(trial):
        groups.setdefault(int(p.block or 1), []).append(p)
    turned = set(trial.block_places.filter(turned=True).values_list("block", flat=True))
    beds = {bed.pk: bed for bed in trial.beds}
    made = []
    for n, plots in sorted(groups.items()):
        x, y = min(p.x for p in plots), min(p.y for p in plots)
        length, width = max(p.x + p.length for p in plots) - x, max(p.y + p.width for p in plots) - y
        bed = beds[plots[0].bed_id or trial.beds[0].pk]
        across = n in turned or abs(plots[0].length - (trial.plot_length_m or plots[0].length)) > TURNED
        made.append(LaidBlock(n, bed, round(x, 3), round(y, 3), length, width, across))
    return made


def may_move(trial: Trial) -> bool:
    """Whether its blocks can still be laid elsewhere."""
    return trial.origin == Trial.Origin.PLANNED and not trial.is_fixed and trial.bed is not None


def layout_faults_of(trial: Trial) -> list[Fault]:
    """What about the drawn layout does not meet what a good one does; nothing for a trial that was not planned here."""
    if trial.origin != Trial.Origin.PLANNED or trial.bed is None or trial.of_single_plants:
        return []
    plots = plots_of(trial)
    order = {bed.pk: n for n, bed in enumerate(trial.beds)}
    drawn = [
        DraftPlot(
            p.entry.code,
            p.number,
            p.block,
            p.inner,
            p.row,
            p.col,
            p.x,
            p.y,
            p.length,
            p.width,
            p.level,
            order.get(p.bed_id or 0, 0),
        )
        for p in plots
    ]
    return faults_in(drawn, conditions_of(trial))


UNSEEN = "Scored; the score is shown once you have scored this plot too."


def diary_of(plot: Plot, names: bool, user: Any = None) -> list[DiaryLine]:
    """Everything that happened to a plot, in time order, as `user` may read it; without one, all of it."""
    lines = [line for source in registry.diary for line in source(plot, names)]
    if user is not None and scores_blind(user):
        lines = [x if x.only_for is None or user.pk in x.only_for else replace(x, text=UNSEEN) for x in lines]
    for exclusion in plot.exclusions.select_related("by", "lifted_by"):
        lifted = exclusion.lifted_at is not None
        text = f"Left out of the comparison: {exclusion.get_cause_display()}. {exclusion.note}"
        lines.append(DiaryLine(exclusion.on, text, str(exclusion.by), order=9, struck=lifted))
        if exclusion.lifted_at:
            text = "Taken back into the comparison."
            lines.append(DiaryLine(exclusion.lifted_at.date(), text, str(exclusion.lifted_by), order=10))
    return sorted(lines, key=lambda line: (line.on, line.order))


def deeds_of(trial: Trial) -> list[Deed]:
    """What was done to the trial as a whole, newest first."""
    return list(trial.deeds.select_related("by").order_by("-at", "-id")[:30])


@dataclass(frozen=True)
class Completeness:
    """How many of a trial's plots have a record for each thing that is expected of them."""

    have: int
    expected: int
    by_plot: dict[int, float]

    @property
    def percent(self) -> int:
        return round(100 * self.have / self.expected) if self.expected else 0


def left_out(trials: Iterable[Trial | int]) -> set[int]:
    """The plots of some trials, or of trials with these ids, that are left out of every comparison."""
    rows = Exclusion.objects.in_force().filter(plot__trial__in=list(trials))
    return set(rows.values_list("plot_id", flat=True))


def completeness(trials: list[Trial]) -> dict[int, Completeness]:
    """For each trial: how much of what its criteria and sowing ask for is on record, plot by plot."""
    ids = [t.pk for t in trials]
    plots: dict[int, list[int]] = defaultdict(list)
    out = left_out(ids)
    for pk, trial_id in Plot.objects.filter(trial__in=ids).values_list("pk", "trial_id"):
        plots[trial_id].append(pk)
    things: dict[int, list[set[int]]] = defaultdict(list)
    for one in each_told(registry.complete, ids):
        for (trial_id, _), having in one.items():
            things[trial_id].append(having)
    found: dict[int, Completeness] = {}
    for trial in trials:
        wanted = [p for p in plots[trial.pk] if p not in out]
        count = len(things[trial.pk])
        seen = {p: sum(p in having for having in things[trial.pk]) for p in wanted}
        share = {p: n / count if count else 0.0 for p, n in seen.items()}
        found[trial.pk] = Completeness(sum(seen.values()), len(wanted) * count, share)
    return found
