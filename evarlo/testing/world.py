"""Small worlds for tests, made by the same services that a person's acts go through."""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from datetime import date, timedelta
from typing import Any

from evarlo.catalogue.models import Crop, Trait
from evarlo.grounds.models import Bed, Site
from evarlo.harvest.services import Weighed, keep_picking
from evarlo.nursery.models import Step
from evarlo.nursery.services import keep_step
from evarlo.people.models import Role, User
from evarlo.trials.laying import fix_layout
from evarlo.trials.models import Plot, Trial
from evarlo.trials.plan import CriterionPlan, TrialPlan
from evarlo.trials.planning import plan_trial
from evarlo.walks.models import Observation, Round
from evarlo.walks.services import Seen, keep_observation, open_round
from trialcore.layouts.bed import Spacing

TODAY = date(2026, 7, 1)
SOWN = TODAY - timedelta(days=100)
PASSWORD = "a-long-enough-secret"  # noqa: S105


def person(role: str = Role.MANAGER, name: str = "") -> User:
    return User.objects.create_user(name or role, password=PASSWORD, first_name=role.title(), last_name="Tester", role=role)


def trait(key: str) -> Trait:
    return Trait.objects.get(key=key)


def plan(entries: Sequence[str] = ("Corvane", "Quillet", "OF-17", "Brakewater"), **changes: Any) -> TrialPlan:
    crop, _ = Crop.objects.get_or_create(name="Bulb fennel")
    site, _ = Site.objects.get_or_create(name="Ostrel Flats", defaults={"last_frost": "04-18", "first_frost": "10-21"})
    bed, _ = Bed.objects.get_or_create(site=site, name="North strip", defaults={"length_m": 20, "width_m": 10, "bearing": 75})
    given: dict[str, Any] = {
        "name": "Fennel",
        "question": "Which is heaviest?",
        "crop": crop,
        "season": "2026",
        "bed": bed,
        "entries": entries,
        "check": entries[0],
        "blocks": 3,
        "plot_length_m": 2.0,
        "plot_width_m": 1.5,
        "path_m": 0.5,
        "between_rows_cm": 40,
        "in_row_cm": 30,
        "cv_percent": 12,
        "criteria": [CriterionPlan(trait("plot-yield"), "higher", 0.5)],
    }
    return TrialPlan(**(given | changes))


def spacing(made: Trial) -> Spacing:
    """How the plants of its plots stand."""
    assert made.spacing is not None
    return made.spacing


def trial(by: User, fixed: bool = True, seed: int | None = 7, **changes: Any) -> Trial:
    made = plan_trial(plan(**changes), by, seed=seed)
    if fixed:
        fix_layout(made, by)
        made.refresh_from_db()
    return made


def sow(made: Trial, by: User, on: date = SOWN) -> None:
    keep_step(made, Step.SOWN, on, made.plots.all(), by, TODAY)


def walk(made: Trial, key: str, by: User) -> Round:
    return open_round(made, trait(key), TODAY, by)


def keep(asked: Round, plot: Plot, by: User, number: float | None = None, **seen: Any) -> Observation:
    return keep_observation(asked, plot, Seen(number=number, **seen), by, TODAY, uuid.uuid4(), TODAY)


def keep_yields(made: Trial, by: User, means: dict[str, float], spread: float = 0.4) -> Round:
    """A plot yield for every plot: the entry's mean, a step for each block and a fixed small scatter."""
    asked = walk(made, "plot-yield", by)
    for i, plot in enumerate(made.plots.select_related("entry__cultivar")):
        luck = spread * ((i * 7) % 5 - 2) / 2
        keep(asked, plot, by, round(means[plot.entry.cultivar.name] + 0.3 * int(plot.block) + luck, 3))
    return asked


def pick(plot: Plot, by: User, kg: float, on: date = TODAY, **more: Any) -> None:
    keep_picking(plot, on, Weighed(kg, **more), by, uuid.uuid4(), TODAY)
