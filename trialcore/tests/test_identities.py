"""What has to hold whatever the figures are: sums that add up, limits that are reached, and what other software finds."""

import warnings
from unittest import TestCase

import numpy as np
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from trialcore.analyses.environments import ammi_of, analyse_environments, stability_of
from trialcore.analyses.linear import Floats
from trialcore.field import progress, storage
from trialcore.field.simulated_season import Cultivar, World, simulate_season, split_into_picks
from trialcore.inference import power
from trialcore.inference.seasons import SeasonResult, pool
from trialcore.reckoning import selection, sowing

SEEDS = st.integers(0, 10_000)


def a_table(seed: int, entries: int, environments: int) -> Floats:
    rng = np.random.default_rng(seed)
    return np.asarray(
        10 + rng.normal(0, 2, (entries, 1)) + rng.normal(0, 3, (1, environments)) + rng.normal(0, 1, (entries, environments))
    )


def interaction_of(table: Floats) -> Floats:
    return np.asarray(table - table.mean(axis=1, keepdims=True) - table.mean(axis=0) + table.mean())


def names(count: int) -> list[str]:
    return [f"E{i:02d}" for i in range(count)]


class Stability(TestCase):
    @given(SEEDS, st.integers(3, 9), st.integers(3, 12))
    def test_the_parts_add_up_to_the_interaction(self, seed: int, g: int, e: int) -> None:
        table = a_table(seed, g, e)
        found = stability_of(names(g), table)
        ss = float((interaction_of(table) ** 2).sum())
        self.assertAlmostEqual(sum(s.ecovalence for s in found), ss)
        self.assertAlmostEqual(sum(s.ecovalence_percent or 0 for s in found), 100)
        self.assertAlmostEqual(float(np.mean([s.shukla or 0 for s in found])), ss / ((g - 1) * (e - 1)))
        self.assertAlmostEqual(float(np.mean([s.slope or 0 for s in found])), 1)
        self.assertAlmostEqual(sum(s.mean_rank for s in found), g * (g + 1) / 2)
        slopes = sum(((s.slope or 0) - 1) ** 2 for s in found) * float(((table.mean(axis=0) - table.mean()) ** 2).sum())
        self.assertAlmostEqual(sum(s.deviations_ss for s in found) + slopes, ss)

    @given(SEEDS, st.integers(3, 8), st.integers(3, 8))
    def test_each_slope_is_that_of_a_fitted_line(self, seed: int, g: int, e: int) -> None:
        from scipy.stats import linregress

        table = a_table(seed, g, e)
        for own, found in zip(table, stability_of(names(g), table), strict=True):
            line = linregress(table.mean(axis=0), own)
            assert found.slope is not None and found.slope_se is not None and found.r_squared is not None
            self.assertAlmostEqual(found.slope, float(line.slope), places=6)
            self.assertAlmostEqual(found.slope_se, float(line.stderr), places=6)
            self.assertAlmostEqual(found.r_squared, float(line.rvalue) ** 2, places=6)

    @given(SEEDS)
    def test_the_best_everywhere_is_superior_and_nothing_else_is(self, seed: int) -> None:
        table = a_table(seed, 5, 6)
        table[2] = table.max(axis=0) + 0.5
        found = stability_of(names(5), table)
        self.assertEqual(found[2].superiority, 0)
        self.assertEqual(found[2].mean_rank, 1)
        self.assertTrue(all(s.superiority > 0 for i, s in enumerate(found) if i != 2))

    def test_entries_that_move_alike_are_stable(self) -> None:
        table = np.add.outer([4.0, 6.0, 9.0], [0.0, 1.0, 3.0, 8.0])
        for s in stability_of(names(3), table):
            self.assertAlmostEqual(s.slope or 0, 1)
            self.assertAlmostEqual(s.ecovalence, 0)
            self.assertAlmostEqual(s.r_squared or 0, 1)

    def test_environments_that_are_all_alike_have_no_slope(self) -> None:
        table = np.array([[1.0, 2.0, 3.0], [3.0, 2.0, 1.0], [2.0, 2.0, 2.0]])
        for s in stability_of(names(3), table):
            self.assertIsNone(s.slope)
            self.assertIsNone(s.p_slope_is_1)


