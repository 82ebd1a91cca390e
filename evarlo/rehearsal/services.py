"""Playing a season: a made trial with a truth that nobody knows, months that pass, records that come in as people would keep
them."""

from __future__ import annotations

import uuid
from collections.abc import Callable
from datetime import date, timedelta

import numpy as np
from django.db import transaction
from django.utils import timezone

from evarlo.catalogue.models import Crop, Trait
from evarlo.grounds.models import Bed, Site
from evarlo.nursery.models import Step
from evarlo.nursery.services import keep_step
from evarlo.people.models import User
from evarlo.rehearsal.models import PlayedSeason
from evarlo.trials.laying import fix_layout
from evarlo.trials.models import Plot, Trial
from evarlo.trials.plan import CriterionPlan, TrialPlan
from evarlo.trials.planning import plan_trial
from evarlo.ui.refused import Refused
from evarlo.walks.services import Seen, close_round, keep_observation, open_round
from trialcore.field.simulated_season import Field, plot_values

CROP, GROUND = "Practice crop", "Practice ground"
MEAN, PLOT_SD = 5.0, 0.5  # kilograms a plot
SPREAD = 0.6  # of entries, in standard deviations of a plot
GOOD = 1.0  # how many spreads a good check stands above the mean entry
MONTHS = 4
ENTRIES, BLOCKS = (4, 24), (2, 8)
FIELD = Field(block_sd=0.35, plot_sd=PLOT_SD, gradient=0.4)
SEASON_LASTS = timedelta(days=120)


@transaction.atomic
def begin_season(entries: int, blocks: int, good_check: bool, by: User, seed: int, today: date) -> PlayedSeason:
    """A made season of so many entries beside the check. Raises Refused for numbers that make no trial."""
    if not ENTRIES[0] <= entries <= ENTRIES[1]:
        raise Refused(f"Expected from {ENTRIES[0]} to {ENTRIES[1]} entries.", "entries")
    if not BLOCKS[0] <= blocks <= BLOCKS[1]:
        raise Refused(f"Expected from {BLOCKS[0]} to {BLOCKS[1]} blocks.", "blocks")
    rng = np.random.default_rng(seed)
    crop, _ = Crop.objects.get_or_create(name=CROP)
    names = [f"Practice {n:02d}" for n in range(1, entries + 1)]
    sown, number = today - SEASON_LASTS, PlayedSeason.objects.count() + 1
    trial = plan_trial(
        TrialPlan(
            name=f"Practice season {number}",
            question="Which of these is truly better than the check?",
            crop=crop,
            season=str(sown.year),
            bed=_bed(entries + 1, blocks),
            entries=["Practice check", *names],
            check="Practice check",
            blocks=blocks,
            plot_length_m=1.0,
            plot_width_m=1.0,
            path_m=0.5,
            between_rows_cm=40,
            in_row_cm=30,
            cv_percent=round(100 * PLOT_SD / MEAN),
            criteria=[CriterionPlan(Trait.objects.get(key="plot-yield"), "higher", round(SPREAD * PLOT_SD / 4, 2))],
            sow_on=sown,
            blind=False,
        ),
        by,
        seed=seed,
    )
    Trial.objects.filter(pk=trial.pk).update(practice=True)
    fix_layout(trial, by)
    spread = SPREAD * PLOT_SD
    worth = {n: float(rng.normal(0, spread)) for n in names}
    worth["Practice check"] = GOOD * spread if good_check else float(rng.normal(0, spread))
    truth = {e.code: round(MEAN + worth[e.cultivar.name], 4) for e in trial.entries.select_related("cultivar")}
    return PlayedSeason.objects.create(
        trial=trial, truth=truth, spread=spread, plot_sd=PLOT_SD, seed=seed, by=by, at=timezone.now()
    )


