"""Every write to a trial: one function an act, one transaction each, checks first."""

from __future__ import annotations

import itertools
import random
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

from django.db import transaction
from django.utils import timezone
from django.utils.text import slugify

from evarlo.catalogue.models import Crop, Cultivar, Trait
from evarlo.catalogue.services import cultivar_of
from evarlo.grounds.models import Bed
from evarlo.people.models import User
from evarlo.trials.deeds import record
from evarlo.trials.drafting import Wanted
from evarlo.trials.laying import lay_out, running_or_refused, still_open
from evarlo.trials.models import (
    TWO_FACTORS,
    WITHDRAWN,
    Criterion,
    Entry,
    Exclusion,
    Material,
    NeedPlan,
    Plot,
    Trial,
)
from evarlo.trials.needs import defaults_for, plan_of
from evarlo.ui.refused import Refused
from evarlo.ui.words import counted
from trialcore.layouts.bed import judged_stations, stations

MOST_ENTRIES = 400
MOST_BLOCKS = 20
MOST_SQUARE = 16
MOST_LEVELS = 12
MOST_PLOTS = 4000
MOST_MATERIALS = 40


@dataclass(frozen=True)
class CriterionPlan:
    trait: Trait
    direction: str
    matters: float
    must: float | None = None
    weight: float = 1.0


@dataclass(frozen=True)
class TrialPlan:
    """Everything a planned trial is made from. Lengths in metres, spacings in centimetres."""

    name: str
    question: str
    crop: Crop
    season: str
    bed: Bed
    entries: Sequence[str]
    check: str
    blocks: int
    plot_length_m: float
    plot_width_m: float
    path_m: float
    between_rows_cm: float
    in_row_cm: float
    cv_percent: float
    criteria: Sequence[CriterionPlan]
    sow_on: date | None = None
    plant_on: date | None = None
    pick_on: date | None = None
    blind: bool = True
    design: str = Trial.Design.BLOCKS
    block_size: int | None = None
    factor: str = ""
    levels: Sequence[str] = ()
    entries_whole: bool = False
    repeated: Sequence[str] = ()  # further checks, by name
    more_beds: Sequence[Bed] = ()
    guard_m: float = 0.0
    border: int = 0
    saves_seed: bool = False
    raised: bool | None = None  # in a nursery and planted out; None as the crop usually is, and raised where a day to plant is set


# What a plan and its trial share under one name.
SHARED = (
    "name",
    "question",
    "crop",
    "season",
    "bed",
    "design",
    "blocks",
    "block_size",
    "plot_length_m",
    "plot_width_m",
    "path_m",
    "between_rows_cm",
    "in_row_cm",
    "cv_percent",
    "blind",
    "sow_on",
    "plant_on",
    "pick_on",
    "factor",
    "entries_whole",
    "guard_m",
    "border",
    "saves_seed",
)


@transaction.atomic
def plan_trial(plan: TrialPlan, by: User, seed: int | None = None) -> Trial:
    """Make a trial with its entries, criteria and a first layout. Raises Refused when the plan cannot stand."""
    _check_plan(plan)
    shared = {name: getattr(plan, name) for name in SHARED}
    slug = free_slug(f"{plan.name} {plan.season}")
    trial = Trial.objects.create(slug=slug, levels=list(plan.levels), made_by=by, made_at=timezone.now(), **shared)
    _put_in(trial, plan, seed)
    _keep_raising(trial, plan)
    record(trial, by, f"Planned with {counted(len(plan.entries), 'entry')}: {trial.design_in_words}."[:300])
    lay_out(trial, seed, by)
    return trial


@transaction.atomic
def change_plan(trial: Trial, plan: TrialPlan, by: User) -> Trial:
    """Put another plan in the place of a trial's, and draw it anew. Raises Refused once the layout is fixed, or when the plan
    cannot stand; the trial then stays as it was."""
    trial = still_open(trial)
    _check_plan(plan, instead_of=trial)
    for name in SHARED:
        setattr(trial, name, getattr(plan, name))
    trial.levels = list(plan.levels)
    trial.save()
    trial.plots.all().delete()
    trial.entries.all().delete()
    trial.criteria.all().delete()
    trial.block_places.all().delete()
    _put_in(trial, plan)
    _keep_raising(trial, plan)
    record(trial, by, f"Plan changed: {counted(len(plan.entries), 'entry')}, {trial.design_in_words}."[:300])
    lay_out(trial, None, by)
    return trial


