"""What stood where before, on a bed of ten metres."""

from datetime import date
from unittest import TestCase

from trialcore.reckoning.rotation import Stretch, Use, breaches, clashes, confounded, stretches, years_since

BEANS = Use("Broad bean", "Fabaceae", 0, 6, date(2024, 3, 1), date(2024, 8, 1), fixes=True)
FENNEL = Use("Bulb fennel", "Apiaceae", 4, 10, date(2025, 4, 1), date(2025, 7, 1))
PEAS = Use("Edamame", "Fabaceae", 5, 9, date(2026, 5, 1), date(2026, 9, 1), fixes=True)


class History(TestCase):
    def test_a_family_that_returns_too_soon_is_named_with_its_part_and_years(self) -> None:
        (found,) = breaches([BEANS, FENNEL], PEAS, 3)
        self.assertEqual((found.before, found.start_m, found.end_m), (BEANS, 5, 6))
        self.assertAlmostEqual(found.years, (date(2026, 5, 1) - date(2024, 8, 1)).days / 365.25)
        self.assertEqual(breaches([BEANS, FENNEL], PEAS, 1.7), [])

    def test_another_part_another_family_or_a_later_crop_is_no_breach(self) -> None:
        beside = Use("Edamame", "Fabaceae", 6, 10, date(2025, 5, 1), date(2025, 9, 1))
        self.assertEqual(breaches([BEANS], beside, 3), [])
        self.assertEqual(breaches([PEAS], Use("Pea", "fabaceae", 5, 9, date(2026, 3, 1), None), 3), [])
        self.assertEqual(breaches([Use("Compost", "", 0, 10, date(2026, 1, 1), None)], PEAS, 3), [])

    def test_two_that_want_one_place_at_one_time(self) -> None:
        early = Use("Lettuce", "Asteraceae", 8, 10, date(2025, 6, 1), date(2025, 8, 1))
        self.assertEqual(clashes([BEANS, FENNEL, early]), [(FENNEL, early)])
        hand_over = Use("Kale", "Brassicaceae", 4, 10, date(2025, 7, 1), None)
        self.assertEqual(clashes([FENNEL, hand_over]), [])

    def test_years_since_each_family(self) -> None:
        found = years_since([BEANS, FENNEL, PEAS], date(2026, 6, 1))
        self.assertEqual(found["Fabaceae"], 0.0)
        self.assertAlmostEqual(found["Apiaceae"], 335 / 365.25)

    def test_a_bed_is_cut_where_its_history_changes(self) -> None:
        found = stretches([BEANS, FENNEL], 10, date(2026, 5, 1))
        self.assertEqual(
            found,
            [
                Stretch(0, 4, "Broad bean", True),
                Stretch(4, 6, "Bulb fennel", True),
                Stretch(6, 10, "Bulb fennel", False),
            ],
        )
        self.assertEqual(stretches([], 10, date(2026, 5, 1)), [Stretch(0, 10, "", False)])
        self.assertFalse(any(s.legume for s in stretches([BEANS], 10, date(2027, 5, 1))))

    def test_an_entry_that_meets_one_history_only_is_confounded_with_it(self) -> None:
        ground = stretches([BEANS, FENNEL], 10, date(2026, 5, 1))
        plots = [("A", 0, 2), ("A", 8, 10), ("B", 2, 4), ("B", 0, 2), ("C", 4, 6), ("C", 2, 4)]
        self.assertEqual(confounded(ground, plots), {"B": {"Broad bean"}})
        self.assertEqual(confounded(stretches([], 10, date(2026, 5, 1)), plots), {})
