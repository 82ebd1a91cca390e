"""Letters, equivalence, power of each design, several traits, and seasons."""

from itertools import combinations
from unittest import TestCase

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from trialcore.analyses.paired import analyse_paired_strips, sign_test
from trialcore.inference.comparisons import as_good_as, chance_above
from trialcore.inference.index import weigh
from trialcore.inference.joint import TraitEvidence, residual_correlation
from trialcore.inference.letters import letter_display
from trialcore.inference.power import chance_any_found, chance_found, precision, replicates_needed, smallest_found
from trialcore.inference.seasons import SeasonResult, pool, seasons_needed, verdicts_over_seasons
from trialcore.inference.verdict import Verdict


class Letters(TestCase):
    @given(st.integers(1, 9), st.data())
    def test_a_letter_is_shared_exactly_by_what_is_not_different(self, n: int, data: st.DataObject) -> None:
        order = [f"E{i}" for i in range(n)]
        pairs = [p for p in combinations(order, 2) if data.draw(st.booleans())]
        shown = letter_display(order, pairs)
        for a, b in combinations(order, 2):
            self.assertEqual(bool(set(shown[a]) & set(shown[b])), (a, b) not in pairs, (a, b, shown))
        self.assertTrue(all(shown.values()))

    def test_a_familiar_display(self) -> None:
        shown = letter_display(["A", "B", "C", "D"], [("A", "C"), ("A", "D"), ("D", "B")])
        self.assertEqual(shown, {"A": "a", "B": "ab", "C": "bc", "D": "c"})
        with self.assertRaises(ValueError):
            letter_display(["A"], [("A", "Z")])


class Equivalence(TestCase):
    def test_two_one_sided_tests(self) -> None:
        found = as_good_as(0.5, 1.0, 20, margin=3.0)
        self.assertTrue(found.as_good)
        self.assertAlmostEqual(found.p, 1 - chance_above(3.0 - 0.5, 1.0, 20), places=12)
        self.assertTrue(-3 < found.lower90 < 0.5 < found.upper90 < 3)
        self.assertFalse(as_good_as(1.6, 1.0, 20, margin=3.0).as_good)
        self.assertFalse(as_good_as(0.0, 2.0, 20, margin=3.0).as_good)  # too little is known
        with self.assertRaises(ValueError):
            as_good_as(0, 1, 10, 0)


class Power(TestCase):
    def test_every_design_has_the_error_of_its_own_analysis_of_variance(self) -> None:
        df = {
            "crd": (precision("crd", 5, 4), 15),
            "rcbd": (precision("rcbd", 5, 4), 12),
            "latin": (precision("latin", 6, 6), 20),
            "alpha": (precision("alpha", 24, 3, block_size=4), 31),
            "augmented": (precision("augmented", 40, 5, checks=4), 12),
            "split": (precision("split-plot", 3, 6, levels=4), 10),
            "sub": (precision("split-plot", 3, 6, levels=4, of="factor2"), 45),
            "strip": (precision("strip-plot", 3, 6, levels=4), 10),
            "factorial": (precision("factorial", 3, 6, levels=4), 55),
            "paired": (precision("paired-strips", 3, 6), 5),
        }
        self.assertEqual({k: p.df for k, (p, _) in df.items()}, {k: n for k, (_, n) in df.items()})
        self.assertAlmostEqual(precision("split-plot", 3, 6, levels=4).factor, 2 / 24)
        for bad in (("alpha", 24, 3), ("augmented", 4, 3), ("rcbd", 5, 1), ("unheard", 5, 3)):
            with self.assertRaises(ValueError):
                precision(*bad)

    def test_chance_by_simulation(self) -> None:
        given = precision("rcbd", 8, 4)
        smallest = smallest_found(10, given)
        self.assertAlmostEqual(chance_found(smallest, 10, given), 0.8, places=6)
        rng = np.random.default_rng(5)
        z = rng.normal(given.shift(smallest, 10), 1, 40_000) / np.sqrt(rng.chisquare(given.df, 40_000) / given.df)
        from trialcore.inference.distributions import t_quantile

        self.assertAlmostEqual(float((np.abs(z) > t_quantile(0.975, given.df)).mean()), 0.8, delta=0.01)
        self.assertEqual(replicates_needed("rcbd", 15, 10, 10), 8)
        self.assertIsNone(replicates_needed("rcbd", 0.01, 50, 10, most=20))

    def test_f_test_of_all_entries_by_simulation(self) -> None:
        effects, r, df, sd = [0.0, 1.0, 2.0, 4.0], 4, 9, 2.0
        rng = np.random.default_rng(2)
        from trialcore.inference.distributions import f_above

        means = np.array(effects) + rng.normal(0, sd / np.sqrt(r), (20_000, 4))
        f = r * means.var(axis=1, ddof=1) / (sd**2 * rng.chisquare(df, 20_000) / df)
        simulated = float(np.mean([f_above(v, 3, df) < 0.05 for v in f[:4000]]))
        self.assertAlmostEqual(chance_any_found(effects, sd, r, df), simulated, delta=0.025)