@dataclass(frozen=True)
class FinishedPlot:
    """A plot of a trial that was grown elsewhere, as it stood: its entry by name, and where it lies in metres."""

    entry: str
    number: str
    block: str
    inner: str
    place: int
    row: int
    col: int
    x: float
    y: float
    length: float
    width: float


@transaction.atomic
def take_in_trial(name: str, crop: Crop, season: str, design: str, blocks: int, by: User) -> Trial:
    """A trial that was grown already, to be filled with its entries, plots and values; nobody sees it before it is `arrived`.
    Nothing about it is blind or open."""
    now = timezone.now()
    return Trial.objects.create(
        slug=free_slug(f"{name} {season}"),
        name=name,
        crop=crop,
        season=season,
        origin=Trial.Origin.SHEET,
        design=design,
        blocks=blocks,
        blind=False,
        arriving=True,
        layout_fixed_at=now,
        made_by=by,
        made_at=now,
    )


@transaction.atomic
def take_in_entries(trial: Trial, codes: Sequence[str], check: str) -> None:
    """Entries of a trial that is arriving, each the cultivar of that name."""
    cultivars = cultivars_named(trial.crop, codes)
    Entry.objects.bulk_create(
        Entry(trial=trial, code=code, cultivar=cultivar, is_check=code == check) for code, cultivar in cultivars.items()
    )


@transaction.atomic
def take_in_plots(trial: Trial, plots: Sequence[FinishedPlot]) -> None:
    """Plots of a trial that is arriving, as they stood."""
    known = {entry.code: entry for entry in trial.entries.filter(code__in={plot.entry for plot in plots})}
    Plot.objects.bulk_create(Plot(trial=trial, **{**vars(plot), "entry": known[plot.entry]}) for plot in plots)


@transaction.atomic
def arrived(trial: Trial) -> None:
    """All of it is in: from now on it is seen."""
    Trial.objects.filter(pk=trial.pk).update(arriving=False)


@transaction.atomic
def drop_material(material: Material) -> None:
    """A material that the plots do not get after all. Its row stays on record."""
    material.undone_at = timezone.now()
    material.save(update_fields=["undone_at"])


@transaction.atomic
def follow_trial(before: Trial, name: str, season: str, crop: Crop, by: User) -> Trial:
    """Another year on the same plots: the same layout, numbers and entries, for this crop or another. Raises Refused while the
    layout of the trial before can still change, when it has a follower, or for a name that is taken."""
    if not before.is_fixed or before.bed is None:
        raise Refused("Only plots whose layout is fixed in a bed can be used again.")
    if before.followers.exists():
        raise Refused(f"Its plots are used again by {before.followers.get()} already.")
    if Trial.objects.filter(name__iexact=name, season=season).exists():
        raise Refused(f"There is a trial “{name}” in season {season} already. Give this one another name.", "name")
    kept = {
        field: getattr(before, field)
        for field in SHARED
        if field not in ("name", "season", "crop", "sow_on", "plant_on", "pick_on")
    }
    now = timezone.now()
    trial = Trial.objects.create(
        slug=free_slug(f"{name} {season}"),
        name=name,
        season=season,
        crop=crop,
        levels=before.levels,
        follows=before,
        made_by=by,
        made_at=now,
        layout_seed=before.layout_seed,
        layout_fixed_at=now,
        output_unit=before.output_unit,
        **kept,
    )
    trial.more_beds.set(before.more_beds.all())
    entries = {}
    told = list(before.entries.select_related("cultivar"))
    codes = drawn_codes([e.code for e in told]) if trial.blind else [e.code for e in told]
    for code, e in sorted(zip(codes, told, strict=True), key=lambda pair: pair[0]):
        cultivar = e.cultivar if crop == before.crop else cultivar_named(crop, e.cultivar.name)
        entries[e.pk] = Entry.objects.create(trial=trial, code=code, cultivar=cultivar, is_check=e.is_check, repeated=e.repeated)
    same = ("number", "block", "inner", "level", "bed_id", "place", "row", "col", "x", "y", "length", "width")
    Plot.objects.bulk_create(
        Plot(trial=trial, entry=entries[p.entry_id], **{field: getattr(p, field) for field in same}) for p in before.plots.all()
    )
    for c in before.criteria.all():
        Criterion.objects.create(
            trial=trial, trait=c.trait, rank=c.rank, direction=c.direction, matters=c.matters, must=c.must, weight=c.weight
        )
    record(trial, by, f"Another year on the plots of {before.name}, {before.season}.")
    return trial


