"""The family from which the edamame lines come: crossed six years ago, a generation grown each year, and the best lines grown on
this season. Plants are simulated: twenty loci, uneven ground, and what single plants differ by without any gene."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import date, datetime, time, timedelta

import numpy as np
from django.utils import timezone

from evarlo.breeding.models import Cross, Generation, How, Isolation, Saved
from evarlo.breeding.services import Ask, cross, grow, save_seed
from evarlo.breeding.traits import mark_trait
from evarlo.catalogue.models import Crop, Trait
from evarlo.demo.backdating import planned_at
from evarlo.demo.seasons import People
from evarlo.grounds.models import Bed
from evarlo.nursery.models import Step
from evarlo.nursery.services import keep_step
from evarlo.trials.models import Plot
from evarlo.trials.plan import CriterionPlan
from evarlo.trials.services import archive
from evarlo.walks.services import Seen, close_round, keep_many, open_round
from trialcore.reckoning.schedule import years_later

PARENTS = ("Marl Penny", "Hollin Pod")
LOCI, PODS, EFFECT, PLANT_SD, SLOPE = (
    20,
    46.0,
    3.4,
    5.0,
    1.6,
)  # pods of a plant; what a locus, luck and a metre of ground do to them
GROWN = ((1, 60), (8, 10), (12, 8))  # families and plants of each in the F2, F3 and F4
KEPT_ON = 3  # lines of the trial that are grown as single plants this season
GREY = "grey leaves from below"


@dataclass
class Genes:
    """What each plant truly is, by its plot: two alleles at each locus, 1 from the first parent where that is the better one."""

    luck: np.random.Generator
    of_plot: dict[int, np.ndarray] = field(default_factory=dict)
    of_seed: dict[int, np.ndarray] = field(default_factory=dict)  # the mother of each saved lot

    def offspring(self, mother: np.ndarray) -> np.ndarray:
        """One plant from selfed seed."""
        picked = self.luck.integers(0, 2, (2, LOCI))
        return np.take_along_axis(mother, picked, axis=0)


def breed_lines(crop: Crop, bed: Bed, people: People, sown: date, names: Sequence[str], seed: int = 2907) -> tuple[Cross, Genes]:
    """From the cross to the F4 plants whose seed are the lines (by `names`) of the trial that was sown the year after."""
    genes = Genes(np.random.default_rng(seed))
    crossed = years_later(sown, -5) + timedelta(days=60)
    made = cross(
        crop, "OE", *PARENTS, Isolation.BAGGED, 34, crossed, people.manager, crossed, "pods of one, clean leaves of the other"
    )
    f1 = _season(made, genes, [], 6, years_later(sown, -4), people, bed)
    saved = _save(f1, genes, people, years_later(sown, -4), 1)
    for n, (families, plants) in enumerate(GROWN):
        year = years_later(sown, n - len(GROWN))
        grown = _season(made, genes, saved[:families], plants, year, people, bed)
        last = n == len(GROWN) - 1
        saved = _save(grown, genes, people, year, len(names) if last else GROWN[n + 1][0], names if last else ())
    return made, genes


def grow_lines_on(made: Cross, genes: Genes, bed: Bed, people: People, sown: date, names: Sequence[str]) -> Generation:
    """This season: the best lines as single plants beside their check, walked so far."""
    lines = list(Saved.objects.filter(progeny__name__in=names).order_by("pk")[:KEPT_ON])
    return _season(made, genes, lines, 14, sown, people, bed, over=False)


def _season(
    made: Cross, genes: Genes, saved: Sequence[Saved], plants: int, sown: date, people: People, bed: Bed, over: bool = True
) -> Generation:
    traits = {t.key: t for t in Trait.objects.filter(key__in=("pods", "disease"))}
    by = [CriterionPlan(traits["pods"], "higher", 5), CriterionPlan(traits["disease"], "lower", 1, must=6, weight=0.5)]
    called = saved[0].called if saved else "F1"
    ask = Ask(saved, plants, PARENTS[0], 7, str(sown.year), bed, 50, 30, by, sow_on=sown, name=f"OE {called}")
    grown = grow(made, ask, people.manager)
    planned_at(grown.trial, datetime.combine(sown - timedelta(days=9), time(10), tzinfo=timezone.get_current_timezone()))
    plots = list(grown.trial.plots.select_related("entry__grown", "entry__cultivar"))
    keep_step(grown.trial, Step.SOWN, sown, plots, people.helper, sown)
    for p in plots:
        genes.of_plot[p.pk] = _plant(genes, p)
    clean = {p.pk: int(np.clip(genes.luck.normal(4.2 - 0.1 * genes.of_plot[p.pk][:, :4].sum(), 0.9), 1, 9)) for p in plots}
    wave = genes.luck.normal(0, 1)
    pods = {
        p.pk: float(
            round(max(3.0, _true(genes.of_plot[p.pk]) + SLOPE * (p.x - 4) + 2 * wave + float(genes.luck.normal(0, PLANT_SD))))
        )
        for p in plots
    }
    _walk(grown, "disease", sown + timedelta(days=60), plots, {pk: float(v) for pk, v in clean.items()}, people)
    seen = plots if over else plots[: 2 * len(plots) // 3]
    _walk(grown, "pods", sown + timedelta(days=80), seen, pods, people)
    worst = sorted((p for p in seen if not p.entry.is_check), key=lambda p: -clean[p.pk])[: 2 if saved else 0]
    marks = [(p, Seen(number=3, note=GREY)) for p in worst if over]
    marks += [(p, Seen(number=2, note="full pods")) for p in sorted(seen, key=lambda p: -pods[p.pk])[:3] if not p.entry.is_check]
    walk = open_round(grown.trial, mark_trait(), sown + timedelta(days=82), people.evaluator)
    keep_many(walk, marks, people.evaluator, sown + timedelta(days=82))
    if over:
        archive(grown.trial, True, people.manager)
    return grown


def _plant(genes: Genes, plot: Plot) -> np.ndarray:
    if plot.entry.is_check:
        return np.ones((2, LOCI)) * (np.arange(LOCI) % 2)  # the first parent has the better allele at every other locus
    grown = getattr(plot.entry, "grown", None)
    if grown is None:
        return np.stack([np.arange(LOCI) % 2, 1 - np.arange(LOCI) % 2]).astype(float)
    return genes.offspring(genes.of_seed[grown.saved_id])


def _true(plant: np.ndarray) -> float:
    return PODS + EFFECT * (float(plant.sum()) - LOCI) / 2


def _walk(made: Generation, key: str, on: date, plots: Sequence[Plot], value: dict[int, float], people: People) -> None:
    walk = open_round(made.trial, Trait.objects.get(key=key), on, people.evaluator)
    keep_many(walk, [(p, Seen(number=value[p.pk])) for p in plots], people.evaluator, on)
    if len(plots) == made.trial.plots.count():
        close_round(walk)


def _save(made: Generation, genes: Genes, people: People, sown: date, count: int, names: Sequence[str] = ()) -> list[Saved]:
    """Seed of the plants that looked best, each family its turn."""
    from evarlo.breeding.ranking import sisters_of

    on = sown + timedelta(days=110)
    ranked = [p.plot for p in sisters_of(Generation.objects.get(pk=made.pk)).plants]
    plots = {p.pk: p for p in made.trial.plots.select_related("entry__cultivar", "trial__generation__cross__crop")}
    kept = []
    for n, plot in enumerate(ranked[:count]):
        own = names[n] if names else ""
        saved = save_seed(
            plots[plot.pk], How.SELFED, Isolation.DISTANCE, int(genes.luck.integers(60, 180)), on, people.manager, on, called=own
        )
        genes.of_seed[saved.pk] = genes.of_plot[plot.pk]
        kept.append(saved)
    return kept