class SeveralTraits(TestCase):
    def trait(self, means: list[float], se: float, **more: object) -> TraitEvidence:
        return TraitEvidence("t", np.array(means), se**2 * np.eye(len(means)), 30, **more)  # type: ignore[arg-type]

    def test_one_trait_gives_the_known_chances(self) -> None:
        found = weigh(["A", "B"], [self.trait([10.0, 11.0], 1.0)], "A", seed=3).ranked
        expected = chance_above(1.0, float(np.sqrt(2)), 30)
        self.assertAlmostEqual(found[1].chance_above_check or 0, expected, delta=0.012)
        self.assertAlmostEqual(found[1].chance_best, expected, delta=0.012)
        self.assertAlmostEqual(found[0].chance_best + found[1].chance_best, 1.0)
        self.assertIsNone(found[0].chance_above_check)
        self.assertLess(found[1].regret, found[0].regret)

    def test_direction_weight_and_must_haves(self) -> None:
        yields = self.trait([10.0, 14.0, 12.0], 0.1, weight=1.0, matters=2.0)
        bolting = self.trait([5.0, 60.0, 8.0], 0.5, direction=-1, weight=2.0, matters=10.0, most=30.0)
        found = {s.entry: s for s in weigh(["A", "B", "C"], [yields, bolting], "A", seed=1).ranked}
        self.assertAlmostEqual(found["B"].index, 2.0 - 11.0)
        self.assertAlmostEqual(found["C"].index, 1.0 - 0.6)
        self.assertEqual((found["B"].chance_fit, found["B"].chance_best), (0.0, 0.0))
        self.assertGreater(found["C"].chance_best, 0.98)  # 0.4 ± 0.16 ahead of A
        self.assertEqual(
            weigh(["A", "B", "C"], [yields, bolting], "A", seed=1), weigh(["A", "B", "C"], [yields, bolting], "A", seed=1)
        )

    def test_what_cannot_be_weighed_is_refused(self) -> None:
        good = self.trait([1.0, 2.0], 1.0)
        for traits, check, correlation in (
            ([], "A", None),
            ([self.trait([1.0, 2.0], 1, weight=0.0)], "A", None),
            ([self.trait([1.0, 2.0], 1, matters=0.0)], "A", None),
            ([good], "Z", None),
            ([self.trait([1.0], 1.0)], "A", None),
            ([good, good], "A", np.array([[1, 2], [2, 1.0]])),
        ):
            with self.assertRaises(ValueError):
                weigh(["A", "B"], traits, check, correlation)

    def test_correlation_of_residuals(self) -> None:
        rng = np.random.default_rng(1)
        a = rng.normal(size=300)
        table = np.column_stack([a, a + 0.1 * rng.normal(size=300), rng.normal(size=300)])
        table[5, 1] = np.nan
        found = residual_correlation(table)
        self.assertGreater(found[0, 1], 0.98)
        self.assertLess(abs(found[0, 2]), 0.2)
        self.assertGreaterEqual(np.linalg.eigvalsh(found)[0], -1e-9)


