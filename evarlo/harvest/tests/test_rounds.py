"""When to pick again, and what waiting costs: due on Today by the interval, shares reckoned by hand."""

import uuid
from datetime import date, timedelta

from django.urls import reverse
from django.utils import timezone

from evarlo.catalogue.models import Trait
from evarlo.grounds.models import WeatherDay
from evarlo.harvest.classes import ClassPlan, Kind, Picked, Reason, keep_classes, keep_plan
from evarlo.harvest.models import Picking, PickPart, PickPlan
from evarlo.harvest.rounds import by_wait, due, every_days, next_pick, round_in_words
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.trials.models import Trial
from evarlo.walks.services import Seen, keep_observation, open_round


class Rounds(TestCase):
    def setUp(self) -> None:
        self.by, self.today = world.person(), timezone.localdate()
        self.made = world.trial(self.by)
        world.sow(self.made, self.by)
        keep_classes(self.made, [ClassPlan("Fit"), ClassPlan("Over", Kind.CULL, reason=Reason.OVERMATURE)], self.by)
        self.fit, self.over = self.made.pick_classes.all()
        self.plot = self.made.plots.all()[0]

    @property
    def trial(self) -> Trial:
        """As a page has it: read anew."""
        return Trial.objects.get(pk=self.made.pk)

    def pick(self, on: date, fit: float, over: float) -> None:
        row = Picking.objects.create(plot=self.plot, on=on, marketable_kg=fit, cull_kg=over, by=self.by, at=timezone.now())
        PickPart.objects.create(picking=row, pick_class=self.fit, kg=fit)
        PickPart.objects.create(picking=row, pick_class=self.over, kg=over)

    def test_the_next_pick_is_due_an_interval_after_the_last(self) -> None:
        self.assertEqual((every_days(self.trial), next_pick(self.trial), round_in_words(self.trial)), (None, None, ""))
        keep_plan(self.made, Picked(2), self.by)
        self.assertEqual((next_pick(self.trial), list(due(self.today))), (None, []))
        self.pick(self.today - timedelta(days=3), 2.0, 0.1)
        found = next_pick(self.trial)
        self.assertEqual(found and found.on, self.today - timedelta(days=1))
        (asked,) = due(self.today)
        self.assertEqual((asked.verb, asked.by, asked.amount), ("Pick", self.today - timedelta(days=1), "12 plots"))
        self.assertEqual(list(due(self.today - timedelta(days=3))), [])  # not yet
        self.assertEqual(list(due(self.today + timedelta(days=40))), [])  # it is over
        Trial.objects.update(decided_at=timezone.now())
        self.assertEqual(list(due(self.today)), [])

    def test_what_waiting_costs(self) -> None:
        """Two picks within two days: 0.3 of 5 kg, 6 %. Two after three days: 1.7 of 10 kg, 17 %. The first has no wait."""
        keep_plan(self.made, Picked(2), self.by)
        start = self.today - timedelta(days=20)
        for day, fit, over in ((0, 1.0, 1.0), (2, 1.9, 0.1), (4, 2.8, 0.2), (7, 4.2, 0.8), (10, 4.1, 0.9)):
            self.pick(start + timedelta(days=day), fit, over)
        found = by_wait(self.trial)
        self.assertEqual([(days, round(share, 9)) for days, share in found.items()], [(2, 0.06), (3, 0.17)])
        self.assertIn("Over-mature by how long it waited: after 2 days 6 %, after 3 days 17 %.", round_in_words(self.trial))
        Picking.objects.filter(on__gt=start + timedelta(days=4)).delete()
        self.assertNotIn("waited", round_in_words(self.trial))

    def test_a_rise_of_over_mature_fruit_brings_the_next_pick_forward(self) -> None:
        """2 of 10 kg after 0.5 of 10: a day sooner than every three."""
        keep_plan(self.made, Picked(3), self.by)
        self.pick(self.today - timedelta(days=6), 9.5, 0.5)
        self.pick(self.today - timedelta(days=3), 8.0, 2.0)
        found = next_pick(self.trial)
        assert found
        self.assertEqual(
            (found.on, found.because), (self.today - timedelta(days=1), "sooner for 20 % over-mature in the last pick")
        )
        (asked,) = due(self.today)
        self.assertIn("sooner for 20 % over-mature", asked.what)

    def test_warm_days_bring_it_forward(self) -> None:
        """Above a base of 10 °C a usual day gives 10; since the last pick each gives 20: four days' warmth is there in two."""
        assert self.made.bed
        crop = self.made.crop
        crop.profile |= {"base_c": 10, "upper_c": None}
        crop.save()
        keep_plan(self.made, Picked(4), self.by)
        last = self.today - timedelta(days=2)
        self.pick(last, 5.0, 0.0)
        for back in range(20, 0, -1):
            day = self.today - timedelta(days=back)
            mean = 30 if day > last else 20
            WeatherDay.objects.create(site=self.made.bed.site, day=day, tmin=mean - 5, tmax=mean + 5, source="sheet")
        found = next_pick(self.trial)
        assert found
        self.assertEqual((found.on, found.because), (self.today, "sooner for the warm days since"))

    def test_the_first_pick_follows_a_stage(self) -> None:
        stage = Trait.objects.get(key="first-flower")
        keep_plan(self.made, Picked(first_after=stage, first_days=5), self.by)
        self.assertEqual(list(due(self.today)), [])
        seen = self.today - timedelta(days=4)
        walk = open_round(self.made, stage, seen, self.by)
        keep_observation(walk, self.plot, Seen(day=seen), self.by, seen, uuid.uuid4(), self.today)
        (asked,) = due(self.today)
        self.assertEqual((asked.what, asked.by), ("First pick, 5 days after first flower", seen + timedelta(days=5)))

    def test_the_page_sets_the_interval_and_says_it(self) -> None:
        self.client.force_login(self.by)
        url = reverse("harvest:classes", args=[self.made.slug])
        typed = {"name_1": "Fit", "kind_1": "good", "part_1": "main"}
        wrong = self.client.post(url, typed | {"every_days": "0"})
        self.assertContains(wrong, "Expected", status_code=422)
        self.client.post(url, typed | {"every_days": "3"})
        self.assertEqual(PickPlan.objects.get().every_days, 3)
        self.assertContains(self.client.get(reverse("harvest:pick", args=[self.made.slug])), "Picked every 3 days.")
        self.client.post(url, typed | {"every_days": ""})
        self.assertIsNone(PickPlan.objects.get().every_days)
        self.assertNotContains(self.client.get(reverse("harvest:pick", args=[self.made.slug])), "Picked every")