@transaction.atomic
def declare_output(trial: Trial, unit: str, per_kg: float, by: User) -> None:
    """In which unit the output of years on the same plots is summed, and how much of it a marketable kilogram makes."""
    for year in trial.years:
        Trial.objects.filter(pk=year.pk).update(output_unit=unit)
    Trial.objects.filter(pk=trial.pk).update(output_per_kg=per_kg)
    record(trial, by, f"A marketable kilogram counts as {per_kg:g} {unit}.")


def drawn_codes(codes: Sequence[str], seed: int | None = None) -> list[str]:
    """The codes of a trial in an order that nobody can know: in the order typed the first would be the check, and a cultivar the
    same each year. A `seed` draws the same order again, for trials that are made and not grown."""
    luck = random.Random(seed) if seed is not None else random.SystemRandom()  # noqa: S311
    return luck.sample(codes, len(codes))


def _put_in(trial: Trial, plan: TrialPlan, seed: int | None = None) -> None:
    """The entries, criteria and further beds of a plan."""
    prefix = "".join(word[0] for word in plan.crop.name.split()[:2]).upper()
    digits = max(2, len(str(len(plan.entries))))
    numbered = [f"{prefix}{number:0{digits}d}" for number in range(1, len(plan.entries) + 1)]
    repeated = {name.casefold() for name in plan.repeated}
    codes = drawn_codes(numbered, seed) if plan.blind else numbered
    for code, name in sorted(zip(codes, plan.entries, strict=True)):  # so that the order of the rows tells nothing either
        Entry.objects.create(
            trial=trial,
            code=code,
            cultivar=cultivar_named(plan.crop, name),
            is_check=name.casefold() == plan.check.casefold(),
            repeated=name.casefold() in repeated,
        )
    add_criteria(trial, plan.criteria)
    trial.more_beds.set(plan.more_beds)
    trial.read_anew()


def _keep_raising(trial: Trial, plan: TrialPlan) -> None:
    """Whether plants are raised, where it was said or a day to plant says it: every task, window and need follows."""
    raised = True if plan.raised is None and plan.plant_on else plan.raised
    if raised is not None and plan_of(trial).transplant != raised:
        keep_need_plan(trial, {**defaults_for(trial.crop), "transplant": raised})


def _check_plan(plan: TrialPlan, instead_of: Trial | None = None) -> None:
    folded = [name.casefold() for name in plan.entries]
    _check_entries(plan, folded)
    if not 2 <= plan.blocks <= MOST_BLOCKS:
        raise Refused(f"Blocks: from 2 to {MOST_BLOCKS}. With one block luck and cultivar cannot be told apart.", "blocks")
    _check_design(plan, folded)
    if not plan.criteria:
        raise Refused("Name at least one criterion: the trait you will decide by.", "criteria")
    named = Trial.objects.filter(name__iexact=plan.name, season=plan.season)
    if (named.exclude(pk=instead_of.pk) if instead_of else named).exists():
        raise Refused(f"There is a trial “{plan.name}” in season {plan.season} already. Give this one another name.", "name")
    _check_dates(plan)


def _check_dates(plan: TrialPlan) -> None:
    """No phase is planned before the one ahead of it."""
    if plan.raised is False and plan.plant_on:
        raise Refused("A day to plant is for raised plants. Leave it empty, or raise them.", "plant_on")
    dates = [("sow_on", plan.sow_on), ("plant_on", plan.plant_on), ("pick_on", plan.pick_on)]
    known = [(field, day) for field, day in dates if day]
    for (_, earlier), (field, later) in itertools.pairwise(known):
        if later < earlier:
            raise Refused(f"{later:%-d %b %Y} lies before the stage ahead of it, {earlier:%-d %b %Y}.", field)


