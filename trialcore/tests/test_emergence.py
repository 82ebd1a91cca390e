"""Entries as they come up: what is said of one that fails, lags or is merely unlucky."""

import unittest

import numpy as np

from trialcore.field.emergence import Coming, Counts, emergence
from trialcore.reckoning.germination import newcombe_interval

DAYS = (6.0, 8.0, 10.0, 13.0, 17.0)


def entry(name: str, newly: tuple[int, ...], sown: int = 80) -> Counts:
    return Counts(name, DAYS, newly, sown)


class Emergence(unittest.TestCase):
    def setUp(self) -> None:
        self.usual = [entry(n, (6, 22, 24, 9, 3)) for n in "ABCDE"]

    def said(self, one: Counts, promised: float | None = None) -> tuple[Coming, str, bool]:
        found = emergence([*self.usual, one], {one.entry: promised} if promised else None)[-1]
        return found.coming, found.why, found.below_promise

    def test_one_that_fails_is_told_from_one_that_has_fewer_or_comes_later(self) -> None:
        self.assertEqual(self.said(entry("X", (6, 20, 25, 10, 3)))[0], Coming.AS_OTHERS)
        coming, why, _ = self.said(entry("X", (0, 1, 2, 0, 0)))
        self.assertEqual((coming, why), (Coming.FAILED, "3 of 80 are up after 17 days, while 80 % of the others' seeds are."))
        self.assertEqual(self.said(entry("X", (3, 12, 12, 5, 1)))[0], Coming.FEWER)
        coming, why, _ = self.said(entry("X", (0, 3, 12, 28, 18)))
        self.assertEqual(coming, Coming.SLOW)
        self.assertRegex(why, r"Half of them took [34]\.\d days longer")

    def test_the_points_said_are_those_of_the_interval(self) -> None:
        why = self.said(entry("X", (3, 12, 12, 5, 1)))[1]
        low, high = newcombe_interval(5 * 64, 5 * 80, 33, 80, 1 - 0.05 / 6)
        self.assertEqual(why, f"{-100 * high:.0f} to {-100 * low:.0f} points fewer are up than of the others.")

    def test_nothing_is_said_before_the_others_have_begun(self) -> None:
        few = [Counts(n, (6.0,), (2,), 80) for n in "AB"]
        self.assertEqual({f.coming for f in emergence([*few, Counts("X", (), (), 80)])}, {Coming.TOO_EARLY})
        with self.assertRaises(ValueError):
            emergence([Counts("X", (), (), 0)])

    def test_a_promise_is_held_against_the_time_that_passed(self) -> None:
        self.assertTrue(self.said(entry("X", (5, 15, 18, 6, 2)), promised=0.82)[2])
        self.assertFalse(self.said(entry("X", (5, 15, 18, 6, 2)), promised=0.6)[2])
        early = [Counts(n, DAYS[:2], (6, 22), 80) for n in "ABCDE"]
        self.assertFalse(emergence(early, {"A": 0.9})[0].below_promise)

    def test_of_entries_that_are_all_alike_hardly_a_set_is_blamed(self) -> None:
        rng, blamed = np.random.default_rng(3), 0
        for _ in range(200):
            up = [rng.multinomial(80, (0.08, 0.27, 0.3, 0.11, 0.04, 0.2)) for _ in range(12)]
            found = emergence([Counts(str(i), DAYS, tuple(int(n) for n in u[:5]), 80) for i, u in enumerate(up)])
            blamed += any(f.coming in (Coming.FEWER, Coming.FAILED, Coming.SLOW) for f in found)
        self.assertLess(blamed, 200 * 0.1)
