"""Places on a site as longitude and latitude, held to the published length of a degree and to the ground's own distances."""

from itertools import pairwise
from math import asin, cos, hypot, radians, sin, sqrt
from unittest import TestCase

from trialcore.layouts.earth import metres_of_degree, on_earth, polygon, ring
from trialcore.layouts.shade import Standing, corners


class OnEarth(TestCase):
    def test_the_length_of_a_degree_is_the_published_one(self) -> None:
        published = {0: (110574, 111320), 15: (110649, 107550), 30: (110852, 96486), 45: (111132, 78847), 60: (111412, 55800)}
        for latitude, (north, east) in published.items():
            found = metres_of_degree(latitude)
            self.assertAlmostEqual(found[0], north, delta=1)
            self.assertAlmostEqual(found[1], east, delta=1)
            self.assertEqual(found, metres_of_degree(-latitude))
        self.assertRaisesRegex(ValueError, "between -90 and 90", metres_of_degree, 91)

    def test_distances_on_the_sphere_are_those_on_the_ground(self) -> None:
        for latitude, longitude in ((51.3, 0.9), (-43.5, 172.6)):
            far = on_earth(latitude, longitude, 300, 400)
            a, b = radians(latitude), radians(far[1])
            h = sin((b - a) / 2) ** 2 + cos(a) * cos(b) * sin(radians(far[0] - longitude) / 2) ** 2
            self.assertAlmostEqual(2 * 6371000 * asin(sqrt(h)), 500, delta=2)  # the sphere is that of the mean radius

    def test_a_plot_as_large_as_its_bed_has_the_beds_corners(self) -> None:
        bed = Standing("Tide", 20, 30, 12, 4, 35)
        outline = ring(bed, 0, 0, 12, 4)
        self.assertEqual(outline[0], outline[-1])
        close = [min(hypot(x - a, y - b) for a, b in outline) for x, y in corners(bed)]
        self.assertLess(max(close), 1e-9)
        area = sum(a * d - c * b for (a, b), (c, d) in pairwise(outline)) / 2
        self.assertAlmostEqual(area, 48)  # positive: anticlockwise, as GeoJSON asks for of an outer ring

    def test_an_outline_is_turned_into_degrees_corner_by_corner(self) -> None:
        made = polygon(45.0, 7.0, [(0, 0), (78.847, 0), (78.847, 111.132)])
        self.assertEqual(made[0], [7.0, 45.0])
        self.assertAlmostEqual(made[1][0], 7.001, places=6)
        self.assertAlmostEqual(made[2][1], 45.001, places=6)
