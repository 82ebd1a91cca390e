"""What a trial is planned from, and why a plan cannot stand."""

from __future__ import annotations

import dataclasses
import itertools
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date

from evarlo.catalogue.models import Crop, Trait
from evarlo.catalogue.services import cultivar_of
from evarlo.grounds.models import Bed
from evarlo.trials.drafting import SEVERAL_OF_THE_CHECK, Wanted
from evarlo.trials.models import (
    TWO_FACTORS,
    Trial,
)
from evarlo.ui.refused import Refused
from trialcore.inference.checks import MOST_CHECKS
from trialcore.layouts.bed import judged_stations, stations

OBSERVED = (Trial.Design.BLOCKS, Trial.Design.NO_BLOCKS)  # designs that may hold one plot an entry, to look at only
IN_EACH_BED = (Trial.Design.BLOCKS, Trial.Design.INCOMPLETE)  # designs whose blocks can be shared out evenly among beds
MOST_ENTRIES = 400
MOST_BLOCKS = 20
MOST_SQUARE = 16
IN_ROW = (0.5, 500.0)  # cm from plant to plant
MOST_LEVELS = 12
MOST_PLOTS = 4000


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
    each_bed: bool = False  # `blocks` in every bed, instead of so many in all
    per_station: int = 1  # plants wanted at each
    staggered: bool = False
    own_spacing: Mapping[str, float] = dataclasses.field(
        default_factory=dict
    )  # cm in the row, by the name of an entry of another habit
    saves_seed: bool = False
    check_plots: int = 1  # of the check in each block
    treatments: bool = False  # the entries are treatments of one cultivar, so names that are alike are no slips
    raised: bool | None = None  # in a nursery and planted out; None as the crop usually is, and raised where a day to plant is set

    @property
    def blocks_in_all(self) -> int:
        return self.blocks * (1 + len(self.more_beds)) if self.each_bed else self.blocks


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
    "per_station",
    "staggered",
    "each_bed",
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
    "check_plots",
    "treatments",
)


def check_plan(plan: TrialPlan, instead_of: Trial | None = None) -> None:
    folded = [name.casefold() for name in plan.entries]
    _check_entries(plan, folded)
    fewest = 1 if plan.design in OBSERVED else 2
    if not fewest <= plan.blocks <= MOST_BLOCKS:
        raise Refused(
            f"Blocks: from {fewest} to {MOST_BLOCKS} in this design. With one, luck cannot be told from cultivar.", "blocks"
        )
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
    _check_spacing(plan)
    shape = stations(plan.plot_length_m, plan.plot_width_m, plan.between_rows_cm / 100, plan.in_row_cm / 100)
    if plan.border and not judged_stations(*shape, plan.border):
        raise Refused(f"Of {shape[0]} rows of {shape[1]} plants no plant is left to judge within such a border.", "border")
    if plan.design == Trial.Design.INCOMPLETE and not 2 <= (plan.block_size or 0) < len(folded):
        raise Refused(f"Plots in a block: from 2 to {len(folded) - 1}, one fewer than the entries.", "block_size")
    if plan.design == Trial.Design.LATIN and not 3 <= len(folded) <= MOST_SQUARE:
        raise Refused(f"A Latin square holds 3 to {MOST_SQUARE} entries: it takes as many rows and columns.", "design")
    if plan.design in TWO_FACTORS:
        _check_levels(plan)
    _check_repeated(plan, folded)
    if plan.each_bed and not plan.more_beds:
        raise Refused("Name the further beds that are to hold as many blocks.", "more_beds")
    if plan.each_bed and plan.design not in IN_EACH_BED:
        raise Refused("Beds with as many blocks each go with complete or incomplete blocks.", "each_bed")
    if plan.check_plots > 1 and plan.design not in SEVERAL_OF_THE_CHECK:
        raise Refused(
            "Several plots of the check in a block go with complete blocks, or with none. Leave it empty here.", "check_plots"
        )
    size = Wanted(
        plan.design,
        tuple(plan.entries),
        plan.blocks_in_all,
        levels=tuple(plan.levels),
        checks=(plan.check,),
        check_plots=plan.check_plots,
    ).plots
    if size > MOST_PLOTS:
        raise Refused(f"That makes {size} plots; one trial holds {MOST_PLOTS} at most.", "blocks")


def _check_spacing(plan: TrialPlan) -> None:
    """Entries of another habit are among the entries, and a plot holds plants of theirs, some within the border."""
    folded = {name.casefold() for name in plan.entries}
    for name, apart in plan.own_spacing.items():
        if name.casefold() not in folded:
            raise Refused(f"“{name}” is not among the entries.", "own_spacing")
        if not IN_ROW[0] <= apart <= IN_ROW[1]:
            raise Refused(f"{name}: expected from {IN_ROW[0]:g} to {IN_ROW[1]:g} cm in the row.", "own_spacing")
        shape = stations(plan.plot_length_m, plan.plot_width_m, plan.between_rows_cm / 100, apart / 100)
        if not judged_stations(*shape, plan.border):
            raise Refused(f"{name}: at that distance a plot holds no plant to judge.", "own_spacing")


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
    if len(repeated) > MOST_CHECKS:
        raise Refused(f"That makes {len(repeated)} checks; {MOST_CHECKS} at most can be held together.", "repeated")
    if len(repeated) > 1 and len(repeated) == len(set(folded)):
        raise Refused("No entry is left to set against these checks.", "repeated")
    if plan.design != Trial.Design.AUGMENTED:
        return
    if len(repeated) < 2:
        raise Refused("Augmented blocks are judged by their checks: name at least one besides the check.", "repeated")
    if len(folded) - len(repeated) < plan.blocks:
        raise Refused("Every block needs at least one entry that is no check; plan fewer blocks or more entries.", "blocks")
