"""Seed and field arithmetic: figures that can be checked by hand, and what cannot be."""

from datetime import date
from math import comb
from unittest import TestCase

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from trialcore.field import degree_days, progress, raters, storage
from trialcore.field.picks import Pick, harvest_flow
from trialcore.field.simulated_season import Cultivar, World, simulate_season
from trialcore.reckoning import germination, selection, sowing
from trialcore.tests.surely import surely


class Sowing(TestCase):
    def test_the_working_of_a_need(self) -> None:
        need = sowing.seeds_for_stations(36, 2, 0.82, 0.9, spare=5, packet=50)
        self.assertEqual((need.seeds, need.packets), (77, 2))
        self.assertAlmostEqual(need.emergence, 0.738)
        self.assertAlmostEqual(need.expected_empty, 36 * 0.262**2)
        self.assertEqual(sowing.seeds_for_plants(36, 0.82, 0.9, 5), 54)  # 36 / 0.738 = 48.8, so 49 + 5
        self.assertEqual(sowing.seeds_per_station(0.82, 0.9, 0.05), 3)
        self.assertEqual(sowing.seeds_per_station(1.0, 1.0, 0.05), 1)

    def test_machine_trays_and_weights(self) -> None:
        spacing = sowing.machine_spacing_cm(40, 30, 0.8)
        self.assertAlmostEqual(0.8 * (100 / spacing) * (100 / 30), 40)  # seeds along a metre × rows across a metre
        self.assertAlmostEqual(sowing.seeds_in_grams(sowing.grams_of_seeds(250, 4.2), 4.2), 250)
        self.assertEqual(sowing.trays_needed(100, 77, 0.9), 2)
        self.assertAlmostEqual(sowing.medium_litres(2, 77, 55, 0.0), 8.47)
        self.assertAlmostEqual(sowing.bed_length_m(25, 2, 0.3), 3.9)

    def test_absurd_figures_are_refused(self) -> None:
        for act in (
            lambda: sowing.seeds_for_plants(10, 0.0),
            lambda: sowing.seeds_for_plants(10, 1.2),
            lambda: sowing.seeds_for_plants(-1, 0.8),
            lambda: sowing.seeds_for_stations(0, 1, 0.8),
            lambda: sowing.machine_spacing_cm(0, 30, 0.8),
            lambda: sowing.trays_needed(5, 0),
            lambda: sowing.seeds_per_station(0.8, 1, 0),
            lambda: sowing.seeds_in_grams(5, 0),
            lambda: sowing.medium_litres(1, 77, -5),
            lambda: sowing.bed_length_m(5, 0, 0.3),
        ):
            with self.assertRaises(ValueError):
                act()


class Selection(TestCase):
    def test_plants_for_a_recessive(self) -> None:
        self.assertEqual(selection.plants_to_grow(1 / 4, 1, 0.95), 11)
        self.assertEqual(selection.plants_to_grow(1 / 16, 1, 0.95), 47)
        self.assertEqual(selection.plants_to_grow(1.0, 3, 0.9), 3)

    @given(st.floats(0.05, 0.9), st.integers(1, 6), st.floats(0.5, 0.99))
    def test_it_is_the_fewest(self, share: float, least: int, chance: float) -> None:
        n = selection.plants_to_grow(share, least, chance)

        def found(plants: int) -> float:
            return 1 - sum(comb(plants, k) * share**k * (1 - share) ** (plants - k) for k in range(least))

        self.assertGreaterEqual(found(n), chance - 1e-9)
        self.assertLess(found(n - 1), chance + 1e-9)

    def test_fixation(self) -> None:
        self.assertEqual([selection.fixation(g) for g in (1, 2, 3, 6)], [0, 0.5, 0.75, 0.96875])
        self.assertEqual(selection.share_of_recessives(2), 1 / 16)
        self.assertAlmostEqual(selection.chance_all_fixed(6, 10), 0.96875**10)
        self.assertEqual(selection.generation_for(0.95), 6)
        with self.assertRaises(ValueError):
            selection.fixation(0)


