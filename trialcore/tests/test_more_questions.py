"""Covariates, several checks, several environments, scores and dates: what must hold whatever the figures."""

from itertools import product
from unittest import TestCase

import numpy as np

from trialcore.analyses.blocks import analyse_blocks
from trialcore.analyses.categories import analyse_categories
from trialcore.analyses.censored import fit_censored, turnbull, unbounded
from trialcore.analyses.correlated import _Likelihood
from trialcore.analyses.covariance import analyse_covariance
from trialcore.analyses.entries import compare_entries
from trialcore.analyses.evidence import evidence_of
from trialcore.analyses.ground import judge_ground, one_grid
from trialcore.analyses.mixed import incidence
from trialcore.analyses.ordinal import analyse_ordinal
from trialcore.analyses.pairs import pairs_of
from trialcore.analyses.places import analyse_places
from trialcore.inference.checks import against_checks
from trialcore.inference.comparisons import against_check
from trialcore.inference.foretold import foretold
from trialcore.inference.joint import draws_of


class Covariates(TestCase):
    def test_a_slope_by_hand(self) -> None:
        """Two entries, three plots each: within them x runs −1, 0, 1 and y with it by 2, 2 and 4, 4."""
        entry = ["A"] * 3 + ["B"] * 3
        x = [4.0, 5, 6, 9, 10, 11]
        y = [8.0, 10, 12, 26, 30, 34]
        found = analyse_covariance(entry, y, x)
        self.assertAlmostEqual(found.slope, 3.0)  # (2·2 + 2·4) / (2 + 2)
        self.assertAlmostEqual(found.mse, 4 / 3)  # what is left: ±1 of both, over three degrees of freedom
        self.assertAlmostEqual(found.covariate_mean, 7.5)
        self.assertAlmostEqual(found.means[0].lsmean or 0, 10 + 3 * 2.5)
        self.assertAlmostEqual(found.means[1].lsmean or 0, 30 - 3 * 2.5)
        self.assertLess(found.entries_differ_p or 1, 0.01)  # the entries differ in x itself

    def test_a_plot_without_either_figure_is_left_out(self) -> None:
        entry = ["A", "A", "A", "B", "B", "B", "A", "B"]
        found = analyse_covariance(entry, [1, 2, 4, 3, 5, 6, None, 9], [1, 2, 3, 1, 3, 2, 5, None])
        self.assertEqual((found.before.n_observed, found.before.n_plots), (6, 8))

    def test_what_cannot_be_is_refused(self) -> None:
        entry = ["A", "A", "B", "B"]
        for y, x, said in (
            ([1.0, 2, 3, 5], [2.0, 2, 7, 7], "does not vary"),
            ([1.0, 2, 3, None], [1.0, 2, 3, 4], "no more values"),
            ([1.0], [1.0], "one element"),
        ):
            with self.assertRaisesRegex(ValueError, said):
                analyse_covariance(entry, y, x)


class SeveralChecks(TestCase):
    def test_the_joint_probability_is_that_of_draws(self) -> None:
        rng = np.random.default_rng(7)
        entry = [e for _ in range(3) for e in "ABCDEF"]
        rep = [r for r in "123" for _ in range(6)]
        found = against_checks(analyse_blocks(entry, rng.normal(size=18).tolist(), {"rep": rep}), ["A", "D"])
        assert found is not None
        means = rng.normal(size=(400_000, 6)) / np.sqrt(3)
        spread = np.sqrt(rng.chisquare(found.df, size=400_000) / found.df)
        apart = [np.abs(means[:, e] - means[:, c]) / np.sqrt(2 / 3) for e, c in product((1, 2, 4, 5), (0, 3))]
        largest = np.max(apart, axis=0) / spread
        for t in (1.5, 2.5, 3.5):
            self.assertAlmostEqual(float(found.above(np.array([t]))[0]), float((largest > t).mean()), delta=0.0025)
        self.assertAlmostEqual(float(found.above(np.array([found.critical_family]))[0]), 0.05, places=4)

    def test_an_entry_beats_all_checks_as_surely_as_the_best_of_them(self) -> None:
        entry = ["A", "B", "C"] * 4
        rep = [r for r in "1234" for _ in range(3)]
        value = [5, 9, 7, 6, 9.5, 7.2, 5.5, 9, 6.8, 5.2, 9.4, 7.1]
        found = against_checks(analyse_blocks(entry, value, {"rep": rep}), ["A", "C"])
        assert found is not None
        (one,) = found.all_checks
        nearest = next(d for d in found.differences if d.b == "C")
        self.assertAlmostEqual(one.smallest_t, nearest.t)
        self.assertLess(one.p_above, 0.001)
        self.assertAlmostEqual(found.mean_of_checks[0].estimate, sum(value[1::3]) / 4 - (sum(value[::3]) + sum(value[2::3])) / 8)

    def test_one_check_is_not_several(self) -> None:
        with self.assertRaisesRegex(ValueError, "two to"):
            against_checks(analyse_blocks(["A", "B"], [1, 2]), ["A", "A"])


