"""When to pick again, and what waiting costs: due on Today by the interval, shares reckoned by hand."""

from datetime import date, timedelta

from django.urls import reverse
from django.utils import timezone

from evarlo.harvest.classes import ClassPlan, Kind, Reason, keep_classes, keep_interval
from evarlo.harvest.models import Picking, PickPart, PickPlan
from evarlo.harvest.rounds import due, every_days, next_pick, round_in_words, waiting_of
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.trials.models import Trial


class Rounds(TestCase):
    def setUp(self) -> None:
        self.by, self.today = world.person(), timezone.localdate()
        self.made = world.trial(self.by)
        world.sow(self.made, self.by)
        keep_classes(self.made, [ClassPlan("Fit"), ClassPlan("Over", Kind.CULL, reason=Reason.OVERMATURE)], self.by)
        self.fit, self.over = self.made.pick_classes.all()
        self.plot = self.made.plots.all()[0]

    def pick(self, on: date, fit: float, over: float) -> None:
        row = Picking.objects.create(plot=self.plot, on=on, marketable_kg=fit, cull_kg=over, by=self.by, at=timezone.now())
        PickPart.objects.create(picking=row, pick_class=self.fit, kg=fit)
        PickPart.objects.create(picking=row, pick_class=self.over, kg=over)

    def test_the_next_pick_is_due_an_interval_after_the_last(self) -> None:
        self.assertEqual((every_days(self.made), next_pick(self.made), round_in_words(self.made)), (None, None, ""))
        keep_interval(self.made, 2, self.by)
        self.assertEqual((next_pick(self.made), list(due(self.today))), (None, []))
        self.pick(self.today - timedelta(days=3), 2.0, 0.1)
        self.assertEqual(next_pick(self.made), self.today - timedelta(days=1))
        (asked,) = due(self.today)
        self.assertEqual((asked.verb, asked.by, asked.amount), ("Pick", self.today - timedelta(days=1), "12 plots"))
        self.assertEqual(list(due(self.today - timedelta(days=3))), [])  # not yet
        self.assertEqual(list(due(self.today + timedelta(days=40))), [])  # it is over
        Trial.objects.update(decided_at=timezone.now())
        self.assertEqual(list(due(self.today)), [])

    def test_what_waiting_costs(self) -> None:
        """Two picks within two days: 0.3 of 5 kg, 6 %. Two after three days: 1.7 of 10 kg, 17 %. The first has no wait."""
        keep_interval(self.made, 2, self.by)
        start = self.today - timedelta(days=20)
        for day, fit, over in ((0, 1.0, 1.0), (2, 1.9, 0.1), (4, 2.8, 0.2), (7, 4.2, 0.8), (10, 4.1, 0.9)):
            self.pick(start + timedelta(days=day), fit, over)
        found = waiting_of(self.made)
        assert found
        self.assertAlmostEqual(found.within, 0.06)
        self.assertAlmostEqual(found.later, 0.17)
        self.assertEqual((found.rounds_within, found.rounds_later), (2, 2))
        self.assertIn("After a longer wait 17 % were over-mature, else 6 % (2 and 2 picks).", round_in_words(self.made))
        Picking.objects.filter(on__gt=start + timedelta(days=4)).delete()
        self.assertIsNone(waiting_of(self.made))

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
        self.assertFalse(PickPlan.objects.exists())
