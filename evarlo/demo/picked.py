"""What is picked again and again, and what lies in store: a summer squash in full bearing, and last season's daikon."""

from __future__ import annotations

import uuid
from datetime import date, datetime, time, timedelta

import numpy as np
from django.utils import timezone

from evarlo.catalogue.models import Crop, Trait
from evarlo.demo.backdating import planned_at
from evarlo.demo.seasons import People
from evarlo.demo.world import DAIKON_KEEPS, SQUASH, Fruiting
from evarlo.effort.models import WorkTime
from evarlo.effort.services import Took, keep_time
from evarlo.grounds.models import Bed
from evarlo.harvest.classes import Picked, keep_classes, keep_plan, usual_classes
from evarlo.harvest.models import PickClass
from evarlo.harvest.samples import Tested, keep_sample
from evarlo.harvest.services import Weighed, WeighedPart, keep_crate, keep_picking, weighed_by_class
from evarlo.harvest.store import LaidIn, Seen, keep_to, lay_in, look_at
from evarlo.nursery.models import Step
from evarlo.nursery.services import keep_step
from evarlo.trials.laying import fix_layout
from evarlo.trials.models import Trial
from evarlo.trials.plan import CriterionPlan, TrialPlan
from evarlo.trials.planning import plan_trial
from evarlo.walks.services import Seen as SeenOnWalk
from evarlo.walks.services import close_round, keep_observation, open_round

SOWN_BEFORE, PICKED_BEFORE = 64, 20  # days before today
MISSED_ROUND = 12  # days before today, when nobody came to pick
RIPE, OVER = 4, 8  # days from open flower to a fruit that can be sold, and to one that no longer can
TIMED_SINCE = 7  # days before today, since when each pick is timed
SEED = 3307


def pick_squash(crop: Crop, bed: Bed, people: People, today: date) -> None:
    """Six summer squashes in four blocks, picked every other day; one round was missed, and its fruits grew on."""
    traits = {t.key: t for t in Trait.objects.all()}
    sown = today - timedelta(days=SOWN_BEFORE)
    trial = plan_trial(
        TrialPlan(
            name="Summer squash, early",
            question="Which squash gives most between two market days without running away from the pickers?",
            season=str(today.year),
            crop=crop,
            bed=bed,
            entries=[f.name for f in SQUASH],
            check=SQUASH[0].name,
            blocks=4,
            plot_length_m=3.2,
            plot_width_m=2.0,
            path_m=0.6,
            between_rows_cm=100,
            in_row_cm=80,
            cv_percent=18,
            criteria=[
                CriterionPlan(traits["marketable-yield"], "higher", 0.5),
                CriterionPlan(traits["overmature-share"], "lower", 5),
                CriterionPlan(traits["days-to-half-yield"], "lower", 3),
            ],
            sow_on=sown,
            plant_on=sown + timedelta(days=20),
            pick_on=today - timedelta(days=PICKED_BEFORE),
        ),
        people.manager,
        seed=SEED,
    )
    _laid(trial, people, sown, 20)
    _flowered(trial, people, sown)
    keep_classes(trial, usual_classes(crop), people.manager)
    keep_plan(trial, Picked(2, piece_low_g=150, piece_high_g=350), people.manager)
    keep_crate(bed.site, "Grey crate", 1.2)
    rng, truth = np.random.default_rng(SEED), {f.name: f for f in SQUASH}
    classes = list(trial.pick_classes.all())
    days = [n for n in range(PICKED_BEFORE, 1, -2) if n != MISSED_ROUND]
    for plot in trial.plots.select_related("entry__cultivar", "trial"):
        lucky = rng.normal(1, 0.16)
        hanging: list[float] = []  # the day, counted back from today, on which each fruit's flower opened
        before = PICKED_BEFORE + RIPE + 1
        for day in days:
            hanging += [
                float(f)
                for back in range(before, day, -1)
                for f in [back] * rng.poisson(max(0.0, lucky * truth[plot.entry.cultivar.name].fruits))
            ]
            before = day
            parts, hanging = _taken(hanging, day, truth[plot.entry.cultivar.name], classes, rng)
            on = today - timedelta(days=day)
            weighed = weighed_by_class(parts, far=True) if parts else Weighed(0.0, nought="nothing")
            keep_picking(plot, on, weighed, people.helper, uuid.uuid4(), on)
            if day < TIMED_SINCE:
                fruits = sum(p.count or 0 for p in parts)
                minutes = 1.5 + fruits * (0.25 + truth[plot.entry.cultivar.name].hidden) * rng.normal(1, 0.15)
                took = Took(WorkTime.Task.PICK, on, round(float(minutes), 1))
                keep_time(trial, [plot], took, people.helper, uuid.uuid4(), on)