def in_places(shift: float, seed: int = 3) -> tuple[list[str], list[float | None], list[str], list[str]]:
    """Four entries, three blocks each in the open and in the tunnel; B is `shift` better than A in the one, worse in the other."""
    rng = np.random.default_rng(seed)
    entry, where, rep = [], [], []
    value: list[float | None] = []
    for place, block, e in product(("open", "tunnel"), "123", "ABCD"):
        own = shift if place == "open" else -shift
        entry.append(e)
        where.append(place)
        rep.append(block)
        value.append(10 + (own if e == "B" else 0.0) + float(rng.normal(scale=0.5)))
    return entry, value, where, rep


class SeveralEnvironments(TestCase):
    def test_a_crossover_that_the_mean_over_all_hides_is_found(self) -> None:
        entry, value, where, rep = in_places(3.5)
        plain = analyse_blocks(entry, value, {"rep": [f"{w}{r}" for w, r in zip(where, rep, strict=True)]})
        self.assertLess(abs(plain.level[1] - plain.level[0]), 1.0)  # nothing to see over all
        found = analyse_places(entry, value, where, rep)
        self.assertEqual([(c.entry, c.where) for c in found.crossing("A")], [("B", ("open", "tunnel"))])
        apart = {d.where[0]: d.difference.estimate for d in found.within("A") if d.entry == "B"}
        self.assertAlmostEqual(apart["open"], 3.5, delta=1.2)
        self.assertAlmostEqual(apart["tunnel"], -3.5, delta=1.2)
        test = found.test("environment:entry")
        assert test is not None
        self.assertLess(test.p, 0.001)

    def test_without_one_none_is_claimed(self) -> None:
        """At 5 % over all that is compared, twenty trials should hardly show one."""
        false = sum(bool(analyse_places(*in_places(0.0, seed)).crossing("A")) for seed in range(40))
        self.assertLessEqual(false, 1)

    def test_an_entry_that_is_not_everywhere_is_not_compared_over_all(self) -> None:
        entry, value, where, rep = in_places(0)
        value = [None if e == "D" and w == "open" else v for e, v, w in zip(entry, value, where, strict=True)]
        found = analyse_places(entry, value, where, rep)
        self.assertEqual(found.everywhere, ("A", "B", "C"))
        self.assertEqual({d.where[0] for d in found.within("A") if d.entry == "D"}, {"tunnel"})
        self.assertEqual([e for e, _ in found.overall], ["A", "B", "C"])

    def test_one_environment_is_refused(self) -> None:
        with self.assertRaisesRegex(ValueError, "two environments"):
            analyse_places(["A", "B"], [1, 2], ["open", "open"])


