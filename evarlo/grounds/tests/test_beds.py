"""Beds: what stood where, soil, obstacles, and what that says of a layout."""

from datetime import date, timedelta

from django.urls import reverse
from django.utils import timezone

from evarlo.catalogue.models import Crop, Cultivar
from evarlo.grounds.history import history_of, keep_use
from evarlo.grounds.models import Bed, Obstacle, Site
from evarlo.people.models import Role
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.trials.bed_doubts import bed_doubts
from evarlo.trials.models import Trial
from evarlo.trials.queries import layout_faults_of
from evarlo.ui.refused import Refused


class Beds(TestCase):
    """A bed of 20 × 10 m with a fennel trial sown on 1 April 2026; fennels want 3 years between."""

    def setUp(self) -> None:
        self.by = world.person()
        self.made = world.trial(self.by, fixed=False, sow_on=date(2026, 4, 1), plant_on=date(2026, 5, 4))
        assert self.made.bed
        self.bed = self.made.bed
        self.client.force_login(self.by)

    def stood(self, crop: str, part: tuple[float, float], since: date, until: date | None) -> None:
        keep_use(self.bed, "crop", crop, Crop.objects.filter(name=crop).first(), part, since, until, "")

    def doubts(self) -> list[str]:
        found = bed_doubts(Trial.objects.get(pk=self.made.pk))
        return [*found.breaches, *found.others]

    def test_a_trial_takes_its_part_of_the_bed_from_planting_on(self) -> None:
        (lain,) = history_of([self.bed])[self.bed.pk]
        self.assertEqual((lain.use.name, lain.use.family, lain.use.since), ("Fennel", "Apiaceae", date(2026, 5, 4)))
        self.assertEqual(lain.use.until, date(2026, 4, 1) + timedelta(days=105 + 30))
        self.assertEqual(lain.url, self.made.get_absolute_url())

    def test_a_family_that_comes_back_too_soon_is_named_and_can_be_accepted_with_a_reason(self) -> None:
        self.stood("Carrot", (0, 3), date(2024, 4, 1), date(2024, 9, 1))
        (said,) = self.doubts()
        self.assertEqual(
            said, "Carrot (Apiaceae) stood on 0.0 to 3.0 m of North strip 1.7 years before; 3 years between are wanted."
        )
        url = reverse("trials:accept", args=[self.made.slug])
        self.client.post(url, {"reason": "Carry-over is the question"})
        page = self.client.get(self.made.get_absolute_url())
        self.assertContains(page, "Accepted: Carry-over is the question")
        self.assertContains(self.client.post(url, {"reason": "x" * 201}, follow=True), "200 at most")
        self.client.post(url, {"reason": ""})
        self.assertContains(self.client.get(self.made.get_absolute_url()), "Accept it, because")
        deeds = self.made.deeds.count()
        self.assertContains(self.client.post(url, {"reason": " "}, follow=True), "Expected why it is accepted")
        self.assertEqual(self.made.deeds.count(), deeds)  # nothing was accepted that could be withdrawn

    def test_far_enough_back_or_elsewhere_is_no_matter(self) -> None:
        self.stood("Carrot", (0, 20), date(2022, 4, 1), date(2022, 9, 1))
        self.stood("Carrot", (12, 20), date(2025, 4, 1), date(2025, 9, 1))
        self.assertEqual(self.doubts(), [])

    def test_two_crops_in_one_place_and_ground_that_differs_are_said(self) -> None:
        self.stood("Cabbage", (0, 2), date(2026, 6, 1), date(2026, 8, 1))
        self.stood("Broad bean", (0, 2), date(2025, 3, 1), date(2025, 8, 1))
        said = " ".join(self.doubts())
        self.assertIn("Cabbage stands on a part of North strip at the same time, from 1 Jun 2026.", said)
        self.assertIn("A legume stood on a part of North strip within two years (0.0–2.0 m)", said)

    def test_pollen_and_pests_from_a_trial_that_stands_near_at_the_same_time_are_said(self) -> None:
        fennel, carrot, maize = (Crop.objects.get(name=n) for n in ("Bulb fennel", "Carrot", "Sweet corn"))
        self.assertEqual(self.doubts(), [])
        other = world.trial(self.by, name="Carrots", crop=carrot, sow_on=date(2026, 4, 10), fixed=False)
        self.assertIn("Carrots in North strip is of the same family (Apiaceae)", " ".join(self.doubts()))
        Trial.objects.filter(pk=other.pk).update(crop=fennel, name="More fennel")
        self.assertNotIn("crosses", " ".join(self.doubts()))
        Trial.objects.filter(pk=self.made.pk).update(saves_seed=True)
        said = " ".join(self.doubts())
        self.assertIn("The entries cross by insects, nearer than 800 m: bag", said)
        self.assertIn("More fennel in North strip stands at the same time and crosses with bulb fennel within 800 m", said)
        Trial.objects.filter(pk=other.pk).update(sow_on=date(2027, 4, 10))
        self.assertNotIn("More fennel", " ".join(self.doubts()))
        Trial.objects.update(crop=maize, sow_on=date(2026, 5, 1), saves_seed=False)
        self.assertIn("its pollen changes the kernels that are judged here", " ".join(self.doubts()))

    def test_an_obstacle_in_a_plot_is_named_and_drawn(self) -> None:
        Obstacle.objects.create(bed=self.bed, what="Standpipe", x=0.5, y=0.5, length=0.4, width=0.4)
        self.assertEqual(self.doubts(), ["Standpipe stands in plot 101 of North strip: move the block."])
        self.assertContains(self.client.get(self.made.get_absolute_url()), 'class="obstacle"')

    def test_blocks_that_stretch_with_the_gradient_are_said(self) -> None:
        Bed.objects.filter(pk=self.bed.pk).update(gradient="across", length_m=4)
        made = world.trial(
            self.by, fixed=False, name="Long", bed=Bed.objects.get(pk=self.bed.pk), plot_length_m=1.5, plot_width_m=0.5
        )
        kinds = {f.kind for f in layout_faults_of(Trial.objects.get(pk=made.pk))}
        self.assertNotIn("gradient", kinds)
        narrow = Bed.objects.create(site=self.bed.site, name="Narrow", length_m=30, width_m=1.6, gradient="along")
        long = world.trial(self.by, fixed=False, name="Longer", bed=narrow)
        said = [f.said for f in layout_faults_of(Trial.objects.get(pk=long.pk)) if f.kind == "gradient"]
        self.assertIn("stretch with the gradient, along the bed", said[0])

    def test_tall_entries_are_kept_off_the_sunny_side_where_heights_are_known(self) -> None:
        Site.objects.update(latitude=53)
        for name, height in (("Corvane", 60), ("Quillet", 230), ("OF-17", 60), ("Brakewater", 60)):
            Cultivar.objects.filter(name=name).update(height_cm=height)
        faults = [f for seed in (1, 2, 3, 4) for f in self.faults(seed) if f.kind == "shade"]
        self.assertTrue(any("170 cm taller, is on the sunny side" in f.said for f in faults))

    def faults(self, seed: int) -> list:  # type: ignore[type-arg]
        made = world.trial(self.by, fixed=False, name=f"Seed {seed}", seed=seed)
        return layout_faults_of(Trial.objects.get(pk=made.pk))

    def test_a_site_is_told_where_it_lies(self) -> None:
        site = self.bed.site
        url = reverse("grounds:site", args=[site.pk])
        self.assertContains(self.client.get(url), 'value="18 Apr"')
        wrong = self.client.post(url, {"latitude": "95", "first_frost": "leaf fall"})
        self.assertContains(wrong, "Expected a number from −90 to 90 °", status_code=422)
        self.assertContains(wrong, "Expected a day such as 12 Apr", status_code=422)
        self.client.post(url, {"latitude": "-41,2", "longitude": "174.7", "last_frost": "20 Sep", "first_frost": "10.5.2001"})
        site.refresh_from_db()
        self.assertEqual((site.latitude, site.longitude, site.last_frost, site.first_frost), (-41.2, 174.7, "09-20", "05-10"))

    def test_crops_that_share_their_ground_on_purpose_are_no_clash_and_their_yields_are_told_together(self) -> None:
        bed = Bed.objects.create(site=self.bed.site, name="Shared", length_m=12, width_m=1.5)
        maize, beans = Crop.objects.get(name="Sweet corn"), Crop.objects.get(name="Broad bean")
        summer = (date(2025, 5, 10), date(2025, 9, 1))
        keep_use(bed, "crop", "Sweet corn", maize, (0, 8), *summer, "", yield_kg=9.5)
        page = reverse("grounds:bed", args=[bed.pk])
        kept = keep_use(bed, "crop", "Broad bean", beans, (4, 10), *summer, "", yield_kg=4.0)
        self.assertContains(self.client.get(page), "want the same part of the bed")
        kept.together = True
        kept.save()
        answer = self.client.get(page)
        self.assertNotContains(answer, "want the same part of the bed")
        self.assertContains(answer, "Sweet corn 9.5 kg, Broad bean 4 kg: together 13.5 kg from 15 m².")

    def test_a_part_that_is_not_in_the_bed_is_refused(self) -> None:
        for part, until, field in (((5, 5), None, "from_m"), ((0, 21), None, "from_m"), ((0, 5), date(2025, 1, 1), "until")):
            with self.subTest(part=part), self.assertRaises(Refused) as caught:
                keep_use(self.bed, "crop", "Carrot", None, part, date(2025, 2, 1), until, "")
            self.assertEqual(caught.exception.field, field)

    def test_the_page_takes_uses_soil_obstacles_and_traits(self) -> None:
        def at(name: str, *more: int) -> str:
            return reverse(f"grounds:{name}", args=[self.bed.pk, *more])

        year = timezone.localdate().year - 2
        self.client.post(
            at("add-use"),
            {"kind": "crop", "what": "carrot", "from_m": "0", "to_m": "5 m", "since": f"1 Apr {year}", "until": f"1.9.{year}"},
        )
        page = self.client.get(at("bed"))
        self.assertContains(page, "Apiaceae")
        self.assertContains(page, "carrot, 0.0 to 5.0 m")
        wrong = self.client.post(at("add-use"), {"kind": "crop", "what": "Leek", "from_m": "9", "to_m": "3", "since": "2024-04-01"})
        self.assertContains(wrong, "Expected a part of its 20 m, the nearer end first", status_code=422)
        self.assertContains(wrong, 'value="Leek"', status_code=422)
        self.client.post(at("add-soil"), {"on": "2026-02-01", "ph": "6,4", "nitrogen": "14"})
        late = self.client.post(at("add-soil"), {"on": (timezone.localdate() + timedelta(days=2)).isoformat()})
        self.assertContains(late, "in the future", status_code=422)
        over = self.client.post(at("add-obstacle"), {"what": "Mast", "x": "19.8", "y": "1", "length": "0.5", "width": "0.5"})
        self.assertContains(over, "over the edge", status_code=422)
        self.client.post(at("add-obstacle"), {"what": "Mast", "x": "1", "y": "1", "length": "30 cm", "width": "1 ft"})
        self.assertAlmostEqual(self.bed.obstacles.get().width, 0.3048)
        self.client.post(at("keep-bed"), {"environment": "tunnel", "gradient": "along", "shade_hours": "2,5", "zone": "warm wall"})
        self.bed.refresh_from_db()
        self.assertEqual((self.bed.environment, self.bed.gradient, self.bed.shade_hours), ("tunnel", "along", 2.5))
        use = self.bed.uses.get()
        self.client.post(at("drop-use", use.pk))
        use.refresh_from_db()
        self.assertIsNotNone(use.undone_at)  # taken back, never deleted
        self.assertFalse(self.bed.uses.in_force().exists())
        self.client.force_login(world.person(Role.HELPER))
        self.assertEqual(self.client.get(at("bed")).status_code, 200)
        self.assertEqual(self.client.post(at("add-soil"), {"on": "2026-02-01"}).status_code, 403)
