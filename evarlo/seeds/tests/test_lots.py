"""Lots and their ledgers."""

from datetime import timedelta
from importlib import import_module

from django.apps import apps
from django.urls import reverse
from django.utils import timezone

from evarlo.catalogue.models import Crop, Cultivar
from evarlo.people.models import Role
from evarlo.seeds.models import Lot, Move
from evarlo.seeds.queries import stocks
from evarlo.seeds.services import keep_lot, move_stock, stock_of, undo_line, write_by_hand
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.trials.tasks import begun_in
from evarlo.ui.refused import Refused

Why = Move.Why


class Ledgers(TestCase):
    def setUp(self) -> None:
        self.by = world.person()
        self.today = timezone.localdate()
        crop = Crop.objects.get(name="Bulb fennel")
        self.cultivar = Cultivar.objects.create(crop=crop, name="Corvane")
        self.lot = keep_lot(
            None, self.cultivar, {"name": "K-17", "material": "seed", "year": self.today.year - 2, "packet": 250}, self.by
        )
        self.client.force_login(self.by)

    def write(self, why: str, seeds: int, **more: object) -> Move:
        return move_stock(self.lot, why, seeds, self.today, self.by, self.today, **more)  # type: ignore[arg-type]

    def test_stock_is_what_came_in_less_what_went_out(self) -> None:
        self.write(Why.RECEIVED, 500)
        self.write(Why.TAKEN, 120)
        self.write(Why.DISCARDED, 30)
        self.assertEqual(stock_of(self.lot), 350)

    def test_a_count_sets_the_stock_right_and_keeps_what_the_ledger_said(self) -> None:
        self.write(Why.RECEIVED, 500)
        line = self.write(Why.COUNTED, 472)
        self.assertEqual((stock_of(self.lot), line.seeds), (472, -28))
        self.assertEqual(line.note, "Counted 472, the ledger said 500.")

    def test_taking_more_than_there_is_is_asked_about_and_then_said(self) -> None:
        self.write(Why.RECEIVED, 10)
        with self.assertRaisesMessage(Refused, "The ledger has 10 seeds; 14 is 4 too many"):
            self.write(Why.TAKEN, 14)
        self.assertEqual(stock_of(self.lot), 10)
        self.assertIn("4 below zero", self.write(Why.TAKEN, 14, sure=True).note)
        self.assertIn("count the packet", stocks(self.today.year)[0].said)

    def test_a_day_to_come_and_nothing_at_all_are_refused(self) -> None:
        with self.assertRaises(Refused) as late:
            move_stock(self.lot, Why.RECEIVED, 5, self.today + timedelta(days=1), self.by, self.today)
        self.assertEqual(late.exception.field, "on")
        with self.assertRaises(Refused):
            self.write(Why.RECEIVED, 0)

    def test_age_is_held_against_how_long_the_crop_s_seed_keeps(self) -> None:
        low, high = self.cultivar.crop.profile["seed_years"]
        said = {}
        for age in (0, int(low) + 1, int(high) + 1):
            Lot.objects.filter(pk=self.lot.pk).update(year=self.today.year - age)
            said[age] = stocks(self.today.year)[0].said
        self.assertEqual(said[0], "")
        self.assertIn("Test it before relying on it", said[int(low) + 1])
        self.assertIn("Expect it to fail", said[int(high) + 1])

    def test_over_the_web_what_was_typed_stays_and_each_fault_stands_at_its_field(self) -> None:
        url = reverse("seeds:list")
        answer = self.client.post(url, {"cultivar": "Nobody", "name": "K 18", "germination": "120", "year": "2190"})
        self.assertContains(answer, "is not on the list of cultivars", status_code=422)
        self.assertContains(answer, "Found “120”. Expected a number from 1 to 100 %.", status_code=422)
        self.assertContains(answer, "Expected a year that has come", status_code=422)
        self.assertContains(answer, 'value="K 18"', status_code=422)
        again = self.client.post(url, {"cultivar": "Corvane, Bulb fennel", "name": "K-17"})
        self.assertContains(again, "Corvane has a lot K-17 already.", status_code=422)
        self.client.post(url, {"cultivar": "corvane", "name": "K-18", "germination": "88 %", "price": "3,40"})
        made = Lot.objects.get(name="K-18")
        self.assertEqual((made.germination, made.price), (88.0, 3.4))

    def test_the_ledger_over_the_web(self) -> None:
        url = reverse("seeds:move", args=[self.lot.pk])
        self.client.post(url, {"why": "received", "seeds": "250", "on": self.today.isoformat()})
        short = self.client.post(url, {"why": "taken", "seeds": "300", "on": self.today.isoformat()})
        self.assertContains(short, "The ledger has 250 seeds", status_code=422)
        self.assertContains(short, "although the ledger has less", status_code=422)
        self.client.post(url, {"why": "taken", "seeds": "300", "on": self.today.isoformat(), "sure": "on"})
        self.assertContains(self.client.get(reverse("seeds:lot", args=[self.lot.pk])), "<strong>-50</strong> seeds in stock")

    def test_names_of_lots_are_kept_from_those_who_score_blind(self) -> None:
        self.client.force_login(world.person(Role.EVALUATOR))
        self.assertEqual(self.client.get(reverse("seeds:list")).status_code, 403)
        self.client.force_login(world.person(Role.READER))
        self.assertEqual(self.client.get(reverse("seeds:lot", args=[self.lot.pk])).status_code, 200)
        self.assertEqual(self.client.post(reverse("seeds:list"), {"cultivar": "Corvane", "name": "x"}).status_code, 403)

    def by_hand(self, why: str, seeds: int, **more: object) -> Move:
        return write_by_hand(self.lot, why, seeds, self.today, self.by, self.today, **more)  # type: ignore[arg-type]

    def test_a_line_taken_back_leaves_the_stock_as_if_it_had_not_been(self) -> None:
        self.by_hand(Why.RECEIVED, 500)
        wrong = self.by_hand(Why.DISCARDED, 120)
        undo_line(wrong, self.by, self.today)
        undo_line(wrong, self.by, self.today)  # a second tap
        self.assertEqual(stock_of(self.lot), 500)
        self.assertEqual(list(self.lot.moves.values_list("seeds", flat=True)), [500, -120, 120])
        self.assertEqual([m.seeds for m in self.lot.moves.in_force()], [500])
        with self.assertRaisesMessage(Refused, "goes with a sowing"):
            undo_line(Move.objects.get(takes_back=wrong), self.by, self.today)

    def test_of_lines_from_before_those_that_only_a_hand_wrote_can_be_taken_back(self) -> None:
        for why, seeds in ((Why.RECEIVED, 500), (Why.TAKEN, 20), (Why.DISCARDED, 30), (Why.COUNTED, 440)):
            self.write(why, seeds)
        import_module("evarlo.seeds.migrations.0004_lines_taken_back").by_hand(apps, None)
        self.assertEqual({m.why for m in self.lot.moves.in_force()}, {"discarded", "counted"})

    def test_a_count_taken_back_brings_what_the_ledger_said(self) -> None:
        self.by_hand(Why.RECEIVED, 500)
        counted = self.by_hand(Why.COUNTED, 472)
        self.write(Why.TAKEN, 30)
        undo_line(counted, self.by, self.today)
        self.assertEqual(stock_of(self.lot), 470)

    def test_what_was_counted_since_stands(self) -> None:
        wrong = self.by_hand(Why.RECEIVED, 5000)
        counted = self.by_hand(Why.COUNTED, 480)
        with self.assertRaisesMessage(Refused, "counted since"):
            undo_line(wrong, self.by, self.today)
        undo_line(counted, self.by, self.today)
        undo_line(wrong, self.by, self.today)  # the count itself was taken back
        self.assertEqual(stock_of(self.lot), 0)

    def test_what_was_sown_since_goes_below_nought_and_says_so(self) -> None:
        wrong = self.by_hand(Why.RECEIVED, 300)
        self.write(Why.TAKEN, 40)
        with self.assertRaisesMessage(Refused, "goes with a sowing"):
            undo_line(self.lot.moves.get(seeds=-40), self.by, self.today)
        undo_line(wrong, self.by, self.today)
        self.assertEqual(stock_of(self.lot), -40)
        self.assertIn("40 below zero", Move.objects.get(takes_back=wrong).note)

    def test_what_was_received_and_taken_back_is_no_order_done(self) -> None:
        made = world.trial(self.by)
        lot = keep_lot(None, made.entries.all()[0].cultivar, {"name": "N", "material": "seed"}, self.by)
        came = write_by_hand(lot, Why.RECEIVED, 300, self.today, self.by, self.today)
        self.assertEqual(begun_in([made.pk])[made.pk, "order"], self.today)
        undo_line(came, self.by, self.today)
        self.assertNotIn((made.pk, "order"), begun_in([made.pk]))

    def test_on_the_page_of_the_lot_by_who_may_plan(self) -> None:
        day = self.today.isoformat()
        url = reverse("seeds:move", args=[self.lot.pk])
        said = self.client.post(url, {"why": "received", "seeds": "5000", "on": day}, follow=True)
        line = self.lot.moves.get()
        undo = reverse("seeds:undo-move", args=[self.lot.pk, line.pk])
        self.assertContains(said, undo, 2)  # beside what was said, and in the ledger
        self.assertNotContains(said, 'value="undone"')  # nobody writes such a line
        self.assertContains(self.client.post(url, {"why": "undone", "seeds": "5", "on": day}), "undone", status_code=422)
        self.client.force_login(world.person(Role.READER))
        self.assertEqual(self.client.post(undo).status_code, 403)
        self.assertNotContains(self.client.get(reverse("seeds:lot", args=[self.lot.pk])), "Take back")
        self.client.force_login(self.by)
        self.assertContains(self.client.post(undo, follow=True), "(taken back)")
        self.assertEqual(stock_of(self.lot), 0)
        other = keep_lot(None, self.cultivar, {"name": "other", "material": "seed"}, self.by)
        self.assertEqual(self.client.post(reverse("seeds:undo-move", args=[other.pk, line.pk])).status_code, 404)
