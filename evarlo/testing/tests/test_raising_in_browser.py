"""Raising done in the browser: a lot from its test to planted and counted plots, one entry sown again, one short entry solved."""

import re
from datetime import timedelta

from django.utils import timezone
from playwright.sync_api import Page, expect

from evarlo.grounds.services import site_on_record
from evarlo.nursery.book import book_of, planted_in
from evarlo.nursery.models import Sowing, StationMark
from evarlo.seeds.models import GerminationTest, Lot, Move
from evarlo.seeds.services import keep_lot, move_stock, stock_of
from evarlo.testing import world
from evarlo.testing.browser import PHONE, BrowserTest
from evarlo.testing.raising import Nursery
from evarlo.trials.models import Trial

UP = ((18, 19, 1, 9), (21, 20, 2, 11), (21, 20, 2, 11))  # of the four entries, on three days


class FromTestToStand(BrowserTest):
    """Four fennels on two blocks of eight plants a plot: sixteen plants an entry, some twenty-four cells."""

    def setUp(self) -> None:
        super().setUp()
        self.by, self.today = world.person(), timezone.localdate()
        site_on_record("Ostrel Flats")  # without frost dates: whenever the tests run, there is time to sow again
        self.trial = world.trial(
            self.by,
            blocks=2,
            plot_length_m=1.2,
            plot_width_m=0.8,
            sow_on=self.today - timedelta(days=29),
            plant_on=self.today + timedelta(days=20),
        )
        for entry in self.trial.entries.select_related("cultivar"):
            lot = keep_lot(
                None, entry.cultivar, {"name": f"K-{entry.code}", "material": "seed", "year": self.today.year - 1}, self.by
            )
            move_stock(lot, Move.Why.RECEIVED, 600, self.today - timedelta(days=60), self.by, self.today)
        told = self.trial.entries.values_list("code", "cultivar__name")
        self.codes, self.names = [code for code, _ in told], [name for _, name in told]

    def day(self, ago: int) -> str:
        return (self.today - timedelta(days=ago)).isoformat()

    def at_stage(self, page: Page, path: str) -> None:
        page.goto(self.at(f"/trials/{self.trial.slug}/{path}"))

    def test_a_lot_from_its_test_to_counted_plots(self) -> None:
        page = self.open("manager")
        self.begin_and_end_a_test(page)
        self.sow(page)
        self.count(page)
        self.sow_again(page)
        self.lose_some(page)
        self.plant(page)
        self.stand(page)
        self.at_stage(page, "fairness/")
        expect(page.locator(".bench")).to_contain_text("Sown again")
        self.accessible(page, "fairness")

    def begin_and_end_a_test(self, page: Page) -> None:
        lot = Lot.objects.get(name=f"K-{self.codes[0]}")
        page.goto(self.at(f"/seed/{lot.pk}/"))
        page.get_by_text("Begin a test…").click()
        page.get_by_label("Begun on").fill(self.day(45))
        page.get_by_role("button", name="Begin the test").click()
        expect(page.locator("h1")).to_contain_text(re.compile(rf"Germination\s+of {self.names[0]}"))
        page.get_by_label("Counted on").fill(self.day(38))
        for replicate, n in enumerate((21, 20, 22, 40), start=1):
            page.get_by_label(f"normal, replicate {replicate}", exact=True).fill(str(n))
        page.get_by_role("button", name="Save the counts").click()
        expect(page.locator(".error")).to_contain_text("Found “40”. Expected a whole number from 0 to 25.")
        page.get_by_label("normal, replicate 4", exact=True).fill("19")
        page.get_by_role("button", name="Save the counts").click()
        expect(page.locator(".lead")).to_contain_text("82 % germinated normally")
        self.accessible(page, "germination test")
        page.get_by_role("button", name="End the test").click()
        expect(page.get_by_text("its share stands in place of the stated one")).to_be_visible()
        self.assertEqual((GerminationTest.objects.get().sown, stock_of(lot)), (100, 500))

    def sow(self, page: Page) -> None:
        self.at_stage(page, "sow/?way=trays")
        page.get_by_label("Cells in a row").fill("10")
        page.get_by_label("Rows", exact=True).fill("10")
        page.get_by_role("button", name="Add the tray").click()
        expect(page.locator(".tray")).to_be_visible()
        page.get_by_label("Cells", exact=True).fill("")
        page.locator(".tray text.row-letter").nth(0).click()
        page.locator(".tray text.row-letter").nth(1).click()
        page.locator(".tray [data-cell='20']").click()
        page.locator(".tray [data-cell='24']").click(modifiers=["Shift"])
        expect(page.get_by_label("Cells", exact=True)).to_have_value("A1-C5")
        expect(page.locator("#chosen-cells")).to_have_text("25 cells")
        page.get_by_label("Day", exact=True).first.fill(self.day(29))
        page.get_by_text("What this sitting has in common").click()
        page.get_by_label("Medium").fill("sterile seed medium")
        self.accessible(page, "sowing bench")
        page.get_by_role("button", name="Sow it").click()
        expect(page.locator("#notices")).to_contain_text(f"25 seeds of {self.codes[0]} are in A1-C5")
        for n, code in enumerate(self.codes[1:], start=1):  # the next packet and its cells are proposed: Enter is enough
            expect(page.get_by_label("Packet")).to_have_value(code)
            page.locator(".tray").focus()
            page.keyboard.press("Enter")
            expect(page.locator("#notices")).to_contain_text(f"seeds of {code} are in")
            self.assertEqual(Sowing.objects.count(), n + 1)
        self.assertEqual({s.session_id for s in Sowing.objects.all()}, {Sowing.objects.all()[0].session_id})
        expect(page.locator(".bench")).to_contain_text("What is sown so far was sown alike")
        page.locator("#notices").get_by_role("button", name="Undo").click()
        expect(page.locator("#notices")).to_contain_text("is taken back")
        page.locator(".tray").focus()
        page.keyboard.press("Enter")
        expect(page.locator("#notices")).to_contain_text(f"seeds of {self.codes[3]} are in")

    def count(self, page: Page) -> None:
        self.at_stage(page, "coming/")
        fields = page.locator("[data-count-line] input[name=plants]")
        for ago, plants in zip((20, 16, 15), UP, strict=True):
            page.get_by_label("Counted on").fill(self.day(ago))
            fields.nth(0).focus()
            for n, many in enumerate(plants):
                expect(fields.nth(n)).to_be_focused()
                page.keyboard.type(str(many))
                page.keyboard.press("Enter")
                expect(page.locator("[data-count-line]").nth(n)).to_have_class("count-line kept")
        fields.nth(0).fill("99")
        fields.nth(0).press("Enter")
        expect(page.locator("[data-count-line]").nth(0)).to_contain_text("seeds that could come up")
        expect(fields.nth(0)).to_have_value("99")
        expect(page.locator("#figures .lead")).to_contain_text(f"{self.codes[2]} {self.names[2]} has fewer seedlings")
        self.accessible(page, "coming up")

    def sow_again(self, page: Page) -> None:
        page.reload()
        band = page.locator(".band", has_text=self.codes[2])
        expect(band).to_contain_text("Sow")
        band.get_by_role("link", name="To the sowing bench").click()
        page.get_by_text("Put up another tray…").click()
        page.get_by_label("Rows", exact=True).fill("6")
        page.get_by_role("button", name="Add the tray").click()
        expect(page.locator(".tray")).to_have_attribute("aria-label", "Tray T2, 6 rows of 10")
        page.goto(f"{page.url}&entry={self.codes[2]}&seeds=24")
        expect(page.get_by_label("Sown again, because too little came up")).to_be_checked()
        page.get_by_label("Day", exact=True).first.fill(self.day(14))
        page.get_by_role("button", name="Sow it").click()
        expect(page.locator("#notices")).to_contain_text("A1-C4 of tray T2")
        self.at_stage(page, "coming/")
        page.get_by_label("Counted on").fill(self.day(2))
        line = page.locator("[data-count-line]", has_text="sown again")
        line.get_by_role("link", name="by cell").click()
        page.wait_for_load_state("networkidle")  # a touch before its script is there does nothing, as a person sees
        for cell in range(17):
            page.locator(f".tray [data-cell='{cell}']").click()
        page.get_by_role("button", name="Save the count").click()
        expect(page.locator("#notices")).to_contain_text(f"17 plants of {self.codes[2]} in T2")

    def lose_some(self, page: Page) -> None:
        self.at_stage(page, "balance/")
        page.get_by_label("Of", exact=True).select_option(label=f"{self.codes[0]} {self.names[0]}, T1: 21 standing")
        page.get_by_label("How many").first.fill("2")
        page.get_by_role("button", name="Save").first.click()
        expect(page.locator(".error").first).to_contain_text("Say what they were lost to")
        page.get_by_label("Cause").fill("slugs")
        page.get_by_label("It was").select_option("accident")
        page.get_by_role("button", name="Save").first.click()
        row = page.locator(".balance tbody tr").first
        expect(row).to_contain_text("19")
        self.accessible(page, "balance")
        whole = book_of(Trial.objects.get())[0].whole
        self.assertEqual((whole.sown, whole.standing, whole.waiting), (25, 19, 4))

    def plant(self, page: Page) -> None:
        self.at_stage(page, "plant/")
        page.get_by_role("button", name="Plant them").click()
        expect(page.locator(".error").first).to_contain_text(f"{self.codes[3]} has 11 plants fit for planting; these plots need 16")
        page.get_by_role("link", name="Shortage bench").click()
        expect(page.locator(".way")).to_have_count(5)
        self.accessible(page, "shortage bench")
        page.get_by_text("Thinner plots of this entry").click()
        page.get_by_role("button", name="Do this").click()
        expect(page.locator("#notices")).to_contain_text("its plots get what there is")
        page.get_by_label("Coldest").fill("8")
        page.get_by_label("Warmest").fill("17")
        page.get_by_role("button", name="What does it say?").click()
        expect(page.locator(".bench")).to_contain_text("Go. From 8 to 17 °C")
        page.get_by_role("button", name="Plant them").click()
        expect(page.locator("#notices")).to_contain_text("Planted: 59 plants in 8 plots.")
        self.accessible(page, "planting")
        found = planted_in(Trial.objects.get())
        self.assertEqual(sum(p.plants for p in found), 59)
        self.assertEqual(sum(p.plants for p in found if p.sowing and p.sowing.again), 14)

    def stand(self, page: Page) -> None:
        self.at_stage(page, "stand/")
        page.get_by_role("link", name="Walk a stand count").click()
        page.get_by_role("button", name="Start walking").click()
        for number in self.trial.plots.order_by("place").values_list("number", flat=True):
            expect(page.locator(".strip-tag.here")).to_have_text(number)
            page.locator("#value").fill("7")
            page.keyboard.press("Enter")
        expect(page.get_by_text("Every plot has a value.")).to_be_visible()
        self.at_stage(page, "stand/")
        page.locator(".bench").get_by_role("link", name="101", exact=True).click()
        page.locator(".station").nth(5).click()
        expect(page.locator(".station").nth(5)).to_have_attribute("data-mark", "gap")
        page.get_by_label("There again").check()
        page.locator(".station").nth(5).press("Enter")
        expect(page.locator(".station").nth(5)).to_have_attribute("data-mark", "back")
        self.accessible(page, "stand")
        self.assertEqual([m.what for m in StationMark.objects.all()], ["gap", "back"])


