"""A round in the hand with the network cut: reloaded, corrected, undone, brought in once; two phones that differ; a server that
does not answer."""

from django.utils import timezone
from playwright.sync_api import Page, expect

from evarlo.testing import world
from evarlo.testing.browser import PHONE, BrowserTest
from evarlo.walks.models import Observation, Rival
from evarlo.walks.queries import current
from evarlo.walks.services import open_round


class WithoutSignal(BrowserTest):
    forgiven = ("ERR_INTERNET_DISCONNECTED", "ERR_FAILED", "Failed to load resource", "status of 500", "status of 401")

    def setUp(self) -> None:
        super().setUp()
        self.by = world.person()
        world.person("helper")
        self.made = world.trial(self.by)
        world.sow(self.made, self.by)
        self.walk = open_round(self.made, world.trait("damage"), timezone.localdate(), self.by)
        self.numbers = list(self.made.plots.order_by("place").values_list("number", flat=True))

    def take(self, who: str = "manager") -> Page:
        """A phone that has opened the round once, and whose worker is ready."""
        page = self.open(who, PHONE)
        page.goto(self.at(f"/trials/{self.made.slug}/walk/{self.walk.pk}/field/"))
        expect(page.locator(".strip-tag.here")).to_have_text(self.numbers[0])
        page.evaluate("() => navigator.serviceWorker.ready")
        page.reload()
        expect(page.locator(".strip-tag.here")).to_have_text(self.numbers[0])
        return page

    def type(self, page: Page, value: str) -> None:
        page.keyboard.type(value)
        page.keyboard.press("Enter")

    def values(self) -> dict[str, float | None]:
        return {o.plot.number: o.number for o in current(self.walk).select_related("plot")}

    def test_a_round_walked_without_signal_comes_in_once(self) -> None:
        page = self.take()
        self.accessible(page, "field round")
        self.no_sideways(page, "field round")
        page.context.set_offline(True)
        for n, value in enumerate(("12", "7,5", "30")):
            self.type(page, value)
            expect(page.locator(".strip-tag.here")).to_have_text(self.numbers[n + 1])
        expect(page.locator("#waiting")).to_contain_text("3 kept on this phone only. No signal")
        expect(page.locator("[data-link]")).to_contain_text("3 kept on this phone")
        page.reload()
        expect(page.locator(".strip-tag.here")).to_have_text(self.numbers[3])
        self.type(page, "900")
        expect(page.locator(".error").first).to_contain_text("Expected damage from 0 to 100")
        page.locator("#value").fill("")
        page.keyboard.press("x")
        page.keyboard.press("1")
        expect(page.locator(".strip-tag.here")).to_have_text(self.numbers[4])
        page.keyboard.press("u")
        expect(page.locator(".strip-tag.here")).to_have_text(self.numbers[3])
        self.type(page, "41")
        expect(page.locator(".strip-tag.here")).to_have_text(self.numbers[4])
        page.get_by_label("Go to plot").fill(self.numbers[0])
        page.get_by_label("Go to plot").press("Enter")
        expect(page.get_by_text("You have 12 here.")).to_be_visible()
        self.type(page, "13")
        self.assertEqual(Observation.objects.count(), 0)
        page.context.set_offline(False)
        expect(page.locator("#waiting")).to_contain_text("Everything is at the station.")
        self.assertEqual(self.values(), dict(zip(self.numbers, (13, 7.5, 30, 41), strict=False)))
        before = Observation.objects.count()
        page.reload()
        expect(page.locator(".strip-tag.here")).to_have_text(self.numbers[4])
        self.assertEqual((Observation.objects.count(), Rival.objects.count()), (before, 0))

    def test_a_number_being_typed_stays_in_order_when_the_page_is_drawn_anew(self) -> None:
        page = self.take()
        page.keyboard.type("4")
        page.keyboard.press("x")  # reasons open and close again: the page is drawn twice
        page.keyboard.press("x")
        page.keyboard.type("1")
        expect(page.locator("#value")).to_have_value("41")
        page.keyboard.press("n")
        page.keyboard.type("hail")
        page.evaluate("() => window.dispatchEvent(new Event('online'))")
        page.get_by_role("button", name="Keep and go on").click()
        expect(page.get_by_role("button", name="Undo plot 101")).to_be_visible()
        expect(page.locator("#waiting")).to_contain_text("Everything is at the station.")
        kept = Observation.objects.get()
        self.assertEqual((kept.number, kept.note), (41, "hail"))

    def test_some_plots_are_silently_asked_again_at_the_end(self) -> None:
        page = self.take()
        page.context.set_offline(True)
        for n in range(12):
            expect(page.locator(".strip-tag.here")).to_have_text(self.numbers[n])
            self.type(page, str(20 + n))
        for n in range(3):
            expect(page.locator(".foot").first).to_contain_text("12 of 12 plots")
            expect(page.get_by_text("A new value corrects it")).to_have_count(0)
            self.type(page, str(30 + n))
        expect(page.get_by_text("A new value corrects it")).to_be_visible()
        page.context.set_offline(False)
        expect(page.locator("#waiting")).to_contain_text("Everything is at the station.")
        self.assertEqual(self.values(), {number: 20 + n for n, number in enumerate(self.numbers)})
        self.assertEqual(sorted(r.number or 0 for r in Rival.objects.filter(beside=True)), [30, 31, 32])
        page.reload()
        expect(page.get_by_text("A new value corrects it")).to_be_visible()

    def test_two_phones_on_the_same_plots_lose_nothing(self) -> None:
        one, other = self.take("manager"), self.take("helper")
        for page, values in ((one, ("10", "20", "30")), (other, ("10", "25"))):
            page.context.set_offline(True)
            for n, value in enumerate(values):
                self.type(page, value)
                expect(page.locator(".strip-tag.here")).to_have_text(self.numbers[n + 1])
        for page in (one, other):
            page.context.set_offline(False)
            expect(page.locator("#waiting")).to_contain_text("Everything is at the station.")
        self.assertEqual(self.values(), dict(zip(self.numbers, (10, 20, 30), strict=False)))
        self.assertEqual([r.number for r in Rival.objects.filter(beside=False)], [25])
        one.goto(self.at(f"/trials/{self.made.slug}/walk/settle/"))
        self.accessible(one, "settle")
        one.locator("form.band button", has_text="This counts").nth(1).click()
        expect(one.locator("#notices")).to_contain_text("is settled")
        self.assertEqual(self.values()[self.numbers[1]], 25)

    def test_answers_that_are_lost_on_the_way_and_a_log_out_lose_nothing(self) -> None:
        page = self.take()
        page.route("**/bring-in/", lambda route: (route.fetch(), route.fulfill(status=500))[1])  # kept, but the answer is lost
        self.type(page, "12")
        expect(page.locator("#waiting")).to_contain_text("1 kept on this phone only. The server could not take them")
        self.assertEqual(self.values(), {self.numbers[0]: 12})
        page.unroute("**/bring-in/")
        cookies = page.context.cookies()
        page.context.clear_cookies()
        self.type(page, "14")
        expect(page.locator("#waiting")).to_contain_text("You are no longer logged in")
        page.context.add_cookies(cookies)  # type: ignore[arg-type]
        page.evaluate("() => window.dispatchEvent(new Event('online'))")
        expect(page.locator("#waiting")).to_contain_text("Everything is at the station.")
        self.assertEqual(self.values(), dict(zip(self.numbers, (12, 14), strict=False)))
        self.assertEqual((Observation.objects.count(), Rival.objects.count()), (2, 0))

    def test_what_waits_is_counted_and_brought_in_from_any_page(self) -> None:
        page = self.take()
        page.context.set_offline(True)
        self.type(page, "12")
        expect(page.locator("[data-link]")).to_contain_text("1 kept on this phone")
        page.context.set_offline(False)
        page.goto(self.at("/"))
        expect(page.locator("[data-link]")).to_contain_text("All saved")
        self.assertEqual(self.values(), {self.numbers[0]: 12})
