"""Fennel seasons at Ostrel Flats, lived through the same services that a person's acts go through."""

from __future__ import annotations

import uuid
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from datetime import date, datetime, time, timedelta

import numpy as np
from django.utils import timezone

from evarlo.catalogue.models import Crop, Trait
from evarlo.demo.backdating import planned_at, signed_at
from evarlo.demo.world import CHECK, FENNEL, KEEPS, SPOTTED, SWEET, Truth
from evarlo.grounds.models import Bed
from evarlo.harvest.services import Weighed, keep_picking
from evarlo.harvest.store import LaidIn, lay_in, look_at
from evarlo.harvest.store import Seen as SeenInStore
from evarlo.nursery.models import Step
from evarlo.nursery.services import keep_step
from evarlo.people.models import User
from evarlo.tasting.services import PanelPlan, keep_ballot, set_table
from evarlo.trials.laying import fix_layout
from evarlo.trials.leaving_out import exclude_plot
from evarlo.trials.models import Cause, Plot
from evarlo.trials.plan import CriterionPlan, TrialPlan
from evarlo.trials.planning import plan_trial
from evarlo.verdicts.board import board_of
from evarlo.verdicts.services import give_verdict, sign_board
from evarlo.walks.models import Round
from evarlo.walks.services import Seen, close_round, keep_observation, open_round, plan_round
from trialcore.field.simulated_season import Field, plot_values, split_into_picks

FIELD = Field(block_sd=24, plot_sd=26, gradient=18)
TRUTH = {t.name: t for t in FENNEL}


@dataclass(frozen=True)
class People:
    manager: User
    evaluator: User
    helper: User


@dataclass(frozen=True)
class Grown:
    """What a fennel trial holds: its name, its entries, blocks, the grams a plant that a place gives or takes from each (the rest:
    `everywhere`), and names under which sellers had some of them that year."""

    title: str = "Bulb fennel, main season"
    names: tuple[str, ...] = tuple(t.name for t in FENNEL)
    blocks: int = 4
    there: Mapping[str, float] = field(default_factory=dict)
    everywhere: float = 0.0
    sold_as: Mapping[str, str] = field(default_factory=dict)  # the cultivar by the name it was sold under


