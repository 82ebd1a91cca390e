"""Stages between walks: windows, days, degree days, and when the next is to come."""

import uuid
from datetime import date, timedelta

from django.urls import reverse

from evarlo.catalogue.models import Crop, Trait
from evarlo.grounds.models import Site, WeatherDay
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.trials.models import Plot, Trial
from evarlo.walks.services import Seen, keep_observation, withdraw
from evarlo.walks.stages import stage_of, stages_seen, windows


class Stages(TestCase):
    def setUp(self) -> None:
        self.by = world.person()
        self.made = world.trial(self.by)
        world.sow(self.made, self.by)
        self.trait = world.trait("first-flower")
        self.plots = list(self.made.plots.select_related("entry"))

    def day(self, after: int) -> date:
        return world.SOWN + timedelta(days=after)

    def see(self, plot: Plot, after: int, reached: bool | int, made: Trial | None = None, key: str = "first-flower") -> None:
        """On one day: not yet (False), today (True), or some days after sowing as typed."""
        walk = world.walk(made or self.made, key, self.by)
        day = self.day(after) if reached is True else self.day(reached)
        seen = Seen(day=day) if reached else Seen(cause="not_reached")
        keep_observation(walk, plot, seen, self.by, self.day(after), uuid.uuid4(), world.TODAY)

    def window(self, plot: Plot) -> tuple[int | None, int | None, bool]:
        w = windows(self.made, self.trait)[plot.pk]
        return ((w.after - world.SOWN).days if w.after else None, (w.by - world.SOWN).days if w.by else None, w.exact)

    def test_a_window_lies_between_the_last_walk_without_and_the_first_with(self) -> None:
        a, b, c, d = self.plots[:4]
        for plot, seen in ((a, (0, 0, True)), (b, (0, 0, 0)), (c, (0, True)), (d, ())):
            for after, reached in zip((60, 66, 72), seen, strict=False):
                self.see(plot, after, bool(reached))
        self.see(d, 72, 69)
        self.assertEqual(
            [self.window(p) for p in (a, b, c, d)], [(66, 72, False), (72, None, False), (60, 66, False), (68, 69, True)]
        )

    def test_a_walk_that_was_taken_back_tells_nothing(self) -> None:
        plot = self.plots[0]
        self.see(plot, 60, False)
        self.see(plot, 66, False)
        withdraw(plot.observations.newest().get(), self.by)
        self.see(plot, 72, True)
        self.assertEqual(self.window(plot), (60, 72, False))

    def test_means_lie_in_the_windows_and_never_is_said(self) -> None:
        late = self.plots[0].entry_id
        for n, plot in enumerate(self.plots):
            for after in (60, 64, 68, 72):
                came = 66 + n % 3
                if plot.entry_id != late and after > came:
                    self.see(plot, after, True)
                    break
                self.see(plot, after, False)
        stage = stage_of(self.made, self.trait)
        assert stage
        never = next(e for e in stage.entries if e.entry_id == late)
        self.assertEqual((never.mean.days, never.mean.seen, never.mean.n), (None, 0, 3))
        self.assertIn("never seen to reach", " ".join(stage.dates.cannot_say))
        for e in stage.entries[:3]:
            assert e.mean.days and e.mean.lower95
            self.assertTrue(63 < e.mean.days < 72, e)
            self.assertEqual(e.on, world.SOWN + timedelta(days=round(e.mean.days)))

    def test_degree_days_are_those_of_each_day_since_sowing(self) -> None:
        assert self.made.bed
        Crop.objects.filter(pk=self.made.crop_id).update(profile={"base_c": 5})
        site = Site.objects.get(pk=self.made.bed.site_id)
        WeatherDay.objects.bulk_create(
            WeatherDay(site=site, day=self.day(n), tmin=10, tmax=20, rain_mm=1, source="station") for n in range(80)
        )
        for plot in self.plots:
            self.see(plot, 60, False)
            self.see(plot, 64, True)
        stage = stage_of(Trial.objects.select_related("bed__site", "crop").get(pk=self.made.pk), self.trait)
        assert stage
        self.assertEqual({round(e.warmth or 0, 6) for e in stage.entries}, {62 * 10.0})  # 15 °C less 5, to the middle of the window

    def test_the_next_stage_comes_as_it_did_in_earlier_trials(self) -> None:
        before = world.trial(self.by, name="Before", season="2025")
        Trial.objects.filter(pk=before.pk).update(made_at=self.made.made_at - timedelta(days=300))
        for n, plot in enumerate(before.plots.all()):
            self.see(plot, 50, 50, before)
            self.see(plot, 70, 62 + n % 3, before, "first-edible")
        for plot in self.plots:
            self.see(plot, 60, 60)
        stage = stage_of(self.made, self.trait)
        assert stage and stage.later and stage.entries[0].forecast
        self.assertEqual((stage.later.key, stage.gap), ("first-edible", "from 12 plots of earlier trials of bulb fennel"))
        # 12, 13 and 14 days later, a third each: mean 13, s = 0.853, t(11) 2.201 · s · sqrt(1 + 1/12) = 1.95
        forecast = stage.entries[0].forecast
        self.assertEqual([(d - self.day(60)).days for d in (forecast.earliest, forecast.on, forecast.latest)], [11, 13, 15])
        self.client.force_login(self.by)
        page = self.client.get(reverse("walks:stages", args=[self.made.slug]))
        self.assertContains(page, "from 12 plots of earlier trials")
        self.client.post(reverse("walks:expect", args=[self.made.slug]), {"trait": "first-flower"})
        task = self.made.tasks.get()
        self.assertEqual((task.on, task.what), (self.day(71), f"Look for first edible (until {self.day(75):%-d %b})"))

    def test_without_earlier_trials_it_comes_by_the_profile(self) -> None:
        Crop.objects.filter(pk=self.made.crop_id).update(profile={"flower_days": [60, 70], "edible_days": [80, 96]})
        for plot in self.plots:
            self.see(plot, 60, 60)
        stage = stage_of(Trial.objects.select_related("crop", "bed__site").get(pk=self.made.pk), self.trait)
        assert stage and stage.entries[0].forecast
        self.assertIn("profile", stage.gap)
        self.assertEqual((stage.entries[0].forecast.on - self.day(60)).days, 23)

    def test_stages_come_in_their_order(self) -> None:
        for key in ("first-edible", "emerged", "first-flower"):
            self.see(self.plots[0], 60, 60, key=key)
        self.assertEqual([t.key for t in stages_seen(self.made)], ["emerged", "first-flower", "first-edible"])
        self.assertIsNone(stage_of(world.trial(self.by, name="Unsown"), Trait.objects.get(key="emerged")))
