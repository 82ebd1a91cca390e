"""Leaves of known damage, plants of a plot, thresholds, spread and intervals: against independent reckonings."""

import itertools
import unittest
from datetime import UTC, date, datetime, timedelta
from math import sqrt

import numpy as np
from scipy import stats

from trialcore.field.clustering import lies_together
from trialcore.field.incidence import Reached, mean_severity, trial_incidence
from trialcore.field.leaves import ALIKE, LESIONS, SHAPES, damaged_share, drawn_leaf, drawn_plot, half_width
from trialcore.field.samples import plants_to_sample, sample_mean
from trialcore.reckoning.withholding import Interval, entry_until, held, next_times, pick_from
from trialcore.tests.surely import surely


class Leaves(unittest.TestCase):
    def test_every_leaf_has_the_share_it_says(self) -> None:
        for n, (shape, lesion) in enumerate(itertools.product(SHAPES, LESIONS)):
            for share in (0, 0.5, 3, 12, 40, 75):
                with self.subTest(shape=shape, lesion=lesion, share=share):
                    leaf = drawn_leaf(shape, lesion, share, seed=n, alike=ALIKE[n % 4])
                    self.assertAlmostEqual(leaf.share, share, delta=0.35)
                    self.assertAlmostEqual(damaged_share(leaf), leaf.share, places=9)

    def test_the_share_is_that_of_points_thrown_at_the_leaf(self) -> None:
        """Another way to the same figure: random points, and a ray cast by hand for each lesion."""
        leaf = drawn_leaf("oval", "blotches", 30, seed=4)
        luck = np.random.default_rng(8)
        points = np.column_stack([luck.uniform(0, 1, 6000), luck.uniform(-0.3, 0.3, 6000)])
        points = points[np.abs(points[:, 1]) <= half_width("oval", points[:, 0])]

        def inside(x: float, y: float, outline: np.ndarray) -> bool:
            odd = False
            for (x1, y1), (x2, y2) in zip(outline, np.roll(outline, -1, axis=0), strict=True):
                if (y1 > y) != (y2 > y) and x < (x2 - x1) * (y - y1) / (y2 - y1) + x1:
                    odd = not odd
            return odd

        hit = [any(inside(x, y, o) for o in leaf.lesions) for x, y in points]
        self.assertAlmostEqual(100 * float(np.mean(hit)), leaf.share, delta=4 * 100 * sqrt(0.3 * 0.7 / len(points)))

    def test_the_same_seed_draws_the_same_leaf_and_marks_that_look_alike_never_count(self) -> None:
        one, again = (drawn_leaf("lobed", "spots", 9, seed=5, alike="flecks") for _ in range(2))
        self.assertTrue(all((a == b).all() for a, b in zip(one.lesions, again.lesions, strict=True)))
        plain = drawn_leaf("lobed", "spots", 9, seed=5)
        self.assertEqual((one.share, len(one.alike), len(plain.alike)), (plain.share, 40, 0))

    def test_plots_have_the_plants_they_say(self) -> None:
        plot = drawn_plot(5, 8, 14, seed=2)
        self.assertEqual((sum(plot.affected), plot.share), (14, 35.0))
        near = drawn_plot(6, 6, 9, seed=2, together=True)
        ill = near.places[np.array(near.affected)]
        self.assertLess(ill.std(axis=0).sum(), near.places.std(axis=0).sum())

    def test_what_cannot_be_drawn(self) -> None:
        for act in (
            lambda: drawn_leaf("square", "spots", 5, 1),  # type: ignore[arg-type]
            lambda: drawn_leaf("oval", "freckles", 5, 1),  # type: ignore[arg-type]
            lambda: drawn_leaf("oval", "spots", 101, 1),
            lambda: drawn_plot(2, 2, 5, 1),
        ):
            with self.assertRaises(ValueError):
                act()


class Samples(unittest.TestCase):
    def test_mean_spread_and_interval(self) -> None:
        values = [12.0, 14, 13, 15.5, 11]
        found = sample_mean(values)
        low, high = stats.t.interval(0.95, 4, loc=np.mean(values), scale=stats.sem(values))
        self.assertAlmostEqual(found.mean, 13.1)
        self.assertAlmostEqual(found.half95 or 0, (high - low) / 2, places=10)
        self.assertAlmostEqual(found.cv_percent or 0, 100 * stats.variation(values, ddof=1), places=10)
        self.assertIsNone(sample_mean([3]).se)
        with self.assertRaises(ValueError):
            sample_mean([])

    def test_plants_to_sample_are_enough_and_one_fewer_is_not(self) -> None:
        for sd, half in ((4.0, 2.0), (4.0, 1.0), (1.0, 3.0), (10.0, 1.5)):
            n = plants_to_sample(sd, half)
            assert n
            self.assertLessEqual(stats.t.ppf(0.975, n - 1) * sd / sqrt(n), half)
            if n > 2:
                self.assertGreater(stats.t.ppf(0.975, n - 2) * sd / sqrt(n - 1), half)
        self.assertIsNone(plants_to_sample(100, 0.1))


