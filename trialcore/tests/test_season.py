"""Stages, picks, screening, verdicts and the simulator."""

from datetime import date, timedelta
from unittest import TestCase

import numpy as np
from scipy import stats

from trialcore.analyses.blocks import analyse_blocks
from trialcore.field.picks import Pick, plot_yield
from trialcore.field.simulated_season import Field, plot_values, split_into_picks
from trialcore.field.stages import days_between
from trialcore.field.stand import Stand
from trialcore.inference.comparisons import against_check
from trialcore.inference.outliers import is_unlikely, usual_range
from trialcore.inference.verdict import Evidence, Ground, Rule, Verdict, held_by, suggest

SOWN = date(2026, 3, 1)


class Stages(TestCase):
    def test_days(self) -> None:
        self.assertEqual(days_between(SOWN, date(2026, 3, 31)), 30)
        self.assertIsNone(days_between(None, SOWN))
        with self.assertRaises(ValueError):
            days_between(SOWN, date(2026, 2, 27))


class Picks(TestCase):
    def test_a_season_of_three_picks(self) -> None:
        picks = [
            Pick(SOWN + timedelta(90), 0.0, 0.5, 0, 3),
            Pick(SOWN + timedelta(95), 4.0, 0.0, 10),
            Pick(SOWN + timedelta(102), 2.0, 0.5),
        ]
        found = plot_yield(picks, area_m2=4.0, stand=Stand(20), sown=SOWN)
        self.assertEqual((found.picks, found.marketable_kg, found.cull_kg), (3, 6.0, 1.0))
        self.assertEqual((found.kg_per_m2, found.g_per_plant), (1.5, 300.0))
        self.assertEqual(found.piece_g, 400.0)  # only the pick that was counted
        self.assertAlmostEqual(found.marketable_share or 0, 6 / 7)
        self.assertEqual(found.days_to_first_pick, 95)  # culls alone are no first pick

    def test_what_lacks_its_base_is_none(self) -> None:
        found = plot_yield([Pick(SOWN, 1.0)], area_m2=None, stand=Stand(0), sown=None)
        self.assertEqual((found.kg_per_m2, found.g_per_plant, found.piece_g, found.days_to_first_pick), (None,) * 4)
        self.assertIsNone(plot_yield([], 4.0, Stand(20), SOWN).first_pick)


class Screening(TestCase):
    def test_a_slip_of_the_key_is_noticed_and_ordinary_values_are_not(self) -> None:
        others = [210.0, 230, 245, 260, 225, 240, 255]
        self.assertTrue(is_unlikely(2400, others))
        self.assertTrue(is_unlikely(24, others))
        self.assertFalse(is_unlikely(300, others))

    def test_few_or_equal_values_do_not_judge(self) -> None:
        self.assertIsNone(usual_range([1, 2, 3, 4, 5]))
        self.assertFalse(is_unlikely(44, [45.0] * 8))
        self.assertFalse(is_unlikely(3, [0.0] * 8))


class Rules(TestCase):
    def lead(self, better_by: float, se: float = 10.0, matters: float = 20.0) -> Evidence:
        return Evidence("Yield", better_by, se, 33, matters)

    def test_each_ground(self) -> None:
        self.assertEqual(suggest([self.lead(40)]).verdict, Verdict.RECOMMEND)
        for evidence, verdict, ground in (
            ([self.lead(-40)], Verdict.DROP, Ground.WORSE),
            ([self.lead(5)], Verdict.RETEST, Ground.COULD_BE_LUCK),
            ([self.lead(15, se=3)], Verdict.RETEST, Ground.BETTER_BUT_SMALL),
            ([Evidence("Yield", None, None, None, 1)], Verdict.RETEST, Ground.NO_FIGURE),
            ([self.lead(40), Evidence("Bolting", -30, 4, 33, 10)], Verdict.DROP, Ground.WORSE_ELSEWHERE),
            ([self.lead(40), Evidence("Bolting", -11, 4, 33, 10)], Verdict.RETEST, Ground.HELD_BACK),
        ):
            with self.subTest(ground=ground):
                found = suggest(evidence)
                self.assertEqual((found.verdict, found.reasons[0].ground), (verdict, ground))

    def test_a_board_needs_a_criterion(self) -> None:
        with self.assertRaises(ValueError):
            suggest([])

    def test_an_entry_like_the_check_is_rarely_recommended_or_dropped(self) -> None:
        """The error rates that the rule claims, by simulation of a true null: 12 entries in 4 blocks."""
        entry = [f"E{i:02d}" for i in range(12)] * 4
        block = [b for b in range(4) for _ in range(12)]
        said = []
        for seed in range(150):
            y = plot_values(entry, block, [0] * 48, dict.fromkeys(entry, 100.0), Field(5, 10), seed)
            versus = against_check(analyse_blocks(entry, y, {"rep": [str(b) for b in block]}), "E00")
            assert versus is not None
            said += [suggest([Evidence("y", d.estimate, d.se, d.df, 0.0)], Rule()).verdict for d in versus.differences]
        self.assertLess(abs(said.count(Verdict.RECOMMEND) / len(said) - 0.025), 0.015)
        self.assertLess(abs(said.count(Verdict.DROP) / len(said) - 0.025), 0.015)

    def test_a_chance_of_one_half_holds_nothing_back(self) -> None:
        """With nought as what matters an entry like the check in another criterion is worse with a chance of exactly 50 %."""
        self.assertEqual(suggest([self.lead(40), Evidence("Bolting", 0.0, 4, 33, 0.0)]).verdict, Verdict.RECOMMEND)

    def test_what_a_comparison_calls_luck_is_no_reason_to_drop(self) -> None:
        """One-sided 96 % worse is within a two-sided interval of 95 %."""
        t96 = stats.t.ppf(0.96, 33)
        found = suggest([self.lead(-10 * t96)])
        self.assertEqual((found.verdict, found.reasons[0].ground), (Verdict.RETEST, Ground.COULD_BE_LUCK))
        self.assertEqual(suggest([self.lead(-10 * stats.t.ppf(0.976, 33))]).verdict, Verdict.DROP)

    def test_what_stands_wholly_apart_holds_the_suggestion(self) -> None:
        for better_by in (40, -40):
            found = held_by(suggest([self.lead(better_by)]), ["Sown 9 days later than the check"])
            self.assertEqual((found.verdict, found.reasons[0].ground), (Verdict.RETEST, Ground.CONFOUNDED))
            self.assertEqual(len(found.reasons), 2)
        self.assertEqual(held_by(suggest([self.lead(40)]), []).verdict, Verdict.RECOMMEND)


class Simulator(TestCase):
    def test_truth_comes_back_on_average(self) -> None:
        entry, truth = ["A", "B"] * 200, {"A": 50.0, "B": 60.0}
        y = np.array(plot_values(entry, [0] * 400, list(range(400)), truth, Field(0, 4, gradient=0), 3))
        self.assertAlmostEqual(float(y[1::2].mean() - y[::2].mean()), 10, delta=1.2)
        self.assertEqual(y.tolist(), plot_values(entry, [0] * 400, list(range(400)), truth, Field(0, 4), 3))

    def test_picks_add_up(self) -> None:
        parts = split_into_picks(12.5, 4, 9)
        self.assertEqual(len(parts), 4)
        self.assertAlmostEqual(sum(parts), 12.5)
        self.assertTrue(all(p > 0 for p in parts))
