"""Weigh-ins: kept once, totalled rightly, taken back without loss."""

import uuid
from datetime import date, timedelta
from typing import Any

from django.urls import reverse
from django.utils import timezone

from evarlo.harvest.models import Picking
from evarlo.harvest.queries import left_to_pick, marks, readings, standing, yields
from evarlo.harvest.services import Weighed, keep_picking, withdraw_picking
from evarlo.nursery.stand import mark_station
from evarlo.people.models import Role
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.trials.models import Trial
from evarlo.trials.queries import readings_of
from evarlo.ui.refused import Refused
from evarlo.verdicts.board import board_of
from evarlo.walks.services import Seen, close_round, keep_observation


class Picks(TestCase):
    def setUp(self) -> None:
        self.by = world.person()
        self.trial = world.trial(self.by)
        world.sow(self.trial, self.by)
        self.plot = self.trial.plots.get(number="101")

    def fresh(self) -> Trial:
        return Trial.objects.get(pk=self.trial.pk)

    def count(self, plants: float, on: date) -> None:
        walked = world.walk(self.trial, "stand", self.by)
        keep_observation(walked, self.plot, Seen(number=plants), self.by, on, uuid.uuid4(), world.TODAY)
        close_round(walked)

    def test_a_count_after_the_harvest_never_reaches_back(self) -> None:
        """Four plants picked, one standing in autumn: 3.44 kg are 860 g a plant, not 3,440."""
        self.count(4, world.SOWN + timedelta(40))
        world.pick(self.plot, self.by, 3.44, on=world.SOWN + timedelta(80))
        self.count(1, world.SOWN + timedelta(95))
        self.assertEqual(readings(self.fresh(), world.trait("marketable-per-plant"))[self.plot.pk].number, 860)
        set_out = readings(self.fresh(), world.trait("marketable-per-plant-set-out"))[self.plot.pk].number
        self.assertAlmostEqual(set_out or 0, 3440 / (world.spacing(self.trial).plants or 0))

    def test_plants_lost_before_the_pick_are_not_divided_by(self) -> None:
        self.count(6, world.SOWN + timedelta(40))
        for station, days in ((0, 50), (1, 60), (2, 90)):
            mark_station(self.plot, station, "gap", world.SOWN + timedelta(days), self.by, world.TODAY)
        world.pick(self.plot, self.by, 2.0, on=world.SOWN + timedelta(80))
        self.assertEqual(readings(self.fresh(), world.trait("marketable-per-plant"))[self.plot.pk].number, 500)

    def test_more_plants_than_were_set_out_are_said_wherever_they_are_compared(self) -> None:
        many = (world.spacing(self.trial).plants or 0) + 2
        self.count(many, world.SOWN + timedelta(40))
        world.pick(self.plot, self.by, 2.0, on=world.SOWN + timedelta(80))
        (said,) = marks(self.fresh())
        self.assertIn(f"More plants were counted than set out in 101 ({many} of {many - 2})", said)

    def test_one_yield_whichever_way_it_was_weighed(self) -> None:
        """The trial decides by plot yield, which a walk records; weigh-ins of 2.5 and 1.5 kg fill it, and a walked plot fills
        kg/m²."""
        other = self.trial.plots.get(number="102")
        world.pick(self.plot, self.by, 2.5, on=world.SOWN + timedelta(80))
        world.pick(self.plot, self.by, 1.5, on=world.SOWN + timedelta(90))
        world.keep(world.walk(self.trial, "plot-yield", self.by), other, self.by, 3.6)
        found = readings_of(self.fresh(), world.trait("plot-yield"))
        self.assertEqual({pk: r.number for pk, r in found.items()}, {self.plot.pk: 4.0, other.pk: 3.6})
        per_area = readings_of(self.fresh(), world.trait("marketable-yield"))
        area = other.length * other.width
        self.assertAlmostEqual(per_area[other.pk].number or 0, 3.6 / area)
        self.assertAlmostEqual(per_area[self.plot.pk].number or 0, 4.0 / area)

    def test_a_board_by_plot_yield_stands_on_weigh_ins(self) -> None:
        for n, plot in enumerate(self.trial.plots.all()):
            world.pick(plot, self.by, 2 + n % 4 / 2, on=world.SOWN + timedelta(80))
        board = board_of(self.fresh(), self.by)
        self.assertTrue(all(f.mean is not None for line in board.lines for f in line.figures))

    def test_a_stand_of_nought_failed(self) -> None:
        self.count(0, world.SOWN + timedelta(40))
        self.assertEqual(readings(self.fresh(), world.trait("marketable-yield"))[self.plot.pk].cause, "failed")

    def test_several_picks_add_up(self) -> None:
        self.count(20, world.SOWN + timedelta(70))
        world.pick(self.plot, self.by, 1.5, marketable_count=6, cull_kg=0.5, on=world.SOWN + timedelta(80))
        world.pick(self.plot, self.by, 4.5, on=world.SOWN + timedelta(87))
        season = yields(self.fresh())[self.plot.pk]
        self.assertEqual((season.picks, season.marketable_kg, season.cull_kg, season.g_per_plant), (2, 6.0, 0.5, 300.0))
        self.assertAlmostEqual(season.kg_per_m2 or 0, 6.0 / 3.0)
        found = readings(self.fresh(), world.trait("days-to-first-pick"))
        self.assertEqual(found[self.plot.pk].number, 80)

    def test_sent_twice_kept_once_and_taken_back(self) -> None:
        key = uuid.uuid4()
        for _ in range(2):
            kept = keep_picking(self.plot, world.TODAY, Weighed(2.5), self.by, key, world.TODAY)
        self.assertEqual(standing(self.trial).count(), 1)
        with self.assertRaisesMessage(Refused, "kept already"):
            keep_picking(self.plot, world.TODAY, Weighed(3.5), self.by, key, world.TODAY)
        withdraw_picking(kept, self.by)
        withdraw_picking(kept, self.by)
        self.assertEqual((standing(self.trial).count(), Picking.objects.count()), (0, 2))

    def test_what_cannot_be_is_refused(self) -> None:
        for weighed, on, said in (
            (Weighed(-1), world.TODAY, "from 0 to 500 kg"),
            (Weighed(1, marketable_count=0), world.TODAY, "cannot both be right"),
            (Weighed(0, cull_kg=0.0, cull_count=4), world.TODAY, "cannot both be right"),
            (Weighed(1), world.TODAY + timedelta(1), "in the future"),
            (Weighed(1), world.SOWN - timedelta(1), "sown on"),
        ):
            with self.subTest(weighed=weighed), self.assertRaisesMessage(Refused, said):
                keep_picking(self.plot, on, weighed, self.by, uuid.uuid4(), world.TODAY)
        self.assertEqual(Picking.objects.count(), 0)

    def test_a_cultivar_that_failed_yields_nothing_an_accident_is_no_yield(self) -> None:
        walked = world.walk(self.trial, "stand", self.by)
        world.keep(walked, self.plot, self.by, cause="failed")
        world.keep(walked, self.trial.plots.get(number="102"), self.by, cause="accident")
        found = readings(self.fresh(), world.trait("marketable-yield"))
        self.assertEqual([r.cause for r in found.values()], ["failed"])

    def test_the_bench(self) -> None:
        self.client.force_login(world.person("helper"), backend="django.contrib.auth.backends.ModelBackend")
        url = reverse("harvest:pick", args=[self.trial.slug])

        def post(**typed: Any) -> Any:
            given = {"key": str(uuid.uuid4()), "on": world.SOWN.isoformat(), "plot": "101", "marketable_kg": "1"}
            return self.client.post(url, given | typed, headers={"HX-Request": "true"})

        self.assertContains(post(marketable_kg="1,25 kg"), ">1.25</td>")
        for typed, said in (
            ({"plot": "999"}, "Found “999”. Expected a plot of this trial."),
            ({"marketable_kg": "lots"}, "Found “lots”. Expected a number from 0 to 500 kg."),
            ({"marketable_kg": ""}, "Expected a weight in kg"),
            ({"marketable_count": "2.5"}, "Expected a whole number"),
            ({"on": (timezone.localdate() + timedelta(days=400)).isoformat()}, "in the future"),
        ):
            with self.subTest(typed=typed):
                self.assertContains(post(**typed), said, status_code=422)
        self.assertEqual(Picking.objects.count(), 1)
        self.assertEqual(len(left_to_pick(self.trial, world.SOWN)), 11)

    def test_a_plot_is_not_sown_after_it_was_picked(self) -> None:
        world.pick(self.plot, self.by, 1.5, on=world.SOWN + timedelta(30))
        with self.assertRaisesMessage(Refused, "Plot 101 was picked on"):
            world.sow(self.trial, self.by, world.SOWN + timedelta(31))
        self.assertEqual(yields(self.fresh())[self.plot.pk].days_to_first_pick, 30)


class TakingBack(TestCase):
    def test_a_helper_takes_back_only_what_they_entered_today(self) -> None:
        manager, helper, other = world.person(), world.person(Role.HELPER), world.person(Role.HELPER, "other")
        made = world.trial(manager)
        today = timezone.localdate()
        plots = list(made.plots.all()[:4])
        old, own, theirs, last = (
            keep_picking(plot, today, Weighed(4.0), by, uuid.uuid4(), today)
            for plot, by in zip(plots, (helper, helper, other, other), strict=True)
        )
        Picking.objects.filter(pk=old.pk).update(at=timezone.now() - timedelta(days=2))

        def taken_back(picking: Picking, who: Any) -> bool:
            self.client.force_login(who, backend="django.contrib.auth.backends.ModelBackend")
            answer = self.client.post(reverse("harvest:undo", args=[made.slug, picking.pk]), follow=True)
            gone = not Picking.objects.in_force().filter(pk=picking.pk).exists()
            self.assertEqual("takes back only what they entered today" in answer.content.decode(), not gone)
            return gone

        self.assertEqual([taken_back(p, helper) for p in (old, own, theirs)], [False, True, False])
        self.assertEqual([taken_back(p, manager) for p in (old, last)], [True, True])
