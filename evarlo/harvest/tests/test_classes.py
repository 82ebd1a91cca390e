"""The weigh-in by class: sums that fit, noughts that differ, crates taken off, held plots told once."""

import uuid
from datetime import timedelta
from typing import Any

from django.urls import reverse
from django.utils import timezone

from evarlo.events.models import Care
from evarlo.harvest.classes import ClassPlan, Kind, Reason, classes_of, keep_classes, usual_classes
from evarlo.harvest.models import Picking, PickPart
from evarlo.harvest.queries import left_to_pick, yields
from evarlo.harvest.services import Weighed, keep_crate, keep_picking
from evarlo.people.models import Role
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.trials.models import Trial
from evarlo.trials.queries import diary_of
from evarlo.ui.refused import Refused


class Bench(TestCase):
    plans = (
        ClassPlan("14 to 20 cm"),
        ClassPlan("Trimmed", Kind.TRIMMED, counted=False),
        ClassPlan("Over 20 cm", Kind.CULL, reason=Reason.OVERMATURE),
    )

    def setUp(self) -> None:
        self.by, self.today = world.person(), timezone.localdate()
        self.made = world.trial(self.by)
        world.sow(self.made, self.by)
        keep_classes(self.made, self.plans, self.by)
        self.client.force_login(self.by)
        self.plot = self.made.plots.select_related("trial").get(number="101")
        self.good, self.trimmed, self.over = self.trial.pick_classes.all()
        self.url = reverse("harvest:pick", args=[self.made.slug])

    @property
    def trial(self) -> Trial:
        return Trial.objects.get(pk=self.made.pk)

    def send(self, **typed: Any) -> Any:
        given = {"key": str(uuid.uuid4()), "on": self.today.isoformat(), "plot": "101"}
        return self.client.post(self.url, given | {k: str(v) for k, v in typed.items()})


