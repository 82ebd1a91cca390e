"""A selection of edamame lines in incomplete blocks, last season, grown by the simulator on uneven ground."""

from __future__ import annotations

import uuid
from collections.abc import Callable
from datetime import date, datetime, time, timedelta

import numpy as np
from django.utils import timezone

from evarlo.catalogue.models import Crop, Trait
from evarlo.demo.backdating import planned_at
from evarlo.demo.seasons import People
from evarlo.grounds.models import Bed
from evarlo.nursery.models import Step
from evarlo.nursery.services import keep_step
from evarlo.trials.laying import fix_layout
from evarlo.trials.leaving_out import exclude_plot
from evarlo.trials.models import Cause, Plot, Trial
from evarlo.trials.plan import CriterionPlan, TrialPlan
from evarlo.trials.planning import plan_trial
from evarlo.walks.services import Seen, close_round, keep_observation, open_round
from trialcore.field.simulated_season import Cultivar, PlotRecord, World, simulate_season

CHECK = "Marl Penny"
LINES = tuple(f"OE-{n}" for n in range(301, 324))
GROUND = World(
    block_sd=0.05,
    plot_sd=0.12,
    neighbour_sd=0.4,
    neighbour_rho=0.9,
    stations=52,
    accident=0.03,
    lost_label=0.015,
    rater_bias={"Tam": 0.3},
    days_sd=1.5,
)


def grow_lines(crop: Crop, beds: list[Bed], people: People, sown: date, seed: int = 2642) -> Trial:
    """The whole season: planned, sown, walked three times and left to be compared."""
    trial = _planned(crop, beds, people, sown, seed)
    plots = list(trial.plots.select_related("entry__cultivar"))
    rng = np.random.default_rng(seed)
    truth = [Cultivar(CHECK, 3.0, 84, 0.92, 3.0)] + [
        Cultivar(name, float(rng.normal(2.9, 0.45)), float(rng.normal(85, 5)), 0.9, float(rng.uniform(2, 6))) for name in LINES
    ]
    grown = simulate_season(
        [(int(p.number), p.entry.cultivar.name, int(p.block), p.row, p.col) for p in plots], truth, GROUND, seed
    )
    records = {str(r.plot): r for r in grown}
    keep_step(trial, Step.SOWN, sown, plots, people.helper, sown)
    for plot in plots:
        if records[plot.number].cause == "accident":
            note = "Pigeons stripped the seed leaves where the net lay open"
            exclude_plot(plot, Cause.ACCIDENT, note, sown + timedelta(days=18), people.evaluator)
    standing = [p for p in plots if records[p.number].cause != "accident"]
    for key, after, value in (
        ("stand", 28, lambda r: float(r.stand or 0)),
        ("disease", 70, lambda r: float(r.damage["Tam"])),
        ("plot-yield", 95, lambda r: round(r.total_kg or 0.0, 2)),
    ):
        _walk(trial, key, sown + timedelta(days=after), standing, records, value, people)
    return trial


def _planned(crop: Crop, beds: list[Bed], people: People, sown: date, seed: int) -> Trial:
    traits = {t.key: t for t in Trait.objects.all()}
    trial = plan_trial(
        TrialPlan(
            name="Edamame lines",
            question="Which of the new lines fill at least as much as Marl Penny and stay cleaner?",
            season=str(sown.year),
            crop=crop,
            bed=beds[0],
            more_beds=beds[1:],
            entries=[CHECK, *LINES],
            check=CHECK,
            design=Trial.Design.INCOMPLETE,
            blocks=3,
            block_size=4,
            plot_length_m=2.2,
            plot_width_m=1.0,
            path_m=0.6,
            between_rows_cm=50,
            in_row_cm=12,
            cv_percent=14,
            criteria=[CriterionPlan(traits["plot-yield"], "higher", 0.2), CriterionPlan(traits["disease"], "lower", 1)],
            sow_on=sown,
        ),
        people.manager,
        seed=seed,
    )
    fix_layout(trial, people.manager)
    made = datetime.combine(sown - timedelta(days=20), time(10), tzinfo=timezone.get_current_timezone())
    planned_at(trial, made)
    return trial


def _walk(
    trial: Trial,
    key: str,
    on: date,
    plots: list[Plot],
    records: dict[str, PlotRecord],
    value: Callable[[PlotRecord], float],
    people: People,
) -> None:
    walked = open_round(trial, Trait.objects.get(key=key), on, people.evaluator)
    for plot in plots:
        record = records[plot.number]
        lost = record.cause == "lost_label"
        seen = Seen(cause=Cause.LOST_LABEL, note="Stake gone") if lost else Seen(number=value(record))
        own = uuid.uuid5(uuid.NAMESPACE_OID, f"{trial.slug} {key} {plot.number}")
        keep_observation(walked, plot, seen, people.evaluator, on, own, on)
    close_round(walked)
