"""The keeping test: lots put into store and looked at, what is due, and what the page says; shares reckoned by hand."""

from datetime import date, timedelta
from typing import Any

from django.urls import reverse
from django.utils import timezone
from playwright.sync_api import expect

from evarlo.catalogue.models import Trait
from evarlo.harvest.models import StoreCheck, StoredLot
from evarlo.harvest.queries import picked_traits
from evarlo.harvest.rounds import due
from evarlo.harvest.store import LaidIn, Seen, curves_of, keep_to, kept_of, lay_in, look_at, readings, stored_in, undo_look
from evarlo.harvest.words import kept_in_words, store_in_words
from evarlo.people.models import Role
from evarlo.testing import world
from evarlo.testing.browser import PHONE, BrowserTest
from evarlo.testing.pages import TestCase
from evarlo.trials.models import Trial
from evarlo.trials.queries import diary_of
from evarlo.ui.refused import Refused
from evarlo.verdicts.board import board_of
from trialcore.analyses.keeping import LotChecks, keeping
from trialcore.reckoning.germination import wilson_interval


class InStore(TestCase):
    def setUp(self) -> None:
        self.by, self.today = world.person(), timezone.localdate()
        self.made = world.trial(self.by)
        world.sow(self.made, self.by)
        self.check, self.other = (self.made.entries.get(cultivar__name=n) for n in ("Corvane", "Quillet"))
        self.client.force_login(self.by)
        self.url = reverse("harvest:store", args=[self.made.slug])
        self.start = self.today - timedelta(days=42)

    def lot(self, entry: Any = None, pieces: int = 20, **more: Any) -> StoredLot:
        return lay_in(self.made, entry or self.check, None, self.start, LaidIn(pieces, **more), self.by, self.today)

    def look(self, lot: StoredLot, days: int, sound: int, **more: Any) -> StoreCheck:
        return look_at(lot, self.start + timedelta(days=days), Seen(sound, **more), self.by, self.today)

    def test_a_lot_is_looked_at_and_what_is_missing_was_lost(self) -> None:
        """Of 20 kg and 20 pieces 9 are left with 7.2 kg: a piece has 80 % of its weight. 2, then 7 were lost; 2 eaten."""
        lot = self.lot(kg=20.0, place="cellar, 4 °C")
        self.look(lot, 14, 18, cause="rot")
        self.look(lot, 28, 9, taken=2, kg=7.2)
        self.look(lot, 30, 8, cause="rot")
        (stored,) = stored_in(self.made)
        self.assertEqual((stored.sound, stored.losses, stored.causes), (8, (2, 7, 1), "3 rot, 7 not said"))
        undo_look(stored.checks[-1])
        (stored,) = stored_in(self.made)
        self.assertAlmostEqual(stored.weight_left or 0.0, 80.0)
        self.assertEqual(stored.next_on, self.start + timedelta(days=42))
        # 18 of 20, then 11 of 18, two of which were seen sound and taken away; Wilson's interval over 20 known pieces
        (points,) = curves_of([stored]).values()
        for point, day, share in zip(points, (0, 14, 28), (1.0, 0.9, 0.9 * 11 / 18), strict=True):
            self.assertEqual(point.day, day)
            self.assertAlmostEqual(point.share, share, places=9)
        low, high = wilson_interval(18, 20)
        self.assertAlmostEqual(points[1].lower95, low, places=9)
        self.assertAlmostEqual(points[1].upper95, high, places=9)

    def test_what_cannot_be_is_refused_beside_what_was_typed(self) -> None:
        lot = self.lot()
        self.look(lot, 14, 18)
        for days, sound, taken, field in (
            (14, 17, 0, "on"),
            (10, 17, 0, "on"),
            (43, 17, 0, "on"),
            (20, 19, 0, "sound"),
            (20, 17, 2, "sound"),
        ):
            with self.subTest(days=days, sound=sound), self.assertRaises(Refused) as refused:
                self.look(lot, days, sound, taken=taken)
            self.assertEqual(refused.exception.field, field)
        strange = world.trial(self.by, name="Other").entries.first()
        for entry, on, pieces in (
            (strange, self.start, 20),
            (self.check, self.today + timedelta(days=1), 20),
            (self.check, self.start, 0),
        ):
            with self.subTest(pieces=pieces), self.assertRaises(Refused):
                lay_in(self.made, entry or self.check, None, on, LaidIn(pieces), self.by, self.today)
        self.assertEqual((StoredLot.objects.count(), StoreCheck.objects.count()), (1, 1))

    def test_lots_are_due_after_their_interval_until_nothing_is_left(self) -> None:
        lot = self.lot(every_days=14)
        first = self.start + timedelta(days=14)

        def asked(on: date) -> list[tuple[str, date, str]]:
            return [(d.what, d.by, d.amount) for d in due(on) if d.verb == "Look at"]

        self.assertEqual(asked(first - timedelta(days=2)), [])
        self.assertEqual(asked(first), [("What is in store", first, "1 lot")])
        self.look(lot, 20, 10)
        self.assertEqual(asked(first + timedelta(days=7)), [])
        self.assertEqual([on for _, on, _ in asked(self.today)], [self.start + timedelta(days=34)])
        Trial.objects.update(decided_at=timezone.now())
        self.assertEqual(asked(self.today), [])
        self.assertEqual(store_in_words(stored_in(Trial.objects.get()), self.today), "1 lot in store with 10 sound pieces.")
        self.assertNotContains(self.client.get(self.url), "Look at it…")
        Trial.objects.update(decided_at=None)
        self.look(lot, 40, 0)
        self.assertEqual(asked(self.today + timedelta(days=60)), [])

    def test_the_longer_keeper_is_told_with_its_range(self) -> None:
        """Losses at the same ranks, all at twice the days: it keeps twice as long, whatever the shape of the distribution."""
        for _ in range(3):
            for entry, pace in ((self.check, 1), (self.other, 2)):
                lot = self.lot(entry, 40)
                for step, sound in ((5, 36), (10, 22), (15, 8), (20, 2)):
                    self.look(lot, step * pace, sound)
        stored = stored_in(self.made)
        found = kept_of(stored, self.check.code)
        assert found
        (against,) = found.vs_check
        self.assertAlmostEqual(against.ratio, 2.0, places=3)
        names = {self.check.code: "Corvane", self.other.code: "Quillet"}
        said = str(kept_in_words(found, names, self.check.code))
        self.assertIn("<strong>Quillet</strong> keeps 2.0 times as long as Corvane (", said)
        page = self.client.get(self.url).content.decode()
        self.assertIn(said, page)
        self.assertIn("Share still sound of 2 entries", page)
        half = {e.entry: e.median or 0.0 for e in found.entries}
        self.assertTrue(10 < half[self.check.code] < 11)  # 22 of 40 on day 10, 8 on day 15
        self.assertAlmostEqual(half[self.other.code] / half[self.check.code], 2.0, places=3)

    def test_with_nothing_lost_nothing_is_made_up(self) -> None:
        self.assertIn("Nothing is in store yet.", self.client.get(self.url).content.decode())
        lot = self.lot()
        self.assertIsNone(kept_of(stored_in(self.made), self.check.code))
        self.look(lot, 14, 20)
        page = self.client.get(self.url).content.decode()
        self.assertIn("not to be told yet", page)
        self.assertIn("Nothing of Corvane is lost yet.", page)
        self.assertEqual(
            store_in_words(stored_in(self.made), self.today), "1 lot in store with 20 sound pieces; 1 lot to be looked at."
        )

    def test_without_the_check_nothing_is_set_against_it(self) -> None:
        lot = self.lot(self.other)
        self.look(lot, 14, 15)
        self.assertContains(self.client.get(self.url), "What was seen so far does not tell yet how long they keep.")
        self.look(lot, 28, 8)
        self.assertIn("The check is not in store: nothing is set against it.", self.client.get(self.url).content.decode())

    def test_the_page_puts_away_looks_and_takes_back(self) -> None:
        plot = self.other.plots.all()[0]
        laid = {
            "of": f"p{plot.pk}",
            "on": self.start.isoformat(),
            "pieces": "25",
            "kg": "12,5",
            "place": "clamp",
            "every_days": "7",
        }
        self.assertRedirects(self.client.post(reverse("harvest:new-lot", args=[self.made.slug]), laid), self.url)
        lot = StoredLot.objects.get()
        self.assertEqual((lot.entry, lot.plot, lot.pieces, lot.kg, lot.every_days), (self.other, plot, 25, 12.5, 7))
        look = reverse("harvest:look", args=[self.made.slug, lot.pk])
        wrong = self.client.post(look, {"on": self.today.isoformat(), "sound": "26"})
        self.assertContains(wrong, "There were 25 sound pieces.", status_code=422)
        self.assertContains(wrong, 'value="26"', status_code=422)
        self.assertRedirects(self.client.post(look, {"on": self.today.isoformat(), "sound": "20", "cause": "rot"}), self.url)
        self.assertContains(self.client.get(self.url), "5 rot")
        undo = reverse("harvest:undo-store", args=[self.made.slug, lot.pk])
        self.client.post(undo)
        self.assertEqual((StoreCheck.objects.in_force().count(), StoredLot.objects.in_force().count()), (0, 1))
        self.client.post(undo)
        self.assertEqual(StoredLot.objects.in_force().count(), 0)
        self.assertEqual(self.client.post(undo).status_code, 404)

    def test_the_diary_of_the_plot_tells_it(self) -> None:
        plot = self.other.plots.select_related("trial").all()[0]
        lot = lay_in(self.made, self.other, plot, self.start, LaidIn(20, place="clamp"), self.by, self.today)
        self.look(lot, 14, 15, taken=2, cause="rot")
        self.lot(self.other)  # of no plot
        told = [(line.on, line.text) for line in diary_of(plot, True)]
        self.assertIn((self.start, "20 pieces put into store, clamp."), told)
        self.assertIn((self.start + timedelta(days=14), "In store: 15 sound, 3 lost (rot), 2 taken away sound."), told)
        self.assertEqual(sum("into store" in text for _, text in told), 1)

    def test_hostile_and_empty_answers_are_refused_with_what_was_typed(self) -> None:
        new = reverse("harvest:new-lot", args=[self.made.slug])
        for typed in (
            {},
            {"of": "p0", "pieces": "9" * 40},
            {"of": "x", "on": "yesterday", "pieces": "-1", "kg": "NaN"},
            {"of": "e1\x00"},
        ):
            with self.subTest(typed=typed):
                self.assertEqual(self.client.post(new, typed).status_code, 422)
        self.assertEqual(StoredLot.objects.count(), 0)

    def test_who_may_see_and_do_what(self) -> None:
        lot = self.lot(self.other, place="beside Quillet")
        self.look(lot, 14, 10)
        look = reverse("harvest:look", args=[self.made.slug, lot.pk])
        Trial.objects.update(blind=True)
        for role, hidden, posted in ((Role.HELPER, True, 302), (Role.READER, False, 403)):
            self.client.force_login(world.person(role))
            page = self.client.get(self.url).content.decode()
            with self.subTest(role=role):
                self.assertEqual("Half sound" not in page, hidden)
                self.assertEqual("Quillet" not in page, hidden)
                on = self.start + timedelta(days=20)
                self.assertEqual(self.client.post(look, {"on": on.isoformat(), "sound": "9"}).status_code, posted)


