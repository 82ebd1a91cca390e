"""The weigh-in bench with a scale and classes: two people, cut off and on again, at 30 ms a key."""

import tempfile
from pathlib import Path

from django.test import override_settings
from playwright.sync_api import Page, expect

from evarlo.harvest.classes import ClassPlan, Kind, Reason, keep_classes
from evarlo.harvest.models import Picking
from evarlo.testing import world
from evarlo.testing.browser import PHONE, BrowserTest

NAMES = [f"N{n}" for n in range(12)]


class Bench(BrowserTest):
    # Cut off while the plan was being drawn anew, htmx tells of it.
    forgiven = ("ERR_INTERNET_DISCONNECTED", "error occurred when fetching the script", "htmx:sendError")

    def setUp(self) -> None:
        super().setUp()
        self.by = world.person("manager")
        world.person("helper")
        self.trial = world.trial(self.by, entries=NAMES, check="N0", blocks=4, plot_length_m=0.6, plot_width_m=0.6)
        plans = [ClassPlan("Fit"), ClassPlan("Over-mature", Kind.CULL, reason=Reason.OVERMATURE), ClassPlan("Pest", Kind.CULL)]
        keep_classes(self.trial, plans, self.by)
        self.path = list(self.trial.plots.order_by("place").values_list("number", flat=True))
        self.line = Path(self.enterContext(tempfile.TemporaryDirectory())) / "scale"
        self.enterContext(override_settings(SCALE=f"file:{self.line}"))
        self.lies("0.000 kg steady")

    def lies(self, text: str) -> None:
        with self.line.open("a") as file:
            file.write(f"{text}\n")

    def bench(self, who: str, phone: bool = False) -> Page:
        page = self.open(who, PHONE if phone else None)
        page.goto(self.at(f"/trials/{self.trial.slug}/pick/"))
        expect(page.locator("[data-scale-state]")).to_have_text("steady")
        page.get_by_label("Fit marketable").focus()
        return page

    def test_what_is_steady_is_taken_and_nothing_else(self) -> None:
        page = self.bench("manager")
        figure, state = page.locator("[data-scale-figure]"), page.locator("[data-scale-state]")
        self.lies("2.4 kg moving")
        expect(state).to_have_text("still moving")
        page.keyboard.press(" ")
        expect(page.get_by_label("Fit marketable")).to_have_value("")
        self.lies("over")
        expect(state).to_have_text("more than it can weigh")
        self.lies("2.310 kg steady")
        expect(figure).to_have_text("2.310")
        page.keyboard.press(" ")
        expect(page.get_by_label("Fit marketable")).to_have_value("2.310")
        page.keyboard.press("Tab")
        page.keyboard.type("9", delay=30)
        page.keyboard.press("ArrowDown")
        self.line.unlink()
        expect(state).to_have_text("the scale does not answer")
        page.keyboard.type("0.5", delay=30)  # by hand it goes on
        page.keyboard.press("Enter")
        expect(page.locator("[data-line-answers] li.kept")).to_contain_text(f"Plot {self.path[0]}: 2.310 + 0.5 kg")
        kept = Picking.objects.get()
        self.assertEqual((kept.marketable_kg, kept.marketable_count, kept.cull_kg), (2.31, 9, 0.5))
        expect(page.get_by_label("Plot", exact=True)).to_have_value(self.path[1])
        self.accessible(page, "weigh-in bench with a scale")
        self.no_sideways(page, "weigh-in bench with a scale")

    def test_by_itself_each_load_is_taken_once(self) -> None:
        page = self.bench("manager")
        page.get_by_label("take what is steady").check()
        self.lies("1.5 kg steady")
        expect(page.get_by_label("Fit marketable")).to_have_value("1.500")
        page.wait_for_timeout(1000)
        expect(page.get_by_label("Over-mature culled")).to_have_value("")  # the same crate still stands there
        self.lies("0.000 kg steady")
        expect(page.locator("[data-scale-figure]")).to_have_text("0.000")
        self.lies("0.4 kg steady")
        expect(page.get_by_label("Over-mature culled")).to_have_value("0.400")

    def test_two_people_pick_48_plots_cut_off_and_on_again(self) -> None:
        half = len(self.path) // 2
        pages = [self.bench("manager"), self.bench("helper", phone=True)]
        pages[1].get_by_label("Plot", exact=True).fill(self.path[half])
        for n in range(half):
            for who, page in enumerate(pages):
                page.get_by_label("Fit marketable").focus()
                if n == 6:
                    page.context.set_offline(who == 1)  # the phone alone
                if n == 15:
                    page.context.set_offline(False)
                if n % 8 == 7:
                    page.keyboard.type("o")
                else:
                    page.keyboard.type(f"{1 + n / 100:.2f}", delay=30)
                    page.keyboard.press("Tab")
                    page.keyboard.type(f"{n + 1}\n", delay=30)
        for page in pages:
            page.context.set_offline(False)
            expect(page.locator("[data-link]")).to_contain_text("All saved")
        kept = {p.plot.number: p for p in Picking.objects.in_force().select_related("plot")}
        self.assertEqual(set(kept), set(self.path))
        self.assertEqual(Picking.objects.count(), 48)
        for who in (0, 1):
            for n in range(half):
                row = kept[self.path[who * half + n]]
                wanted = (0.0, None, "nothing") if n % 8 == 7 else (round(1 + n / 100, 2), n + 1, "")
                self.assertEqual((row.marketable_kg, row.marketable_count, row.nought), wanted, row.plot.number)