class ByClass(Bench):
    def test_classes_sum_to_what_can_be_sold_and_what_is_culled(self) -> None:
        """2.31 + 0.4 trimmed = 2.71 kg; 0.5 culled: 84.4 % of 3.21. The trimmed were not counted, so pieces are not known."""
        self.send(**{f"kg_{self.good.pk}": 2.31, f"n_{self.good.pk}": 9, f"kg_{self.trimmed.pk}": 0.4, f"kg_{self.over.pk}": 0.5})
        kept = Picking.objects.get()
        self.assertEqual((kept.marketable_kg, kept.marketable_count, kept.cull_kg, kept.cull_count), (2.71, None, 0.5, None))
        self.assertEqual(
            [(p.pick_class.name, p.kg, p.count) for p in kept.parts.all()],
            [("14 to 20 cm", 2.31, 9), ("Trimmed", 0.4, None), ("Over 20 cm", 0.5, None)],
        )
        self.assertAlmostEqual(yields(self.trial)[self.plot.pk].marketable_share or 0, 2.71 / 3.21)
        self.assertIn("14 to 20 cm 2.31 kg, 9 pieces; Trimmed 0.4 kg", " ".join(x.text for x in diary_of(self.plot, True)))
        page = self.client.get(self.url)
        self.assertContains(page, "Last on")
        self.assertContains(page, "2.71 kg")

    def test_a_correction_and_its_undo_keep_the_classes(self) -> None:
        self.send(**{f"kg_{self.good.pk}": 2, f"n_{self.good.pk}": 8})
        first = Picking.objects.get()
        page = self.client.get(self.url, {"correct": str(first.pk)})
        self.assertContains(page, 'value="2"')
        typed = {"key": str(uuid.uuid4()), "on": self.today.isoformat(), f"kg_{self.good.pk}": "2.2", f"n_{self.good.pk}": "9"}
        self.client.post(reverse("harvest:correct", args=[self.made.slug, first.pk]), typed)
        newest = Picking.objects.in_force().get()
        self.assertEqual([(p.kg, p.count) for p in newest.parts.all()], [(2.2, 9)])
        self.client.post(reverse("harvest:undo", args=[self.made.slug, newest.pk]))
        again = Picking.objects.in_force().get()
        self.assertEqual((again.marketable_kg, [(p.kg, p.count) for p in again.parts.all()]), (2.0, [(2.0, 8)]))

    def test_a_nought_is_a_record_and_the_three_differ(self) -> None:
        for number, nought in (("101", "nothing"), ("102", "unripe"), ("103", "missed")):
            self.send(plot=number, nought=nought)
        self.assertEqual(Picking.objects.count(), 3)
        self.assertEqual({p.number for p in left_to_pick(self.trial, self.today)} & {"101", "102", "103"}, set())
        found = yields(self.trial)
        self.assertEqual({p.number for p in self.made.plots.filter(pk__in=found)}, {"101", "102"})  # not reached says nothing of it
        self.assertIsNone(found[self.plot.pk].first_pick)
        both = self.send(plot="104", nought="nothing", **{f"kg_{self.good.pk}": 1})
        self.assertEqual(both.status_code, 422)
        empty = self.send(plot="104")
        self.assertContains(empty, "Nothing was typed. Expected a weight in kg, or 0.", status_code=422)
        self.assertIn("Not ripe.", [x.text for x in diary_of(self.made.plots.get(number="102"), True)])

    def test_a_crate_is_taken_off_each_weight_that_was_typed(self) -> None:
        """2.9 and 1.1 kg in a crate of 0.6: 2.3 and 0.5. What was not weighed is nought, and less than the crate cannot be."""
        assert self.made.bed
        crate = keep_crate(self.made.bed.site, "B", 0.6)
        self.send(crate=crate.pk, **{f"kg_{self.good.pk}": 2.9, f"kg_{self.over.pk}": 1.1})
        kept = Picking.objects.get()
        self.assertEqual((kept.marketable_kg, kept.cull_kg, kept.tare_kg), (2.3, 0.5, 0.6))
        less = self.send(plot="102", crate=crate.pk, **{f"kg_{self.good.pk}": 0.5})
        self.assertContains(less, "Expected more than the 0.6 kg of the crate", status_code=422)
        self.assertContains(less, 'value="0.5"', status_code=422)

    def test_held_plots_are_told_once_for_the_round_with_a_reason(self) -> None:
        plots = list(self.made.plots.all())
        self.hold(plots)
        self.assertContains(self.send(**{f"kg_{self.good.pk}": 1}), "is not to be picked before", status_code=422)
        anyway = reverse("harvest:anyway", args=[self.made.slug])
        self.client.post(anyway, {"on": self.today.isoformat(), "why": " "})
        self.assertFalse(self.trial.picked_anyway.exists())
        self.client.post(anyway, {"on": self.today.isoformat(), "why": "Weighed for the trial, then composted"})
        for number in ("101", "102"):
            self.assertEqual(self.send(plot=number, **{f"kg_{self.good.pk}": 1}).status_code, 302)
        page = self.client.get(self.url)
        self.assertContains(page, "Weighed for the trial, then composted")
        self.assertIn("all the same: Weighed for the trial", self.trial.deeds.latest("pk").said)

    def hold(self, plots: list[Any]) -> None:
        made = Care.objects.create(
            trial=self.made, kind=Care.Kind.SPRAY, what="Soap", done_at=timezone.now(), pick_days=7, by=self.by, at=timezone.now()
        )
        made.plots.set(plots)


class Setting(TestCase):
    def setUp(self) -> None:
        self.by = world.person()
        self.made = world.trial(self.by)
        self.client.force_login(self.by)
        self.url = reverse("harvest:classes", args=[self.made.slug])

    def test_they_are_proposed_from_the_crop_and_kept_in_order(self) -> None:
        page = self.client.get(self.url)
        for plan in usual_classes(self.made.crop):
            self.assertContains(page, f'value="{plan.name}"')
        typed = {"name_1": "Heads", "kind_1": "good", "part_1": "main", "counted_1": "on"}
        typed |= {
            "name_3": "Shoots",
            "kind_3": "good",
            "part_3": "side",
            "name_2": "Rotten",
            "kind_2": "cull",
            "reason_2": "disease",
        }
        self.client.post(self.url, typed)
        made = Trial.objects.get(pk=self.made.pk)
        self.assertEqual(
            [(c.name, c.part, c.reason) for c in classes_of(made)],
            [("Heads", "main", ""), ("Rotten", "main", "disease"), ("Shoots", "side", "")],
        )

    def test_one_with_weights_is_switched_off_and_never_lost(self) -> None:
        keep_classes(self.made, [ClassPlan("A"), ClassPlan("B", Kind.CULL)], self.by)
        a = self.made.pick_classes.get(name="A")
        picking = Picking.objects.create(
            plot=self.made.plots.all()[0], on=world.TODAY, marketable_kg=1, by=self.by, at=timezone.now()
        )
        PickPart.objects.create(picking=picking, pick_class=a, kg=1)
        with self.assertRaisesMessage(Refused, "has weights as marketable"):
            keep_classes(self.made, [ClassPlan("C"), ClassPlan("a", Kind.CULL)], self.by)
        keep_classes(self.made, [ClassPlan("C")], self.by)
        self.assertEqual([(c.name, c.used) for c in self.made.pick_classes.all()], [("C", True), ("A", False)])

    def test_what_cannot_be(self) -> None:
        for plans, said in (
            ([ClassPlan("A"), ClassPlan("a")], "named twice"),
            ([ClassPlan("A", Kind.CULL)], "at least one class that is marketable"),
            ([ClassPlan(f"C{n}") for n in range(10)], "9 at most"),
        ):
            with self.subTest(said=said), self.assertRaisesMessage(Refused, said):
                keep_classes(self.made, plans, self.by)
        keep_classes(self.made, [], self.by)  # none at all is a weight and what is culled
        self.client.force_login(world.person(Role.HELPER))
        self.assertEqual(self.client.post(self.url, {}).status_code, 403)