class MarketDay(TestCase):
    """Whether lots are still sound at the day of the market: straight between looks, nought once all is lost, else not known."""

    def setUp(self) -> None:
        self.by = world.person()
        self.made = world.trial(self.by)
        self.client.force_login(self.by)
        self.start = world.TODAY - timedelta(days=60)
        self.plot = self.made.plots.select_related("entry", "trial").get(number="101")
        self.lot = lay_in(self.made, self.plot.entry, self.plot, self.start, LaidIn(20, 10.0), self.by, world.TODAY)

    def look(self, day: int, sound: int, taken: int = 0, kg: float | None = None) -> None:
        look_at(self.lot, self.start + timedelta(days=day), Seen(sound, taken, "", kg), self.by, world.TODAY)

    def reading(self, key: str) -> float | None:
        found = readings(self.made, Trait.objects.get(key=key)).get(self.plot.pk)
        return found.number if found else None

    def test_between_two_looks_it_lies_straight(self) -> None:
        """18 of 20 on day 20 and 9 of 18 on day 40 are 90 and 45 %: 67.5 % on day 30. A piece has 450 g, then 400 g, of 500."""
        self.assertIsNone(self.reading("kept-share"))  # nobody said to which day
        keep_to(self.made, 30, self.by)
        self.look(20, 18, kg=8.1)
        self.assertIsNone(self.reading("kept-share"))  # nobody looked since
        self.look(40, 9, kg=3.6)
        self.assertAlmostEqual(self.reading("kept-share") or 0, 67.5)
        self.assertAlmostEqual(self.reading("store-weight-loss") or 0, 15.0)
        self.assertIn("kept-share", [t.key for t in picked_traits(self.made)])
        self.assertContains(self.client.get(reverse("harvest:store", args=[self.made.slug])), "After 30 days in store")

    def test_what_was_taken_away_sound_counts_until_then_and_all_lost_is_nought(self) -> None:
        """Of 20 ten are taken sound on day 10; of the other ten five are lost by day 20: half is left."""
        keep_to(self.made, 20, self.by)
        self.look(10, 10, taken=10)
        self.look(20, 5)
        self.assertAlmostEqual(self.reading("kept-share") or 0, 50.0)
        self.look(25, 0)
        keep_to(self.made, 50, self.by)
        self.assertEqual(self.reading("kept-share"), 0.0)  # it needs no further look

    def test_what_was_taken_away_to_the_last_piece_tells_nothing_after(self) -> None:
        keep_to(self.made, 30, self.by)
        self.look(20, 0, taken=20)
        self.assertIsNone(self.reading("kept-share"))

    def test_a_must_have_drops_what_does_not_keep(self) -> None:
        """At least 60 % are asked for: an entry of which 45 % are sound fails it, surely, and the verdict says why."""
        trait = Trait.objects.get(key="kept-share")
        self.made.criteria.create(trait=trait, direction="higher", matters=10, must=60, rank=9)
        keep_to(self.made, 30, self.by)
        for plot in self.made.plots.select_related("entry__cultivar", "trial"):
            good = plot.entry.cultivar.name != "Brakewater"
            lot = lay_in(self.made, plot.entry, plot, self.start, LaidIn(40), self.by, world.TODAY)
            sound = (36 if good else 8) - plot.place % 3  # lots differ a little
            look_at(lot, self.start + timedelta(days=30), Seen(sound), self.by, world.TODAY)
        world.keep_yields(self.made, self.by, {"Corvane": 6.0, "Quillet": 6.5, "OF-17": 6.2, "Brakewater": 8.0})
        board = board_of(Trial.objects.get(pk=self.made.pk), self.by)
        worst = next(x for x in board.lines if x.entry.cultivar.name == "Brakewater")
        assert worst.suggestion
        self.assertEqual(worst.suggestion.verdict.value, "drop")
        self.assertIn("Sound at the market day", " ".join(str(r) for r in worst.suggestion.reasons))


