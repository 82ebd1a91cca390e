"""Ballots on the judges' own phones: opened by a code alone, each sees its own dishes, the warm-up counts in nothing."""

from datetime import timedelta
from typing import Any

from django.db import connection
from django.test import Client
from django.test.utils import CaptureQueriesContext
from django.urls import reverse
from django.utils import timezone
from playwright.sync_api import Page, expect

from evarlo.tasting.models import Dish, Panel, Seat, Taste
from evarlo.tasting.results import ballots_of, found_in
from evarlo.tasting.services import LETTERS, PanelPlan, set_table, undo_panel
from evarlo.testing import world
from evarlo.testing.browser import PHONE, BrowserTest
from evarlo.testing.pages import TestCase


class OwnBallots(TestCase):
    def setUp(self) -> None:
        self.by, self.today = world.person(), timezone.localdate()
        self.made = world.trial(self.by)
        plan = PanelPlan(self.today, "Sweetness", "none", "very sweet", 4, warm_up=True, pause_s=30)
        self.panel = set_table(self.made, plan, list(self.made.entries.all()), self.by, seed=5)
        self.seat = self.panel.seats.get(judge=2)
        self.client.force_login(self.by)
        self.judge = Client()  # nobody is logged in

    def send(self, code: str, dish: object, score: object, **headers: str) -> Any:
        return self.judge.post(reverse("own-score", args=[code]), {"dish": dish, "score": score}, headers=headers)

    def own(self, judge: int = 2) -> list[Dish]:
        return list(self.panel.dishes.filter(judge=judge))

    def test_a_code_opens_the_ballot_of_one_seat_without_an_account(self) -> None:
        self.assertEqual(len({s.code for s in self.panel.seats.all()}), 4)
        self.assertTrue(all(set(s.code) <= set(LETTERS) and len(s.code) == 8 for s in self.panel.seats.all()))
        typed = f" {str(self.seat).lower()} "
        self.assertRedirects(self.judge.post("/taste/", {"code": typed}), f"/taste/{self.seat.code}/")
        page = self.judge.get(f"/taste/{self.seat.code}/")
        for dish in self.own():
            self.assertContains(page, f'data-dish="{dish.code}"')
        for dish in self.own(1):
            self.assertNotContains(page, f'data-dish="{dish.code}"')
        for entry in self.made.entries.select_related("cultivar"):
            self.assertNotContains(page, entry.cultivar.name)
            self.assertNotContains(page, entry.code)
        self.assertContains(page, "A warm-up: this one does not count")

    def test_what_the_crop_itself_asks_for_is_said_before(self) -> None:
        crop = self.made.crop
        crop.profile |= {"cautions": "Never swallow a bitter one"}
        crop.save()
        for page in (
            self.judge.get(f"/taste/{self.seat.code}/"),
            self.client.get(reverse("tasting:panels", args=[self.made.slug])),
        ):
            self.assertContains(page, f"{crop.name}: never swallow a bitter one.")

    def test_what_is_no_seat_or_over_is_said(self) -> None:
        wrong = self.judge.post("/taste/", {"code": "BCDF-BCDF"})
        self.assertContains(wrong, "No seat has this code.", status_code=422)
        self.assertContains(wrong, "BCDF-BCDF", status_code=422)
        self.assertContains(self.judge.post("/taste/", {}), "Expected eight letters", status_code=422)
        Panel.objects.update(on=self.today - timedelta(days=3))
        self.assertContains(self.judge.get(f"/taste/{self.seat.code}/", follow=True), "and is over", status_code=422)
        Panel.objects.update(on=self.today)
        undo_panel(self.panel)
        self.assertContains(self.judge.get(f"/taste/{self.seat.code}/", follow=True), "No seat has this code", status_code=422)

    def test_scores_are_kept_one_by_one_and_can_be_changed(self) -> None:
        first = self.own()[1]
        self.assertEqual(self.send(self.seat.code, first.code, 6).status_code, 302)
        self.assertEqual(self.send(self.seat.code, first.code, 7, accept="application/json").json(), {"kept": True})
        self.assertEqual([(t.score, t.own) for t in Taste.objects.in_force()], [(7, True)])
        self.assertEqual(Taste.objects.count(), 2)  # the first stays on record

    def test_another_judge_s_dish_and_what_is_no_score_are_refused(self) -> None:
        mine, others = self.own()[1], self.own(1)[1]
        for dish, score, said in (
            (others.code, 5, "No dish of yours"),
            (mine.code, 10, "Expected a whole number from 1 to 9"),
            (mine.code, "", "Expected a whole number"),
            ("٣٣٣", 5, "Expected a whole number"),
            ("9" * 30, 5, "Expected a whole number"),
        ):
            with self.subTest(said=said, dish=dish):
                answer = self.send(self.seat.code, dish, score, accept="application/json")
                self.assertEqual(answer.status_code, 422)
                self.assertIn(said, answer.json()["said"])
                self.assertEqual(self.send(self.seat.code, dish, score).status_code, 422)
        self.assertFalse(Taste.objects.exists())
        self.assertEqual(self.judge.get(reverse("own-score", args=[self.seat.code])).status_code, 302)  # back to the ballot

    def test_the_warm_up_counts_in_nothing(self) -> None:
        """Every dish a 5 and every warm-up a 9: all means are 5."""
        for seat in self.panel.seats.all():
            for dish in self.own(seat.judge):
                self.send(seat.code, dish.code, 5 if dish.position else 9)
        ballots = ballots_of(self.panel)
        self.assertEqual([(len(b.dishes), b.is_full) for b in ballots], [(5, True)] * 4)
        found = found_in(ballots)
        assert found
        self.assertEqual({round(m.lsmean or 0, 6) for m in found.panel.blocks.means}, {5.0})

    def test_the_table_shows_the_codes_to_its_manager_only(self) -> None:
        url = reverse("tasting:panel", args=[self.made.slug, self.panel.pk])
        self.client.force_login(self.by)
        with CaptureQueriesContext(connection) as seen:
            page = self.client.get(url)
        self.assertContains(page, str(self.seat))
        self.assertContains(page, 'class="scannable"', 4)
        self.assertLess(len(seen), 40)
        self.client.force_login(world.person("helper"))
        self.assertNotContains(self.client.get(url), str(self.seat))


