"""The two solvers under every analysis, against a plain solve of the same equations and against closed forms."""

from itertools import product
from unittest import TestCase

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from trialcore.analyses.incomplete import efficiency_factors
from trialcore.analyses.linear import Coded, fit, levels_of
from trialcore.analyses.mixed import RESIDUAL, fit_reml, incidence


def dense(terms: dict[str, list[str]], n: int) -> np.ndarray:
    columns = [np.ones((n, 1))]
    columns += [np.array([[x == level for level in sorted(set(labels))] for x in labels], dtype=float) for labels in terms.values()]
    return np.hstack(columns)


class LeastSquares(TestCase):
    @settings(max_examples=60, deadline=None)
    @given(st.integers(0, 10**6), st.integers(3, 40), st.integers(1, 6), st.integers(1, 5), st.integers(1, 4))
    def test_any_labels_as_a_plain_solve_has_them(self, seed: int, n: int, a: int, b: int, c: int) -> None:
        rng = np.random.default_rng(seed)
        terms = {name: [f"{name}{k}" for k in rng.integers(size, size=n)] for name, size in (("a", a), ("b", b), ("c", c))}
        y = rng.normal(50, 10, n)
        found = fit(y, terms)
        x = dense(terms, n)
        plain = np.linalg.lstsq(x, y, rcond=None)[0]
        self.assertEqual(found.rank, np.linalg.matrix_rank(x))
        residual = y - x @ plain
        if n > found.rank:
            self.assertAlmostEqual(found.rss, float(residual @ residual), places=6)
        np.testing.assert_allclose(found.residuals, residual, atol=1e-7)

    @settings(max_examples=40, deadline=None)
    @given(st.integers(0, 10**6), st.integers(6, 30))
    def test_variances_and_estimable_means(self, seed: int, n: int) -> None:
        rng = np.random.default_rng(seed)
        terms = {"e": [f"e{k}" for k in rng.integers(4, size=n)], "r": [f"r{k}" for k in rng.integers(3, size=n)]}
        found = fit(rng.normal(size=n), terms)
        rows = found.mean_rows("e")
        known = found.estimable(rows)
        x = dense(terms, n)
        entries, reps = levels_of(terms["e"]), levels_of(terms["r"])
        for i, ok in enumerate(known):
            full = np.zeros(x.shape[1])
            full[0], full[1 + i] = 1, 1
            full[1 + len(entries) :] = 1 / len(reps)
            gap = np.abs(full @ np.linalg.pinv(x.T @ x) @ (x.T @ x) - full).max()
            self.assertEqual(bool(ok), bool(gap < 1e-7))
            if ok:
                self.assertAlmostEqual(rows[i] @ found.inverse @ rows[i], full @ np.linalg.pinv(x.T @ x) @ full, places=7)

    def test_the_largest_term_may_stand_anywhere(self) -> None:
        labels = {"few": list("aabbab"), "many": list("uvwxyz")}
        for order in (("few", "many"), ("many", "few")):
            found = fit(np.arange(6.0), {name: labels[name] for name in order})
            self.assertEqual(found.absorbed, "many")
            self.assertEqual(found.df_error, 0)
            self.assertIsNone(found.mse)

    def test_what_cannot_be_fitted(self) -> None:
        for y, terms in (([], {}), ([1.0, np.nan], {}), ([1.0, 2.0], {"a": ["x"]})):
            with self.assertRaises(ValueError):
                fit(np.array(y), terms)
        self.assertEqual(fit(np.array([2.0, 4.0]), {}).coefficients.tolist(), [3.0])

    def test_labels_are_coded_once_and_counted(self) -> None:
        coded = Coded.of(["b", "a", "b", "c"])
        self.assertEqual((coded.levels, coded.codes.tolist()), (("a", "b", "c"), [1, 0, 1, 2]))
        self.assertIs(Coded.of(coded), coded)
        self.assertEqual(coded.counts.tolist(), [1, 2, 1])
        self.assertEqual(coded.cross(Coded.of(["x", "x", "y", "y"])).tolist(), [[1, 0], [1, 1], [0, 1]])
        self.assertEqual(len(Coded.of([])), 0)