class Season:
    """One season of a fennel trial, from sowing on `sown`; `seed` makes it the same each time."""

    def __init__(self, sown: date, seed: int, crop: Crop, bed: Bed, people: People, grown: Grown | None = None) -> None:
        self.sown, self.seed, self.people = sown, seed, people
        self.grown = grown or Grown()
        self.rng = np.random.default_rng(seed)
        traits = {t.key: t for t in Trait.objects.all()}
        self.trait = traits.__getitem__
        self.trial = plan_trial(
            TrialPlan(
                name=self.grown.title,
                season=str(sown.year),
                crop=crop,
                bed=bed,
                check=CHECK,
                question=f"Which fennels give heavier bulbs than {CHECK} without bolting before they are full?",
                entries=self.grown.names,
                blocks=self.grown.blocks,
                plot_length_m=2.4,
                plot_width_m=2.4,
                path_m=1.0,
                between_rows_cm=40,
                in_row_cm=30,
                cv_percent=11,
                criteria=[
                    CriterionPlan(traits["marketable-per-plant"], "higher", 20),
                    CriterionPlan(traits["bolting"], "lower", 10),
                    CriterionPlan(traits["days-to-first-pick"], "lower", 8),
                ],
                sow_on=sown,
                plant_on=sown + timedelta(days=35),
                pick_on=sown + timedelta(days=92),
            ),
            people.manager,
            seed=seed,
        )
        fix_layout(self.trial, people.manager)
        made = datetime.combine(sown - timedelta(days=25), time(9, 30), tzinfo=timezone.get_current_timezone())
        planned_at(self.trial, made)
        self.plots = list(self.trial.plots.select_related("entry__cultivar"))

    def truth(self, plot: Plot) -> Truth:
        """What the cultivar of a plot truly is, under whatever name it was sold."""
        name = plot.entry.cultivar.name
        return TRUTH[self.grown.sold_as.get(name, name)]

    def day(self, after_sowing: int) -> date:
        return self.sown + timedelta(days=after_sowing)

    def plot(self, name: str, block: int) -> Plot:
        """The plot of a cultivar in a block."""
        return next(p for p in self.plots if p.entry.cultivar.name == name and p.block == str(block))

    def sow_and_plant(self) -> None:
        people = self.people
        keep_step(self.trial, Step.SOWN, self.sown, self.plots, people.helper, self.sown)
        half = len(self.plots) // 2
        for some, day in ((self.plots[:half], 35), (self.plots[half:], 36)):
            keep_step(self.trial, Step.PLANTED, self.day(day), some, people.helper, self.day(day))

    def lose(self, plot: Plot, after_sowing: int, note: str) -> None:
        exclude_plot(plot, Cause.ACCIDENT, note, self.day(after_sowing), self.people.evaluator)

    def walk(
        self,
        key: str,
        after_sowing: int,
        value: Callable[[Plot], float],
        gaps: Mapping[int, tuple[str, str]] | None = None,
        most: int = 99,
    ) -> Round:
        """Walk a trait on a day; `gaps` gives plots without a value their cause and note; stop after `most` plots."""
        on = self.day(after_sowing)
        walked = open_round(self.trial, self.trait(key), on, self.people.evaluator)
        for plot in [p for p in self.plots if not p.exclusions.exists()][:most]:
            cause, note = (gaps or {}).get(plot.pk, ("", ""))
            seen = Seen(cause=cause, note=note) if cause else Seen(number=value(plot))
            keep_observation(walked, plot, seen, self.people.evaluator, on, self._key(), on)
        return walked

    def count_diseased(self, after_sowing: int, looked: int) -> Round:
        """How many of some plants show a leaf spot, plots varying more than chance; the late ones stand in it longest."""
        on, rng = self.day(after_sowing), np.random.default_rng(self.seed + 4)
        walked = open_round(self.trial, self.trait("diseased-plants"), on, self.people.evaluator)
        for plot in [p for p in self.plots if not p.exclusions.exists()]:
            share = SPOTTED.get(plot.entry.cultivar.name, 0.18)
            ill = int(rng.binomial(looked, rng.beta(share * 15, (1 - share) * 15))) if share else 0
            seen = Seen(number=100 * ill / looked, looked=looked)
            keep_observation(walked, plot, seen, self.people.evaluator, on, self._key(), on)
        return walked

    def stand(self, _plot: Plot) -> float:
        return float(self.rng.binomial(48, 0.95))

    def vigour(self, plot: Plot) -> float:
        return float(np.clip(round(self.truth(plot).vigour + self.rng.normal(0, 0.8)), 1, 9))

    def bolting(self, plot: Plot) -> float:
        return float(np.clip(round(self.truth(plot).bolting + self.rng.normal(0, 4)), 0, 100))

    def pick(self, block_shift: dict[str, float] | None = None) -> None:
        """Three picks of every plot that stands, with culls, weighed to the gram."""
        names = [self.truth(p).name for p in self.plots]
        truth = {t.name: t.grams + self.grown.everywhere + self.grown.there.get(t.name, 0.0) for t in FENNEL}
        grams = plot_values(names, [int(p.block) for p in self.plots], [p.col for p in self.plots], truth, FIELD, self.seed + 1)
        for plot, each in zip(self.plots, grams, strict=True):
            if plot.exclusions.exists():
                continue
            each += (block_shift or {}).get(plot.block, 0.0)
            days = self.truth(plot).days + self.rng.normal(0, 1.6)
            total = each * 45 / 1000
            for n, kg in enumerate(split_into_picks(total, 3, int(self.rng.integers(1 << 30)))):
                on = self.day(round(days) + 7 * n)
                culled = round(kg * self.rng.uniform(0.03, 0.12), 3)
                weighed = Weighed(round(kg, 3), max(1, round(1000 * kg / each)), culled, far=True)
                keep_picking(plot, on, weighed, self.people.helper, self._key(), on)

    def store(self, after_sowing: int, blocks: str) -> None:
        """Bulbs of some entries go into the cellar, a lot from each of some blocks, and are looked at every ten days."""
        rng, start = np.random.default_rng(self.seed + 2), self.day(after_sowing)
        for name, half in KEEPS.items():
            for block in blocks:
                plot = self.plot(name, int(block))
                kept = LaidIn(24, round(24 * TRUTH[name].grams / 1000, 2), "cellar, 3 °C, 95 % humid", 10)
                lot = lay_in(self.trial, plot.entry, plot, start, kept, self.people.helper, start)
                luck = half * rng.normal(1, 0.06) / np.log(2) ** (1 / 3)
                lost_on = luck * rng.weibull(3, kept.pieces)
                for day in range(10, 61, 10):
                    sound = int((lost_on > day).sum())
                    cause = "soft rot" if day > 20 else "dried out"
                    on, kg = start + timedelta(days=day), round((kept.kg or 0.0) * sound / 24 * (1 - day / 700), 2)
                    look_at(lot, on, SeenInStore(sound, 0, cause, kg), self.people.helper, on)
                    if not sound:
                        break

    def taste(self, after_sowing: int, judges: int) -> None:
        """A panel tastes some entries for sweetness; judges differ in how high they score."""
        rng = np.random.default_rng(self.seed + 3)
        plan = PanelPlan(self.day(after_sowing), "Sweetness, raw", "not sweet", "very sweet", judges, pause_s=45)
        entries = list(self.trial.entries.filter(cultivar__name__in=SWEET))
        panel = set_table(self.trial, plan, entries, self.people.manager, self.seed)
        high = rng.normal(0, 0.9, judges)
        dishes = panel.dishes.select_related("entry__cultivar")
        keep_ballot(
            panel,
            {
                d.code: int(np.clip(round(SWEET[d.entry.cultivar.name] + high[d.judge - 1] + rng.normal(0, 0.9)), 1, 9))
                for d in dishes
            },
            self.people.helper,
        )

    def decide(self, otherwise: dict[str, tuple[str, str]], on_day: int) -> None:
        """Sign the board, against the suggestion where `otherwise` gives a verdict and its reason."""
        board = board_of(self.trial, self.people.manager)
        for line in board.lines:
            verdict, reason = otherwise.get(line.entry.cultivar.name, ("", ""))
            if verdict and line.suggestion:
                give_verdict(line.entry, verdict, reason, line.suggestion.verdict.value, self.people.manager)
        signed = sign_board(self.trial, self.people.manager)
        at = datetime.combine(self.day(on_day), time(16, 5), tzinfo=timezone.get_current_timezone())
        signed_at(signed, at)

    def close(self, *rounds: Round) -> None:
        for walked in rounds:
            close_round(walked)

    def plan_rounds(self, *planned: tuple[str, int]) -> None:
        for key, after_sowing in planned:
            plan_round(self.trial, self.trait(key), self.day(after_sowing))

    def _key(self) -> uuid.UUID:
        return uuid.UUID(bytes=self.rng.bytes(16), version=4)
