"""Names that may mean one cultivar."""

import itertools
import random
from unittest import TestCase

from trialcore.reckoning.names import folded, likeness, near_duplicates


class Names(TestCase):
    def test_what_people_write_differently_does_not_count(self) -> None:
        self.assertEqual(folded("Pâle-Anchor cv."), folded("pale anchor"))
        self.assertEqual(folded("Groß Eck"), "grosseck")

    def test_alike_for_a_reason(self) -> None:
        for a, b, why in (
            ("Pale Anchor", "Pale-anchor", "written otherwise"),
            ("Harl Quoin", "Quoin Harl", "another order"),
            ("Brakewater", "Breakwater", "nearly the same letters"),
            ("Lintock 3", "Lintok 3", "nearly the same letters"),
            ("Thornfen", "Thornfen Late", "a selection, or the same"),
        ):
            with self.subTest(a=a, b=b):
                found = likeness(a, b)
                assert found
                self.assertIn(why, found.why)

    def test_series_short_codes_and_other_names_are_not(self) -> None:
        for a, b in (
            ("OE-204", "OE-211"),
            ("Lintock 3", "Lintock 4"),
            ("A1", "B1"),
            ("Quillet", "Corvane"),
            ("", "Corvane"),
            ("Oak", "Oat"),
        ):
            with self.subTest(a=a, b=b):
                self.assertIsNone(likeness(a, b))

    def test_pairs_but_for_those_known_to_differ(self) -> None:
        names = ["Brakewater", "Corvane", "Breakwater", "Thornfen", "Thornfen Late"]
        self.assertEqual(len(near_duplicates(names)), 2)
        self.assertEqual([x.a for x in near_duplicates(names, [("Thornfen Late", "Thornfen")])], ["Brakewater"])


class ManyNames(TestCase):
    def test_the_quick_search_finds_what_every_pair_compared_finds(self) -> None:
        luck = random.Random(11)  # noqa: S311 - made-up names
        parts = ("bran", "cor", "vane", "pale", "har", "quo", "lin", "mer", "gold", "still")
        names = [
            "".join(luck.choice(parts) for _ in range(luck.randint(1, 3))) + luck.choice(("", " 2", " 12", " late"))
            for _ in range(150)
        ]
        names = [*dict.fromkeys(names), "Mere Gold", "Gold Mere", "brant", "Brant", "cv. Corvane", "OF-17", "OF 17", "x", "X", ""]
        every = [found for a, b in itertools.combinations(names, 2) if (found := likeness(a, b))]
        self.assertGreater(len(every), 20)
        self.assertEqual(near_duplicates(names), every)
