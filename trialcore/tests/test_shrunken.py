"""Honest advantages: held to a dense model written anew, to calibration over unknown checks, and to what must hold at the ends."""

from dataclasses import replace
from itertools import product
from unittest import TestCase

import numpy as np
from scipy.linalg import block_diag

from trialcore.analyses.entries import compare_entries
from trialcore.analyses.linear import Floats
from trialcore.inference.priors import LIBRARY, RATIOS, SEASONALS, STANDINGS, WIDTH, Prior, learn
from trialcore.inference.season_means import SeasonMeans, own_variances, season_of
from trialcore.inference.shrunken import log_likelihoods, shrink
from trialcore.inference.verdict import Evidence, Ground, Prospect, Rule, Verdict, suggest

PLOT = 1.0


def season(rng: np.random.Generator, names: list[str], truth: dict[str, float], check: float, reps: int = 4) -> SeasonMeans:
    df = len(names) * (reps - 1)
    square = PLOT * rng.chisquare(df) / df
    means = [truth[n] + rng.normal(0, np.sqrt(PLOT / reps)) for n in names]
    base = check + rng.normal(0, np.sqrt(PLOT / reps))
    return SeasonMeans(tuple(names), tuple(means), (square / reps,) * len(names), float(base), square / reps, square, df)


def dense(seasons: list[SeasonMeans], prior: Prior) -> dict[str, tuple[float, float]]:
    """Mean and variance of each entry's lead, by one big Gaussian for each point of the grid: nothing is eliminated."""
    names = list(dict.fromkeys(e for s in seasons for e in s.entries))
    df = sum(s.df for s in seasons)
    plot = sum(s.plot_variance * s.df for s in seasons) / df
    v, k = len(names), len(seasons)
    y, rows, blocks = [], [], []
    for j, s in enumerate(seasons):
        middle = np.mean([*s.means, s.check])
        for e, m in zip(s.entries, s.means, strict=True):
            row = np.zeros(v + k + 1)
            row[names.index(e)], row[v + j] = 1, 1
            rows.append(row)
            y.append(m - middle)
        row = np.zeros(v + k + 1)
        row[v + j], row[v + k] = 1, 1
        rows.append(row)
        y.append(s.check - middle)
        blocks.append(np.array(s.covariance) if s.covariance else np.diag([*s.variances, s.check_variance]))
    x, seen = np.array(rows), np.array(y)
    logs, leads, spreads = [], [], []
    for i, ratio in enumerate(RATIOS):
        for (j, phi), (n, standing) in product(enumerate(SEASONALS), enumerate(STANDINGS)):
            if prior.standings[n] < 1e-4:
                continue
            between = ratio**2 * plot
            r = block_diag(*blocks) + phi * between * np.eye(len(y))
            wide = 1e7
            prior_v = np.diag([between] * v + [wide] * k + [WIDTH**2 * between])
            prior_m = np.array([0.0] * (v + k) + [standing * np.sqrt(between)])
            whole = x @ prior_v @ x.T + r
            gap = seen - x @ prior_m
            gain = prior_v @ x.T @ np.linalg.inv(whole)
            mean, cov = prior_m + gain @ gap, prior_v - gain @ x @ prior_v
            _, logdet = np.linalg.slogdet(whole)
            logs.append(prior.logs[i, j, n] - 0.5 * (logdet + gap @ np.linalg.solve(whole, gap)))
            to = np.hstack([np.eye(v), np.zeros((v, k)), -np.ones((v, 1))])
            leads.append(to @ mean)
            spreads.append(np.diag(to @ cov @ to.T))
    w = np.exp(np.array(logs) - max(logs))
    w /= w.sum()
    mean = w @ np.array(leads)
    spread = w @ (np.array(spreads) + np.array(leads) ** 2) - mean**2
    return {e: (float(mean[i]), float(spread[i])) for i, e in enumerate(names)}