def _bed(entries: int, blocks: int) -> Bed:
    """Ground that holds it, apart from any real site."""
    site, _ = Site.objects.get_or_create(name=GROUND, defaults={"latitude": 52.0})
    length, width = 1.6 * entries + 4, 2.0 * blocks + 4
    bed, _ = Bed.objects.get_or_create(
        site=site, name=f"Practice bed {entries} × {blocks}", defaults={"length_m": length, "width_m": width}
    )
    return bed


@transaction.atomic
def let_a_month_pass(season: PlayedSeason, today: date) -> PlayedSeason:
    """The records of another month come in; nothing more once all are there. Raises Refused once the verdicts are signed."""
    season = PlayedSeason.objects.select_for_update().select_related("trial", "by").get(pk=season.pk)
    if season.months >= MONTHS:
        return season
    season.months += 1
    sown = season.trial.sow_on or today - SEASON_LASTS
    HAPPENS[season.months](season, sown + timedelta(days=30 * (season.months - 1)), today)
    season.save(update_fields=["months"])
    return season


def let_it_end(season: PlayedSeason, today: date) -> PlayedSeason:
    """All that is left of the season at once."""
    while season.months < MONTHS:
        season = let_a_month_pass(season, today)
    return season


def _sown(season: PlayedSeason, on: date, today: date) -> None:
    keep_step(season.trial, Step.SOWN, on, season.trial.plots.all(), season.by, today)


def _stand(season: PlayedSeason, on: date, today: date) -> None:
    full = season.trial.spacing.plants if season.trial.spacing else 6
    rng = np.random.default_rng([season.seed, 1])
    _walked(season, "stand", on, today, lambda _plot: float(rng.binomial(full, 0.95)))


def _vigour(season: PlayedSeason, on: date, today: date) -> None:
    """An early score that goes with the yield, loosely."""
    rng = np.random.default_rng([season.seed, 2])

    def score(plot: Plot) -> float:
        ahead = (season.truth[plot.entry.code] - MEAN) / season.spread
        return float(np.clip(round(5.5 + 0.8 * ahead + rng.normal(0, 0.9)), 1, 9))

    _walked(season, "vigour", on, today, score)


def _harvest(season: PlayedSeason, on: date, today: date) -> None:
    """What each plot bore: its entry's truth as this season has it, its block, the ground, luck."""
    rng = np.random.default_rng([season.seed, 3])
    plots = list(season.trial.plots.select_related("entry"))
    this_year = {code: worth + float(rng.normal(0, 0.5 * season.spread)) for code, worth in season.truth.items()}
    blocks, cols = [int(p.block) for p in plots], [p.col for p in plots]
    kg = plot_values([p.entry.code for p in plots], blocks, cols, this_year, FIELD, int(rng.integers(1 << 30)))
    by_plot = {p.pk: max(0.0, round(v, 2)) for p, v in zip(plots, kg, strict=True)}
    _walked(season, "plot-yield", on, today, lambda plot: by_plot[plot.pk])


def _walked(season: PlayedSeason, key: str, on: date, today: date, value: Callable[[Plot], float]) -> None:
    walked = open_round(season.trial, Trait.objects.get(key=key), on, season.by)
    for plot in season.trial.plots.select_related("entry"):
        own = uuid.uuid5(uuid.NAMESPACE_OID, f"played {season.pk} {key} {plot.number}")
        keep_observation(walked, plot, Seen(number=value(plot)), season.by, on, own, today)
    close_round(walked)


HAPPENS = {1: _sown, 2: _stand, 3: _vigour, 4: _harvest}


@transaction.atomic
def look_at_the_truth(season: PlayedSeason) -> None:
    """The truth is shown; it cannot be unseen, so when it was is kept. Raises Refused before the verdicts are signed."""
    if season.trial.decided_at is None:
        raise Refused("Decide first: sign the board, then look at the truth.")
    if season.seen_at is None:
        season.seen_at = timezone.now()
        season.save(update_fields=["seen_at"])


@transaction.atomic
def put_away(season: PlayedSeason) -> None:
    """A played season is no longer listed; what was recorded in it stays, as everything does."""
    season.away_at = timezone.now()
    season.save(update_fields=["away_at"])