def _check_entries(plan: TrialPlan, folded: list[str]) -> None:
    """At least two entries, each once and under one name, the check among them."""
    if len(folded) < 2:
        raise Refused("A comparison needs at least two entries, the check among them.", "entries")
    if len(folded) > MOST_ENTRIES:
        raise Refused(f"{len(folded)} entries are more than one trial can hold; at most {MOST_ENTRIES}.", "entries")
    twice = sorted({name for name in plan.entries if folded.count(name.casefold()) > 1})
    if twice:
        raise Refused(f"“{twice[0]}” is named twice. Each entry stands once; blocks repeat it.", "entries")
    by_cultivar: dict[int, str] = {}
    for name in plan.entries:
        found = cultivar_of(plan.crop, name)
        if found is not None and found.pk in by_cultivar:
            raise Refused(f"“{by_cultivar[found.pk]}” and “{name}” are one cultivar, {found.name}, under two names.", "entries")
        if found is not None:
            by_cultivar[found.pk] = name
    if plan.check.casefold() not in folded:
        raise Refused("Choose one of the entries as the check: the cultivar the others are to beat.", "check")


def _check_design(plan: TrialPlan, folded: list[str]) -> None:
    """What only some designs ask for, and that plants are left to judge."""
    shape = stations(plan.plot_length_m, plan.plot_width_m, plan.between_rows_cm / 100, plan.in_row_cm / 100)
    if plan.border and not judged_stations(*shape, plan.border):
        raise Refused(f"Of {shape[0]} rows of {shape[1]} plants no plant is left to judge within such a border.", "border")
    if plan.design == Trial.Design.INCOMPLETE and not 2 <= (plan.block_size or 0) < len(folded):
        raise Refused(f"Plots in a block: from 2 to {len(folded) - 1}, one fewer than the entries.", "block_size")
    if plan.design == Trial.Design.LATIN and not 3 <= len(folded) <= MOST_SQUARE:
        raise Refused(f"A Latin square holds 3 to {MOST_SQUARE} entries: it takes as many rows and columns.", "design")
    if plan.design in TWO_FACTORS:
        _check_levels(plan)
    if plan.design == Trial.Design.AUGMENTED:
        _check_repeated(plan, folded)
    size = Wanted(plan.design, tuple(plan.entries), plan.blocks, levels=tuple(plan.levels)).plots
    if size > MOST_PLOTS:
        raise Refused(f"That makes {size} plots; one trial holds {MOST_PLOTS} at most.", "blocks")


def _check_levels(plan: TrialPlan) -> None:
    levels = [level.casefold() for level in plan.levels]
    if not plan.factor:
        raise Refused("Name the second factor, such as sowing date or spacing.", "factor")
    if not 2 <= len(levels) <= MOST_LEVELS or len(set(levels)) < len(levels):
        raise Refused(f"Expected 2 to {MOST_LEVELS} levels of the second factor, one a line and each once.", "levels")


def _check_repeated(plan: TrialPlan, folded: list[str]) -> None:
    repeated = {plan.check.casefold(), *(name.casefold() for name in plan.repeated)}
    if not repeated <= set(folded):
        raise Refused("The further checks have to be among the entries.", "repeated")
    if len(repeated) < 2:
        raise Refused("Augmented blocks are judged by their checks: name at least one besides the check.", "repeated")
    if len(folded) - len(repeated) < plan.blocks:
        raise Refused("Every block needs at least one entry that is no check; plan fewer blocks or more entries.", "blocks")


def free_slug(text: str) -> str:
    """An address for a trial that no other trial has."""
    stem = slugify(text)[:60] or "trial"
    taken = set(Trial.objects.filter(slug__startswith=stem).values_list("slug", flat=True))
    return next(s for s in (stem, *(f"{stem}-{n}" for n in range(2, len(taken) + 3))) if s not in taken)


def cultivar_named(crop: Crop, name: str) -> Cultivar:
    """The cultivar of that name or synonym, whatever its capitals; put on the list when it is new."""
    return cultivar_of(crop, name) or Cultivar.objects.create(crop=crop, name=name)


@transaction.atomic
def cultivars_named(crop: Crop, names: Sequence[str]) -> dict[str, Cultivar]:
    """The cultivars of many names or synonyms at once; those that are new are put on the list."""
    known = {name.casefold(): cultivar for name, cultivar in _on_the_list(crop)}
    new = {name.casefold(): Cultivar(crop=crop, name=name) for name in names if name.casefold() not in known}
    known |= {cultivar.name.casefold(): cultivar for cultivar in Cultivar.objects.bulk_create(new.values())}
    return {name: known[name.casefold()] for name in names}