class AtTheBench(BrowserTest):
    """What is used with wet hands fits a phone, and nothing typed is lost without a connection."""

    def setUp(self) -> None:
        super().setUp()
        self.n = Nursery(world.person(), timezone.localdate(), days=12)
        world.person("helper")
        self.sowings = self.n.sow_all(24)

    def test_every_page_fits_a_phone(self) -> None:
        page, slug = self.open("helper", PHONE), self.n.trial.slug
        first = self.sowings[self.n.codes[0]]
        self.n.count(first, 9, 20, "1" * 20 + "0" * 4)
        for path in (
            "sow/",
            "sow/?way=plots",
            "coming/",
            f"coming/{first.pk}/",
            "balance/",
            "plant/",
            "stand/?plot=101",
            "fairness/",
        ):
            page.goto(self.at(f"/trials/{slug}/{path}"))
            expect(page.locator("#bench-title")).to_be_visible()
            self.no_sideways(page, path)
            self.accessible(page, path)
        page.goto(self.at("/raising/"))
        self.no_sideways(page, "raising space")
        self.accessible(page, "raising space")

    def test_a_count_without_connection_is_kept_here_and_goes_in_by_itself(self) -> None:
        self.forgiven = ("ERR_INTERNET_DISCONNECTED", "htmx:sendError", "error occurred when fetching the script")  # type: ignore[misc]
        page = self.open("helper", PHONE)
        page.goto(self.at(f"/trials/{self.n.trial.slug}/coming/"))
        field = page.locator("[data-count-line] input[name=plants]").first
        page.context.set_offline(True)
        field.fill("17")
        field.press("Enter")
        expect(page.locator("[data-link]")).to_contain_text("1 kept on this phone")
        expect(field).to_have_value("17")
        page.context.set_offline(False)
        expect(page.locator("[data-count-line]").first).to_contain_text("17 on")
        field.fill("17")
        field.press("Enter")
        expect(page.locator("[data-count-line]").first).to_have_class("count-line kept")
        self.assertEqual(self.sowings[self.n.codes[0]].happenings.count(), 1)

    def test_two_people_cannot_sow_the_same_cells(self) -> None:
        slug, tray = self.n.trial.slug, self.n.trays[0]
        one, other = self.open("helper"), self.open("manager")
        for page in (one, other):
            page.goto(self.at(f"/trials/{slug}/sow/?way=trays&tray={tray.pk}&entry={self.n.codes[1]}"))
            page.get_by_label("Cells", exact=True).fill("D1-D4")
        one.get_by_role("button", name="Sow it").click()
        expect(one.locator("#notices")).to_contain_text("D1-D4")
        other.get_by_role("button", name="Sow it").click()
        expect(other.locator(".error").first).to_contain_text("D1 holds")
        expect(other.get_by_label("Cells", exact=True)).to_have_value("D1-D4")
        one.go_back()
        one.reload()
        self.assertEqual(Sowing.objects.filter(tray=tray).count(), 2)