class Multiplicative(TestCase):
    @given(SEEDS, st.integers(3, 8), st.integers(3, 8))
    def test_axes_take_the_interaction_apart(self, seed: int, g: int, e: int) -> None:
        table = a_table(seed, g, e)
        found = ammi_of(table)
        ss = [a.ss for a in found.axes]
        self.assertEqual(ss, sorted(ss, reverse=True))
        self.assertAlmostEqual(sum(ss), float((interaction_of(table) ** 2).sum()))
        self.assertAlmostEqual(found.axes[-1].cumulative_percent, 100)
        self.assertEqual(sum(a.gollob_df for a in found.axes), (g - 1) * (e - 1))
        for scores in (found.entry_scores, found.environment_scores):
            np.testing.assert_allclose(scores.sum(axis=0), 0, atol=1e-9)
            self.assertAlmostEqual(float(scores[:, 0] @ scores[:, 1]), 0)

    @given(SEEDS)
    def test_two_axes_give_back_an_interaction_of_rank_two(self, seed: int) -> None:
        rng = np.random.default_rng(seed)
        table = a_table(seed, 6, 5)
        made = rng.normal(size=(6, 2)) @ rng.normal(size=(2, 5))
        table = table - interaction_of(table) + interaction_of(made)
        found = ammi_of(table)
        np.testing.assert_allclose(found.entry_scores @ found.environment_scores.T, interaction_of(table), atol=1e-8)
        self.assertAlmostEqual(found.axes[1].cumulative_percent, 100)

    @given(SEEDS)
    def test_better_entries_and_richer_environments_change_no_score(self, seed: int) -> None:
        rng = np.random.default_rng(seed + 1)
        table = a_table(seed, 5, 6)
        moved = table + rng.normal(0, 5, (5, 1)) + rng.normal(0, 5, (1, 6))
        np.testing.assert_allclose(ammi_of(moved).entry_scores, ammi_of(table).entry_scores, atol=1e-8)
        np.testing.assert_allclose(ammi_of(moved).asv, ammi_of(table).asv, rtol=1e-6)

    def test_sites_and_seasons_split_what_lies_between_environments(self) -> None:
        rng = np.random.default_rng(3)
        rows = [(f"E{i}", s, y) for i in range(4) for s in "PQR" for y in ("2024", "2025")]
        value = [float(v) for v in rng.normal(10, 2, len(rows))]
        found = analyse_environments([r[0] for r in rows], value, [r[1] for r in rows], [r[2] for r in rows])
        table = np.array(value).reshape(4, 3, 2)
        self.assertEqual(found.table.shape, (4, 6))
        np.testing.assert_allclose(sorted(found.table.ravel()), sorted(value))
        total = float(((np.array(value) - np.mean(value)) ** 2).sum())
        by = {row.source: row for row in found.site_season}
        self.assertAlmostEqual(sum(row.ss for row in found.site_season), total)
        site = table.mean(axis=(0, 2))
        self.assertAlmostEqual(by["site"].ss, 8 * float(((site - site.mean()) ** 2).sum()))