class Scores(TestCase):
    def test_two_classes_are_a_logistic_regression_of_the_log_odds(self) -> None:
        entry = ["A"] * 10 + ["B"] * 10
        score = [1.0] * 7 + [2.0] * 3 + [1.0] * 4 + [2.0] * 6
        found = analyse_ordinal(entry, score)
        self.assertAlmostEqual(float(found.places[1] - found.places[0]), float(np.log((6 / 4) / (3 / 7))), places=6)
        self.assertTrue(np.allclose(found.chances(), [[0.7, 0.3], [0.4, 0.6]]))

    def test_an_entry_at_the_end_of_the_scale_has_no_place_and_is_named(self) -> None:
        entry = ["A"] * 4 + ["B"] * 4 + ["C"] * 4
        found = analyse_ordinal(entry, [1, 2, 2, 3, 2, 3, 3, 1, 3, 3, 3, 3])
        self.assertEqual((found.at_an_end, found.entries), (("C",), ("A", "B")))

    def test_one_score_for_all_is_refused(self) -> None:
        with self.assertRaisesRegex(ValueError, "two different scores"):
            analyse_ordinal(["A", "B"], [3, 3])


class Dates(TestCase):
    def test_narrow_intervals_are_the_plain_means(self) -> None:
        rng = np.random.default_rng(5)
        entry = ["A"] * 20 + ["B"] * 20
        day = np.concatenate([rng.normal(50, 3, 20), rng.normal(60, 3, 20)])
        found = fit_censored(entry, (day - 0.01).tolist(), (day + 0.01).tolist(), "gaussian")
        self.assertAlmostEqual(float(found.places[0]), float(day[:20].mean()), places=4)
        self.assertAlmostEqual(float(found.places[1]), float(day[20:].mean()), places=4)

    def test_who_never_came_is_named_and_left_out(self) -> None:
        entry = ["A", "A", "B", "B", "C", "C"]
        looked, reached = [10.0, 12, 20, 14, None, None], [14.0, 16, None, None, 5.0, 7]
        self.assertEqual([(u.entry, u.every_plot[:3]) for u in unbounded(entry, looked, reached)], [("B", "not"), ("C", "bef")])
        with self.assertRaisesRegex(ValueError, "two entries"):
            fit_censored(entry, looked, reached, "lognormal")

    def test_without_a_shape_mass_lies_on_the_innermost_intervals(self) -> None:
        """Peto's rule by hand: (0, 2], (1, 3] and (2, 4] leave (1, 2] and (2, 3], half each."""
        masses, _ = turnbull([0, 1, 2], [2, 3, 4])
        self.assertEqual([(m.start, m.end) for m in masses], [(1, 2), (2, 3)])
        self.assertAlmostEqual(masses[0].mass, 0.5, places=6)


