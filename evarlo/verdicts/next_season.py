"""The next season's trial from a board: retests, new entries, the same check, and the seed that takes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from math import ceil, sqrt

from django.db import transaction

from evarlo.catalogue.services import cultivar_of
from evarlo.people.models import User
from evarlo.seeds.queries import stocks_by_cultivar
from evarlo.trials.drafting import SEVERAL_OF_THE_CHECK
from evarlo.trials.models import Trial
from evarlo.trials.needs import places_of, plan_of, seeds_of
from evarlo.trials.plan import IN_EACH_BED, CriterionPlan, TrialPlan
from evarlo.trials.planning import plan_trial
from evarlo.trials.protocol import keep_protocol
from evarlo.ui.refused import Refused
from evarlo.verdicts.board import Board, BoardLine
from evarlo.verdicts.lessons import dropped_before
from trialcore.inference.verdict import Ground, Verdict


@dataclass(frozen=True)
class SeedNeed:
    """An entry of the season to come: seeds it takes, and seeds in store; None where no lot is on record."""

    name: str
    seeds: int
    here: int | None
    chosen: bool
    verdict: str
    where_room: bool = False  # a new entry would promise more

    @property
    def short(self) -> int:
        return 0 if self.here is None else max(0, self.seeds - self.here)


@dataclass(frozen=True)
class NextSeason:
    """What a person says of the season to come."""

    name: str
    season: str
    kept: tuple[str, ...]  # cultivars of the board, by name
    new: tuple[str, ...]
    blocks: int
    sow_on: date | None
    protocol: bool
    check_plots: int = 1
    sure: bool = False  # what was dropped before is wanted all the same


def season_after(season: str) -> str:
    """The season that follows: the year after, where it is one."""
    return str(int(season) + 1) if season.isdecimal() and len(season) < 9 else f"after {season}"


def free_season(trial: Trial) -> str:
    """The first season after a trial's in which no trial has its name."""
    taken = set(Trial.objects.filter(name__iexact=trial.name).values_list("season", flat=True))
    season = season_after(trial.season)
    while season in taken:
        season = season_after(season)
    return season


def check_plots(entries: int, blocks: int) -> int:
    """Plots of the check worth having in a block: half the root of the entries, two at least; twice that in two blocks, half in
    six."""
    usual = max(2, ceil(sqrt(entries) / 2)) if entries > 16 else 2
    return 2 * usual if blocks == 2 else max(1, round(usual / 2)) if blocks >= 6 else usual


def gives_room(line: BoardLine) -> bool:
    """Whether an entry is suggested for another season only where there is room."""
    said = line.suggestion
    return said is not None and line.opinion is None and any(r.ground == Ground.ROOM_FIRST for r in said.reasons)


def seed_needs(board: Board, blocks: int, kept: Sequence[str], today: date) -> list[SeedNeed]:
    """Every entry of the board with the seed that a retest takes and what is in store, retests first."""
    trial = board.trial
    plan = plan_of(trial)
    lots = stocks_by_cultivar(today.year, [line.entry.cultivar_id for line in board.lines])
    made = []
    for line in board.lines:
        name = line.entry.cultivar.name
        here = lots.get(line.entry.cultivar_id)
        stock = None if here is None else sum(max(0, s.seeds) for s in here)
        plots = blocks * (check_plots(len(kept), blocks) if line.entry.is_check else 1)
        chosen = line.entry.is_check or name in kept
        made.append(
            SeedNeed(
                name,
                seeds_of(plots * places_of(line.entry, trial, plan), plan),
                stock,
                chosen,
                "check" if line.entry.any_check else line.verdict,
                gives_room(line),
            )
        )
    order = {"check": 0, Verdict.RETEST: 1, Verdict.RECOMMEND: 2, Verdict.DROP: 3}
    return sorted(made, key=lambda n: order.get(n.verdict, 4))


@transaction.atomic
def plan_next(board: Board, wanted: NextSeason, by: User) -> Trial:
    """Plan the season: design, plots, spacing and criteria as in this one, codes drawn anew. Raises Refused where the plan cannot
    stand, and where something that was dropped before is among the new ones and nobody said that it is wanted."""
    trial = board.trial
    check = next((line.entry.cultivar.name for line in board.lines if line.entry.is_check), "")
    if not check or trial.bed is None:
        raise Refused("This trial has no check or no bed; plan the next one by itself.", "new")
    known = [c for c in (cultivar_of(trial.crop, name) for name in wanted.new) if c]
    again = dropped_before(trial.crop_id, known)
    if again and not wanted.sure:
        raise Refused(f"{' '.join(again)} Tick below if it is wanted all the same.", "sure")
    design = (
        trial.design
        if trial.design in (Trial.Design.BLOCKS, Trial.Design.NO_BLOCKS, Trial.Design.INCOMPLETE)
        else Trial.Design.BLOCKS
    )
    shared = trial.each_bed and design in IN_EACH_BED and wanted.blocks % len(trial.beds) == 0
    further = [line.entry.cultivar.name for line in board.lines if line.entry.repeated]
    made = plan_trial(
        TrialPlan(
            name=wanted.name,
            season=wanted.season,
            question=trial.question,
            crop=trial.crop,
            bed=trial.bed,
            more_beds=list(trial.more_beds.all()),
            entries=[check, *further, *wanted.kept, *wanted.new],
            check=check,
            repeated=further,
            blocks=wanted.blocks // len(trial.beds) if shared else wanted.blocks,
            design=design,
            block_size=trial.block_size if design == Trial.Design.INCOMPLETE else None,
            plot_length_m=trial.plot_length_m or 2.0,
            plot_width_m=trial.plot_width_m or 1.5,
            path_m=trial.path_m,
            guard_m=trial.guard_m,
            border=trial.border,
            between_rows_cm=trial.between_rows_cm or trial.crop.between_rows_cm,
            in_row_cm=trial.in_row_cm or trial.crop.in_row_cm,
            per_station=trial.per_station,
            staggered=trial.staggered,
            each_bed=shared,
            own_spacing={
                line.entry.cultivar.name: line.entry.in_row_cm
                for line in board.lines
                if line.entry.in_row_cm and line.entry.cultivar.name in {check, *further, *wanted.kept}
            },
            cv_percent=board.leading.analysis.cv_percent or trial.cv_percent if board.leading else trial.cv_percent,
            criteria=[
                CriterionPlan(c.trait, c.direction, c.matters, c.must, c.weight) for c in trial.criteria.select_related("trait")
            ],
            sow_on=wanted.sow_on,
            plant_on=_later(trial, trial.plant_on, wanted.sow_on),
            pick_on=_later(trial, trial.pick_on, wanted.sow_on),
            blind=trial.blind,
            saves_seed=trial.saves_seed,
            check_plots=wanted.check_plots if design in SEVERAL_OF_THE_CHECK else 1,
            raised=plan_of(trial).transplant,
        ),
        by,
    )
    last = trial.protocols.order_by("number").last()
    if wanted.protocol and last is not None and wanted.sow_on:
        keep_protocol(made, last.steps, wanted.sow_on, f"as in {trial.season}", by)
    return made


def _later(trial: Trial, day: date | None, sow_on: date | None) -> date | None:
    """A stage as many days after sowing as it was planned last time."""
    return sow_on + (day - trial.sow_on) if day and trial.sow_on and sow_on else None
