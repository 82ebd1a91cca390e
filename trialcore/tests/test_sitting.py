"""What is asked about at sowing, and what is not."""

from unittest import TestCase

from trialcore.reckoning.sitting import sitting_doubts

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