class Reml(TestCase):
    def one_way(self, seed: int, groups: int = 12, each: int = 5) -> tuple[np.ndarray, list[str]]:
        rng = np.random.default_rng(seed)
        label = [f"g{i}" for i in range(groups) for _ in range(each)]
        return 20 + np.repeat(rng.normal(0, 2, groups), each) + rng.normal(0, 1, groups * each), label

    def test_a_balanced_one_way_layout_gives_the_mean_squares(self) -> None:
        y, label = self.one_way(1)
        table = y.reshape(12, 5)
        within = float(((table - table.mean(axis=1, keepdims=True)) ** 2).sum()) / 48
        between = 5 * float(((table.mean(axis=1) - y.mean()) ** 2).sum()) / 11
        found = fit_reml(y, np.ones((60, 1)), {"group": Coded.of(label)})
        self.assertAlmostEqual(found.variances[RESIDUAL], within, places=5)
        self.assertAlmostEqual(found.variances["group"], (between - within) / 5, places=5)
        shrink = found.variances["group"] / (found.variances["group"] + within / 5)
        order = list(levels_of(label))
        means = dict(zip([f"g{i}" for i in range(12)], table.mean(axis=1), strict=True))
        np.testing.assert_allclose(found.effects["group"], [shrink * (means[g] - y.mean()) for g in order], atol=1e-5)
        mean = found.contrast(np.array([1.0]))
        self.assertAlmostEqual(mean.estimate, float(y.mean()), places=8)
        self.assertAlmostEqual(mean.se_kr, float(np.sqrt(between / 60)), places=5)
        self.assertAlmostEqual(mean.df_kr, 11.0, places=3)

    def test_other_software_finds_the_same_likelihood(self) -> None:
        import statsmodels.api as sm

        rng = np.random.default_rng(3)
        label = [f"g{k}" for k in rng.integers(9, size=70)]
        x = np.column_stack([np.ones(70), rng.normal(size=70), rng.integers(2, size=70)])
        effect = dict(zip(sorted(set(label)), rng.normal(0, 1.5, 9), strict=True))
        y = x @ [5.0, 1.0, -2.0] + np.array([effect[g] for g in label]) + rng.normal(size=70)
        ours = fit_reml(y, x, {"group": Coded.of(label)})
        other = sm.MixedLM(y, x, groups=label).fit(reml=True)
        np.testing.assert_allclose(ours.beta, other.fe_params, rtol=1e-4)
        self.assertAlmostEqual(ours.variances["group"], float(other.cov_re[0, 0]), places=3)
        self.assertAlmostEqual(ours.variances[RESIDUAL], float(other.scale), places=4)

    def test_labels_and_a_matrix_of_them_are_the_same_term(self) -> None:
        y, label = self.one_way(2)
        one = fit_reml(y, np.ones((60, 1)), {"g": Coded.of(label)})
        two = fit_reml(y, np.ones((60, 1)), {"g": incidence(label, levels_of(label))})
        self.assertAlmostEqual(one.loglik, two.loglik, places=8)
        np.testing.assert_allclose(one.effects["g"], two.effects["g"], atol=1e-6)

    def test_a_variance_that_would_be_negative_is_nought(self) -> None:
        label = [f"g{i}" for i in range(6) for _ in range(4)]
        y = np.array([v for _ in range(6) for v in (1.0, 2.0, 3.0, 4.2)]) + np.repeat(np.linspace(0, 0.01, 6), 4)
        found = fit_reml(y, np.ones((24, 1)), {"g": Coded.of(label)})
        self.assertEqual(found.variances["g"], 0.0)
        self.assertAlmostEqual(found.variances[RESIDUAL], float(y.var(ddof=1)), places=5)
        np.testing.assert_allclose(found.effects["g"], 0.0)

    def test_two_crossed_terms_as_the_mean_squares_have_them(self) -> None:
        rng = np.random.default_rng(8)
        a, b = (list(x) for x in zip(*product([f"a{i}" for i in range(8)], [f"b{j}" for j in range(6)]), strict=True))
        table = rng.normal(0, 2, (8, 1)) + rng.normal(0, 1.2, (1, 6)) + rng.normal(0, 1, (8, 6))
        found = fit_reml(table.ravel(), np.ones((48, 1)), {"a": Coded.of(a), "b": Coded.of(b)})
        grand = table.mean()
        rows, cols = table.mean(axis=1) - grand, table.mean(axis=0) - grand
        error = float(((table - grand - rows[:, None] - cols) ** 2).sum()) / 35
        self.assertAlmostEqual(found.variances[RESIDUAL], error, places=5)
        self.assertAlmostEqual(found.variances["a"], (6 * float((rows**2).sum()) / 7 - error) / 6, places=5)
        self.assertAlmostEqual(found.variances["b"], (8 * float((cols**2).sum()) / 5 - error) / 8, places=5)

    def test_joint_tests_are_exact_where_the_layout_is_balanced(self) -> None:
        rng = np.random.default_rng(5)
        rep, entry = (list(x) for x in zip(*product("1234", [f"e{i}" for i in range(6)]), strict=True))
        y = rng.normal(size=24) + np.repeat(rng.normal(0, 1.5, 4), 6)
        found = fit_reml(y, incidence(entry, levels_of(entry)), {"rep": Coded.of(rep)})
        rows = np.eye(6)[1:] - np.eye(6)[0]
        from trialcore.analyses.blocks import analyse_blocks

        plain = next(r for r in analyse_blocks(entry, y, {"rep": rep}).anova_adjusted if r.source == "entry")
        for test in (found.test(rows), found.test_satterthwaite(rows)):
            self.assertEqual(test.num_df, 5)
            self.assertAlmostEqual(test.f, plain.f or 0, places=4)
            self.assertAlmostEqual(test.den_df, 15.0, delta=0.05)

    def test_what_cannot_be_fitted(self) -> None:
        ones = np.ones((6, 1))
        groups = {"g": Coded.of(list("aabbcc"))}
        for y, x in ((np.full(6, 3.0), ones), (np.arange(6.0), np.hstack([ones, ones])), (np.arange(6.0), np.eye(6))):
            with self.assertRaises(ValueError):
                fit_reml(y, x, groups)


class Efficiency(TestCase):
    def test_complete_blocks_lose_nothing_and_a_balanced_design_what_is_known(self) -> None:
        whole = efficiency_factors(list("abcabc"), list("111222"))
        self.assertAlmostEqual(whole.average, 1.0)
        triples = ["abc", "ade", "afg", "bdf", "beg", "cdg", "cef"]  # the balanced design of 7 in blocks of 3: 7 / 9
        entry = [e for t in triples for e in t]
        found = efficiency_factors(entry, [str(i) for i in range(7) for _ in range(3)])
        self.assertAlmostEqual(found.average, 7 / 9)
        self.assertAlmostEqual(found.least, found.largest)
        self.assertEqual(found.rank, 6)

    def test_pieces_that_do_not_hang_together_lower_the_rank(self) -> None:
        self.assertEqual(efficiency_factors(list("ababcdcd"), list("11223344")).rank, 2)
        self.assertEqual(efficiency_factors([], []).rank, 0)
