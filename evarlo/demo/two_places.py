"""Radicchio in the tunnel and in the open, last season: one trial in two places, against two checks. A cultivar changes sides."""

from __future__ import annotations

import uuid
from collections.abc import Mapping
from datetime import date, datetime, time, timedelta

import numpy as np
from django.utils import timezone

from evarlo.catalogue.models import Crop, Trait
from evarlo.demo.backdating import planned_at
from evarlo.demo.seasons import People
from evarlo.demo.world import RADICCHIO
from evarlo.grounds.models import Bed
from evarlo.nursery.models import Step
from evarlo.nursery.services import keep_step
from evarlo.trials.laying import fix_layout
from evarlo.trials.models import Plot, Trial
from evarlo.trials.plan import CriterionPlan, TrialPlan
from evarlo.trials.planning import plan_trial
from evarlo.walks.services import Seen, close_round, keep_observation, open_round

CHECK, SECOND = "Ostrel Red", "Pallister"
GRAMS = {  # a head in the tunnel, and in the open
    "Cinder Rail": (318, 296),
    "Ostrel Red": (300, 285),
    "Vane Hollow": (362, 222),
    "Pallister": (308, 268),
    "Rook & Tide": (276, 262),
    "OR-8": (334, 318),
}
A_PLANT = 9.0  # grams that a head gains for every plant that is missing beside it


def grow_in_two_places(crop: Crop, tunnel: Bed, field: Bed, people: People, sown: date, seed: int = 3107) -> Trial:
    """The whole season: planned, sown, its stands counted and its heads weighed."""
    traits = {t.key: t for t in Trait.objects.all()}
    trial = plan_trial(
        TrialPlan(
            name="Radicchio, tunnel and open",
            question="Does one radicchio serve both the tunnel and the open ground?",
            season=str(sown.year),
            crop=crop,
            bed=tunnel,
            more_beds=[field],
            entries=RADICCHIO,
            check=CHECK,
            repeated=[SECOND],
            blocks=6,
            plot_length_m=1.8,
            plot_width_m=1.4,
            path_m=0.4,
            between_rows_cm=35,
            in_row_cm=30,
            cv_percent=12,
            criteria=[CriterionPlan(traits["plot-yield"], "higher", 0.4)],
            sow_on=sown,
        ),
        people.manager,
        seed=seed,
    )
    fix_layout(trial, people.manager)
    planned_at(trial, datetime.combine(sown - timedelta(days=20), time(10), tzinfo=timezone.get_current_timezone()))
    plots = list(trial.plots.select_related("entry__cultivar", "bed"))
    keep_step(trial, Step.SOWN, sown, plots, people.helper, sown)
    rng = np.random.default_rng(seed)
    full = trial.spacing.plants if trial.spacing else 24
    stand = {p.pk: full - int(rng.binomial(full, 0.14)) for p in plots}
    block = {b: float(rng.normal(0, 8)) for b in sorted({p.block for p in plots})}
    kg = {
        p.pk: round(
            (
                GRAMS[p.entry.cultivar.name][p.bed_id == field.pk]
                + block[p.block]
                + A_PLANT * (0.86 * full - stand[p.pk])
                + float(rng.normal(0, 14))
            )
            * stand[p.pk]
            / 1000,
            2,
        )
        for p in plots
    }
    _walk(trial, "stand", sown + timedelta(days=30), plots, stand, people)
    _walk(trial, "plot-yield", sown + timedelta(days=92), plots, kg, people)
    return trial


def _walk(trial: Trial, key: str, on: date, plots: list[Plot], value: Mapping[int, float], people: People) -> None:
    walked = open_round(trial, Trait.objects.get(key=key), on, people.evaluator)
    for plot in plots:
        own = uuid.uuid5(uuid.NAMESPACE_OID, f"{trial.slug} {key} {plot.number}")
        keep_observation(walked, plot, Seen(number=value[plot.pk]), people.evaluator, on, own, on)
    close_round(walked)