class SixPhones(BrowserTest):
    """A panel of six, each on a phone of its own; one is cut off in the middle."""

    forgiven = ("ERR_INTERNET_DISCONNECTED",)

    def setUp(self) -> None:
        super().setUp()
        by = world.person()
        self.made = world.trial(by)
        plan = PanelPlan(timezone.localdate(), "Sweetness, raw", "not sweet", "very sweet", 6, warm_up=True)
        self.panel = set_table(self.made, plan, list(self.made.entries.all()), by, seed=8)
        self.truth = {"Corvane": 4, "Quillet": 8, "OF-17": 5, "Brakewater": 3}

    def score_next(self, page: Page, judge: int) -> None:
        """Score the dish that is shown, as this judge finds it."""
        shown = page.locator("form.dish:visible")
        expect(shown).to_have_count(1)
        code = int(shown.get_attribute("data-dish") or 0)
        dish = self.panel.dishes.select_related("entry__cultivar").get(code=code)
        likes = judge == 5 and dish.entry.cultivar.name == "Brakewater"  # one palate that differs
        score = self.truth[dish.entry.cultivar.name] + (judge % 2) + likes
        shown.get_by_role("button", name=str(score), exact=True).click()
        expect(page.locator(f'form.dish[data-dish="{code}"]')).to_be_hidden()

    def test_six_judges_on_six_phones(self) -> None:
        pages = {}
        for seat in self.panel.seats.all():
            page = self.open(size=PHONE)
            page.goto(self.at("/taste/"))
            page.get_by_label("The letters of your seat").fill(str(seat))
            page.get_by_role("button", name="Open my ballot").click()
            pages[seat.judge] = page
        self.accessible(pages[1], "a judge's ballot")
        self.no_sideways(pages[1], "a judge's ballot")
        for turn in range(6):  # all at one table: each dish goes round before the next
            for judge, page in pages.items():
                if judge == 3 and turn == 2:
                    page.context.set_offline(True)
                if judge == 3 and turn == 5:
                    expect(page.locator("[data-state]")).to_contain_text("3 kept on this phone")
                    page.context.set_offline(False)
                self.score_next(page, judge)
        for page in pages.values():
            expect(page.locator("[data-done]")).to_be_visible()
            expect(page.locator("[data-state]")).to_have_text("All you scored is in.")
        self.assertEqual(Taste.objects.in_force().count(), 36)
        found = found_in(ballots_of(self.panel))
        assert found and found.versus
        by_code = {e.code: e.cultivar.name for e in self.made.entries.select_related("cultivar")}
        differences = {by_code[d.a]: round(d.estimate, 6) for d in found.versus.differences}
        self.assertEqual(differences, {"Quillet": 4.0, "OF-17": 1.0, "Brakewater": round(-5 / 6, 6)})

    def test_the_last_one_can_be_changed_and_a_reload_keeps_its_place(self) -> None:
        seat = Seat.objects.get(panel=self.panel, judge=1)
        page = self.open(size=PHONE)
        page.goto(self.at(f"/taste/{seat.code}/"))
        for _ in range(3):
            self.score_next(page, 1)
        page.reload()
        expect(page.locator("form.dish:visible")).to_contain_text("Dish 3 of 5")
        for _ in range(3):
            self.score_next(page, 1)
        page.get_by_role("button", name="Change the last one").click()
        page.keyboard.press("9")
        expect(page.locator("[data-state]")).to_have_text("All you scored is in.")
        last = self.panel.dishes.filter(judge=1).latest("position")
        self.assertEqual(Taste.objects.in_force().get(dish=last).score, 9)

    def test_a_palate_rests_between_two_dishes(self) -> None:
        Panel.objects.update(pause_s=2)
        seat = Seat.objects.get(panel=self.panel, judge=1)
        page = self.open(size=PHONE)
        page.goto(self.at(f"/taste/{seat.code}/"))
        page.locator("form.dish:visible").get_by_role("button", name="5", exact=True).click()
        expect(page.locator("[data-rest]")).to_contain_text("Rinse with water and rest")
        expect(page.locator("form.dish:visible")).to_have_count(0)
        expect(page.locator("form.dish:visible")).to_contain_text("Dish 1 of 5")
