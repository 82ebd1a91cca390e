"""Three seasons of a programme to a line-up, signed: the board by keys, the years, the season to come, on desk and phone."""

import re
import time

from playwright.sync_api import Page, Route, expect

from evarlo.programmes.services import make_programme
from evarlo.testing import world
from evarlo.testing.browser import DESK, PHONE, BrowserTest
from evarlo.trials.models import Trial
from evarlo.verdicts.models import Lesson, Opinion, SignedBoard
from evarlo.verdicts.services import sign_board


def late(route: Route) -> None:
    time.sleep(1)
    route.continue_()


MEANS = {"Corvane": 5.0, "Quillet": 6.4, "OF-17": 6.1, "Brakewater": 5.4, "Weir Street": 4.9, "Umbra Sill": 4.0}


class Years(BrowserTest):
    def grow(self) -> None:
        by = world.person()
        trials = []
        for year in ("2024", "2025", "2026"):
            made = world.trial(by, entries=tuple(MEANS), season=year, name="Fennel")
            world.sow(made, by)
            world.keep_yields(made, by, {n: m + 0.1 * int(year[-1]) * (n == "OF-17") for n, m in MEANS.items()})
            trials.append(made)
        make_programme("Fennel", trials[0].crop, trials, by)
        for made in trials[:2]:
            sign_board(Trial.objects.get(pk=made.pk), by)

    def line(self, page: Page, name: str):  # type: ignore[no-untyped-def]
        return page.locator("tbody.line", has_text=name)

    def test_from_three_seasons_to_a_line_up(self) -> None:
        self.grow()
        page = self.open("manager")
        self.board(page)
        self.sign(page)
        self.years(page)
        self.after(page)

    def board(self, page: Page) -> None:
        page.goto(self.at("/trials/fennel-2026/decide/"))
        expect(page.locator("#board-lead")).to_contain_text("to recommend")
        self.accessible(page, "board")
        self.assertLessEqual(page.locator("table.board").bounding_box()["y"], 420)  # type: ignore[index]
        page.keyboard.press("ArrowDown")
        first = page.evaluate("document.activeElement.closest('tbody').id")
        page.keyboard.press("ArrowDown")
        self.assertNotEqual(page.evaluate("document.activeElement.closest('tbody').id"), first)
        page.keyboard.press("ArrowUp")
        page.keyboard.press("Enter")
        expect(page.locator(f"#{first}")).to_contain_text("Expected to keep")
        self.accessible(page, "all that is known")
        page.keyboard.press("Enter")
        expect(page.locator(f"#{first}")).not_to_contain_text("Expected to keep")
        row = self.line(page, "Brakewater").locator("tr").first
        suggested = self.line(page, "Brakewater").get_attribute("data-suggested")
        row.focus()
        page.keyboard.press({"recommend": "r", "retest": "t", "drop": "d"}[suggested or ""])
        expect(self.line(page, "Brakewater")).to_contain_text("agrees")
        row.focus()
        page.keyboard.press("d" if suggested != "drop" else "t")
        expect(self.line(page, "Brakewater").get_by_label("Reason")).to_be_focused()
        page.keyboard.type("Splits in the cold", delay=30)
        page.keyboard.press("Enter")
        expect(self.line(page, "Brakewater")).to_contain_text("decided otherwise: Splits in the cold")
        self.line(page, "Brakewater").locator("tr").first.focus()
        page.keyboard.press("w")
        expect(self.line(page, "Brakewater").get_by_label("For whom")).to_be_focused()
        page.keyboard.type("the tunnel")
        self.line(page, "Brakewater").get_by_label("Recommend").check()
        self.line(page, "Brakewater").get_by_label("Reason").fill("Stands there")
        self.line(page, "Brakewater").get_by_role("button", name="Save verdict").click()
        expect(self.line(page, "Brakewater")).to_contain_text("Recommend for the tunnel")
        self.assertEqual(Opinion.objects.in_force().count(), 3)
        self.line(page, "Brakewater").locator("tr").first.focus()
        page.keyboard.press("u")
        expect(page.locator("#notices")).to_contain_text("for the tunnel is taken back")
        self.assertEqual(Opinion.objects.in_force().count(), 2)

    def test_keys_on_the_board_with_answers_a_second_late(self) -> None:
        """A reason typed before its field is there is in it, and no letter of it is a verdict; who has gone on is left there."""
        self.grow()
        page = self.open("manager")
        page.goto(self.at("/trials/fennel-2026/decide/"))
        suggested = {name: self.line(page, name).get_attribute("data-suggested") or "" for name in MEANS}
        page.route(re.compile("/decide/.*"), late)
        other = {"recommend": "d", "retest": "d", "drop": "r"}[suggested["Brakewater"]]
        self.line(page, "Brakewater").locator("tr").first.focus()
        page.keyboard.type(f"{other}rots in stord", delay=30)
        page.keyboard.press("Backspace")
        page.keyboard.type("e\n", delay=30)
        expect(self.line(page, "Brakewater")).to_contain_text("decided otherwise: rots in store", timeout=20_000)
        self.assertEqual(Opinion.objects.count(), 1)
        here = self.line(page, "Quillet")
        here.locator("tr").first.focus()
        page.keyboard.press(suggested["Quillet"][0 if suggested["Quillet"] != "retest" else 2])
        page.keyboard.press("ArrowDown")
        gone_on = page.evaluate("document.activeElement.closest('tbody').id")
        self.assertNotEqual(gone_on, here.get_attribute("id"))
        expect(here).to_contain_text("agrees", timeout=20_000)
        self.assertEqual(page.evaluate("document.activeElement.closest('tbody')?.id"), gone_on)

    def sign(self, page: Page) -> None:
        page.get_by_label("Your password, as a signature").fill(world.PASSWORD)
        page.get_by_role("button", name="Sign these verdicts").click()
        expect(page.get_by_text("The data are as they were then.")).to_be_visible()
        signed = SignedBoard.objects.get(trial__season="2026")
        self.assertEqual(signed.rule["rested_on"], ["Fennel 2024", "Fennel 2025"])
        self.line(page, "Quillet").locator("tr").first.focus()
        page.keyboard.press("d")  # nothing is changed on a signed board
        expect(self.line(page, "Quillet")).not_to_contain_text("Reason")
        page.go_back()
        page.reload()
        expect(page.get_by_text("The data are as they were then.")).to_be_visible()

    def years(self, page: Page) -> None:
        page.get_by_role("link", name="Over the years").click()
        expect(page.locator(".lead")).to_contain_text("in three trials of three", timeout=20_000)
        expect(page.locator(".years-table tbody tr").first).to_contain_text("Quillet")
        self.accessible(page, "years")
        page.get_by_role("link", name="All that was reckoned").click()
        expect(page.get_by_role("heading", name="Variances between trials")).to_be_visible()
        self.accessible(page, "all that was reckoned")
        page.go_back()
        page.get_by_role("link", name="Settings and trials").click()
        expect(page.get_by_text("Reckoning:")).not_to_be_visible(timeout=60_000)
        expect(page.locator("#frontier tr.chosen")).to_contain_text("bar 95 %")
        self.accessible(page, "settings of a programme")

    def after(self, page: Page) -> None:
        page.goto(self.at("/trials/fennel-2026/decide/ahead/"))
        page.get_by_label("Blocks").fill("six")
        page.get_by_role("button", name="Reckon").click()
        expect(page.locator(".error")).to_contain_text("Found “six”. Expected a whole number from 1 to 20.")
        self.accessible(page, "another season")
        page.goto(self.at("/trials/fennel-2026/line-up/"))
        expect(page.locator(".lead")).to_contain_text("alone would lead by")
        self.accessible(page, "line-up")
        page.goto(self.at("/trials/fennel-2026/decide/lessons/"))
        page.get_by_label("Lesson").fill("The north end floods in late May.")
        page.get_by_role("button", name="Keep").click()
        expect(page.get_by_text("The north end floods in late May.")).to_be_visible()
        self.assertEqual(Lesson.objects.count(), 1)
        self.accessible(page, "lessons")
        page.goto(self.at("/trials/fennel-2026/decide/next/"))
        expect(page.locator("#id_season")).to_have_value("2027")
        page.get_by_label("New entries, one a line").fill("Umbra Sill")
        page.get_by_role("button", name="Plan it").click()
        expect(page.locator(".error").first).to_contain_text("Umbra Sill was dropped")
        expect(page.get_by_label("New entries, one a line")).to_have_value("Umbra Sill")
        self.accessible(page, "next season")
        page.get_by_label("New entries, one a line").fill("Harl Quoin")
        page.get_by_role("button", name="Plan it").click()
        expect(page.locator("#notices")).to_contain_text("is planned")
        expect(page.get_by_text("The north end floods in late May.")).to_be_visible()
        page.goto(self.at("/cultivars/"))
        page.get_by_role("link", name="Quillet").first.click()
        page.get_by_role("link", name="Dossier").click()
        expect(page.locator("table.board tbody tr")).to_have_count(3)
        self.accessible(page, "dossier")
        page.goto(self.at("/trials/fennel-2026/report/"))
        self.accessible(page, "report of years")

    def test_on_a_phone_nothing_runs_off_the_side(self) -> None:
        self.grow()
        page = self.open("manager", PHONE)
        for path in (
            "trials/fennel-2026/decide/",
            "trials/fennel-2026/decide/ahead/",
            "trials/fennel-2026/line-up/",
            "trials/fennel-2026/decide/next/",
            "trials/fennel-2026/report/",
            "programmes/",
            "programmes/fennel/settings/",
            "programmes/fennel/",
        ):
            page.goto(self.at(f"/{path}"))
            wide = page.evaluate("() => document.documentElement.scrollWidth - innerWidth")
            self.assertLessEqual(wide, 0, path)
            self.accessible(page, f"{path} on a phone")
        page.goto(self.at("/trials/fennel-2026/decide/"))
        self.line(page, "Quillet").locator("tr").first.click()
        expect(self.line(page, "Quillet")).to_contain_text("Expected to keep")
        self.line(page, "Quillet").get_by_label("Drop").check()
        self.line(page, "Quillet").get_by_role("button", name="Save verdict").click()
        expect(self.line(page, "Quillet")).to_contain_text(re.compile("Say why you decide otherwise"))

    def test_two_at_one_board_take_back_and_sign_once(self) -> None:
        self.grow()
        one, other = self.open("manager", DESK), self.open("manager", DESK)
        for page in (one, other):
            page.goto(self.at("/trials/fennel-2026/decide/"))
        one.get_by_label("Your password, as a signature").fill(world.PASSWORD)
        one.get_by_role("button", name="Sign these verdicts").click()
        expect(one.get_by_text("The data are as they were then.")).to_be_visible()
        self.line(other, "Quillet").locator("tr").first.focus()
        other.keyboard.press("d")
        reason = self.line(other, "Quillet")
        expect(reason).to_contain_text("Suggested")
        self.assertEqual(Opinion.objects.count(), 0)  # the other tab finds it signed: there is no form any more


class WithoutSignal(BrowserTest):
    """The browser and htmx tell of a request that did not come through, each in its own words; a page that falls over says more."""

    forgiven = ("ERR_INTERNET_DISCONNECTED", "htmx:sendError")

    def test_a_part_that_does_not_come_leaves_the_page_as_it_is(self) -> None:
        by = world.person()
        made = world.trial(by)
        world.sow(made, by)
        world.keep_yields(made, by, {"Corvane": 5.0, "Quillet": 6.4, "OF-17": 6.1, "Brakewater": 5.4})
        page = self.open("manager")
        page.goto(self.at(f"/trials/{made.slug}/compare/"))
        page.context.set_offline(True)
        page.locator(".plan .tag").first.click()
        page.wait_for_timeout(400)
        page.context.set_offline(False)
        expect(page.locator("#bench-title")).to_have_text("Compare")
        page.goto(self.at(f"/trials/{made.slug}/decide/"))
        page.context.set_offline(True)
        row = page.locator("tbody.line tr").first
        row.focus()
        page.keyboard.press("Enter")
        page.wait_for_timeout(400)
        page.context.set_offline(False)
        page.keyboard.press("Enter")
        expect(page.locator("tbody.line").first).to_contain_text("Expected to keep")