class FourChecks(BrowserTest):
    def test_a_keeping_test_from_the_cellar_to_the_median(self) -> None:
        """Two lots are put away on a phone, looked at four times by keys and thumbs; then half of one is lost."""
        by = world.person("manager")
        made = world.trial(by)
        page = self.open("manager", PHONE)
        url = self.at(f"/trials/{made.slug}/pick/store/")
        start = timezone.localdate() - timedelta(days=60)
        plots = {p.entry.cultivar.name: p for p in made.plots.select_related("entry__cultivar")}
        names = {"Corvane": (24, 20, 12, 4), "Quillet": (24, 24, 20, 18)}
        page.goto(url)
        for name in names:
            page.get_by_label("Of", exact=True).select_option(f"p{plots[name].pk}")
            page.get_by_label("Put away on").fill(start.isoformat())
            page.get_by_label("Pieces", exact=True).fill("24")
            with page.expect_navigation():  # what it waits for would stand there from the first one
                page.get_by_role("button", name="Put it away").click()
            expect(page.get_by_text("24 pieces of")).to_be_visible()
            page.get_by_text("Put pieces into store…").click()
        for n in range(4):
            for name, sound in names.items():
                section = page.locator("section.event", has_text=f"plot {plots[name].number}")
                section.get_by_text("Look at it…").click()
                section.get_by_label("Day", exact=True).fill((start + timedelta(days=14 * (n + 1))).isoformat())
                section.get_by_label("Sound", exact=True).press_sequentially(str(sound[n]), delay=30)
                section.get_by_label("The others were lost to").fill("rot")
                with page.expect_navigation():
                    section.get_by_role("button", name="Save the look").click()
                expect(page.locator("section.event", has_text=f"plot {plots[name].number}")).to_contain_text(
                    f"{sound[n]} of 24 sound"
                )
        self.assertEqual(StoreCheck.objects.count(), 8)
        self.accessible(page, "a keeping test")
        self.no_sideways(page, "a keeping test")
        row = page.locator("tr", has_text="Corvane").first
        expect(row).to_contain_text("20")  # lost
        found = keeping(
            [
                LotChecks("a", "Corvane", 24, (14.0, 28.0, 42.0, 56.0), names["Corvane"], (0, 4, 8, 8)),
                LotChecks("b", "Quillet", 24, (14.0, 28.0, 42.0, 56.0), names["Quillet"], (0, 0, 4, 2)),
            ],
            "Corvane",
        )
        median = next(e.median for e in found.entries if e.entry == "Corvane")
        expect(row).to_contain_text(f"{median:.0f}")
