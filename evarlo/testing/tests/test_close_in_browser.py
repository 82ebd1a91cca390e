"""The plan looked at closely, a bed's history kept, seed counted in, and a plan typed in feet, all by hand in the browser."""

from datetime import date

from django.utils import timezone
from playwright.sync_api import Route, expect

from evarlo.grounds.models import BedUse
from evarlo.seeds.models import Lot
from evarlo.seeds.services import stock_of
from evarlo.testing import world
from evarlo.testing.browser import PHONE, BrowserTest
from evarlo.trials.models import Trial


class Close(BrowserTest):
    def test_the_plan_is_zoomed_moved_and_shown_whole_again(self) -> None:
        made = world.trial(world.person())
        page = self.open("manager")
        page.goto(self.at(f"/trials/{made.slug}/"))
        page.get_by_role("link", name="Closer").click()
        drawing = page.locator(".closer-room svg.plan")
        expect(drawing.locator("path.plants")).to_have_count(1)
        plot = drawing.locator("a[data-number='101']")
        small = plot.bounding_box()
        page.get_by_role("button", name="Closer").click()
        page.keyboard.press("+")
        page.wait_for_timeout(200)
        large = plot.bounding_box()
        assert small and large
        self.assertGreater(large["width"], 1.7 * small["width"])
        room = page.locator(".closer-room").bounding_box()
        assert room
        page.keyboard.press("0")
        page.wait_for_timeout(200)
        every = drawing.bounding_box()
        assert every
        self.assertLessEqual(every["y"] + every["height"], room["y"] + room["height"] + 1)  # whole is whole
        for _ in range(4):
            page.keyboard.press("+")
        page.wait_for_timeout(200)
        large = plot.bounding_box()
        assert large
        page.mouse.move(room["x"] + 400, room["y"] + 200)
        page.mouse.down()
        page.mouse.move(room["x"] + 300, room["y"] + 150, steps=4)
        page.mouse.up()
        page.wait_for_timeout(200)
        moved = plot.bounding_box()
        assert moved
        self.assertAlmostEqual(moved["x"] - large["x"], -100, delta=2)
        self.assertAlmostEqual(moved["y"] - large["y"], -50, delta=2)
        page.keyboard.press("0")
        page.wait_for_timeout(200)
        again = plot.bounding_box()
        assert again
        self.assertAlmostEqual(again["x"], small["x"], delta=1)
        self.accessible(page, "closer")


class Store(BrowserTest):
    def test_seed_is_counted_in_and_more_than_there_is_is_asked_about(self) -> None:
        world.trial(world.person())
        page = self.open("manager", PHONE)
        page.goto(self.at("/seed/"))
        page.get_by_role("link", name="A new lot").tap()
        page.get_by_label("Cultivar").fill("Quillet")
        page.get_by_label("Lot", exact=True).fill("Q-7")
        page.get_by_label("Grown in").fill(str(timezone.localdate().year + 3))
        page.get_by_role("button", name="Add", exact=True).tap()
        expect(page.locator(".field.wrong")).to_contain_text("Expected a year that has come.")
        page.get_by_label("Grown in").fill("2019")
        page.get_by_role("button", name="Add", exact=True).tap()
        expect(page.get_by_text("seed of this crop keeps")).to_be_visible()
        page.get_by_label("How many").fill("120")
        page.get_by_role("button", name="Save").dblclick()
        expect(page.locator(".lead")).to_contain_text("120 seeds in stock")
        page.get_by_label("What").select_option("taken")
        page.get_by_label("How many").fill("150")
        page.get_by_role("button", name="Save").tap()
        expect(page.locator(".field.wrong")).to_contain_text("The ledger has 120 seeds; 150 is 30 too many.")
        expect(page.get_by_label("How many")).to_have_value("150")
        page.get_by_label("Keep it, although the ledger has less").check()
        page.get_by_role("button", name="Save").tap()
        expect(page.locator(".lead")).to_contain_text("-30 seeds in stock")
        lot = Lot.objects.get()
        self.assertEqual((stock_of(lot), lot.moves.count()), (-30, 2))
        self.no_sideways(page, "lot")