def uneven(
    rows: int, cols: int, entries: int, rho: float, seed: int
) -> tuple[list[str], list[float], list[int], list[int], list[str]]:
    """Plots on a ground whose neighbours are alike by `rho`, entries one standard deviation apart, half of one of luck."""
    rng = np.random.default_rng(seed)
    near = [np.linalg.cholesky(rho ** np.abs(np.subtract.outer(range(n), range(n)))) for n in (rows, cols)]
    ground = (near[0] @ rng.normal(size=(rows, cols)) @ near[1].T).ravel()
    n = rows * cols
    which = rng.permutation(np.tile(np.arange(entries), n // entries))
    y = ground + rng.normal(size=entries)[which] + 0.5 * rng.normal(size=n)
    r, c = (a.ravel().tolist() for a in np.meshgrid(range(rows), range(cols), indexing="ij"))
    return [f"E{i:02d}" for i in which], y.tolist(), r, c, [str(x // 3) for x in c]


class TheGround(TestCase):
    def test_the_banded_likelihood_is_the_dense_one_with_plots_lost(self) -> None:
        entry, y, row, col, _ = uneven(9, 6, 9, 0.7, 2)
        kept = [i for i in range(len(y)) if i not in (3, 17, 40)]
        x = incidence([entry[i] for i in kept], sorted(set(entry)))
        values, rows, cols = (np.array([of[i] for i in kept]) for of in (y, row, col))
        likelihood = _Likelihood(values, x, rows, cols)
        apart = np.abs(rows[:, None] - rows), np.abs(cols[:, None] - cols)
        for rho_row, rho_col, share in ((0.5, 0.8, 0.3), (0.9, 0.2, 0.05), (-0.3, 0.6, 0.7), (0.6, 0.7, None)):
            v = rho_row ** apart[0] * rho_col ** apart[1]
            v = v if share is None else (1 - share) * v + share * np.eye(len(v))
            inverse = np.linalg.inv(v)
            information = x.T @ inverse @ x
            beta = np.linalg.solve(information, x.T @ inverse @ values)
            df = len(values) - x.shape[1]
            variance = float((values - x @ beta) @ inverse @ (values - x @ beta)) / df
            logs = np.linalg.slogdet(v)[1] + np.linalg.slogdet(information)[1]
            loglik = -0.5 * (df * (np.log(2 * np.pi * variance) + 1) + logs)
            found = likelihood.at(rho_row, rho_col, share)
            self.assertAlmostEqual(found.loglik, float(loglik), places=8)
            self.assertTrue(np.allclose(found.beta, beta))
            field = values - x @ beta if share is None else (v - share * np.eye(len(v))) @ inverse @ (values - x @ beta)
            self.assertTrue(np.allclose(likelihood.trend(found), field))

    def test_ground_that_runs_is_taken_out_and_even_ground_is_not(self) -> None:
        runs = [judge_ground(e, y, r, c, {"rep": b}) for e, y, r, c, b in (uneven(12, 12, 24, 0.9, s) for s in range(4))]
        even = [judge_ground(e, y, r, c, {"rep": b}) for e, y, r, c, b in (uneven(12, 12, 24, 0.0, s) for s in range(6))]
        self.assertEqual([g.runs for g in runs], [True] * 4)
        self.assertLessEqual(sum(g.runs for g in even), 1)
        self.assertGreater(min(g.worth for g in runs), 1.2)

    def test_beds_are_laid_side_by_side_with_a_gap(self) -> None:
        rows, cols = one_grid(["a", "a", "b", "b"], [1, 1, 1, 2], [4, 6, 1, 1])
        self.assertEqual((rows, cols), ([1, 1, 1, 2], [0, 2, 11, 11]))

    def test_what_cannot_be_judged_is_refused(self) -> None:
        entry, y, row, col, rep = uneven(4, 3, 6, 0.5, 1)
        for args, said in (
            ((entry[:4], y[:4], row[:4], col[:4], {}), "too few"),
            ((entry, y, [0] * 12, [0] * 12, {}), "same row and column"),
            ((entry * 2, y * 2, list(range(24)), [0, 90_000] * 12, {}), "too many empty places"),
            ((entry, y, row, col, {"rep": rep[:3]}), "one element"),
        ):
            with self.assertRaisesRegex(ValueError, said):
                judge_ground(*args)


def in_proportion(seed: int, spread: float) -> tuple[dict[str, list[str]], list[float | None]]:
    """Eight entries in four blocks whose plots vary by a share of their mean."""
    rng = np.random.default_rng(seed)
    means = np.array([10, 3, 5, 8, 12, 18, 25, 35.0])
    entry = [f"E{i}" for i in range(8) for _ in range(4)]
    value = np.repeat(means, 4) * np.exp(rng.normal(0, spread, 32)) * np.tile([1.0, 1.2, 0.9, 1.1], 8)
    return {"entry": entry, "rep": ["1", "2", "3", "4"] * 8}, value.tolist()


class Scales(TestCase):
    def test_plots_that_vary_in_proportion_are_compared_on_the_logarithm_and_brought_back(self) -> None:
        labels, value = in_proportion(3, 0.3)
        found = compare_entries("rcbd", "measure", labels, value, "E0")
        self.assertEqual(found.choice.errors, "log")
        held = analyse_blocks(labels["entry"], np.log(np.array(value, dtype=float)), {"rep": labels["rep"]})
        square = held.mse or 0.0
        for m, own in zip(found.means, held.means, strict=True):
            self.assertAlmostEqual(m.lsmean or 0, float(np.exp((own.lsmean or 0) + square / 2)), places=8)
            self.assertLess(m.lower95 or 0, m.lsmean or 0)
            self.assertGreater(m.lower95 or 0, 0)
        versus = against_check(held, "E0")
        assert versus and found.versus
        for d, there in zip(found.versus.differences, versus.differences, strict=True):
            self.assertAlmostEqual(d.t, there.t)
            self.assertAlmostEqual(d.p_unadjusted, there.p_unadjusted)
            self.assertAlmostEqual(d.estimate / d.se, there.t)

    def test_the_plain_model_is_one_word_away_and_even_spread_stays(self) -> None:
        labels, value = in_proportion(3, 0.3)
        self.assertEqual(compare_entries("rcbd", "plain", labels, value, "E0").choice.errors, "normal")
        rng = np.random.default_rng(1)
        even = [20 + int(e[1]) + float(rng.normal()) for e in labels["entry"]]
        self.assertEqual(compare_entries("rcbd", "measure", labels, even, "E0").choice.errors, "normal")
        with_nought = [0.0, *value[1:]]
        self.assertEqual(compare_entries("rcbd", "measure", labels, with_nought, "E0").choice.errors, "normal")

    def test_pairs_and_draws_stand_on_the_same_scale(self) -> None:
        labels, value = in_proportion(3, 0.3)
        found = compare_entries("rcbd", "measure", labels, value, "E0")
        means = {m.entry: m.lsmean or 0.0 for m in found.means}
        for d in pairs_of(found):
            self.assertAlmostEqual(d.estimate, means[d.a] - means[d.b])
        told = evidence_of(found, list(means), "kg", 1, 1.0)
        assert told
        self.assertTrue(np.allclose(told.shown, list(means.values())))
        self.assertTrue((draws_of([told], draws=200) > 0).all())


class Foretelling(TestCase):
    def test_two_trials_by_hand(self) -> None:
        first = ([1.0, 2, 3, 4, 5, 6], [2.0, 4, 6, 8, 10, 12])  # wholly, but for the last digit that is cut
        second = ([1.0, 2, 3, 4, 5, 6], [6.0, 1, 2, 3, 4, 5])  # the best of all had the lowest score
        found = foretold([first, second])
        assert found
        r = float(np.corrcoef(*second)[0, 1])
        z = (np.arctanh(0.999999) + np.arctanh(r)) / 2  # three degrees each
        self.assertAlmostEqual(found.correlation, float(np.tanh(z)))
        self.assertAlmostEqual(found.lower95, float(np.tanh(z - 1.959964 / np.sqrt(6))), places=5)
        self.assertEqual((found.trials, found.entries, found.kept_best), (2, 12, 1))
        self.assertAlmostEqual(found.cost, 0.5)  # nought, and six less five

    def test_too_few_or_all_alike_tells_nothing(self) -> None:
        self.assertIsNone(foretold([([1.0, 2, 3], [1.0, 2, 3]), ([1.0] * 5, [1.0, 2, 3, 4, 5])]))
        with self.assertRaisesRegex(ValueError, "early and a late"):
            foretold([([1.0], [1.0, 2.0])])


class Kinds(TestCase):
    def test_the_probability_is_the_exact_one_where_deals_can_be_counted(self) -> None:
        """Two entries of four plots, all of one kind each: 2 of the 70 ways to deal go as far."""
        found = analyse_categories(["A"] * 4 + ["B"] * 4, ["round"] * 4 + ["flat"] * 4, permutations=19_999)
        self.assertAlmostEqual(found.p or 0, 2 / 70, delta=0.003)
        self.assertAlmostEqual(found.chi_square, 8)
        self.assertEqual(found.counts.tolist(), [[0, 4], [4, 0]])

    def test_blocks_keep_their_own_kinds(self) -> None:
        """What only blocks make different is nothing that entries could be told by."""
        entry, block = ["A", "B"] * 4, [b for b in "1234" for _ in range(2)]
        found = analyse_categories(entry, [k for k in ("x", "y", "x", "y") for _ in range(2)], block)
        self.assertEqual(found.p, 1.0)

    def test_missing_ones_and_none(self) -> None:
        self.assertIsNone(analyse_categories(["A", "B"], ["x", None]).p)
        with self.assertRaisesRegex(ValueError, "no plot"):
            analyse_categories(["A"], [None])