class Graded(Bench):
    def test_a_lot_of_which_some_were_graded(self) -> None:
        """50 kg and 200 pieces; of 30 graded 24 fit with 6 kg and 6 over with 0.9 kg: 50 · 6 / 6.9 = 43.478 kg fit, 160 pieces."""
        typed = {f"kg_{self.good.pk}": 6, f"n_{self.good.pk}": 24, f"kg_{self.over.pk}": 0.9, f"n_{self.over.pk}": 6}
        self.send(lot_kg=50, lot_count=200, **typed)
        kept = Picking.objects.get()
        self.assertAlmostEqual(kept.marketable_kg, 43.478261, places=5)
        self.assertEqual((kept.marketable_count, kept.cull_count, kept.graded_kg), (160, 40, 6.9))
        r = 6 / 6.9  # by hand, as in the core's test
        se = 50 * ((1 - 30 / 200) * (24 * (0.25 - r * 0.25) ** 2 + 6 * (r * 0.15) ** 2) / 29 / 30) ** 0.5 / 0.23
        self.assertAlmostEqual(kept.graded_se_kg, se, places=5)
        self.assertAlmostEqual(yields(self.trial)[self.plot.pk].grading_se_kg, se, places=5)
        self.assertIn("from grading 24, 160 pieces", " ".join(x.text for x in diary_of(self.plot, True)))
        page = self.client.get(self.url, {"correct": str(kept.pk)})
        for value in ("50", "200", "6", "24", "0.9"):
            self.assertContains(page, f'value="{value}"')
        self.assertContains(page, "from grading")

    def test_what_cannot_be_graded_so(self) -> None:
        both = {f"kg_{self.good.pk}": 6, f"n_{self.good.pk}": 24}
        for typed, said in (
            (both | {"lot_kg": 50}, "Expected what the whole lot weighs and how many pieces it has."),
            (both | {"lot_kg": 5, "lot_count": 200}, "more than the lot"),
            (both | {"lot_kg": 50, "lot_count": 20}, "24 pieces graded of 20"),
            ({f"kg_{self.good.pk}": 6, "lot_kg": 50, "lot_count": 200}, "Expected weight and pieces of every class"),
        ):
            with self.subTest(said=said):
                answer = self.send(**typed)
                self.assertContains(answer, said, status_code=422)
                self.assertContains(answer, 'value="6"', status_code=422)
        self.assertFalse(Picking.objects.exists())

    def test_the_stake_names_the_plot_and_another_trial_s_is_refused(self) -> None:
        self.send(plot=f"T{self.made.pk}-102", **{f"kg_{self.good.pk}": 1})
        self.assertEqual(Picking.objects.get().plot.number, "102")
        wrong = self.send(plot=f"T{self.made.pk + 1}-102", **{f"kg_{self.good.pk}": 1})
        self.assertContains(wrong, "That stake is of another trial.", status_code=422)

    def test_a_slipped_point_is_asked_about_by_the_entry_s_own_history(self) -> None:
        """Six weigh-ins of the entry around 2 kg: 23 is asked about, 3 is not; of the day nothing else is known."""
        own = list(self.made.plots.filter(entry=self.plot.entry).exclude(pk=self.plot.pk))
        for day in (9, 7, 5):
            for plot in own:
                on = self.today - timedelta(days=day)
                keep_picking(plot, on, Weighed(2.0), self.by, uuid.uuid4(), self.today)
        asked = self.send(**{f"kg_{self.good.pk}": 23})
        self.assertContains(asked, "Is it right?", status_code=422)
        self.assertContains(asked, f"the {3 * len(own)} weigh-ins of this entry lead to expect", status_code=422)
        self.assertEqual(self.send(**{f"kg_{self.good.pk}": 3}).status_code, 302)