class OverSeasons(TestCase):
    def results(self, d: Floats, se: Floats) -> list[SeasonResult]:
        return [SeasonResult(str(2020 + i), float(a), float(b), 12) for i, (a, b) in enumerate(zip(d, se, strict=True))]

    @given(SEEDS, st.integers(2, 8), st.floats(0.2, 3))
    @settings(max_examples=40)
    def test_what_varies_between_seasons_as_other_software_has_it(self, seed: int, k: int, between: float) -> None:
        from statsmodels.stats.meta_analysis import combine_effects

        rng = np.random.default_rng(seed)
        se = rng.uniform(0.3, 1.2, k)
        d = 1 + rng.normal(0, between, k) + rng.normal(0, se)
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            other = combine_effects(d, se**2, method_re="iterated", atol=1e-10)
        assume(other.tau2 > 1e-3)
        found = pool(self.results(d, se))
        self.assertAlmostEqual(found.between, float(np.sqrt(other.tau2)), places=4)
        self.assertAlmostEqual(found.better_by, float(other.mean_effect_re), places=4)
        wider = max(1.0, float(other.scale_hksj_re))
        self.assertAlmostEqual(found.se, float(np.sqrt(wider * other.var_eff_w_re)), places=4)
        self.assertEqual(found.df, k - 1)

    @given(SEEDS, st.integers(1, 6))
    def test_a_known_part_is_taken_as_it_is(self, seed: int, k: int) -> None:
        rng = np.random.default_rng(seed)
        se, d = rng.uniform(0.3, 1.2, k), rng.normal(1, 1, k)
        found = pool(self.results(d, se), between=0.7)
        w = 1 / (se**2 + 0.49)
        self.assertAlmostEqual(found.better_by, float(np.average(d, weights=w)))
        self.assertAlmostEqual(found.se, float(w.sum() ** -0.5))
        self.assertGreaterEqual(found.better_by, d.min() - 1e-9)
        self.assertLessEqual(found.better_by, d.max() + 1e-9)

    def test_a_season_without_an_error_is_refused(self) -> None:
        for bad in ([], [SeasonResult("2024", 1, 0, 9)], [SeasonResult("2024", 1, 0.5, 0)]):
            with self.assertRaises(ValueError):
                pool(bad)


class Curves(TestCase):
    @given(st.lists(st.floats(0, 100), min_size=2, max_size=12), st.floats(0.5, 20))
    def test_an_area_is_the_sum_of_its_parts(self, severity: list[float], step: float) -> None:
        days = [step * i for i in range(len(severity))]
        whole = progress.progress_area(days, severity)
        self.assertAlmostEqual(whole.area, float(np.trapezoid(severity, days)), places=6)
        self.assertAlmostEqual(whole.relative * 100, whole.standardised, places=8)
        self.assertTrue(min(severity) - 1e-9 <= whole.standardised <= max(severity) + 1e-9)
        self.assertGreaterEqual(whole.stairs, whole.area)
        if len(severity) > 2:
            halves = progress.progress_area(days[:2], severity[:2]).area + progress.progress_area(days[1:], severity[1:]).area
            self.assertAlmostEqual(halves, whole.area, places=6)

    @given(st.lists(st.integers(0, 40), min_size=1, max_size=8))
    def test_what_keeps_only_falls(self, counts: list[int]) -> None:
        sound = sorted(counts, reverse=True)
        days = [7.0 * (i + 1) for i in range(len(sound))]
        found = storage.keeping_curve(days, sound, 40)
        self.assertTrue(sound[-1] / 40 - 1e-9 <= found.mean_share <= 1)
        for level, day in ((0.9, found.days_to_90), (0.5, found.days_to_50)):
            self.assertEqual(day is None, sound[-1] / 40 >= level)
            if day is not None:
                self.assertAlmostEqual(float(np.interp(day, [0, *days], [1, *(s / 40 for s in sound)])), level)
        for check in found.checks:
            self.assertTrue(0 <= check.lower95 <= check.share <= check.upper95 <= 1)