def _flowered(trial: Trial, people: People, sown: date) -> None:
    """The first flower was looked for on one walk, when most plots had one."""
    on = sown + timedelta(days=40)
    walk = open_round(trial, Trait.objects.get(key="first-flower"), on, people.evaluator)
    for n, plot in enumerate(trial.plots.order_by("place")):
        keep_observation(walk, plot, SeenOnWalk(day=on - timedelta(days=n % 4)), people.evaluator, on, uuid.uuid4(), on)
    close_round(walk)


def _taken(
    hanging: list[float], day: int, fruiting: Fruiting, classes: list[PickClass], rng: np.random.Generator
) -> tuple[list[WeighedPart], list[float]]:
    """What a pick finds of the hanging fruits, by class, and what still hangs: the young ones, and those that were overlooked."""
    found: dict[int, list[float]] = {}
    left = []
    for flower in hanging:
        age = flower - day
        if age < RIPE or rng.random() < fruiting.hidden:
            left.append(flower)
            continue
        grams = fruiting.grams * 1.34 ** (age - RIPE) * rng.normal(1, 0.12)
        spoilt = rng.random()
        which = 1 if age >= OVER else 2 if spoilt < 0.04 else 3 if spoilt < 0.07 else 0
        found.setdefault(which, []).append(grams)
    parts = [WeighedPart(classes[n], round(sum(g) / 1000, 3), len(g)) for n, g in sorted(found.items())]
    return parts, left


def store_daikon(crop: Crop, bed: Bed, people: People, today: date) -> None:
    """Four daikons pulled last season, six weeks in store, to be looked at again today; to be sound at the market of day 60."""
    traits = {t.key: t for t in Trait.objects.all()}
    sown, pulled = today - timedelta(days=140), today - timedelta(days=50)
    names = list(DAIKON_KEEPS)
    trial = plan_trial(
        TrialPlan(
            name="Storage daikon, winter",
            question="Which daikon is still sound at the market eight weeks after it was pulled?",
            season=str(pulled.year),
            crop=crop,
            bed=bed,
            entries=names,
            check=names[0],
            blocks=3,
            plot_length_m=2.4,
            plot_width_m=1.8,
            path_m=0.5,
            between_rows_cm=45,
            in_row_cm=20,
            cv_percent=13,
            criteria=[
                CriterionPlan(traits["marketable-yield"], "higher", 0.8),
                CriterionPlan(traits["kept-share"], "higher", 10, must=60),
            ],
            sow_on=sown,
            pick_on=pulled,
        ),
        people.manager,
        seed=SEED + 1,
    )
    _laid(trial, people, sown, None)
    keep_to(trial, 60, people.manager)
    rng = np.random.default_rng(SEED + 1)
    start = pulled + timedelta(days=2)
    for plot in trial.plots.select_related("entry__cultivar", "trial"):
        kg, half = DAIKON_KEEPS[plot.entry.cultivar.name]
        each = kg * rng.normal(1, 0.1)
        keep_picking(
            plot, pulled, Weighed(round(36 * each, 2), 36, round(rng.uniform(0.5, 2), 2)), people.helper, uuid.uuid4(), pulled
        )
        keep = LaidIn(20, round(20 * each, 2), "sand, 2 °C", 12)
        lot = lay_in(trial, plot.entry, plot, start, keep, people.helper, start)
        lost_on = half * rng.normal(1, 0.06) / np.log(2) ** (1 / 4) * rng.weibull(4, keep.pieces)
        for day in range(12, 48, 12):
            on, sound = start + timedelta(days=day), int((lost_on > day).sum())
            seen = Seen(
                sound, 0, "soft at the tip" if day > 24 else "split", round(sound * each * (1 - day / 600), 2), 1 + day // 18
            )
            look_at(lot, on, seen, people.helper, on)
        if plot.block != "3":
            parts = tuple((round(float(rng.normal(4.6 + half / 60, 0.3)), 1),) for _ in range(4))
            tested = Tested(pulled + timedelta(days=1), 20, parts)
            keep_sample(plot, traits["sugar"], tested, people.evaluator, uuid.uuid4(), tested.on)


def _laid(trial: Trial, people: People, sown: date, age: int | None) -> None:
    """Its layout is fixed, and its plots are sown, and planted where it was raised."""
    fix_layout(trial, people.manager)
    planned_at(trial, datetime.combine(sown - timedelta(days=20), time(9), tzinfo=timezone.get_current_timezone()))
    plots = list(trial.plots.all())
    keep_step(trial, Step.SOWN, sown, plots, people.helper, sown)
    if age:
        keep_step(trial, Step.PLANTED, sown + timedelta(days=age), plots, people.helper, sown + timedelta(days=age))