class Thresholds(unittest.TestCase):
    def test_a_threshold_is_reached_only_beyond_doubt(self) -> None:
        self.assertEqual(trial_incidence([9, 8, 10, 9], [10] * 4, 50).reached, Reached.YES)
        self.assertEqual(trial_incidence([0, 1, 0, 0, 0, 0], [20] * 6, 10).reached, Reached.NO)
        self.assertEqual(trial_incidence([1, 2, 0, 3], [10] * 4, 15).reached, Reached.UNSURE)
        self.assertIsNone(trial_incidence([1], [10]).reached)

    def test_plants_of_a_plot_that_are_alike_widen_the_interval(self) -> None:
        spread, clumped = trial_incidence([5] * 8, [10] * 8), trial_incidence([10, 0] * 4, [10] * 8)
        self.assertEqual(spread.percent, clumped.percent)
        self.assertGreater(clumped.upper95 - clumped.lower95, 2 * (spread.upper95 - spread.lower95))
        worth, t = 0.25 / (stats.sem([1, 0] * 4) ** 2), stats.t.ppf(0.975, 7)
        half = t * sqrt(0.25 / worth + t**2 / (4 * worth**2)) / (1 + t**2 / worth)
        self.assertAlmostEqual(clumped.lower95, 100 * (0.5 - half), places=9)
        self.assertAlmostEqual(clumped.upper95, 100 * (0.5 + half), places=9)

    def test_the_interval_covers_what_it_says(self) -> None:
        """Plots with a share of their own each: 95 % intervals hold the mean share about 95 times of 100."""
        luck = np.random.default_rng(3)
        covered = 0
        for _ in range(1500):
            shares = luck.beta(2, 6, 16)
            found = trial_incidence(luck.binomial(20, shares).tolist(), [20] * 16)
            covered += found.lower95 <= 25 <= found.upper95
        self.assertGreaterEqual(covered / 1500, 0.938)

    def test_severity(self) -> None:
        found = mean_severity([10, 20, 30, 20], 40)
        self.assertEqual((found.percent, found.reached), (20, Reached.NO))
        for wrong in ([], [120.0]):
            with self.assertRaises(ValueError):
                mean_severity(wrong)
        with self.assertRaises(ValueError):
            trial_incidence([3], [2])


class SedRange(unittest.TestCase):
    def test_what_lies_together_is_told_from_what_is_scattered(self) -> None:
        x, y = [i % 6 for i in range(36)], [i // 6 for i in range(36)]
        patch = [50.0 if a < 3 and b < 3 else 5.0 for a, b in zip(x, y, strict=True)]
        self.assertLess(lies_together(patch, x, y, 1).p, 0.01)  # type: ignore[union-attr]
        rows = [float(b % 2) for b in y]
        self.assertGreater(lies_together(rows, x, y, 1).p, 0.9)  # type: ignore[union-attr]
        self.assertIsNone(lies_together([1.0] * 36, x, y, 1))
        self.assertIsNone(lies_together([1, 2, 3], [0, 1, 2], [0, 0, 0], 1))

    def test_moran_by_hand_on_a_line(self) -> None:
        """Eight plots in a row: I is n/S0 · Σ w z z / Σ z², neighbours being the plots beside."""
        v = np.array([1.0, 2, 3, 4, 5, 6, 7, 9])
        z = v - v.mean()
        by_hand = 8 / 14 * 2 * sum(z[i] * z[i + 1] for i in range(7)) / (z**2).sum()
        self.assertAlmostEqual(surely(lies_together(list(v), range(8), [0] * 8, 1)).moran, by_hand, places=12)

    def test_chance_alone_is_seldom_called_together(self) -> None:
        luck = np.random.default_rng(9)
        x, y = [i % 6 for i in range(24)], [i // 6 for i in range(24)]
        called = sum(surely(lies_together(list(luck.normal(size=24)), x, y, i, 199)).p <= 0.05 for i in range(200))
        self.assertLessEqual(called, 20)


class Withholding(unittest.TestCase):
    def test_the_strictest_counts_until_it_has_passed(self) -> None:
        now = datetime(2026, 7, 10, 9, tzinfo=UTC)
        soap = Interval("soap", now - timedelta(hours=2), 4, 1)
        other = Interval("copper", now - timedelta(days=1), 24, 7)
        self.assertEqual(entry_until(soap), now + timedelta(hours=2))
        self.assertEqual(pick_from(other), date(2026, 7, 16))
        found = held([soap, other], now)
        self.assertEqual((found.entry_until, found.entry_for), (now + timedelta(hours=2), "soap"))
        self.assertEqual((found.pick_from, found.pick_for), (date(2026, 7, 16), "copper"))
        later = held([soap, other], now + timedelta(days=6))
        self.assertEqual((later.entry_until, later.pick_from), (None, None))
        with self.assertRaises(ValueError):
            entry_until(Interval("x", now, -1))
        with self.assertRaises(ValueError):
            pick_from(Interval("x", now, 0, -1))

    def test_repeats_count_from_the_last_time(self) -> None:
        first = date(2026, 6, 1)
        self.assertEqual(next_times(first, 10, [date(2026, 6, 12)], date(2026, 9, 1)), date(2026, 6, 22))
        self.assertIsNone(next_times(first, 10, [date(2026, 8, 28)], date(2026, 9, 1)))
        with self.assertRaises(ValueError):
            next_times(first, 0, [], first)


if __name__ == "__main__":
    unittest.main()
