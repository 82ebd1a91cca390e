"""Samples tested after the pick: pieces, weights before and after, ages, and the yields that rest on them."""

import uuid
from datetime import timedelta
from typing import Any

from django.urls import reverse
from django.utils import timezone

from evarlo.catalogue.models import Trait
from evarlo.harvest.classes import ClassPlan, Part, Picked, keep_classes, keep_plan
from evarlo.harvest.models import Picking, PickPart, TestedSample
from evarlo.harvest.queries import picked_traits
from evarlo.harvest.queries import readings as picked
from evarlo.harvest.samples import keep_rule, readings
from evarlo.people.models import Role
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.trials.models import Plot, Trial
from evarlo.trials.queries import diary_of


class Samples(TestCase):
    def setUp(self) -> None:
        self.by, self.today = world.person(), timezone.localdate()
        self.made = world.trial(self.by)
        world.sow(self.made, self.by)
        self.client.force_login(self.by)
        self.url = reverse("harvest:samples", args=[self.made.slug])

    @property
    def trial(self) -> Trial:
        return Trial.objects.get(pk=self.made.pk)

    def plot(self, number: str) -> Plot:
        return self.made.plots.select_related("trial").get(number=number)

    def send(self, trait: str, plot: str, values: str, hours: float = 4, **more: Any) -> Any:
        typed = {
            "key": str(uuid.uuid4()),
            "on": self.today.isoformat(),
            "of": trait,
            "plot": plot,
            "values": values,
            "hours": str(hours),
        }
        return self.client.post(self.url, typed | more)

    def reading(self, key: str, number: str) -> float | None:
        trait = Trait.objects.get(key=key)
        read = picked if trait.source == Trait.Source.PICK else readings
        found = read(self.trial, trait).get(self.plot(number).pk)
        return found.number if found else None

    def test_pieces_are_averaged_and_samples_too(self) -> None:
        """8.2, 8.6 and 7.8 are 8.2; a second sample of 9: the plot has 8.6."""
        self.send("sugar", "101", "8.2 8,6; 7.8")
        self.send("sugar", "101", "9")
        self.assertAlmostEqual(self.reading("sugar", "101") or 0, 8.6)
        page = self.client.get(self.url, {"of": "sugar"})
        self.assertContains(page, "Sugar: 1 plot of 12 sampled, 2 samples.")
        self.assertIn("Sugar: 8.2 °Brix of 3 pieces, 4 h after the pick.", [x.text for x in diary_of(self.plot("101"), True)])
        self.assertIn("sugar", [t.key for t in picked_traits(self.trial)])

    def test_one_too_old_is_kept_and_left_out(self) -> None:
        self.send("sugar", "101", "8", hours=30)
        self.assertIsNone(self.reading("sugar", "101"))
        page = self.client.get(self.url, {"of": "sugar"})
        self.assertContains(page, "too old, left out")
        self.assertContains(page, "1 other older than 24 h, left out.")
        keep_rule(self.trial, Trait.objects.get(key="sugar"), 36, self.by)
        self.assertEqual(self.reading("sugar", "101"), 8.0)
        self.client.post(reverse("harvest:sample-rule", args=[self.made.slug]), {"of": "sugar", "most_hours": ""})
        self.send("sugar", "102", "8", hours=400)
        self.assertEqual(self.reading("sugar", "102"), 8.0)

    def test_before_and_after_weigh_the_pieces_together(self) -> None:
        """840/655 and 420/350 g: 1005 of 1260 are eaten, 79.76 %. 200 g dry to 164: 18 % moist, 82 % dry matter."""
        self.send("edible-share", "101", "840/655 420 / 350")
        self.assertAlmostEqual(self.reading("edible-share", "101") or 0, 100 * 1005 / 1260)
        self.send("harvest-moisture", "101", "200/164")
        self.send("dry-matter", "101", "200/164")
        self.assertAlmostEqual(self.reading("harvest-moisture", "101") or 0, 18)
        self.assertAlmostEqual(self.reading("dry-matter", "101") or 0, 82)

    def test_what_cannot_be_is_said_beside_it(self) -> None:
        for trait, plot, values, said in (
            ("sugar", "101", "eight", "Found “eight”. Expected a figure for each piece"),
            ("sugar", "101", "8.2/3", "Found “8.2/3”"),
            ("sugar", "101", "82", "Found 82. Expected from 0 to 40 °Brix."),
            ("edible-share", "101", "600/655", "Expected less after than before"),
            ("edible-share", "101", "600/500 80", "Expected the one or the other"),
            ("sugar", "999", "8", "Found “999”. Expected a plot of this trial."),
            ("sugar", "101", "8 " * 61, "at most 60"),
        ):
            with self.subTest(values=values):
                self.assertContains(self.send(trait, plot, values), said, status_code=422)
        self.assertFalse(TestedSample.objects.exists())
        future = self.send("sugar", "101", "8", on=(self.today + timedelta(days=1)).isoformat())
        self.assertEqual(future.status_code, 422)

    def test_one_sent_twice_is_kept_once_and_can_be_taken_back(self) -> None:
        key = str(uuid.uuid4())
        for _ in range(2):
            self.send("sugar", "101", "8", key=key)
        self.client.post(reverse("harvest:undo-sample", args=[self.made.slug, key]))
        self.assertIsNone(self.reading("sugar", "101"))
        self.assertEqual(TestedSample.objects.count(), 1)
        self.assertTrue(any(x.struck and "Sugar" in x.text for x in diary_of(self.plot("101"), True)))

    def test_a_test_of_one_s_own(self) -> None:
        url = reverse("harvest:own-test", args=[self.made.slug])
        typed = {"name": "Bite", "unit": "mm", "method": "How far the wedge goes in.", "low": "0", "high": "30", "lower": "on"}
        self.client.post(url, typed)
        made = Trait.objects.get(name="Bite")
        self.assertEqual((made.source, made.direction), ("test", "lower"))
        self.send(made.key, "101", "4.5 5.5")
        self.assertEqual(self.reading(made.key, "101"), 5.0)
        self.assertContains(self.client.post(url, typed), "is in the list already", status_code=422)
        self.client.force_login(world.person(Role.HELPER))
        self.assertEqual(self.client.post(url, typed).status_code, 403)

    def test_edible_yield_takes_the_entry_s_samples_where_a_plot_has_none(self) -> None:
        """Two plots of an entry with the same 6 kg: sampled at 80 %, the other has it from its entry."""
        first = self.plot("101")
        other = self.made.plots.filter(entry=first.entry).exclude(pk=first.pk)[0]
        for plot in (first, other):
            world.pick(plot, self.by, 6.0)
        self.assertNotIn("edible-yield", [t.key for t in picked_traits(self.trial)])
        self.send("edible-share", "101", "100/80")
        per_m2 = self.reading("marketable-yield", "101")
        assert per_m2
        for plot in (first, other):
            self.assertAlmostEqual(self.reading("edible-yield", plot.number) or 0, 0.8 * per_m2)
        self.assertIn("edible-yield", [t.key for t in picked_traits(self.trial)])

    def test_a_dry_harvest_is_brought_to_the_standard(self) -> None:
        """0.6 kg at 18 % are 0.6 · 82 / 86 kg at 14 %; before a standard is set it is as weighed."""
        keep_classes(self.made, [ClassPlan("Green"), ClassPlan("Dry", part=Part.DRY)], self.by)
        _, dry = self.made.pick_classes.all()
        plot = self.plot("101")
        row = Picking.objects.create(plot=plot, on=world.TODAY, marketable_kg=0.6, by=self.by, at=timezone.now())
        PickPart.objects.create(picking=row, pick_class=dry, kg=0.6)
        area = (plot.length or 0) * (plot.width or 0)
        self.assertAlmostEqual(self.reading("dry-yield", "101") or 0, 0.6 / area)
        self.assertIsNone(self.reading("marketable-yield", "101"))
        keep_plan(self.trial, Picked(standard_moisture=14.0), self.by)
        self.assertIsNone(self.reading("dry-yield", "101"))  # not sampled: it cannot be brought there
        self.send("harvest-moisture", "101", "200/164")
        self.assertAlmostEqual(self.reading("dry-yield", "101") or 0, 0.6 * 82 / 86 / area)
        self.assertIn("dry-yield", [t.key for t in picked_traits(self.trial)])

    def test_pieces_off_the_size_wanted(self) -> None:
        """Ten pieces of 2 kg are 200 g each: 250 to 400 are wanted, a fifth too light; 300 g is within, 500 g a quarter too heavy."""
        keep_plan(self.trial, Picked(piece_low_g=250, piece_high_g=400), self.by)
        for number, kg, count, off in (("101", 2.0, 10, 20.0), ("102", 3.0, 10, 0.0), ("103", 5.0, 10, 25.0)):
            world.pick(self.plot(number), self.by, kg, marketable_count=count)
            self.assertAlmostEqual(self.reading("size-off-target", number) or 0, off)
