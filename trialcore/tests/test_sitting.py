"""What is asked about at sowing, and what is not."""

from datetime import date
from unittest import TestCase

from trialcore.reckoning.sitting import daylight_doubts, sitting_doubts

CELERY = {"germination": "light", "depth_mm": 1, "soil_c": [15, 22]}
BEAN = {"germination": "either", "depth_mm": 40, "soil_c": [12, 30]}


class Sitting(TestCase):
    def test_as_usual_nothing_is_asked(self) -> None:
        self.assertEqual(sitting_doubts(CELERY, 1, 18), [])
        self.assertEqual(sitting_doubts(BEAN, 40, None), [])
        self.assertEqual(sitting_doubts({}, 500, 60), [])

    def test_each_has_its_reason(self) -> None:
        for profile, depth, warmth, reason in (
            (CELERY, 8, None, "germinates in light, and 8 mm buries it"),
            (BEAN, 70, None, "70 mm is deep for it, 40 mm are usual"),
            (BEAN, 10, None, "10 mm is shallow for it"),
            (BEAN, None, 8, "8 °C lies outside 12 to 30 °C: it rots"),
            (CELERY, None, 30, "30 °C lies outside 15 to 22 °C: it rests"),
            ({"germination": "dark"}, 0, None, "germinates in the dark"),
        ):
            (said,) = sitting_doubts(profile, depth, warmth)
            self.assertIn(reason, said)


class Daylight(TestCase):
    """At 51.5° N midsummer has 16.65 h and 10 July, by the almanac 4:54 to 21:17, 16.4 h; at the equator every day has 12.1 h."""

    spinach = {"daylength": "long day to bolt", "edible_days": (38, 55)}
    onion = {"daylength": "long day to bulb, by type", "edible_days": (110, 160)}
    soy = {"daylength": "short day hastens", "edible_days": (75, 105), "flower_days": (40, 55)}

    def test_long_days_before_it_is_ready_are_asked_about(self) -> None:
        (said,) = daylight_doubts(self.spinach, date(2026, 5, 20), 51.5)
        self.assertRegex(said, "ready on 27 Jun they reach 16.[67] h on 2[0-3] Jun")
        self.assertEqual(daylight_doubts(self.spinach, date(2026, 8, 20), 51.5), [])  # days are short once it is of some size
        self.assertEqual(daylight_doubts(self.spinach, date(2026, 5, 20), -51.5), [])  # midwinter there
        self.assertEqual(daylight_doubts(self.spinach, date(2026, 5, 20), None), [])
        after_cold = self.spinach | {"daylength": "cold and long days to bolt"}
        self.assertEqual(daylight_doubts(after_cold, date(2026, 5, 20), 51.5), [])

    def test_bulbs_want_long_days_and_some_flowers_short_ones(self) -> None:
        self.assertEqual(daylight_doubts(self.onion, date(2026, 3, 20), 51.5), [])
        self.assertIn("none until it is ready has 13 h", daylight_doubts(self.onion, date(2026, 3, 20), 2.0)[0])
        self.assertIn("on 10 Jul they still have 16.4 h", daylight_doubts(self.soy, date(2026, 5, 31), 51.5)[0])
        self.assertEqual(daylight_doubts(self.soy, date(2026, 5, 31), 30.0), [])
