"""Data that can say little: no crash, no lie, and a reason for what cannot be said."""

from unittest import TestCase

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from trialcore.analyses.blocks import BlockAnalysis, analyse_blocks
from trialcore.formats.figures import block_figures
from trialcore.inference.comparisons import against_check, all_pairs, chance_above, sed_of_differences


def blocks(values: dict[str, list[float | None]]) -> BlockAnalysis:
    """A trial written as entry -> one value a block."""
    entry = [e for e, row in values.items() for _ in row]
    rep = [str(i) for row in values.values() for i, _ in enumerate(row)]
    return analyse_blocks(entry, [v for row in values.values() for v in row], {"rep": rep})


class Edges(TestCase):
    def test_no_value_at_all(self) -> None:
        found = blocks({"A": [None, None], "B": [None, None]})
        self.assertEqual(found.cannot_say, ("No plot has a value yet.",))
        self.assertIsNone(against_check(found, "A"))
        self.assertEqual(block_figures(found, "A")["n_observed"], 0)

    def test_one_block_leaves_no_error(self) -> None:
        found = blocks({"A": [1.0], "B": [2.0], "C": [4.0]})
        self.assertEqual([m.lsmean for m in found.means], [1.0, 2.0, 4.0])
        self.assertIsNone(found.mse)
        self.assertIsNone(found.means[0].se)
        self.assertIsNone(against_check(found, "A"))
        self.assertIn("error cannot be judged", found.cannot_say[0])

    def test_all_values_equal(self) -> None:
        found = blocks({"A": [7.1] * 3, "B": [7.1] * 3})
        self.assertEqual(found.mse, 0.0)
        self.assertIsNone(against_check(found, "A"))
        self.assertEqual(all_pairs(found), ())
        self.assertIn("no variation", found.cannot_say[0])

    def test_a_whole_block_missing_is_as_if_it_had_not_been_laid(self) -> None:
        with_hole = blocks({"A": [1.0, 2.0, None], "B": [2.5, 3.0, None], "C": [0.5, 2.2, None]})
        without = blocks({"A": [1.0, 2.0], "B": [2.5, 3.0], "C": [0.5, 2.2]})
        self.assertEqual([m.lsmean for m in with_hole.means], [m.lsmean for m in without.means])
        self.assertEqual(with_hole.mse, without.mse)

    def test_an_entry_everywhere_missing(self) -> None:
        found = blocks({"A": [1.0, 2.0, 1.5], "B": [2.5, 3.0, 2.2], "C": [None, None, None]})
        self.assertIsNone(found.means[2].lsmean)
        self.assertEqual(found.means[2].why, "no plot of it has a value")
        self.assertIn("No value at all for C.", found.cannot_say)
        versus = against_check(found, "A")
        assert versus is not None
        self.assertEqual([d.a for d in versus.differences], ["B"])

    def test_a_check_never_observed(self) -> None:
        found = blocks({"A": [None, None], "B": [2.5, 3.0], "C": [1.0, 4.0]})
        self.assertIsNone(against_check(found, "A"))
        with self.assertRaises(KeyError):
            against_check(found, "Z")

    def test_blocks_without_a_common_entry_give_no_figure(self) -> None:
        found = analyse_blocks(list("ABABCDCD"), [1, 2, 1.5, 2.7, 5, 6, 5.2, 7.1], {"rep": list("11223344")})
        self.assertEqual(found.connected_set, (1, 1, 2, 2))
        self.assertTrue(all(m.lsmean is None for m in found.means))
        self.assertIn("cannot be compared", found.cannot_say[0])

    def test_lengths_that_differ_are_refused(self) -> None:
        with self.assertRaises(ValueError):
            analyse_blocks(["A", "B"], [1.0], {"rep": ["1", "1"]})

    def test_figures_hold_when_the_mean_is_large_beside_the_differences(self) -> None:
        small = blocks({"A": [1.0, 2.0, 1.4], "B": [2.5, 3.0, 2.2], "C": [2.1, 2.4, 3.3]})
        large = blocks(
            {"A": [1e9 + 1.0, 1e9 + 2.0, 1e9 + 1.4], "B": [1e9 + 2.5, 1e9 + 3.0, 1e9 + 2.2], "C": [1e9 + 2.1, 1e9 + 2.4, 1e9 + 3.3]}
        )
        assert small.mse and large.mse
        self.assertAlmostEqual(large.mse / small.mse, 1, places=6)

    @settings(max_examples=60, deadline=None)
    @given(st.integers(2, 7), st.integers(2, 5), st.integers(0, 2**32 - 1), st.floats(0, 0.5))
    def test_any_pattern_of_missing_plots_agrees_with_plain_least_squares(self, k: int, b: int, seed: int, lost: float) -> None:
        rng = np.random.default_rng(seed)
        y = np.where(rng.random((k, b)) < lost, np.nan, rng.normal(10, 2, (k, b)))
        found = blocks({f"E{i}": [None if np.isnan(v) else float(v) for v in row] for i, row in enumerate(y)})
        rows = [(i, j) for i in range(k) for j in range(b) if not np.isnan(y[i, j])]
        if not rows:
            self.assertEqual(found.n_observed, 0)
            return
        x = np.array([[*(np.arange(k) == i), *(np.arange(b) == j)] for i, j in rows], dtype=float)
        seen = np.array([y[i, j] for i, j in rows])
        fitted = x @ np.linalg.lstsq(x, seen, rcond=None)[0]
        rss = float(((seen - fitted) ** 2).sum())
        self.assertEqual(found.df_error, len(rows) - np.linalg.matrix_rank(x))
        residual = found.anova_sequential[-2].ss
        self.assertAlmostEqual(residual, rss, delta=1e-8 * max(1.0, rss))
        spread = sed_of_differences(found)
        if spread is not None:
            self.assertGreaterEqual(spread.largest, spread.smallest)

    def test_chance_is_even_at_nought_and_respects_the_margin(self) -> None:
        self.assertAlmostEqual(chance_above(0.0, 2.0, 10), 0.5)
        self.assertAlmostEqual(chance_above(3.0, 2.0, 10, margin=3.0), 0.5)
        self.assertLess(chance_above(3.0, 2.0, 10, margin=4.0), 0.5)