class Germination(TestCase):
    def test_waiting_brings_more_only_while_seeds_still_come(self) -> None:
        early = germination.more_to_come([3, 4, 5, 6], [2, 8, 15, 18], 100, 7, needed=20)
        late = germination.more_to_come([3, 5, 7, 9, 12, 16, 21], [10, 35, 25, 8, 2, 0, 0], 100, 7, needed=5)
        assert early is not None and late is not None
        self.assertGreater(early.expected_more, 10)
        self.assertLess(late.expected_more, 0.5)
        self.assertAlmostEqual(late.final_share, 0.8, delta=0.02)
        self.assertLess(late.chance_of_needed or 0, 0.01)
        self.assertIsNone(germination.more_to_come([3, 4], [1, 0], 50, 7))

    def test_forecasts_hold_on_average(self) -> None:
        rng = np.random.default_rng(7)
        promised, came = 0.0, 0
        for _ in range(150):
            times = rng.lognormal(np.log(6), 0.35, 100)[: rng.binomial(100, 0.8)]
            newly = [int(((times > d - 1) & (times <= d)).sum()) for d in range(2, 8)]
            found = germination.more_to_come(list(range(2, 8)), newly, 100, 5)
            assert found is not None
            promised += found.expected_more
            came += int(((times > 7) & (times <= 12)).sum())
        self.assertAlmostEqual(promised / came, 1.0, delta=0.12)

    def test_verdicts_and_replicates(self) -> None:
        self.assertEqual(germination.judge_lot(90, 100).verdict, "sow")
        thick = germination.judge_lot(130, 200)
        self.assertEqual(thick.verdict, "sow thicker")
        self.assertAlmostEqual(thick.factor, 0.85 / 0.65)
        self.assertEqual(germination.judge_lot(10, 100).verdict, "reject")
        same = germination.compare_replicates([24, 25, 26, 25], [30] * 4)
        wild = germination.compare_replicates([10, 29, 12, 28], [30] * 4)
        assert same is not None and wild is not None
        self.assertGreater(same.p, 0.8)
        self.assertLess(wild.p, 0.001)
        self.assertIsNone(germination.compare_replicates([30, 30], [30, 30]))

    def test_what_cannot_have_germinated(self) -> None:
        for act in (
            lambda: germination.wilson_interval(5, 4),
            lambda: germination.exact_interval(-1, 4),
            lambda: germination.wilson_interval(0, 0),
            lambda: germination.germination_speed([2, 1], [1, 1]),
            lambda: germination.germination_speed([1], [1, 2]),
            lambda: germination.more_to_come([1, 2], [3, 4], 5, 7),
            lambda: germination.more_to_come([1, 2], [3, 4], 50, 0),
            lambda: germination.compare_lots(5, 4, 1, 2),
        ):
            with self.assertRaises(ValueError):
                act()


class Field(TestCase):
    def test_degree_days_against_the_integral_of_the_sine(self) -> None:
        t = (np.arange(200_000) + 0.5) / 200_000 * 2 * np.pi
        for low, high, base, upper in (
            (2.0, 18.0, 10.0, 30.0),
            (8.0, 34.0, 10.0, 26.0),
            (11.0, 19.0, 10.0, 30.0),
            (28.0, 40.0, 10.0, 26.0),
        ):
            curve = (low + high) / 2 + (high - low) / 2 * np.sin(t)
            exact = float((np.clip(curve, base, upper) - base).mean())
            self.assertAlmostEqual(float(degree_days.degree_days([low], [high], base, upper)[0]), exact, places=5)
        gap = degree_days.degree_days([2.0, np.nan], [18.0, 20.0], 10.0, 30.0)
        self.assertTrue(np.isnan(gap[1]))
        self.assertEqual(degree_days.day_of(10, [3, 4, 5]), 2)
        self.assertIsNone(degree_days.day_of(100, [3, 4, 5]))

    def test_day_length(self) -> None:
        self.assertAlmostEqual(degree_days.day_length_hours(0, 80), 12.1, delta=0.05)
        self.assertAlmostEqual(degree_days.day_length_hours(51.5, 172), 16.65, delta=0.1)  # London at midsummer
        self.assertAlmostEqual(degree_days.day_length_hours(-51.5, 172), 7.85, delta=0.15)
        self.assertEqual(degree_days.day_length_hours(80, 172), 24.0)

    def test_keeping(self) -> None:
        found = storage.keeping_curve([10, 20, 30], [20, 15, 5], 20)
        self.assertEqual((found.days_to_50, found.days_to_90), (25.0, 14.0))
        self.assertAlmostEqual(found.mean_share, (10 + 8.75 + 5) / 30)
        self.assertIsNone(storage.keeping_curve([10], [20], 20).days_to_50)

    def test_the_flow_of_a_harvest(self) -> None:
        picks = [Pick(date(2026, 7, d), kg) for d, kg in ((10, 1.0), (17, 2.0), (24, 3.0), (31, 2.0))]
        found = harvest_flow(picks, date(2026, 4, 1))
        assert found is not None
        self.assertEqual((found.span, found.peak, found.first), (21, date(2026, 7, 24), date(2026, 7, 10)))
        self.assertAlmostEqual(found.to_half or 0, 100 + 7 + 7 / 3)
        self.assertIsNone(surely(harvest_flow(picks[:1])).to_half)
        self.assertIsNone(harvest_flow([Pick(date(2026, 7, 1), 0.0)]))
        even = harvest_flow([Pick(date(2026, 7, d), 2.0) for d in (1, 2, 3)])
        self.assertAlmostEqual(even.evenness if even and even.evenness else 0, 1.0)

    def test_weighted_kappa(self) -> None:
        self.assertEqual(raters.weighted_kappa([1, 2, 3, 4], [1, 2, 3, 4]), 1.0)
        self.assertAlmostEqual(raters.weighted_kappa([1, 1, 2, 2], [1, 2, 1, 2]), 0.0)
        self.assertLess(raters.weighted_kappa([1, 2, 3], [3, 2, 1]), 0)
        linear = raters.weighted_kappa([1, 2, 3, 5], [1, 3, 3, 4], "linear")  # by hand: 1 − 2/4 ÷ 24/16
        self.assertAlmostEqual(linear, 1 - (2 / 4) / (24 / 16))

    def test_absurd_records_are_refused(self) -> None:
        for act in (
            lambda: degree_days.degree_days([5], [4], 10),
            lambda: degree_days.degree_days([5], [6], 10, 9),
            lambda: degree_days.degree_days([5, 6], [6], 10),
            lambda: degree_days.day_length_hours(95, 1),
            lambda: progress.progress_area([1], [5]),
            lambda: progress.progress_area([2, 1], [5, 6]),
            lambda: progress.progress_area([1, 2], [5, 101]),
            lambda: storage.keeping_curve([5, 6], [10, 11], 20),
            lambda: raters.lin_concordance([1, 1, 1], [1, 2, 3]),
            lambda: raters.weighted_kappa([3, 3], [3, 3]),
        ):
            with self.assertRaises(ValueError):
                act()


