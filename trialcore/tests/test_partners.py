"""The weight of a partner's records, by hand and by simulation."""

import random
from statistics import mean, variance
from unittest import TestCase

from trialcore.analyses.partners import LEAST, agreement, lead_of_check, variance_of_lead

MAIN = {"C": 10.0, "A": 8.0, "B": 9.0}


class ByHand(TestCase):
    def test_the_lead_of_the_check(self) -> None:
        self.assertEqual(lead_of_check(MAIN, "C", frozenset("CAB")), 1.5)
        self.assertEqual(lead_of_check(MAIN, "C", frozenset("CA")), 2.0)
        self.assertIsNone(lead_of_check(MAIN, "D", frozenset("CAB")))
        self.assertIsNone(lead_of_check(MAIN, "C", frozenset("C")))

    def test_a_check_that_stands_as_at_the_main_site_counts_in_full(self) -> None:
        found = agreement({"C": 7.0, "A": 5.0, "B": 6.0}, MAIN, "C", 1.0, (2, 4), (1.0, 0.5))
        self.assertEqual((found.here, found.there, found.apart, found.weight), (1.5, 1.5, 0.0, 1.0))

    def test_one_that_stands_otherwise_counts_less(self) -> None:
        # lead -4.5 against 1.5; variance (1/1 + 1/4) x 1.5 = 1.875, its root 1.3693; 6 / 1.3693 = 4.3818; 2 / 4.3818 = 0.45644
        found = agreement({"C": 1.0, "A": 5.0, "B": 6.0}, MAIN, "C", 0.5, (1, 4), (1.0, 1.0))
        self.assertAlmostEqual(found.apart or 0, 4.3818, places=4)
        self.assertAlmostEqual(found.weight, 0.5 * 0.45644, places=5)

    def test_what_cannot_be_said(self) -> None:
        self.assertEqual(agreement({"A": 5.0}, MAIN, "C", 0.4, (1, 4), (1, 1)).weight, 0.4)
        self.assertEqual(agreement({}, MAIN, "C", 0.0, (0, 4), (1, 1)).weight, LEAST)
        self.assertEqual(agreement(MAIN, MAIN, "C", 1.0, (1, 4), (0, 0)).weight, 1.0)
        self.assertRaisesRegex(ValueError, "between 0 and 1", agreement, MAIN, MAIN, "C", 1.2, (1, 4), (1, 1))


class BySimulation(TestCase):
    def test_the_variance_of_a_lead_and_how_seldom_a_good_partner_loses_weight(self) -> None:
        luck = random.Random(5)  # noqa: S311
        truth = {"C": 50.0, "A": 47.0, "B": 52.0, "D": 45.0}

        def means(plots: int) -> dict[str, float]:
            return {e: mean(luck.gauss(m, 4.0) for _ in range(plots)) for e, m in truth.items()}

        leads = [lead_of_check(means(2), "C", frozenset(truth)) or 0.0 for _ in range(6000)]
        self.assertAlmostEqual(variance(leads) / variance_of_lead(4, 16.0, 2), 1.0, delta=0.06)
        found = [agreement(means(2), means(4), "C", 1.0, (2, 4), (16.0, 16.0)).weight for _ in range(4000)]
        self.assertAlmostEqual(sum(w < 1 for w in found) / len(found), 0.0455, delta=0.012)  # beyond two standard errors
