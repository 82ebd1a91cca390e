"""Curves of emergence against an independent optimiser, against known truth, and where counts say too little."""

import unittest

import numpy as np
from scipy import optimize, stats

from trialcore.analyses.times import fit_curves
from trialcore.tests.surely import surely

DAYS = [4, 6, 8, 10, 13, 17, 22]


def came(rng: np.random.Generator, sown: int, share: float, median: float, spread: float) -> list[int]:
    """Counts at `DAYS` of seeds whose times are known."""
    times = np.where(rng.random(sown) < share, median * np.exp(spread * rng.standard_normal(sown)), np.inf)
    return [int(n) for n in np.histogram(times, [0, *DAYS])[0]]


class Curves(unittest.TestCase):
    def test_the_best_fit_is_that_of_an_independent_optimiser(self) -> None:
        newly, sown = [1, 9, 24, 17, 8, 2, 1], 80

        def minus_log(p: np.ndarray) -> float:
            dist = stats.lognorm(s=np.exp(p[2]), scale=np.exp(p[1]))
            share = 1 / (1 + np.exp(-p[0]))
            cells = share * np.diff(dist.cdf([0, *DAYS]))
            seen = sum(n * np.log(c) for n, c in zip(newly, cells, strict=True))
            prior = 0.01 * (p[2] + 1) ** 2 + 0.001 * p[0] ** 2
            return float(prior - seen - (sown - sum(newly)) * np.log(1 - cells.sum()))

        best = optimize.minimize(minus_log, [1.0, 2.0, -1.0], method="Nelder-Mead", options={"xatol": 1e-9, "fatol": 1e-12}).x
        found = surely(fit_curves([DAYS], [newly], [sown])[0])
        self.assertAlmostEqual(found.share, float(1 / (1 + np.exp(-best[0]))), places=5)
        self.assertAlmostEqual(found.median_days, float(np.exp(best[1])), places=4)
        self.assertAlmostEqual(found.spread_log, float(np.exp(best[2])), places=5)

    def test_intervals_hold_the_truth_as_often_as_they_say(self) -> None:
        rng = np.random.default_rng(5)
        rows = [came(rng, 72, 0.8, 8.5, 0.3) for _ in range(600)]
        found = [surely(f) for f in fit_curves([DAYS] * 600, rows, [72] * 600)]
        medians = [surely(f.median95) for f in found]
        for name, intervals, truth in (("median", medians, 8.5), ("share", [surely(f.share95) for f in found], 0.8)):
            held = np.mean([low <= truth <= high for low, high in intervals])
            self.assertGreater(held, 0.925, name)
            self.assertLess(held, 0.975, name)

    def test_after_the_last_has_come_the_share_is_the_plain_one(self) -> None:
        found = surely(fit_curves([[3, 5, 7, 40, 60]], [[5, 40, 15, 0, 0]], [80])[0])
        self.assertAlmostEqual(found.share, 0.75, places=3)
        self.assertAlmostEqual(found.by(60), 0.75, places=3)
        self.assertEqual(found.by(0), 0.0)
        quartiles = stats.lognorm(s=found.spread_log, scale=found.median_days).ppf([0.25, 0.75])
        self.assertAlmostEqual(found.quartile_days, float(quartiles[1] - quartiles[0]), places=6)

    def test_rows_with_other_days_are_fitted_together_as_they_are_alone(self) -> None:
        days = [DAYS, [5, 9, 15], DAYS]
        newly = [[1, 9, 24, 17, 8, 2, 1], [4, 30, 12], [0, 0, 2, 14, 30, 9, 3]]
        at_once = [surely(f) for f in fit_curves(days, newly, [80, 60, 90])]
        for i, one in enumerate(at_once):
            alone = surely(fit_curves([days[i]], [newly[i]], [[80, 60, 90][i]])[0])
            self.assertAlmostEqual(one.median_days, alone.median_days, places=4)
            self.assertAlmostEqual(one.share, alone.share, places=4)

    def test_too_little_says_nothing_and_what_cannot_be_is_refused(self) -> None:
        self.assertEqual(fit_curves([[3, 5], [3, 5]], [[1, 1], [0, 9]], [50, 50]), [None, None])
        self.assertEqual(fit_curves([], [], []), [])
        for days, newly, sown in (
            ([3, 5], [40, 20], 50),
            ([5, 3], [1, 1], 9),
            ([0, 3], [1, 1], 9),
            ([3, 5], [1], 9),
            ([3], [-1], 9),
        ):
            with self.assertRaises(ValueError):
                fit_curves([days], [newly], [sown])
