"""The site as a drawing: beds where they lie, what stands on them, who shades whom; moved and turned, on record."""

from __future__ import annotations

from datetime import timedelta

from django.urls import reverse
from django.utils import timezone

from evarlo.catalogue.models import Crop
from evarlo.catalogue.shipped import put_in_what_ships
from evarlo.grounds.models import Bed, Site
from evarlo.people.corrections import corrections_of
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.ui.draw.site import DrawnBed, box_of, placed


def drawn(pk: int, east: float | None = None, north: float | None = None, bearing: float = 90) -> DrawnBed:
    return DrawnBed(pk, f"Bed {pk}", east, north, 10, 4, bearing, "", "/")


class Places(TestCase):
    def test_a_turned_bed_reaches_as_far_as_it_does(self) -> None:
        self.assertEqual([round(v, 6) for v in box_of(drawn(1))], [10, 4])
        self.assertEqual([round(v, 6) for v in box_of(drawn(1, bearing=0))], [4, 10])
        wide, high = box_of(drawn(1, bearing=45))
        self.assertAlmostEqual(wide, 14 / 2**0.5)
        self.assertAlmostEqual(high, 14 / 2**0.5)

    def test_beds_that_nobody_placed_lie_in_rows_below_and_none_over_another(self) -> None:
        beds = [drawn(1, 0, 0), *(drawn(n) for n in range(2, 14))]
        at = placed(beds)
        self.assertEqual(at[0][1:], (0, 0))
        boxes = [(x - 5, x + 5, y - 2, y + 2) for _, x, y in at]
        for i, a in enumerate(boxes):
            for b in boxes[:i]:
                self.assertTrue(a[1] <= b[0] or b[1] <= a[0] or a[3] <= b[2] or b[3] <= a[2])


class Ground(TestCase):
    def setUp(self) -> None:
        put_in_what_ships()
        self.by, self.today = world.person(), timezone.localdate()
        self.client.force_login(self.by, backend="django.contrib.auth.backends.ModelBackend")
        self.site = Site.objects.create(name="Ostrel Flats", latitude=45)
        self.bed = Bed.objects.create(site=self.site, name="South", length_m=30, width_m=10, bearing=90, east_m=0, north_m=0)
        Bed.objects.create(site=self.site, name="North", length_m=30, width_m=10, bearing=90, east_m=0, north_m=11)

    def test_what_stands_is_drawn_and_whom_it_shades_is_said(self) -> None:
        corn = Crop.objects.get(name="Sweet corn")
        world.trial(self.by, crop=corn, bed=self.bed, name="Corn here", sow_on=self.today - timedelta(days=50),
                    pick_on=self.today + timedelta(days=40))  # fmt: skip
        page = self.client.get(reverse("grounds:list"))
        self.assertContains(page, "South, Corn here")
        self.assertContains(page, "North, free")
        self.assertContains(page, "Corn here on South shades up to")
        self.assertNotContains(page, "on North shades")

    def test_it_is_moved_and_turned_and_the_turn_stays_on_record(self) -> None:
        url = reverse("grounds:place-bed", args=[self.bed.pk])
        self.assertRedirects(
            self.client.post(url, {"east_m": "12.5", "north_m": "−3", "bearing": "75"}), reverse("grounds:bed", args=[self.bed.pk])
        )
        self.bed.refresh_from_db()
        self.assertEqual((self.bed.east_m, self.bed.north_m, self.bed.bearing), (12.5, -3, 75))
        self.assertIn("75", corrections_of(self.bed)[0].said)
        wrong = self.client.post(url, {"east_m": "far", "north_m": "1", "bearing": "400"})
        self.assertContains(wrong, "Found “far”", status_code=422)
        self.assertContains(wrong, "from 0 to 359.9", status_code=422)

    def test_who_may_not_plan_moves_nothing_and_sees_the_site(self) -> None:
        self.client.force_login(world.person("evaluator"), backend="django.contrib.auth.backends.ModelBackend")
        self.assertEqual(self.client.post(reverse("grounds:place-bed", args=[self.bed.pk]), {}).status_code, 403)
        page = self.client.get(reverse("grounds:list"))
        self.assertContains(page, "site-plan")
        self.assertNotContains(page, "data-bed=")

    def test_the_form_for_a_new_bed_stands_there_when_it_is_wanted(self) -> None:
        self.assertNotContains(self.client.get(reverse("grounds:list")), 'name="length_m"')
        self.assertContains(self.client.get(reverse("grounds:list"), {"new": "1"}), 'name="length_m"')
