"""Plants as they come up: counts, what is behind, what to sow again; the balance with its undo; the raising space."""

from datetime import timedelta

from django.urls import reverse
from django.utils import timezone

from evarlo.nursery.book import EntryBook, book_of
from evarlo.nursery.coming_up import coming_up, last_sowing
from evarlo.nursery.due import due
from evarlo.nursery.models import Happening, Place, RaisingRule, Sowing, Tending
from evarlo.nursery.queries import begun
from evarlo.nursery.raising import Act, happen, keep_rule, prick_out, tend, undo_happening
from evarlo.nursery.room import keep_reading, move_trays, new_place, rooms, take_away, trays_named
from evarlo.nursery.sowing import new_tray
from evarlo.seeds.models import Move
from evarlo.seeds.services import move_stock
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.testing.raising import Nursery
from evarlo.trials.models import Trial
from evarlo.trials.tasks import season_tasks
from evarlo.ui.refused import Refused
from trialcore.field.emergence import Coming
from trialcore.reckoning.balance import Kind
from trialcore.reckoning.resow import Advice

USUAL = ((6, 8), (8, 30), (10, 50), (13, 60), (16, 62))


class Raised(TestCase):
    def setUp(self) -> None:
        self.by = world.person()
        self.today = timezone.localdate()
        self.n = Nursery(self.by, self.today)
        self.sowings = self.n.sow_all()
        self.client.force_login(self.by)

    def come_up(self, failing: str = "") -> None:
        for code, sowing in self.sowings.items():
            for day, plants in USUAL:
                self.n.count(sowing, day, plants // 9 if code == failing else plants)

    def book(self, code: str) -> EntryBook:
        return next(b for b in book_of(Trial.objects.get(pk=self.n.trial.pk)) if b.entry.code == code)


class ComingUp(Raised):
    def test_one_that_fails_is_told_and_the_seed_for_sowing_again_reckoned(self) -> None:
        self.come_up(failing=self.n.codes[1])
        move_stock(self.n.lots[self.n.codes[1]], Move.Why.RECEIVED, 400, self.today, self.by, self.today)
        trial = Trial.objects.get(pk=self.n.trial.pk)
        rows = {r.book.entry.code: r for r in coming_up(trial, book_of(trial), self.today)}
        failed = rows[self.n.codes[1]]
        assert failed.emergence and failed.resow
        self.assertEqual(failed.emergence.coming, Coming.FAILED)
        self.assertTrue(failed.emergence.below_promise)
        self.assertEqual((failed.needed, failed.resow.advice), (54, Advice.SOW_AGAIN))
        self.assertGreater(failed.resow.seeds, 54)
        self.assertLessEqual(failed.resow.seeds, failed.stock)
        others = [r for c, r in rows.items() if c != self.n.codes[1]]
        self.assertEqual({r.emergence.coming for r in others if r.emergence}, {Coming.AS_OTHERS})
        self.assertEqual({r.resow.advice for r in others if r.resow}, {Advice.ENOUGH})
        last, why = last_sowing(trial)
        self.assertEqual(last, self.n.sown + timedelta(days=34 + 14 - 28))
        self.assertIn("plants of 28 days", why)
        self.assertEqual(begun([trial.pk])[trial.pk, "emergence"], self.n.sown + timedelta(days=6))
        told = [d for d in due(self.today) if "again" in d.what]
        self.assertEqual([(d.what, d.by) for d in told], [(f"{self.n.codes[1]} again", last)])
        self.n.sow(self.n.codes[1], self.n.tray(), range(60), again=True, days=16)
        self.assertEqual([d for d in due(self.today) if "again" in d.what], [])

    def test_after_the_window_it_is_too_late(self) -> None:
        self.come_up(failing=self.n.codes[1])
        Trial.objects.filter(pk=self.n.trial.pk).update(plant_on=self.today)
        trial = Trial.objects.get(pk=self.n.trial.pk)
        rows = {r.book.entry.code: r for r in coming_up(trial, book_of(trial), self.today)}
        resow = rows[self.n.codes[1]].resow
        assert resow
        self.assertEqual(resow.advice, Advice.TOO_LATE)
        self.assertContains(self.client.get(reverse("nursery:coming", args=[trial.slug])), "too late to sow again")

    def test_an_accident_does_not_speak_against_the_seed(self) -> None:
        code = self.n.codes[1]
        self.come_up(failing=code)

        def seeds() -> int:
            trial = Trial.objects.get(pk=self.n.trial.pk)
            row = next(r for r in coming_up(trial, book_of(trial), self.today) if r.book.entry.code == code)
            assert row.resow
            return row.resow.seeds

        before = seeds()
        self.n.lose(self.sowings[code], 60, "mice", "accident", Kind.NOT_UP)
        self.assertLess(seeds(), before)

    def test_a_number_and_enter_keeps_a_line_and_says_what_is_wrong_beside_it(self) -> None:
        code, sowing = self.n.codes[0], self.sowings[self.n.codes[0]]
        url = reverse("nursery:count", args=[self.n.trial.slug, sowing.pk])
        typed = {"plants": "41", "on": self.today.isoformat()}
        answer = self.client.post(url, typed, headers={"hx-request": "true"})
        self.assertEqual(answer["HX-Trigger"], "counted")
        self.assertContains(answer, f"41 on {self.today:%-d %b}")
        self.client.post(url, typed, headers={"hx-request": "true"})
        self.assertEqual(self.book(code).lines[0].balance.standing, 41)
        self.client.post(url, typed | {"plants": "43"}, headers={"hx-request": "true"})
        line = self.book(code).lines[0]
        self.assertEqual((line.balance.standing, len(line.happened), Happening.objects.count()), (43, 1, 2))
        wrong = self.client.post(url, typed | {"plants": "99"}, headers={"hx-request": "true"})
        self.assertContains(wrong, "of 72 seeds that could come up", status_code=422)
        self.assertContains(wrong, 'value="99"', status_code=422)
        early = self.client.post(url, {"plants": "3", "on": "2020-01-01"})
        self.assertEqual(early.status_code, 422)
        part = self.client.get(
            reverse("nursery:coming", args=[self.n.trial.slug]), {"part": "figures"}, headers={"hx-request": "true"}
        )
        self.assertNotContains(part, "<html")

    def test_cells_are_counted_by_touch_and_say_how_many_are_empty(self) -> None:
        sowing = self.n.sow(self.n.codes[0], self.n.tray(2, 3), range(6), again=True)
        self.n.count(sowing, 10, 5, "102011")
        page = self.client.get(reverse("nursery:cells", args=[self.n.trial.slug, sowing.pk]))
        self.assertContains(page, "5 plants in 6 cells of 1 seed; 2 empty, 1 with more than one.")
        for cells in ("10", "1020x1"):
            with self.assertRaisesMessage(Refused, "a digit for each of the 6 cells"):
                self.n.count(sowing, 11, 4, cells)
        line = next(x for x in self.book(self.n.codes[0]).lines if x.sowing == sowing)
        self.assertEqual(line.units, 4)


class TheBook(Raised):
    def test_every_act_balances_and_can_be_undone(self) -> None:
        code = self.n.codes[0]
        sowing = self.sowings[code]
        self.n.count(sowing, 13, 60)
        for act in (
            Act(Kind.LOST, 4, self.today, "slugs", "accident"),
            Act(Kind.LOST, 2, self.today, "white", "weakness"),
            Act(Kind.THINNED, 3, self.today),
            Act(Kind.NOT_UP, 5, self.today, "germinated, not emerged"),
        ):
            happen(sowing, act, self.by, self.today)
        book = self.book(code)
        whole = book.whole
        self.assertEqual((whole.standing, whole.taken_out, whole.not_up_known, whole.waiting), (51, 3, 5, 7))
        self.assertEqual((book.accidents, book.weaknesses, book.other_losses), (4, 2, 0))
        for happening in Happening.objects.exclude(kind=Kind.COUNTED):
            undo_happening(happening, self.by)
        self.assertEqual((self.book(code).whole.standing, self.book(code).whole.waiting), (60, 12))
        self.assertEqual(Happening.objects.count(), 5)

    def test_an_act_that_others_stand_on_cannot_be_undone(self) -> None:
        sowing = self.sowings[self.n.codes[0]]
        happen(sowing, Act(Kind.NOT_UP, 60, self.today, "eaten", "accident"), self.by, self.today)
        first = Happening.objects.get()
        happen(sowing, Act(Kind.COUNTED, 12, self.today), self.by, self.today)
        undo_happening(first, self.by)
        with self.assertRaisesMessage(Refused, "would make"):
            happen(sowing, Act(Kind.NOT_UP, 61, self.today, "eaten", "accident"), self.by, self.today)

    def test_seedlings_pricked_out_stay_in_the_book_and_come_back_with_undo(self) -> None:
        code = self.n.codes[0]
        sowing, tray = self.sowings[code], self.n.tray(3, 4)
        self.n.count(sowing, 13, 60)
        child = prick_out(sowing, 12, tray, list(range(12)), self.today, self.by, self.today)
        self.assertEqual((self.book(code).whole.sown, self.book(code).whole.standing), (72, 60))
        self.n.lose(child, 2, "dried out")
        with self.assertRaisesMessage(Refused, "in their new cells"):
            undo_happening(Happening.objects.get(kind=Kind.PRICKED_OUT), self.by)
        undo_happening(Happening.objects.get(sowing=child), self.by)
        undo_happening(Happening.objects.get(kind=Kind.PRICKED_OUT), self.by)
        self.assertIsNotNone(Sowing.objects.get(pk=child.pk).undone_at)
        self.assertEqual(self.book(code).whole.standing, 60)
        with self.assertRaisesMessage(Refused, "need as many cells"):
            prick_out(sowing, 5, tray, [0, 1], self.today, self.by, self.today)

    def test_the_page_takes_acts_and_says_what_is_wrong(self) -> None:
        sowing = self.sowings[self.n.codes[0]]
        self.n.count(sowing, 13, 60)
        slug = self.n.trial.slug
        typed = {"sowing": sowing.pk, "plants": "4", "kind": "lost", "cause": "", "whose": "", "on": self.today.isoformat()}
        wrong = self.client.post(reverse("nursery:act", args=[slug]), typed)
        self.assertContains(wrong, "Say what they were lost to", status_code=422)
        self.client.post(reverse("nursery:act", args=[slug]), typed | {"cause": "slugs", "whose": "accident"})
        page = self.client.get(reverse("nursery:balance", args=[slug]))
        self.assertContains(page, "4 lost, slugs (accident)")
        self.client.post(reverse("nursery:undo-act", args=[slug, Happening.objects.get(kind=Kind.LOST).pk]))
        self.assertNotContains(self.client.get(reverse("nursery:balance", args=[slug])), "4 lost, slugs")
        care = {"trays": "T1 T9", "what": "hardened", "on": self.today.isoformat(), "said": ""}
        missing = self.client.post(reverse("nursery:tend", args=[slug]), care)
        self.assertContains(missing, "This trial has no tray t9.", status_code=422)
        self.client.post(reverse("nursery:tend", args=[slug]), care | {"trays": "T1"})
        self.assertEqual(Tending.objects.get().tray.name, "T1")
        self.client.post(reverse("nursery:undo-tending", args=[slug, Tending.objects.get().pk]))
        self.assertIsNotNone(Tending.objects.get().undone_at)
        no_tray = {"sowing": sowing.pk, "plants": "2", "tray": "T77", "on": self.today.isoformat()}
        self.assertContains(self.client.post(reverse("nursery:prick", args=[slug]), no_tray), "no tray T77", status_code=422)
        self.client.post(reverse("nursery:prick", args=[slug]), no_tray | {"tray": self.n.tray(2, 2).name})
        self.assertEqual(Sowing.objects.get(parent=sowing).cells, [0, 1])

    def test_hardening_off_goes_on_the_calendar_and_moves_with_planting(self) -> None:
        plant_on = self.today + timedelta(days=20)
        typed = {"plant_on": plant_on.isoformat(), "days": "9"}
        url = reverse("nursery:harden", args=[self.n.trial.slug])
        self.assertContains(self.client.post(url, typed), "in shade, out of the wind")
        self.assertContains(self.client.post(url, typed | {"days": "2"}), "from 3 to 30", status_code=422)
        Trial.objects.filter(pk=self.n.trial.pk).update(plant_on=plant_on)
        self.client.post(url, typed | {"keep": "yes"})
        days = {line.what: d.on for line, d in season_tasks(Trial.objects.get(pk=self.n.trial.pk)).dated}
        self.assertEqual(days["Begin hardening off"], plant_on - timedelta(days=9))
        self.assertEqual(days["Harden off: out"], plant_on - timedelta(days=3))

    def test_what_is_agreed_is_kept(self) -> None:
        url = reverse("nursery:rule", args=[self.n.trial.slug])
        self.client.post(url, {"surplus": "whole", "reserve": "4", "release": "a week after planting"})
        rule = RaisingRule.objects.get()
        self.assertEqual((rule.surplus, rule.reserve), ("whole", 4))
        keep_rule(self.n.trial, self.today, least_stand=60.0)
        rule.refresh_from_db()
        self.assertEqual((rule.reserve, rule.least_stand), (4, 60.0))


class TheSpace(Raised):
    def setUp(self) -> None:
        super().setUp()
        assert self.n.trial.bed
        self.bench = new_place(self.n.trial.bed.site, "Warm bench", 3, "glass", 21, None)
        self.frame = new_place(self.n.trial.bed.site, "Frame", 10, "frame", None, None)

    def room(self, place: Place):  # type: ignore[no-untyped-def]
        return next(r for r in rooms(self.today) if r.place == place)

    def test_a_move_is_one_act_and_too_many_trays_are_foreseen(self) -> None:
        came = self.n.sown
        move_trays(self.n.trays, self.bench, came, self.by, self.today)
        room = self.room(self.bench)
        self.assertEqual(room.held, 4)
        crowded = room.crowded[0]
        self.assertEqual((crowded.since, crowded.trays), (came, 4))
        self.assertEqual(crowded.until, self.n.sown + timedelta(days=33))  # until they are planted
        self.assertEqual(move_trays(self.n.trays[:2], self.frame, self.today, self.by, self.today), 2)
        self.assertEqual(move_trays(self.n.trays[:2], self.frame, self.today, self.by, self.today), 0)
        self.assertEqual((self.room(self.bench).held, self.room(self.frame).held), (2, 2))
        self.assertEqual(self.room(self.bench).crowded, ())
        with self.assertRaisesMessage(Refused, "only"):
            move_trays(self.n.trays[:1], self.bench, came, self.by, self.today)
        take_away(self.n.trays[2], self.today)
        self.assertEqual(self.room(self.bench).held, 1)

    def test_what_a_planned_trial_will_bring_is_foreseen(self) -> None:
        later = world.trial(self.by, name="Later", sow_on=self.today + timedelta(days=5), plant_on=self.today + timedelta(days=40))
        crowded = self.room(self.bench).crowded
        self.assertIn(f"{later.name}, planned", crowded[0].what)
        self.assertEqual(crowded[0].until, self.today + timedelta(days=39))

    def test_readings_are_typed_or_the_probes(self) -> None:
        at = timezone.now()
        warm = [keep_reading(self.bench, None, self.by, at - timedelta(hours=h)).celsius for h in range(24)]
        self.assertTrue(all(abs(t - 21) < 1.3 for t in warm))
        self.client.post(reverse("raising:read", args=[self.frame.pk]), {"celsius": "50 °F"})
        self.assertAlmostEqual(self.frame.readings.get().celsius, 10.0)
        wrong = self.client.post(reverse("raising:read", args=[self.frame.pk]), {"celsius": "warm"})
        self.assertContains(wrong, "Found “warm”. Expected a number", status_code=422)

    def test_the_page_takes_places_and_moves(self) -> None:
        self.client.post(reverse("raising:add-place"), {"name": "Shelf", "capacity": "6", "shelter": "indoors", "light_h": "14"})
        shelf = Place.objects.get(name="Shelf")
        again = self.client.post(reverse("raising:add-place"), {"name": "shelf", "capacity": "6", "shelter": "indoors"})
        self.assertContains(again, "has a place shelf already", status_code=422)
        move = {"trays": "T1, t2", "place": shelf.pk, "on": self.today.isoformat()}
        self.client.post(reverse("raising:move"), move)
        self.assertEqual(self.room(shelf).held, 2)
        self.assertContains(self.client.post(reverse("raising:move"), move | {"trays": "T1 T88"}), "no tray T88", status_code=422)
        self.client.post(reverse("raising:move"), move | {"place": ""})
        self.assertEqual(self.room(shelf).held, 0)

    def test_a_day_to_come_is_refused(self) -> None:
        with self.assertRaisesMessage(Refused, "in the future"):
            tend(self.n.trays[0], "fed", self.today + timedelta(days=1), "", self.by, self.today)


class TrayNames(TestCase):
    def test_a_name_may_hold_spaces(self) -> None:
        by, today = world.person(), timezone.localdate()
        made = {name: new_tray(name, 2, 2, 40, None, today, by) for name in ("T1", "Low bench", "Low bench 2", "Bench")}
        for text, names in (
            ("T1 bench", ["T1", "Bench"]),
            ("low bench", ["Low bench"]),
            ("Low  bench 2, t1,T1", ["Low bench 2", "T1"]),
            ("Bench Low bench T1", ["Bench", "Low bench", "T1"]),
        ):
            self.assertEqual(trays_named(text), [made[name] for name in names], text)
        with self.assertRaisesMessage(Refused, "There is no tray bank."):
            trays_named("Low bench, bank 3")