def _on_the_list(crop: Crop) -> Iterator[tuple[str, Cultivar]]:
    """Every name of a crop's cultivars, synonyms first: where one is another's own name, that counts."""
    listed = list(crop.cultivars.prefetch_related("synonyms"))
    for cultivar in listed:
        yield from ((s.name, cultivar) for s in cultivar.synonyms.all())
    yield from ((cultivar.name, cultivar) for cultivar in listed)


def add_criteria(trial: Trial, criteria: Sequence[CriterionPlan]) -> None:
    """Set down by what the trial decides, the leading criterion first."""
    if len({c.trait.pk for c in criteria}) < len(criteria):
        raise Refused("A trait can be a criterion only once.", "criteria")
    Criterion.objects.bulk_create(
        Criterion(trial=trial, trait=c.trait, rank=rank, direction=c.direction, matters=c.matters, must=c.must, weight=c.weight)
        for rank, c in enumerate(criteria, start=1)
    )


@transaction.atomic
def accept_rotation(trial: Trial, reason: str, by: User) -> None:
    """Keep why a rotation too short is accepted; without a reason it is no longer. Raises Refused for words too long."""
    reason = " ".join(reason.split())
    if len(reason) > 200 or any(not c.isprintable() for c in reason):
        raise Refused(f"Found {len(reason)} characters. Expected a reason in plain words, 200 at most.")
    Trial.objects.filter(pk=trial.pk).update(breach_reason=reason)
    record(trial, by, f"Rotation accepted as it is: {reason}"[:300] if reason else "Rotation no longer accepted as it is.")


@transaction.atomic
def keep_need_plan(trial: Trial, typed: Mapping[str, Any]) -> None:
    """Keep how the trial's seed and trays are reckoned."""
    NeedPlan.objects.update_or_create(trial=trial, defaults=dict(typed))


@transaction.atomic
def add_material(trial: Trial, typed: Mapping[str, Any]) -> Material:
    """Put a material on the trial's list. Raises Refused where its amount cannot be found from what was typed."""
    if typed["kind"] == Material.Kind.NUTRIENT and not typed.get("grade"):
        raise Refused("Nothing was typed. Expected how much of the nutrient the material holds, in percent.", "grade")
    if trial.materials.in_force().count() >= MOST_MATERIALS:
        raise Refused(f"A trial holds {MOST_MATERIALS} materials at most.", "name")
    return Material.objects.create(trial=trial, **typed)


def is_left_out(plot: Plot) -> bool:
    """Whether a plot is left out of every comparison already."""
    return plot.exclusions.in_force().exists()


@transaction.atomic
def exclude_plot(plot: Plot, cause: str, note: str, on: date, by: User) -> Exclusion:
    """Leave a plot out of every comparison. Raises Refused without a reason, or when it is left out already."""
    if not note.strip():
        raise Refused("Say in a few words what happened to the plot.", "note")
    if is_left_out(plot):
        raise Refused(f"Plot {plot.number} is left out already.")
    return Exclusion.objects.create(plot=plot, cause=cause, note=note.strip(), on=on, by=by, at=timezone.now())


@transaction.atomic
def withdraw_entry(entry: Entry, reason: str, on: date, by: User) -> int:
    """Take an entry out of the trial: all its plots are left out from now on, and each can be taken back; how many there were.
    Raises Refused without a reason, or for the check."""
    if not reason.strip():
        raise Refused("Say in a few words why the entry is withdrawn.", "reason")
    if entry.is_check:
        raise Refused("The check cannot be withdrawn: everything is set against it.", "entry")
    standing = entry.plots.exclude(exclusions__lifted_at__isnull=True, exclusions__isnull=False)
    now, note = timezone.now(), reason.strip()[:200]
    made = [Exclusion(plot=p, cause=WITHDRAWN, note=note, on=on, by=by, at=now) for p in standing]
    Exclusion.objects.bulk_create(made)
    record(entry.trial, by, f"Entry {entry.code} withdrawn: {reason.strip()}"[:300])
    return len(made)


@transaction.atomic
def as_it_stands(plot: Plot, entry: Entry, how: str, by: User) -> None:
    """A plot turned out to hold another entry than was planned. What was recorded stays with the plot and counts for that entry;
    the plan as it was is kept beside it. Raises Refused for an entry of another trial."""
    if entry.trial_id != plot.trial_id:
        raise Refused("Expected an entry of this trial.", "entry")
    before = plot.entry
    plot.planned = plot.planned or before
    plot.entry = entry
    if plot.planned == entry:
        plot.planned = None
    plot.save(update_fields=["planned", "entry"])
    record(plot.trial, by, f"Plot {plot.number} holds {entry.code}, not {before.code}: {how}"[:300])


