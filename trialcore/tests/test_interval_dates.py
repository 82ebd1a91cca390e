"""Days between two walks: even cultivars, late ones, every design; against least squares where walks are daily."""

from unittest import TestCase

import numpy as np

from trialcore.analyses.blocks import analyse_blocks
from trialcore.analyses.entries import compare_entries
from trialcore.analyses.interval_dates import fit_interval_dates
from trialcore.field.stages import analyse_stage

BLOCKS = ["1", "2", "3", "4"]


class OneGap(TestCase):
    """All plots of an entry change between the same two walks: the normal case for an even cultivar."""

    def test_an_entry_is_known_to_its_gap(self) -> None:
        after, by = [2.0] * 4 + [5.0] * 4, [5.0] * 4 + [9.0] * 4
        found = analyse_stage(["A"] * 4 + ["B"] * 4, after, by, BLOCKS * 2)
        a, b = found.means
        self.assertEqual((a.lower95, a.upper95, b.lower95, b.upper95), (2, 5, 5, 9))
        self.assertAlmostEqual(a.days or 0, 3.5)
        self.assertAlmostEqual(b.days or 0, 7)
        ((_, gap, _, p),) = found.against("A")
        self.assertAlmostEqual(gap, 3.5)
        self.assertLess(p, 0.05)

    def test_differences_stay_within_what_the_gaps_allow(self) -> None:
        after, by = [2.0] * 4 + [2.0] * 4 + [5.0] * 4, [5.0] * 4 + [5.0] * 4 + [9.0] * 4
        found = analyse_stage(["A"] * 4 + ["B"] * 4 + ["C"] * 4, after, by, BLOCKS * 3)
        assert found.fitted
        first, second = found.pairs_with("A")
        low, high = found.fitted.difference_interval(first, second, 2.3)
        self.assertTrue((low >= [-3.1, 0]).all() and (high <= [3.1, 7]).all(), (low, high))
        self.assertTrue((high - low > 4).all(), "no surer than the gaps")

    def test_one_entry_with_spread_lends_it_to_the_others(self) -> None:
        after, by = [2.0] * 4 + [2.0, 2, 5, 5] + [5.0] * 4, [5.0] * 4 + [5.0, 5, 9, 9] + [9.0] * 4
        found = analyse_stage(["A"] * 4 + ["B"] * 4 + ["C"] * 4, after, by, BLOCKS * 3)
        days = [m.days or 0 for m in found.means]
        self.assertTrue(2 <= days[0] <= 5 < days[2] <= 9 and days[0] < days[1] < days[2])
        self.assertGreaterEqual(min(m.lower95 or 0 for m in found.means), 0)

    def test_nothing_lies_before_sowing(self) -> None:
        found = analyse_stage(["A"] * 3 + ["B"] * 3, [None, 4.0, None, 4.0, 9.0, 4.0], [4.0, 9.0, 4.0, 9.0, 15.0, 9.0])
        self.assertTrue(all((m.lower95 or 0) >= 0 and (m.days or 0) > 0 for m in found.means))


class Exact(TestCase):
    def test_daily_walks_give_least_squares(self) -> None:
        rng = np.random.default_rng(4)
        entry = [f"E{i}" for i in range(9) for _ in BLOCKS]
        true = 50 + np.repeat(np.arange(9), 4) + np.tile([0, 1, -1, 2], 9) + rng.normal(0, 3, 36)
        plain = analyse_blocks(entry, true.tolist(), {"rep": BLOCKS * 9})
        found = fit_interval_dates(entry, (true - 0.01).tolist(), (true + 0.01).tolist(), [BLOCKS * 9])
        assert found and plain.mse
        np.testing.assert_allclose(found.days, plain.level, atol=1e-4)
        self.assertAlmostEqual(found.sd, plain.mse**0.5, places=3)
        self.assertAlmostEqual(found.df, plain.df_error, delta=0.5)
        self.assertAlmostEqual(float(found.covariance[0, 0]), plain.mse / 4, places=2)

    def test_names_and_order_change_nothing(self) -> None:
        after = [40.0, 45, 45, 50, 50, 50, 45, 50]
        by = [45.0, 50, 50, None, 55, None, 50, 55]
        entry = ["A"] * 4 + ["B"] * 4
        one = analyse_stage(entry, after, by, BLOCKS * 2)
        turned = list(range(7, -1, -1))
        labels = [{"A": "Z", "B": "Y"}[entry[i]] for i in turned]
        other = analyse_stage(labels, [after[i] for i in turned], [by[i] for i in turned], [(BLOCKS * 2)[i] for i in turned])
        for m, n in zip(one.means, other.means[::-1], strict=True):
            self.assertAlmostEqual(m.days or 0, n.days or 0, places=6)


class EveryDesign(TestCase):
    """A plot that has not come by its last walk counts as later, whatever the design: 11 days were found as 3.5 to 5."""

    TRUE = (0.0, 2.0, 4.0, 6.0, 11.0, 5.0)

    def found(self, design: str, seed: int) -> float | None:
        rng = np.random.default_rng(seed)
        labels: dict[str, list[str]] = {"entry": [], "rep": [], "row": [], "col": [], "factor2": [], "block": []}
        days = []
        if design == "latin":
            cells = [((r + c) % 6, {"row": str(r), "col": str(c)}) for r in range(6) for c in range(6)]
        elif design == "alpha":
            orders = [rng.permutation(6) for _ in range(4)]
            cells = [(int(e), {"rep": str(k), "block": str(j // 3)}) for k, o in enumerate(orders) for j, e in enumerate(o)]
        else:
            cells = [(e, {"rep": str(k), "factor2": f}) for k in range(3) for e in range(6) for f in "ab"]
        for e, where in cells:
            labels["entry"].append(f"E{e}")
            for name in labels.keys() - {"entry"}:
                labels[name].append(where.get(name, ""))
            days.append(52 + self.TRUE[e] + rng.normal(0, 2.5))
        walks = np.arange(20.0, 63, 7)
        by = [next((w for w in walks if w >= d), None) for d in days]
        after = [max((w for w in walks if w < d), default=None) for d in days]
        used = {n: c for n, c in labels.items() if any(c)}
        compared = compare_entries(design, "days", used, by, "E0", True, None, after)
        self.assertEqual(compared.choice.errors, "censored")
        return next((d.estimate for d in compared.versus.differences if d.a == "E4"), None) if compared.versus else None

    def test_the_latest_is_not_brought_forward(self) -> None:
        for design in ("latin", "alpha", "factorial", "split-plot"):
            told = [x for seed in range(8) if (x := self.found(design, seed)) is not None]
            with self.subTest(design):
                self.assertAlmostEqual(float(np.mean(told)), 11, delta=1.6)
