"""Germination tests of a lot: kept by day and class, told with their uncertainty, and used where seed is reckoned."""

from datetime import timedelta

from django.urls import reverse
from django.utils import timezone

from evarlo.catalogue.models import Crop, Cultivar
from evarlo.people.models import Role
from evarlo.seeds.germination import against, begin_test, end_test, keep_counts, results, tested, tests_of, undo_count, undo_test
from evarlo.seeds.models import GerminationTest, Lot, Move
from evarlo.seeds.queries import stocks
from evarlo.seeds.services import keep_lot, move_stock, stock_of
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.ui.refused import Refused
from trialcore.reckoning.germination import LotVerdict


class Tests(TestCase):
    def setUp(self) -> None:
        self.by = world.person()
        self.today = timezone.localdate()
        self.began = self.today - timedelta(days=14)
        self.cultivar = Cultivar.objects.create(crop=Crop.objects.get(name="Bulb fennel"), name="Corvane")
        self.lot = self.new_lot("K-17")
        self.client.force_login(self.by)

    def new_lot(self, name: str, stated: float = 90.0) -> Lot:
        lot = keep_lot(None, self.cultivar, {"name": name, "material": "seed", "germination": stated}, self.by)
        move_stock(lot, Move.Why.RECEIVED, 500, self.began, self.by, self.today)
        return lot

    def begin(self, lot: Lot | None = None, method: str = "germination") -> GerminationTest:
        return begin_test(lot or self.lot, method, self.began, 4, 25, 20.0, "paper", self.by, self.today)

    def count(self, test: GerminationTest, day: int, normal: list[int], **more: int) -> int:
        rows = {r: {"normal": n, **more} for r, n in enumerate(normal, start=1)}
        return keep_counts(test, self.began + timedelta(days=day), rows, self.by, self.today)

    def test_its_seeds_leave_the_stock_and_what_it_finds_stands_where_seed_is_reckoned(self) -> None:
        test = self.begin()
        self.assertEqual(stock_of(self.lot), 400)
        self.count(test, 5, [10, 12, 9, 11])
        self.count(test, 9, [8, 7, 9, 6])
        self.assertEqual(stocks(self.today.year)[0].germination, 90)
        end_test(test, self.today)
        stock = stocks(self.today.year)[0]
        self.assertEqual((stock.germination, stock.tested), (72.0, (72, 100)))
        self.assertEqual(stock.said, "Tested at 72 % (at most 80 %), 90 % were stated.")
        end_test(test, None)
        self.assertIsNone(stocks(self.today.year)[0].tested)

    def test_the_figures_are_those_of_the_core(self) -> None:
        """The published counts of the shared vectors: 78 of 100, half of them by day 4.77."""
        test = self.begin()
        for day, n in ((3, 4), (4, 15), (5, 26), (6, 18), (7, 9), (8, 4), (9, 2)):
            self.count(test, day, [n // 4 + (i < n % 4) for i in range(4)])
        found = results([test])[0]
        self.assertEqual((found.normal, found.left), (78, 22))
        self.assertAlmostEqual(found.lower95, 0.6892964648501421)
        assert found.speed and found.curve and found.curve.median95
        self.assertAlmostEqual(found.speed.t50 or 0, 4.769230769230769)
        self.assertLess(found.curve.median95[0], 5.2)
        self.assertGreater(found.curve.median95[1], 4.8)
        self.assertEqual(found.fails_on, self.began + timedelta(days=21))  # fennel comes up after 14 days at the latest

    def test_a_count_that_is_corrected_keeps_what_was_there_and_is_counted_once(self) -> None:
        test = self.begin()
        self.assertEqual(self.count(test, 5, [10, 12, 9, 11]), 4)
        self.assertEqual(self.count(test, 5, [10, 12, 9, 11]), 0)
        self.assertEqual(self.count(test, 5, [10, 2, 9, 11]), 1)
        self.assertEqual((results([test])[0].normal, test.counts.count()), (32, 5))

    def test_a_count_taken_back_brings_what_stood_before_it(self) -> None:
        test = self.begin()
        self.count(test, 5, [10, 12, 9, 11])
        self.count(test, 5, [10, 2, 9, 11])
        corrected = test.counts.in_force().get(replicate=2)
        undo_count(corrected, self.by, self.today)
        undo_count(corrected, self.by, self.today)
        self.assertEqual(results([test])[0].normal, 42)
        undo_count(test.counts.in_force().get(replicate=4), self.by, self.today)
        self.assertEqual((results([test])[0].by_replicate, test.counts.count()), ((10, 12, 9, 0), 7))

    def test_a_test_begun_by_mistake_gives_its_seeds_back_and_says_nothing_of_the_lot(self) -> None:
        test = self.begin()
        self.count(test, 5, [1, 0, 0, 0])
        with self.assertRaisesMessage(Refused, "Something was counted in it since"):
            undo_test(test, self.by, self.today)
        self.count(test, 5, [0, 0, 0, 0])
        end_test(test, self.today)
        self.assertEqual(stocks(self.today.year)[0].tested, (0, 100))
        url = reverse("seeds:undo-test", args=[test.pk])
        self.assertContains(self.client.get(reverse("seeds:test", args=[test.pk])), url)
        self.assertContains(self.client.post(url, follow=True), "100 seeds are in the lot again")
        self.client.post(url)  # a second tap
        self.assertEqual((stock_of(self.lot), tests_of(self.lot), tested([self.lot.pk])), (500, [], {}))
        self.assertIsNone(stocks(self.today.year)[0].tested)
        page = self.client.get(reverse("seeds:test", args=[test.pk]))
        self.assertContains(page, "nothing goes by it")
        self.assertNotContains(page, "Save the counts")
        with self.assertRaisesMessage(Refused, "was taken back"):
            self.count(test, 6, [3, 3, 3, 3])
        end_test(test, None)
        self.assertEqual(GerminationTest.objects.get(pk=test.pk).ended_on, self.today)

    def test_what_cannot_be_is_refused_in_words(self) -> None:
        test = self.begin()
        self.count(test, 5, [20, 0, 0, 0])
        with self.assertRaisesMessage(Refused, "20 were counted on other days; 6 more are over the 25 of a replicate"):
            self.count(test, 6, [6, 0, 0, 0])
        with self.assertRaisesMessage(Refused, "Expected a day from"):
            self.count(test, 0, [1, 0, 0, 0])
        with self.assertRaisesMessage(Refused, "in the future"):
            self.count(test, 15, [1, 0, 0, 0])
        with self.assertRaisesMessage(Refused, "There is no replicate 5"):
            self.count(test, 6, [0, 0, 0, 0, 1])
        with self.assertRaisesMessage(Refused, "The ledger has 400"):
            begin_test(self.lot, "germination", self.began, 20, 25, None, "", self.by, self.today)
        tubers = keep_lot(None, self.cultivar, {"name": "T", "material": "tubers"}, self.by)
        with self.assertRaisesMessage(Refused, "Only seed"):
            self.begin(tubers)

    def test_the_verdict_follows_the_interval(self) -> None:
        for normal, verdict in (
            ([23, 22, 24, 21], LotVerdict.SOW),
            ([17, 16, 18, 17], LotVerdict.SOW_THICKER),
            ([5, 4, 6, 3], LotVerdict.REJECT),
        ):
            test = self.begin()
            self.count(test, 7, normal)
            self.assertEqual(results([test])[0].advice.verdict, verdict)

    def test_lots_are_set_against_each_other_in_words_and_a_quick_test_gives_way(self) -> None:
        one, other = self.begin(), self.begin(self.new_lot("K-18"))
        self.count(one, 7, [19, 20, 19, 20])
        self.count(other, 7, [23, 22, 23, 22])
        first, second = results([one])[0], results([other])[0]
        self.assertEqual(against(first, second), "Lot K-18 is likely 2 to 22 points better.")
        self.assertEqual(against(second, first), "Lot K-17 is likely 2 to 22 points worse.")
        self.assertTrue(against(first, first).startswith("Lot K-17 may be as good"))
        quick = self.begin(method="quick")
        self.count(quick, 0, [25, 25, 25, 25])
        self.assertEqual(tested([self.lot.pk])[self.lot.pk].test, one)
        self.assertIsNone(results([quick])[0].speed)

    def test_the_pages_take_a_test_from_beginning_to_end(self) -> None:
        begin = reverse("seeds:begin-test", args=[self.lot.pk])
        typed = {"began_on": self.began.isoformat(), "replicates": "4", "seeds": "200"}
        over = self.client.post(begin, typed)
        self.assertContains(over, "Begin it, although the ledger has less", status_code=422)
        self.client.post(begin, typed | {"seeds": "25", "celsius": "68 °F"})
        test = GerminationTest.objects.get()
        self.assertAlmostEqual(test.celsius or 0, 20.0)
        page, count = reverse("seeds:test", args=[test.pk]), reverse("seeds:count", args=[test.pk])
        self.assertContains(self.client.get(page), "Nothing is counted yet")
        day = (self.began + timedelta(days=6)).isoformat()
        wrong = self.client.post(count, {"on": day, "normal_1": "26", "normal_2": "12"})
        self.assertContains(wrong, "Found “26”. Expected a whole number from 0 to 25", status_code=422)
        self.assertContains(wrong, 'value="12"', status_code=422)
        answer = self.client.post(count, {"on": day, "normal_1": "16", "normal_2": "12", "dead_1": "1"}, follow=True)
        self.assertContains(answer, "<strong>28 %</strong> germinated normally: 28 of 100")
        self.client.post(reverse("seeds:end-test", args=[test.pk]))
        self.assertContains(self.client.get(reverse("seeds:lot", args=[self.lot.pk])), "28 % germinated in its last test")
        self.assertEqual(len(tests_of(self.lot)), 1)

    def test_whoever_must_not_know_names_sees_no_lot(self) -> None:
        test = self.begin()
        self.client.force_login(world.person(Role.EVALUATOR))
        self.assertEqual(self.client.get(reverse("seeds:test", args=[test.pk])).status_code, 403)

    def test_a_float_test_has_its_own_columns_and_gives_no_advice(self) -> None:
        test = self.begin(method="float")
        url = reverse("seeds:test", args=[test.pk])
        page = self.client.get(url)
        self.assertContains(page, '<th scope="col">Sank</th><th scope="col">Floated</th>')
        self.assertNotContains(page, "abnormal")
        typed = (
            {"on": self.began.isoformat()} | {f"normal_{r}": "20" for r in range(1, 5)} | {f"dead_{r}": "5" for r in range(1, 5)}
        )
        self.client.post(reverse("seeds:count", args=[test.pk]), typed)
        page = self.client.get(url)
        self.assertContains(page, "<strong>80 %</strong> sank: 80 of 100, so between 71 and 87 % of the lot")
        self.assertNotContains(page, "as usual")
        wrong = self.client.post(reverse("seeds:count", args=[test.pk]), {"on": self.began.isoformat(), "normal_1": "26"})
        self.assertContains(wrong, "Sank, replicate 1", status_code=422)
        self.assertIsNone(stocks(self.today.year)[0].tested)
