"""Every day at the desk: a plan with few keys, a messy sheet to its verdict, anything found by its name, a bed moved by hand."""

from __future__ import annotations

import re

from playwright.sync_api import expect

from evarlo.catalogue.models import Crop
from evarlo.catalogue.services import cultivars_named
from evarlo.grounds.models import Bed, Site
from evarlo.testing import world
from evarlo.testing.browser import PHONE, BrowserTest
from evarlo.trials.models import Trial

MESSY = "\n".join(
    [
        "Leek 2024, back field\t\t\t",
        "\t\t\t",
        "Sorte\tWdh.\tErtrag\tSchosser",
        *(f"{'brant' if b == 2 and not i else n}\t{b}\t{4 + i * 2 + b * 0.3:.1f}".replace(".", ",") + f"\t{(i + b) % 4} %"
          for b in (1, 2, 3) for i, n in enumerate(("Brant", "Corvane", "Quillet"))),
        "Mittel\t\t6,6\t",
    ]
)  # fmt: skip


class FewKeys(BrowserTest):
    def test_a_layout_of_eight_by_three_in_a_known_bed_takes_few_keys(self) -> None:
        world.person()
        site = Site.objects.create(name="Ostrel Flats", last_frost="04-18", first_frost="10-21", latitude=53)
        Bed.objects.create(site=site, name="Tide bed", length_m=28, width_m=9, bearing=75)
        leek = Crop.objects.get_or_create(name="Leek", defaults={"between_rows_cm": 40, "in_row_cm": 12})[0]
        cultivars_named(leek, [f"{n} leek" for n in ("Amber", "Bray", "Cove", "Dene", "Esk", "Fell", "Gill", "Howe")])
        page = self.open("manager")
        page.goto(self.at("/trials/new/"))
        keys = 0

        def type_in(text: str) -> None:
            nonlocal keys
            page.keyboard.type(text, delay=30)
            page.keyboard.press("Tab")
            keys += len(text) + 1

        expect(page.get_by_label("Number of entries")).to_be_focused()
        type_in("8")
        type_in("leeks")
        expect(page.locator("#forecast svg.plan")).to_be_visible()
        expect(page.get_by_label("Bed", exact=True)).to_have_value("Tide bed")
        expect(page.locator(".entry-chip")).to_have_count(8)
        page.get_by_label("Blocks", exact=True).focus()
        type_in("3")
        expect(page.locator("#forecast .figures")).to_contain_text("24")
        page.get_by_role("radio", name="Bray leek is the check").check()
        self.accessible(page, "planning bench")
        page.get_by_role("button", name="Draw the layout").click()
        expect(page.locator("#bench-title")).to_have_text("Plan")
        self.assertLess(keys, 40)
        made = Trial.objects.get()
        self.assertEqual((made.plots.count(), made.blocks, made.bed and made.bed.name), (24, 3, "Tide bed"))
        self.assertEqual(made.entries.get(is_check=True).cultivar.name, "Bray leek")

    def test_what_does_not_fit_is_offered_otherwise_and_twins_are_asked_about(self) -> None:
        world.person()
        site = Site.objects.create(name="Ostrel Flats")
        Bed.objects.create(site=site, name="Small", length_m=6, width_m=3, bearing=75)
        page = self.open("manager")
        page.goto(self.at("/trials/new/?crop=Leek"))
        page.get_by_label("Add an entry").fill("Brant, brant, Corvane")
        page.get_by_label("Add an entry").press("Enter")
        page.get_by_role("button", name="They are one").click()
        expect(page.locator(".entry-chip")).to_have_count(2)
        page.get_by_label("Plot length").fill("4")
        page.get_by_label("Blocks", exact=True).fill("4")
        expect(page.locator("#forecast")).to_contain_text("It does not fit")
        expect(page.locator("#forecast svg.plan")).to_have_count(0)
        page.locator("[data-offer]").last.click()
        expect(page.locator("#forecast svg.plan")).to_be_visible()


class MessySheet(BrowserTest):
    def test_from_pasted_lines_to_a_comparison(self) -> None:
        world.person()
        page = self.open("manager")
        page.goto(self.at("/bring-in/"))
        page.get_by_label("or paste the lines").fill(MESSY)
        page.get_by_role("button", name="Look at it first").click()
        expect(page.get_by_text("may be one entry")).to_be_visible()
        self.accessible(page, "shape of a sheet")
        page.get_by_role("button", name="Look at it", exact=True).click()
        expect(page.get_by_text("Expected one of these.")).to_be_visible()
        page.get_by_label("They are one: Brant").check()
        expect(page.get_by_text("question above first")).to_have_count(0)
        page.get_by_role("button", name="Look at it", exact=True).click()
        expect(page.get_by_text("9 plots, 3 entries, 3 complete blocks")).to_be_visible()
        expect(page.get_by_label("Season")).to_have_value("2024")
        page.get_by_label("Crop").fill("Leek")
        page.get_by_label("Check", exact=True).select_option("Corvane")
        page.get_by_role("button", name="Make the trial").click()
        expect(page.locator("#bench-title")).to_have_text("Compare")
        expect(page.locator(".results")).to_contain_text("Brant")
        phone = self.open("manager", PHONE)
        phone.goto(self.at("/bring-in/"))
        phone.get_by_label("or paste the lines").fill(MESSY)
        phone.get_by_role("button", name="Look at it first").tap()
        expect(phone.get_by_text("may be one entry")).to_be_visible()
        self.no_sideways(phone, "shape of a sheet")