class SimulatedSeason(TestCase):
    def test_the_truth_comes_back(self) -> None:
        cultivars = [Cultivar("A", 8.0, 90, damage=2), Cultivar("B", 6.0, 100, emergence=0.6, damage=7)]
        plots = [(100 * b + i, "AB"[i % 2], b, b, i) for b in range(1, 41) for i in range(6)]
        world = World(accident=0.05, lost_label=0.05, rater_bias={"A": 0.0, "B": 1.0}, gradient=2.0, neighbour_sd=0.5)
        records = simulate_season(plots, cultivars, world, 11)
        self.assertEqual(records, simulate_season(plots, cultivars, world, 11))
        kept = [r for r in records if not r.cause]
        self.assertAlmostEqual(1 - len(kept) / len(records), 0.1, delta=0.05)
        mean = {e: float(np.mean([r.total_kg for r in kept if r.entry == e])) for e in "AB"}
        self.assertAlmostEqual(mean["A"] - mean["B"], 2.0, delta=0.35)
        stand = {e: np.mean([r.stand or 0 for r in kept if r.entry == e]) / 24 for e in "AB"}
        self.assertAlmostEqual(float(stand["B"]), 0.6, delta=0.03)
        bias = np.mean([r.damage["B"] - r.damage["A"] for r in kept])
        self.assertAlmostEqual(float(bias), 1.0, delta=0.15)
        self.assertTrue(all((r.first_pick_by or 0) - (r.first_pick_after or 0) == 7 for r in kept))
        with self.assertRaises(ValueError):
            simulate_season([(1, "Z", 1, 1, 1)], cultivars, world, 1)


class Few(TestCase):
    def test_few_seeds_give_so_many_plants_nine_times_in_ten(self) -> None:
        """The sum of the binomial by hand: of 25 seeds of 0.765 at least 16 come in 95.1 %, at least 17 in 88.9 % of cases."""

        def at_least(k: int, n: int, p: float) -> float:
            return sum(comb(n, i) * p**i * (1 - p) ** (n - i) for i in range(k, n + 1))

        for n, p in ((25, 0.765), (25, 0.3), (7, 0.9), (400, 0.5)):
            k = sowing.few_seeds(n, p, 3, 18).surely
            self.assertGreaterEqual(at_least(k, n, p), 0.9)
            self.assertLess(at_least(k + 1, n, p), 0.9)
        found = sowing.few_seeds(25, 0.765, 3, 18)
        self.assertEqual((found.surely, found.full_plots, found.a_plot), (16, 0, 5))
        self.assertEqual((sowing.few_seeds(100, 1.0, 3, 18).full_plots, sowing.few_seeds(100, 1.0, 3, 18).a_plot), (3, 18))
        self.assertEqual((sowing.few_seeds(0, 0.8, 3, 18).surely, sowing.few_seeds(9, 0.0, 3, 18).surely), (0, 0))
        for wrong in ((-1, 0.5, 3, 18), (5, 1.5, 3, 18), (5, 0.5, 0, 18)):
            with self.assertRaises(ValueError):
                sowing.few_seeds(*wrong)