class Ground(BrowserTest):
    def test_what_stood_on_a_part_of_a_bed_is_said_on_the_plan(self) -> None:
        made = world.trial(world.person(), fixed=False, sow_on=date(2026, 4, 1))
        page = self.open("manager")
        page.goto(self.at("/ground/"))
        page.get_by_role("link", name="North strip").click()
        page.get_by_text("Write down what stood here…").click()
        use = page.locator("form[action$='/use/']")
        use.get_by_label("Crop or material").fill("Carrot")
        use.get_by_label("to", exact=True).fill("25 m")
        use.get_by_label("Since").fill("2025-04-01")
        use.get_by_label("Until").fill("2025-09-01")
        use.get_by_role("button", name="Save").click()
        expect(page.locator(".field.wrong")).to_contain_text("Expected a part of its 20 m")
        page.locator("form[action$='/use/']").get_by_label("to", exact=True).fill("12 ft")
        page.locator("form[action$='/use/']").get_by_role("button", name="Save").dblclick()
        expect(page.locator(".occupancy")).to_contain_text("Carrot")
        self.assertAlmostEqual(BedUse.objects.get().to_m, 3.6576)
        page.goto(self.at(f"/trials/{made.slug}/"))
        expect(page.locator(".warned").filter(has_text="years between are wanted")).to_contain_text("Carrot (Apiaceae)")
        page.get_by_label("Accept it, because").fill("It is the question")
        page.get_by_role("button", name="Accept").click()
        expect(page.locator("body")).to_contain_text("Accepted: It is the question")

    def test_a_late_script_takes_no_field_from_who_types(self) -> None:
        world.trial(world.person(), fixed=False)
        page = self.open("manager", service_workers="block")  # which would have the script at hand
        page.goto(self.at("/ground/"))
        page.get_by_role("link", name="North strip").click()
        page.get_by_text("Write down what stood here…").click()
        held: list[Route] = []
        page.route("**/ui/js/page*.js", lambda route: held.append(route))
        use = page.locator("form[action$='/use/']")
        use.get_by_role("button", name="Save").click(no_wait_after=True)
        expect(page.locator(".field.wrong").first).to_be_visible()
        use.get_by_label("Note").press_sequentially("lime", delay=30)
        held[0].continue_()
        page.wait_for_load_state("load")
        page.keyboard.type("d in March", delay=30)
        expect(use.get_by_label("Note")).to_have_value("limed in March")


class Feet(BrowserTest):
    def test_a_plan_is_typed_and_read_in_feet_and_kept_in_metres(self) -> None:
        world.person()
        page = self.open("manager")
        page.goto(self.at("/"))
        page.get_by_role("link", name="Manager T.").click()
        page.get_by_label("Imperial").check()
        page.get_by_role("button", name="Save").click()
        expect(page.get_by_text("Amounts are shown in imperial units from now on.")).to_be_visible()
        page.goto(self.at("/trials/new/"))
        self.begin_plan(page, "Bulb fennel")
        for label, text in (
            ("Name", "In feet"),
            ("Check", "Corvane"),
            ("Site", "Ostrel Flats"),
            ("Bed", "Long"),
            ("Length", "60"),
            ("Width", "7 m"),
            ("Plot length", "8"),
            ("Plot width", "4"),
            ("Blocks", "3"),
        ):
            page.get_by_label(label, exact=True).fill(text)
            page.get_by_label(label, exact=True).press("Tab")
        page.get_by_label("Entries, one a line").fill("Corvane\nQuillet\nOF-17")
        page.get_by_label("Criterion 1").select_option("marketable-yield")
        expect(page.get_by_label("Between rows")).to_have_value("15.748")
        expect(page.locator("#forecast")).to_contain_text("288 sq ft")
        expect(page.locator("#forecast")).to_contain_text("of the bed's 60 × 23 ft")
        page.get_by_role("button", name="Draw the layout").click()
        expect(page.locator(".bench")).to_contain_text("Long, 60 × 23 ft")
        made = Trial.objects.get()
        assert made.bed and made.plot_length_m and made.between_rows_cm
        self.assertAlmostEqual(made.bed.length_m, 18.288)
        self.assertEqual((made.bed.width_m, made.between_rows_cm), (7.0, 40.0))
        self.assertAlmostEqual(made.plot_length_m, 2.438, places=3)
