"""What another season would tell, held to seasons that are drawn and judged in full; and programmes against the study's tables."""

from unittest import TestCase

import numpy as np

from trialcore.inference.another_season import Further, Must, Retest, another_season, best_share, left_over
from trialcore.inference.season_means import SeasonMeans
from trialcore.inference.shrunken import Shrunken, shrink
from trialcore.inference.simulated_programme import Station, figures_of, play
from trialcore.inference.verdict import Evidence, Prospect, Rule, Verdict, leading_verdicts, suggest

NAMES = ("A", "B", "C", "D", "E", "F", "G", "H")


def one_season(rng: np.random.Generator, lead: float = 0.3, blocks: int = 4) -> SeasonMeans:
    """Eight entries spread by 0.6, in blocks, plots of standard deviation 1."""
    means = rng.normal(0, 0.6, len(NAMES)) + rng.normal(0, 0.5, len(NAMES))
    return SeasonMeans(NAMES, tuple(means.tolist()), (1 / blocks,) * 8, lead + float(rng.normal(0, 0.5)), 1 / blocks, 1.0, 24)


def lived(
    seasons: list[SeasonMeans], found: Shrunken, retest: Retest, matters: float, draws: int
) -> dict[str, tuple[float, float]]:
    """How often each entry is recommended and dropped when the season to come is drawn from what is known now, and the whole is
    fitted and judged anew: no formula is used."""
    rng = np.random.default_rng(5)
    up, down = dict.fromkeys(NAMES, 0), dict.fromkeys(NAMES, 0)
    s = seasons[-1]
    for _ in range(draws):
        g = rng.choice(len(found.weights), p=found.weights)
        between, own = found.betweens[g], found.seasonals[g]
        # a draw of all true values given the data, by conditioning a prior draw (Matheron's rule)
        value, check = rng.normal(0, np.sqrt(between), 8), rng.normal(0.75 * np.sqrt(between), np.sqrt(between))
        noise = np.array([*rng.normal(0, np.sqrt(np.array(s.variances) + own)), rng.normal(0, np.sqrt(s.check_variance + own))])
        design = np.hstack([np.eye(9), np.ones((9, 1))])
        prior = np.diag([*[between] * 9, 1e6])
        seen = np.array([*s.means, s.check]) - np.array([*value, check]) - noise
        whole = design @ prior @ design.T + np.diag([*(np.array(s.variances) + own), s.check_variance + own])
        true = np.array([*value, check]) + (prior @ design.T @ np.linalg.solve(whole, seen))[:9]
        there = true + rng.normal(0, np.sqrt(own), 9) + rng.normal(0, np.sqrt(retest.of_mean), 9)
        later = SeasonMeans(NAMES, tuple(there[:8].tolist()), (retest.of_mean,) * 8, float(there[8]), retest.of_mean, 1.0, 24)
        anew = shrink([*seasons, later])
        assert anew
        error = retest.of_difference(0.0)
        kept = np.array([a.kept for a in anew.advantages])
        promise = np.array([anew.promise(e, error) for e in NAMES])
        of_more = anew.chance_above(matters)
        verdict = leading_verdicts(kept, anew.chance_above(0.0), of_more, promise, anew.promise_of_a_fresh_one(error), matters)
        for e, v in zip(NAMES, verdict, strict=True):
            up[e] += v == 1
            down[e] += v == -1
    return {e: (up[e] / draws, down[e] / draws) for e in NAMES}


