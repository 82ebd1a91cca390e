"""Which beds a tall crop shades."""

from __future__ import annotations

from dataclasses import replace
from unittest import TestCase

from trialcore.layouts.shade import Standing, corners, noon_shadow, shaded

TALL = Standing("Corn", 0, 0, 10, 2, 90, 250)


class Shade(TestCase):
    def test_corners_of_a_bed_that_runs_east_and_of_one_turned(self) -> None:
        self.assertEqual([(round(x, 9), round(y, 9)) for x, y in corners(TALL)], [(-5, 1), (5, 1), (5, -1), (-5, -1)])
        turned = corners(replace(TALL, bearing=0))
        self.assertEqual(sorted({round(abs(x), 9) for x, _ in turned}), [1])
        self.assertEqual(sorted({round(abs(y), 9) for _, y in turned}), [5])

    def test_a_shadow_at_noon(self) -> None:
        """At 45° the sun stands at 45° at the equinox: a shadow is as long as what casts it; at the equator it has none."""
        self.assertAlmostEqual(noon_shadow(2.5, 45), 2.5)
        self.assertAlmostEqual(noon_shadow(2.5, -45), 2.5)
        self.assertAlmostEqual(noon_shadow(2.0, 60), 2.0 * 3**0.5)
        self.assertAlmostEqual(noon_shadow(2.0, 0), 0.0)

    def test_it_falls_north_in_the_north_and_south_in_the_south(self) -> None:
        near_north, near_south = Standing("N", 0, 3, 10, 2, 90), Standing("S", 0, -3, 10, 2, 90)
        beds = [TALL, near_north, near_south]
        self.assertEqual([(a, b) for a, b, _ in shaded(beds, 45)], [("Corn", "N")])
        self.assertEqual([(a, b) for a, b, _ in shaded(beds, -45)], [("Corn", "S")])
        self.assertAlmostEqual(shaded(beds, 45)[0][2], 1.5)  # 2.5 m of shadow, 1 m of path between

    def test_what_lies_too_far_or_beside_is_not_shaded(self) -> None:
        self.assertEqual(shaded([TALL, Standing("far", 0, 8, 10, 2, 90)], 45), [])
        self.assertEqual(shaded([TALL, Standing("beside", 12, 3, 10, 2, 90)], 45), [])
        self.assertEqual(shaded([replace(TALL, height_cm=None), Standing("N", 0, 3, 10, 2, 90)], 45), [])