class BeforeSowing(TestCase):
    @given(st.integers(3, 30), st.integers(2, 10), st.floats(3, 40))
    @settings(max_examples=30, deadline=None)
    def test_more_blocks_and_larger_differences_are_found_more_often(self, entries: int, blocks: int, cv: float) -> None:
        given_now = power.precision("rcbd", entries, blocks)
        given_more = power.precision("rcbd", entries, blocks + 1)
        least = power.smallest_found(cv, given_now)
        self.assertGreater(least, power.smallest_found(cv, given_more))
        self.assertAlmostEqual(power.chance_found(least, cv, given_now), 0.8, places=4)
        self.assertLess(power.chance_found(least * 0.8, cv, given_now), 0.8)
        self.assertAlmostEqual(power.chance_found(0, cv, given_now), 0.05, places=6)

    @given(st.integers(1, 500), st.floats(0.2, 1), st.floats(0.3, 1))
    def test_enough_seeds_and_not_one_too_many(self, plants: int, germination: float, field: float) -> None:
        seeds = sowing.seeds_for_plants(plants, germination, field)
        share = sowing.emergence_share(germination, field)
        self.assertGreaterEqual(seeds * share, plants - 1e-6)
        self.assertLess((seeds - 1) * share, plants + 1e-6)

    @given(st.floats(0.3, 0.99), st.floats(0.001, 0.2))
    def test_stations_are_as_full_as_was_asked(self, germination: float, empty: float) -> None:
        seeds = sowing.seeds_per_station(germination, 1.0, empty)
        self.assertLessEqual((1 - germination) ** seeds, empty * (1 + 1e-9))
        self.assertTrue(seeds == 1 or (1 - germination) ** (seeds - 1) > empty * (1 - 1e-9))

    @given(st.floats(0.5, 500), st.floats(0.05, 600))
    def test_grams_and_seeds_turn_into_each_other(self, grams: float, thousand: float) -> None:
        self.assertAlmostEqual(sowing.grams_of_seeds(sowing.seeds_in_grams(grams, thousand), thousand), grams, places=8)

    @given(st.integers(1, 6), st.integers(2, 8))
    def test_selfing_shares(self, loci: int, generation: int) -> None:
        self.assertLessEqual(selection.share_of_recessives(loci, generation), selection.share_of_recessives(loci, generation + 1))
        self.assertAlmostEqual(selection.share_of_recessives(loci), 0.25**loci)
        rng = np.random.default_rng(loci * 10 + generation)
        one = (rng.random((20_000, generation - 1)) < 0.5).any(axis=1)  # fixed as soon as one selfing fixes it
        self.assertAlmostEqual(float(one.mean()), selection.fixation(generation), delta=0.015)


class MadeSeasons(TestCase):
    PLOTS = tuple((100 * b + i, f"E{i}", b, b, i) for b in (1, 2, 3) for i in range(1, 5))
    KNOWN = tuple(Cultivar(f"E{i}", 2.0 + i, 70 + i) for i in range(1, 5))

    def test_one_seed_makes_one_season(self) -> None:
        first = simulate_season(self.PLOTS, self.KNOWN, World(), 5)
        self.assertEqual(first, simulate_season(self.PLOTS, self.KNOWN, World(), 5))
        self.assertNotEqual(first, simulate_season(self.PLOTS, self.KNOWN, World(), 6))

    @given(SEEDS)
    @settings(max_examples=25)
    def test_every_record_is_one_a_person_could_have_made(self, seed: int) -> None:
        world = World(accident=0.2, lost_label=0.2, rater_bias={"A": 0.0, "B": 1.5}, picks=3)
        records = simulate_season(self.PLOTS, self.KNOWN, world, seed)
        self.assertEqual([r.plot for r in records], [p[0] for p in self.PLOTS])
        for r in records:
            if r.cause:
                self.assertEqual((r.stand, r.picks, dict(r.damage), r.total_kg), (None, (), {}, None))
                continue
            assert r.stand is not None and r.first_pick_by is not None and r.first_pick_after is not None
            self.assertTrue(0 <= r.stand <= world.stations)
            self.assertEqual((r.first_pick_by - r.first_pick_after, r.first_pick_by % 7), (7, 0))
            self.assertTrue(all(1 <= score <= 9 for score in r.damage.values()))
            self.assertTrue(all(kg >= 0 for _, kg in r.picks))

    def test_without_luck_the_truth_is_what_is_picked(self) -> None:
        still = World(block_sd=0, plot_sd=0, stations=10)
        sure = [Cultivar(c.name, c.yield_kg, c.days, emergence=1.0) for c in self.KNOWN]
        for record in simulate_season(self.PLOTS, sure, still, 1):
            self.assertAlmostEqual(record.total_kg or 0, 2.0 + int(record.entry[1:]), delta=0.01)

    def test_an_unknown_entry_is_refused(self) -> None:
        with self.assertRaisesRegex(ValueError, "E4"):
            simulate_season(self.PLOTS, self.KNOWN[:3], World(), 1)

    @given(st.floats(0.01, 50), st.integers(1, 9), SEEDS)
    def test_picks_make_up_the_harvest(self, total: float, count: int, seed: int) -> None:
        picks = split_into_picks(total, count, seed)
        self.assertEqual(len(picks), count)
        self.assertAlmostEqual(sum(picks), total, delta=0.001 * count + 1e-6)
        self.assertTrue(all(p >= 0 for p in picks))