class Honest(TestCase):
    def test_the_same_as_one_big_gaussian_over_three_seasons(self) -> None:
        rng = np.random.default_rng(4)
        truth = {f"E{i}": float(rng.normal(0, 0.6)) for i in range(9)}
        names = list(truth)
        seasons = [season(rng, names[:6], truth, 0.4), season(rng, names[3:], truth, 0.4), season(rng, names[2:7], truth, 0.4)]
        found = shrink(seasons)
        assert found
        held = dense(seasons, LIBRARY)
        for a in found.advantages:
            self.assertAlmostEqual(a.kept, held[a.entry][0], delta=2e-3)  # the least likely parts are left out
            self.assertAlmostEqual(a.variance, held[a.entry][1], delta=2e-3)

    def test_means_that_share_more_than_their_level_go_in_with_their_covariance(self) -> None:
        rng = np.random.default_rng(6)
        truth = {f"E{i}": float(rng.normal(0, 0.6)) for i in range(9)}
        names = list(truth)
        seasons = []
        for some in (names[:6], names[3:]):
            plain = season(rng, some, truth, 0.4)
            shared = rng.normal(0, 0.3, (len(some) + 1, 3))
            joint = shared @ shared.T + np.diag([*plain.variances, plain.check_variance])
            seasons.append(replace(plain, covariance=tuple(tuple(row) for row in joint.tolist())))
        found, plainly = shrink(seasons), shrink([replace(s, covariance=None) for s in seasons])
        assert found and plainly
        held = dense(seasons, LIBRARY)
        for a, b in zip(found.advantages, plainly.advantages, strict=True):
            self.assertAlmostEqual(a.kept, held[a.entry][0], delta=2e-3)
            self.assertAlmostEqual(a.variance, held[a.entry][1], delta=2e-3)
            self.assertGreater(abs(a.variance - b.variance), 1e-3)

    def test_one_cultivar_under_two_names_in_a_season_counts_twice_for_itself(self) -> None:
        rng = np.random.default_rng(6)
        truth = {f"E{i}": float(rng.normal(0, 0.6)) for i in range(6)}
        plain = season(rng, list(truth), truth, 0.4)
        twice = replace(plain, entries=("E0", "E0", *plain.entries[2:]))
        found, held = shrink([twice]), dense([twice], LIBRARY)
        assert found
        for a in found.advantages:
            self.assertAlmostEqual(a.kept, held[a.entry][0], delta=2e-3)
            self.assertAlmostEqual(a.variance, held[a.entry][1], delta=5e-3)

    def test_a_stated_chance_happens_as_often_over_unknown_checks(self) -> None:
        rng = np.random.default_rng(9)  # so few worlds leave 4 points of luck; `bench.honest` holds it closer
        stated, happened = [], []
        for n in range(700):
            spread, phi = (0.4, 0.6, 1.0)[n % 3], (0.0, 0.25, 0.5)[n // 3 % 3]
            truth = {f"E{i}": float(rng.normal(0, spread)) for i in range(12)}
            check = float(rng.choice([-0.5, 0, 0.5, 1, 1.5])) * spread
            there = {e: t + float(rng.normal(0, spread * np.sqrt(phi))) for e, t in truth.items()}
            found = shrink([season(rng, list(truth), there, check + float(rng.normal(0, spread * np.sqrt(phi))))])
            assert found
            stated += [a.chance for a in found.advantages]
            happened += [truth[a.entry] > check for a in found.advantages]
        p, yes = np.array(stated), np.array(happened)
        for low, high in ((0.0, 0.1), (0.7, 0.8), (0.8, 0.9), (0.9, 0.95), (0.95, 1.0)):
            within = (p >= low) & (p < high)
            self.assertAlmostEqual(float(p[within].mean()), float(yes[within].mean()), delta=0.09, msg=f"{low} to {high}")

    def test_the_best_of_equals_keeps_next_to_nothing_and_many_seasons_take_little_off(self) -> None:
        rng = np.random.default_rng(2)
        truth = {f"E{i}": 0.0 for i in range(20)}
        found = shrink([season(rng, list(truth), truth, 0.0)])
        assert found
        self.assertLess(max(a.kept for a in found.advantages), 0.5)
        sure = SeasonMeans(("A", "B", "C"), (3.0, 1.0, 0.0), (0.01,) * 3, 0.5, 0.01, 1.0, 200)
        once, often = ((shrink([sure] * n) or found).advantages[0].kept for n in (1, 12))
        self.assertLess(once, often)
        self.assertAlmostEqual(often, 2.5, delta=0.05)

    def test_history_of_the_check_moves_the_chance(self) -> None:
        now = SeasonMeans(("A", "B", "C", "D"), (1.0, 0.2, -0.1, -0.3), (0.25,) * 4, 0.0, 0.25, 1.0, 12)
        weak = SeasonMeans(("K", "L", "M", "N"), (1.5, 1.2, 0.9, 1.1), (0.25,) * 4, 0.0, 0.25, 1.0, 12)
        strong = SeasonMeans(("K", "L", "M", "N"), (-1.5, -1.2, -0.9, -1.1), (0.25,) * 4, 0.0, 0.25, 1.0, 12)
        alone, up, down = ((shrink([*more, now]) or self.fail()).advantages for more in ([], [weak], [strong]))
        chance = [next(a.chance for a in some if a.entry == "A") for some in (down, alone, up)]
        self.assertEqual(chance, sorted(chance))

    def test_own_variances_give_back_every_difference_of_complete_blocks(self) -> None:
        v = 0.2 * np.eye(5) + 0.07
        self.assertTrue(np.allclose(own_variances(v), 0.2))

    def test_a_comparison_becomes_a_season(self) -> None:
        entry = [e for e in "ABCDE" for _ in range(3)]
        rep = ["1", "2", "3"] * 5
        value = [5.1, 5.3, 4.9, 6.2, 6.0, 6.4, 4.4, 4.6, 4.2, 5.5, 5.9, 5.4, 5.0, 5.2, 4.7]
        worked = compare_entries("rcbd", "measure", {"entry": entry, "rep": rep}, value, "A")
        made = season_of(worked, "A", 1, {e: e for e in "ABCDE"}, {"E"})
        assert made and worked.versus
        self.assertEqual(made.entries, ("B", "C", "D"))
        self.assertAlmostEqual(made.variances[0] + made.check_variance, worked.versus.differences[0].se ** 2)
        turned = season_of(worked, "A", -1, {e: e for e in "ABCDE"})
        assert turned
        self.assertAlmostEqual(turned.means[0], -made.means[0])

    def test_one_rule_at_any_number_of_entries(self) -> None:
        """One entry is an entry like others; with more of them its advantage moves by little at a time."""
        kept = []
        for n in range(6):
            others = tuple(float(x) for x in np.linspace(-1, 1, n)) if n > 1 else (0.0,) * n
            names = ("A", *(f"E{i}" for i in range(n)))
            season = SeasonMeans(names, (1.5, *others), (0.25,) * (n + 1), 0.0, 0.25, 1.0, 12)
            found, held = shrink([season]), dense([season], LIBRARY)
            assert found
            self.assertAlmostEqual(found.advantages[0].kept, held["A"][0], delta=4e-3)
            self.assertAlmostEqual(found.advantages[0].variance, held["A"][1], delta=0.04)  # many unlikely parts are left out
            kept.append(found.advantages[0].kept)
        self.assertLess(max(abs(np.diff(kept))), 0.25)
        self.assertTrue(0.2 < kept[0] < 1.5, kept)

    def test_no_error_or_uneven_is_said(self) -> None:
        self.assertIsNone(shrink([SeasonMeans(("A", "B"), (1, 2), (1, 1), 0, 1, 1, 0)]))
        with self.assertRaisesRegex(ValueError, "one mean"):
            shrink([SeasonMeans(("A", "B", "C"), (1, 2), (1, 1, 1), 0, 1, 1, 5)])


class Learning(TestCase):
    """What a programme starts from, learnt from others of a world whose spread, seasons and check are known."""

    def programmes(self, count: int, spread: float, standing: float, phi: float, seasons: int = 2) -> list[Floats]:
        rng = np.random.default_rng(12)
        made = []
        for _ in range(count):
            truth = {f"E{i}": float(rng.normal(0, spread)) for i in range(12)}
            own = float(np.sqrt(phi)) * spread
            there = [{e: t + float(rng.normal(0, own)) for e, t in truth.items()} for _ in range(seasons)]
            check = standing * spread
            logs = log_likelihoods([season(rng, list(t), t, check + float(rng.normal(0, own))) for t in there])
            assert logs is not None
            made.append(logs)
        return made

    def test_nothing_to_learn_from_leaves_the_library(self) -> None:
        self.assertIs(learn([]), LIBRARY)
        for part in (LIBRARY.ratios, LIBRARY.seasonals, LIBRARY.standings):
            self.assertAlmostEqual(sum(part), 1.0)
        self.assertAlmostEqual(LIBRARY.ahead, 0.75, delta=0.02)

    def test_spread_seasons_and_standing_are_found(self) -> None:
        for spread, standing, phi in ((0.6, 1.5, 0.25), (1.2, -0.75, 0.0), (0.4, 0.0, 2.0)):
            found = learn(self.programmes(30, spread, standing, phi))
            self.assertEqual(found.programmes, 30)
            for part in (found.ratios, found.seasonals, found.standings):
                self.assertAlmostEqual(sum(part), 1.0)
            self.assertAlmostEqual(found.ahead, standing, delta=0.3)
            usual = float(np.exp(np.array(found.ratios) @ np.log(RATIOS)))
            self.assertAlmostEqual(np.log(usual / spread), 0.0, delta=0.3)
            self.assertAlmostEqual(float(np.array(found.seasonals) @ SEASONALS), phi, delta=0.2 + 0.45 * phi)

    def test_one_programme_moves_it_a_little_and_more_move_it_more(self) -> None:
        ahead = [learn(self.programmes(n, 0.6, 2.0, 0.25)).ahead for n in (0, 1, 4)]
        self.assertEqual(ahead, sorted(ahead))
        self.assertLess(ahead[1], 1.7)
        self.assertGreater(ahead[2], 1.7)

    def test_the_order_of_programmes_does_not_matter(self) -> None:
        some = self.programmes(5, 0.6, 1.0, 0.25)
        one, other = learn(some), learn(some[::-1])
        self.assertTrue(np.allclose(one.standings, other.standings))
        self.assertTrue(np.allclose(one.ratios, other.ratios))

    def test_programmes_that_have_nothing_in_common_leave_finite_chances(self) -> None:
        alike = SeasonMeans(("A", "B", "C"), (0.0, 1e-3, -1e-3), (1e-4,) * 3, -5.0, 1e-4, 4e-4, 400)
        apart = SeasonMeans(("A", "B", "C"), (900.0, -900.0, 400.0), (1e-4,) * 3, 5000.0, 1e-4, 4e-4, 400)
        known = [log_likelihoods([season] * 3) for season in (alike, apart)]
        found = learn([logs for logs in known * 6 if logs is not None])
        for part in (found.ratios, found.seasonals, found.standings):
            self.assertTrue(np.isfinite(part).all())
            self.assertAlmostEqual(sum(part), 1.0)
        for season in (alike, apart):
            made = shrink([season], found)
            assert made
            self.assertTrue(np.isfinite([(a.kept, a.variance, a.chance) for a in made.advantages]).all())

    def test_what_is_learnt_moves_the_chance_of_a_new_programme(self) -> None:
        now = SeasonMeans(("A", "B", "C", "D"), (1.0, 0.2, -0.1, -0.3), (0.25,) * 4, 0.0, 0.25, 1.0, 12)
        chance = []
        for standing in (2.0, 0.75, -1.0):
            found = shrink([now], learn(self.programmes(10, 0.6, standing, 0.25)))
            assert found
            chance.append(found.advantages[0].chance)
        self.assertEqual(chance, sorted(chance))
        self.assertGreater(chance[-1] - chance[0], 0.2)


class Verdicts(TestCase):
    def prospect(self, chance: float, kept: float, promise: float = 1.0, fresh: float = 0.5, of_more: float = 0.1) -> Evidence:
        found = Prospect(lambda by: (chance if by == 0 else of_more) if by >= 0 else 1.0, kept, promise, fresh)
        return Evidence("yield", 2.0, 0.5, 20, 0.5, None, found)

    def test_the_bar_is_that_of_chances_that_allow_for_many(self) -> None:
        """The same flat figures throughout: four standard errors ahead."""
        for chance, kept, said, ground in (
            (0.96, 1.0, Verdict.RECOMMEND, Ground.BETTER),
            (0.94, 1.0, Verdict.RETEST, Ground.NOT_SURE_YET),
            (0.96, 0.3, Verdict.RETEST, Ground.BETTER_BUT_SMALL),
        ):
            found = suggest([self.prospect(chance, kept)])
            self.assertEqual((found.verdict, found.reasons[0].ground), (said, ground))
        self.assertEqual(suggest([Evidence("yield", 2.0, 0.5, 20, 0.5)]).verdict, Verdict.RECOMMEND)

    def test_a_figure_without_an_error_is_not_called_none(self) -> None:
        for better_by, ground in ((None, Ground.NO_FIGURE), (1.5, Ground.NO_ERROR)):
            found = suggest([Evidence("yield", better_by, None, None, 0.5)])
            self.assertEqual((found.verdict, found.reasons[0].ground), (Verdict.RETEST, ground))

    def test_what_promises_less_than_a_fresh_one_makes_room(self) -> None:
        found = suggest([self.prospect(0.6, 0.2, promise=0.3, fresh=0.5)])
        self.assertEqual((found.verdict, found.reasons[0].ground), (Verdict.DROP, Ground.FRESH_PROMISES_MORE))
        self.assertEqual(suggest([self.prospect(0.6, 0.2, promise=0.3, fresh=0.5)], Rule(fresh=0.5)).verdict, Verdict.RETEST)

    def test_what_may_well_be_better_is_not_dropped_for_a_fresh_one(self) -> None:
        found = suggest([self.prospect(0.6, 0.2, promise=0.3, fresh=0.5, of_more=0.3)])
        self.assertEqual((found.verdict, found.reasons[0].ground), (Verdict.RETEST, Ground.ROOM_FIRST))
        sure = suggest([self.prospect(0.96, 0.8, promise=0.3, fresh=0.5, of_more=0.9)])
        self.assertEqual(sure.verdict, Verdict.RECOMMEND)

    def test_a_promise_is_the_mean_of_what_another_season_would_leave(self) -> None:
        """By draws: what is expected after another season, taken where it is above nought."""
        rng = np.random.default_rng(6)
        truth = {f"E{i}": float(rng.normal(0, 0.6)) for i in range(8)}
        found = shrink([season(rng, list(truth), truth, 0.3)])
        assert found
        a, error = found.advantages[2], 0.5
        true = rng.normal(a.kept, np.sqrt(a.variance), 400_000)
        seen = true + rng.normal(0, np.sqrt(error + 2 * found.seasonal), len(true))
        weight = a.variance / (a.variance + error + 2 * found.seasonal)
        after = a.kept + weight * (seen - a.kept)
        self.assertAlmostEqual(found.promise(a.entry, error), float(np.maximum(after, 0).mean()), delta=0.004)
        lasting = max(found.advantages, key=lambda x: x.kept)
        self.assertEqual(found.best_bet, lasting if lasting.kept > 0 else None)
        self.assertGreater(found.promise(lasting.entry, error), found.promise_of_a_fresh_one(error))