@transaction.atomic
def lift_exclusion(exclusion: Exclusion, by: User) -> None:
    """Take the plot back into the comparison; the exclusion stays on record."""
    Exclusion.objects.in_force().filter(pk=exclusion.pk).update(lifted_by=by, lifted_at=timezone.now())


@transaction.atomic
def rename(trial: Trial, name: str, why: str, by: User) -> None:
    """Put a trial's name right, on record; its address stays, since it stands on stakes and labels. Raises Refused for the name of
    another trial of the season, and without a reason."""
    name = " ".join(name.split())
    if not name or len(name) > 80:
        raise Refused("Expected a name of at most 80 letters.", "name")
    if Trial.objects.filter(name__iexact=name, season=trial.season).exclude(pk=trial.pk).exists():
        raise Refused(f"There is a trial “{name}” in season {trial.season} already.", "name")
    if name == trial.name:
        raise Refused("That is its name already.", "name")
    if not why.strip():
        raise Refused("Nothing was typed. Expected why the name is corrected.", "why")
    record(trial, by, f"Name corrected from “{trial.name}” to “{name}”: {why.strip()}"[:300])
    Trial.objects.filter(pk=trial.pk).update(name=name)


@transaction.atomic
def change_criteria(trial: Trial, criteria: Sequence[CriterionPlan], why: str, by: User) -> None:
    """Decide by other criteria from now on; what they were stays on record with the reason. Raises Refused once the verdicts are
    signed, without a reason, and for criteria that cannot stand."""
    trial = Trial.objects.select_for_update().get(pk=trial.pk)
    running_or_refused(trial, "why", "changing them")
    if not criteria:
        raise Refused("Name at least one criterion: the trait you will decide by.", "trait_1")
    if not why.strip():
        raise Refused("Nothing was typed. Expected why they change.", "why")
    before = ", ".join(_criterion_in_words(c) for c in trial.criteria.select_related("trait"))
    trial.criteria.all().delete()
    add_criteria(trial, criteria)
    now = ", ".join(_criterion_in_words(c) for c in trial.criteria.select_related("trait"))
    record(trial, by, f"Decided by {now}; before, by {before or 'nothing'}: {why.strip()}"[:300])


def _criterion_in_words(c: Criterion) -> str:
    must = f", must have {c.must_in_words}" if c.must is not None else ""
    return f"{c.trait.name.lower()} ({c.get_direction_display()}, {c.matters:g} matter{must})"


@transaction.atomic
def choose_guard(trial: Trial, family: bool, by: User) -> None:
    """Hold all comparisons with the check to 5 % together, or each on its own; on record, since it moves the bars."""
    if Trial.objects.filter(pk=trial.pk).exclude(family_guard=family).update(family_guard=family):
        how = "all together (Dunnett)" if family else "each on its own"
        record(trial, by, f"Comparisons with the check are held to 5 % {how}.")


@transaction.atomic
def reopen(trial: Trial, by: User, why: str) -> None:
    """Let a signed season be added to again; the signed board stays as it was. Raises Refused without a reason."""
    if not why.strip():
        raise Refused("Say why it is reopened: the signed verdicts stood on what was known then.", "why")
    if Trial.objects.filter(pk=trial.pk, decided_at__isnull=False).update(decided_at=None):
        record(trial, by, f"Reopened after it was signed: {why.strip()}"[:300])


@transaction.atomic
def mark_decided(trial: Trial, at: datetime) -> None:
    """The verdicts are signed: nothing more is due for this trial."""
    Trial.objects.filter(pk=trial.pk).update(decided_at=at)


@transaction.atomic
def open_names(trial: Trial, by: User, why: str = "the verdicts are signed") -> None:
    """Show cultivar names to everyone from now on; who opened them, when and why stays on record. Raises Refused without a
    reason."""
    if not why.strip():
        raise Refused("Say why the names are opened: scores given afterwards are no longer blind.", "why")
    trial = Trial.objects.select_for_update().get(pk=trial.pk)
    if trial.opened_at is None:
        trial.opened_at = timezone.now()
        trial.save(update_fields=["opened_at"])
        record(trial, by, f"Names opened to everyone, signed by {by}: {why.strip()}."[:300])