class Seasons(TestCase):
    def test_seasons_that_agree_are_pooled_by_precision(self) -> None:
        found = pool([SeasonResult("1", 2.0, 1.0, 30), SeasonResult("2", 2.0, 0.5, 30)])
        self.assertAlmostEqual(found.better_by, 2.0)
        self.assertAlmostEqual(found.se, 1 / np.sqrt(5))
        self.assertEqual((found.between, found.df), (0.0, 60.0))

    def test_seasons_that_differ_widen_the_error(self) -> None:
        apart = [SeasonResult("1", 6.0, 0.5, 30), SeasonResult("2", -2.0, 0.5, 30), SeasonResult("3", 2.0, 0.5, 30)]
        found = pool(apart)
        self.assertAlmostEqual(found.better_by, 2.0, places=6)
        self.assertGreater(found.between, 3.5)
        self.assertAlmostEqual(found.se, 4 / np.sqrt(3), places=3)  # the plain standard error of three differences
        self.assertEqual(found.df, 2)

    def test_the_rule_is_that_of_the_boards(self) -> None:
        """Alone an entry goes by its pooled difference and the bars of a t test; among others by their shrunken fit."""
        alone = {d: verdicts_over_seasons({"A": [SeasonResult("1", d, 1.0, 30)] * 2})["A"].verdict for d in (5.0, -5.0, 0.2)}
        self.assertEqual(alone, {5.0: Verdict.RECOMMEND, -5.0: Verdict.DROP, 0.2: Verdict.RETEST})
        differences = {"A": 4.0, "B": 0.5, "C": -0.5, "D": -4.0, "E": 0.0}
        results = {e: [SeasonResult(s, d, 0.8, 30) for s in "123"] for e, d in differences.items()}
        among = verdicts_over_seasons(results)
        self.assertEqual((among["A"].verdict, among["D"].verdict), (Verdict.RECOMMEND, Verdict.DROP))
        self.assertEqual(among["B"].verdict, Verdict.RETEST)
        with self.assertRaises(ValueError):
            pool([])

    def test_seasons_needed(self) -> None:
        n = seasons_needed(5.0, 3.0, 2.0)
        assert n is not None
        from trialcore.inference.distributions import noncentral_t_beyond, t_quantile

        sd = np.sqrt(13)
        for k, enough in ((n, True), (n - 1, False)):
            chance = noncentral_t_beyond(t_quantile(0.975, k - 1), k - 1, 5 / (sd / np.sqrt(k)))
            self.assertEqual(chance >= 0.8, enough)
        self.assertIsNone(seasons_needed(0.1, 3.0, 2.0))


class PairedStrips(TestCase):
    def test_students_sleep_data(self) -> None:
        """Student (1908): extra hours of sleep of ten patients under two drugs; mean difference 1.58, t = 4.06 on 9 df."""
        first = [0.7, -1.6, -0.2, -1.2, -0.1, 3.4, 3.7, 0.8, 0.0, 2.0]
        second = [1.9, 0.8, 1.1, 0.1, -0.1, 4.4, 5.5, 1.6, 4.6, 3.4]
        found = analyse_paired_strips(["K"] * 10 + ["A"] * 10, first + second, [str(i % 10) for i in range(20)], "K").rows[0]
        self.assertAlmostEqual(found.mean, 1.58)
        self.assertAlmostEqual(found.t or 0, 4.0621277, places=6)
        self.assertAlmostEqual(found.p or 0, 0.00283289, places=7)
        self.assertEqual((found.seasons, found.df, found.wins), (10, 9, 9))
        self.assertAlmostEqual(found.p_sign, 2 / 2**9)  # nine ahead, one tie

    def test_one_season_or_none_says_so(self) -> None:
        found = analyse_paired_strips(["K", "A", "B"], [1.0, 2.0, None], ["1", "1", "1"], "K")
        self.assertEqual(len(found.rows), 1)
        self.assertIsNone(found.rows[0].se)
        self.assertEqual(len(found.cannot_say), 2)
        self.assertEqual(sign_test(0, 0), 1.0)
        with self.assertRaises(ValueError):
            analyse_paired_strips(["A"], [1.0], ["1"], "K")