class Found(BrowserTest):
    def test_anything_is_found_as_one_types_and_reached_by_keys(self) -> None:
        world.trial(world.person())
        page = self.open("manager")
        page.goto(self.at("/trials/"))
        page.keyboard.press("/")
        page.keyboard.type("north", delay=30)
        expect(page.locator("#jump-found")).to_contain_text("North strip")
        self.accessible(page, "what was found")
        page.keyboard.press("ArrowDown")
        page.keyboard.press("Enter")
        expect(page.get_by_role("heading", name="North strip")).to_be_visible()
        page.goto(self.at("/trials/"))
        page.get_by_label("Find among trials").press_sequentially("zzz", delay=30)
        expect(page.get_by_text("Nothing is found by")).to_be_visible()
        page.get_by_label("Find among trials").fill("fen")
        expect(page.locator(".listed tbody")).to_contain_text("Fennel")
        expect(page).to_have_url(re.compile("find=fen"))
        self.accessible(page, "a list")


class Ground(BrowserTest):
    def test_a_bed_is_moved_by_hand_and_turned_by_a_key(self) -> None:
        world.person()
        site = Site.objects.create(name="Ostrel Flats", latitude=53)
        bed = Bed.objects.create(site=site, name="Tide bed", length_m=20, width_m=6, bearing=90, east_m=0, north_m=0)
        Bed.objects.create(site=site, name="Weir bed", length_m=20, width_m=6, bearing=0, east_m=20, north_m=20)
        page = self.open("manager")
        page.goto(self.at("/ground/"))
        self.accessible(page, "ground")
        box = page.locator(f"[data-bed='{bed.pk}'] rect").bounding_box()
        assert box
        page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
        page.mouse.down()
        page.mouse.move(box["x"] + box["width"] / 2 + 60, box["y"] + box["height"] / 2 - 40, steps=6)
        with page.expect_navigation():
            page.mouse.up()
        bed.refresh_from_db()
        self.assertTrue(bed.east_m and bed.east_m > 0.5 and bed.north_m and bed.north_m > 0.5)
        self.assertAlmostEqual((bed.east_m or 0) / (bed.north_m or 1), 1.5, delta=0.1)
        page.locator(f"[data-bed='{bed.pk}']").focus()
        with page.expect_navigation():
            page.keyboard.press("r")
        bed.refresh_from_db()
        self.assertEqual(bed.bearing, 105)
        phone = self.open("manager", PHONE)
        phone.goto(self.at("/ground/"))
        self.no_sideways(phone, "ground")


class PlotsByKey(BrowserTest):
    """Twelve plots in three blocks of four: one stop of the Tab key, arrows from plot to plot, the layer in the address."""

    def test_arrows_go_over_the_ground_and_the_layer_stays_in_the_address(self) -> None:
        by = world.person()
        made = world.trial(by)
        world.sow(made, by)
        world.keep_yields(made, by, {"Corvane": 5, "Quillet": 6, "OF-17": 4, "Brakewater": 5})
        page = self.open("manager")
        page.goto(self.at(made.get_absolute_url()))
        plots = page.locator("#ground .plan a.tag")
        expect(page.locator("#ground .plan a.tag[tabindex='0']")).to_have_count(1)
        expect(page.locator("#ground .plan a.tag[tabindex='-1']")).to_have_count(11)
        plots.first.focus()
        number = "() => document.activeElement.dataset.number"
        first = page.evaluate(number)
        page.keyboard.press("ArrowDown")
        below = page.evaluate(number)
        found = "all => Object.fromEntries(all.map((a) => [a.dataset.number, a.getBoundingClientRect().toJSON()]))"
        boxes: dict[str, dict[str, float]] = plots.evaluate_all(found)
        self.assertAlmostEqual(boxes[below]["x"], boxes[first]["x"], delta=1)
        self.assertEqual(
            min(b["y"] for b in boxes.values() if b["y"] > boxes[first]["y"] + 1 and abs(b["x"] - boxes[first]["x"]) < 1),
            boxes[below]["y"],
        )
        page.keyboard.press("ArrowRight")
        page.keyboard.press("ArrowLeft")
        self.assertEqual(page.evaluate(number), below)
        page.keyboard.press("Enter")
        expect(page.locator("#plot")).to_contain_text(below)
        expect(page.locator(f"#ground .plan a.tag[data-number='{below}'] title")).to_contain_text(f"Plot {below}, ")
        page.get_by_label("Colour the plots by").select_option(label="Plot yield")
        expect(page).to_have_url(self.at(f"{made.get_absolute_url()}?layer=plot-yield"))
        page.reload()
        expect(page.get_by_label("Colour the plots by")).to_have_value("plot-yield")
        expect(page.locator("#ground .plan a.tag[tabindex='0']")).to_have_count(1)