class Retests(TestCase):
    def test_the_foretold_chances_are_those_of_seasons_that_are_lived(self) -> None:
        """Of entries that stay open, over some first seasons."""
        off, retest = [], Retest(4, 1.0)
        for seed in range(3, 9):
            seasons = [one_season(np.random.default_rng(seed))]
            found = shrink(seasons)
            assert found
            chance = found.chance_above(0.15)
            open_still = [e for i, e in enumerate(NAMES) if chance[i] > Rule().may_matter]
            foretold = {o.entry: o for o in another_season(found, seasons, open_still, retest, 0.15)}
            happened = lived(seasons, found, retest, 0.15, 100)
            off += [(foretold[e].recommend - happened[e][0], foretold[e].drop - happened[e][1]) for e in open_still]
        self.assertLess(max(abs(up) for up, _ in off), 0.12, off)  # 100 draws leave 5 points of luck
        self.assertLess(abs(np.mean([up for up, _ in off])), 0.03, off)
        self.assertLess(abs(np.mean([down for _, down in off])), 0.06, off)

    def test_more_blocks_and_sites_settle_more_and_gain_more(self) -> None:
        seasons = [one_season(np.random.default_rng(3))]
        found = shrink(seasons)
        assert found
        small, large, wide = (
            another_season(found, seasons, ["A"], Retest(blocks, 1.0, sites=sites), 0.15)[0]
            for blocks, sites in ((2, 1), (8, 1), (8, 3))
        )
        self.assertLess(small.gain, large.gain)
        self.assertLess(large.gain, wide.gain)
        self.assertLess(small.settled, wide.settled)

    def test_what_else_is_asked_of_an_entry_can_only_hold_it_back(self) -> None:
        seasons = [one_season(np.random.default_rng(3))]
        found = shrink(seasons)
        assert found
        name, retest = max(found.advantages, key=lambda a: a.kept).entry, Retest(4, 1.0)
        alone = another_season(found, seasons, [name], retest, 0.15)[0]
        easy, hard = Further(1.0, 0.01, 0.01, 0.2), Further(-1.0, 0.02, 0.02, 0.2)
        with_easy = another_season(found, seasons, [name], retest, 0.15, further={name: [easy]})[0]
        with_hard = another_season(found, seasons, [name], retest, 0.15, further={name: [hard]})[0]
        failing = another_season(found, seasons, [name], retest, 0.15, musts={name: [Must(-2.0, 0.1, 0.1)]})[0]
        self.assertAlmostEqual(with_easy.recommend, alone.recommend, delta=0.03)
        self.assertEqual((with_hard.recommend, with_hard.drop, with_hard.gain), (0.0, 1.0, 0.0))
        self.assertAlmostEqual(with_easy.gain, alone.gain, places=6)
        self.assertGreater(failing.drop, 0.97)

    def test_a_quarter_gets_the_plots_and_an_eighth_of_many(self) -> None:
        seasons = [one_season(np.random.default_rng(3))]
        found = shrink(seasons)
        assert found
        kept = sorted(found.advantages, key=lambda a: -a.kept)
        self.assertEqual(best_share(NAMES, found), [a.entry for a in kept[:2]])

    def test_plots_on_the_best_leave_less_to_be_won_than_none_or_as_many_on_all(self) -> None:
        rng = np.random.default_rng(8)
        alike, quarter, none = [], [], []
        for n in range(12):
            seasons = [one_season(rng)]
            found = shrink(seasons)
            assert found
            top, retest = best_share(NAMES, found), Retest(4, 1.0)
            none.append(left_over(found, {}, retest, n))
            alike.append(left_over(found, dict.fromkeys(NAMES, 2), retest, n))
            quarter.append(left_over(found, dict.fromkeys(top, 8), retest, n))
        self.assertLess(np.mean(quarter), np.mean(alike))
        self.assertLess(np.mean(alike), np.mean(none))

    def test_nonsense_is_refused(self) -> None:
        seasons = [one_season(np.random.default_rng(3))]
        found = shrink(seasons)
        assert found
        with self.assertRaises(ValueError):
            another_season(found, seasons, ["A"], Retest(0, 1.0), 0.15)
        with self.assertRaises(KeyError):
            another_season(found, seasons, ["nobody"], Retest(2, 1.0), 0.15)


class Rules(TestCase):
    def test_many_at_once_are_judged_as_each_by_itself(self) -> None:
        rng = np.random.default_rng(1)
        kept, chance, promise = rng.normal(0, 1, 300), rng.random(300), rng.random(300)
        of_more = chance * rng.random(300)
        at_once = leading_verdicts(kept, chance, of_more, promise, 0.4, 0.3, Rule())
        word = {1: Verdict.RECOMMEND, 0: Verdict.RETEST, -1: Verdict.DROP}
        for k, c, m, p, v in zip(kept, chance, of_more, promise, at_once, strict=True):
            prospect = Prospect(lambda by, c=c, m=m: float(m if by > 0 else c), float(k), float(p), 0.4)  # type: ignore[misc]
            self.assertEqual(suggest([Evidence("yield", float(k), 1.0, 10.0, 0.3, prospect=prospect)]).verdict, word[int(v)])


class Programmes(TestCase):
    """Against the tables of the study of this rule, which another program reckoned; `make bench-exactness` holds it closer."""

    def test_three_seasons_of_twelve_entries_in_four_blocks(self) -> None:
        found = figures_of([play(Station(), seed) for seed in range(200)], 0.6)
        self.assertLess(abs(found.wrong - 0.009), 0.02)
        self.assertLess(abs(found.found - 0.23), 0.04)
        self.assertLess(abs(found.regret - 0.53), 0.1)
        self.assertLess(found.regret, found.regret_ranked)
        self.assertGreater(found.wrong_ranked, 0.1)

    def test_a_good_check_is_seldom_thought_beaten(self) -> None:
        found = figures_of([play(Station(check=0.6), seed) for seed in range(200)], 0.6)
        self.assertLess(found.wrong, 0.15)
        self.assertGreater(found.wrong_ranked, 0.3)
        self.assertLess(abs(found.regret - 0.505), 0.1)

    def test_the_same_seed_is_the_same_world_and_nonsense_is_refused(self) -> None:
        one, other = play(Station(), 7), play(Station(), 7, Rule(allowed_better=0.8))
        np.testing.assert_array_equal(one.true, other.true)
        with self.assertRaises(ValueError):
            play(Station(places=2), 1)
