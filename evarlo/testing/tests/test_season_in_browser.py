"""One trial from its question to its verdicts, done in the browser as a person would."""

import re
from datetime import date, timedelta

from django.test import tag
from django.utils import timezone
from playwright.sync_api import Page, expect

from evarlo.catalogue.models import Crop, Problem
from evarlo.events.care import Done, keep_care
from evarlo.events.events import keep_event
from evarlo.events.rules import Rule
from evarlo.grounds.history import keep_use
from evarlo.grounds.models import Site
from evarlo.grounds.weather import read_station
from evarlo.harvest.models import Picking
from evarlo.pests.watches import begin_watch
from evarlo.seeds.services import keep_lot
from evarlo.testing import world
from evarlo.testing.browser import DESK, PHONE, BrowserTest
from evarlo.trials.models import Trial
from evarlo.verdicts.models import SignedBoard
from evarlo.walks.models import Observation

HEAVY = {"Corvane": 5.0, "Quillet": 7.4, "OF-17": 5.2, "Brakewater": 3.1}
VIGOUR = {"Corvane": 5, "Quillet": 7, "OF-17": 6, "Brakewater": 5}
UNEVEN = (-0.5, 0.5, 0.0, 0.25)  # kg a pick, by entry and block: the same whatever layout the shuffle drew


class Season(BrowserTest):
    def test_from_question_to_verdict(self) -> None:
        world.person()
        page = self.open("manager")
        page.goto(self.at("/"))
        self.plan(page)
        self.lay_out(page)
        self.sow_and_plant(page)
        self.walk(page)
        self.pick(page)
        self.compare(page)
        self.decide(page)

    @property
    def trial(self) -> Trial:
        return Trial.objects.get()

    def stage(self, page: Page, name: str) -> None:
        page.locator(".rail a.chip, .phases a:visible").filter(has_text=re.compile(f"^{name}")).first.click()
        expect(page.locator("#bench-title")).to_have_text(name)

    def plan(self, page: Page) -> None:
        page.get_by_role("link", name="Plan the first trial").first.click()
        self.begin_plan(page, "Bulb fennel")
        page.get_by_label("Name", exact=True).fill("Fennel by the browser")
        page.get_by_label("Question").fill("Which is heaviest?")
        page.get_by_label("Entries, one a line").fill("\n".join(HEAVY))
        expect(page.get_by_label("Number of entries")).to_have_value("4")
        page.get_by_label("Check", exact=True).fill("Corvane")
        page.get_by_label("Site").fill("Ostrel Flats")
        page.get_by_label("Bed", exact=True).fill("North strip")
        page.get_by_label("Length", exact=True).fill("9")
        page.get_by_label("Width", exact=True).fill("7")
        page.get_by_label("Plot length").fill("2.4 m")
        page.get_by_label("Plot width").fill("2,4")
        page.get_by_label("Between rows").fill("40")
        page.get_by_label("In the row").fill("30")
        page.get_by_label("Blocks", exact=True).fill("3")
        forecast = page.locator("#forecast")
        expect(forecast).to_contain_text("It does not fit: the bed would have to be")
        page.get_by_label("Length", exact=True).fill("18")
        expect(forecast).to_contain_text("It fits")
        expect(forecast).to_contain_text("6 rows × 8")
        expect(forecast.locator("svg.plan")).to_contain_text("304")
        page.get_by_label("Criterion 1").select_option("marketable-yield")
        expect(page.get_by_label("A difference that matters").first).to_have_value("0.3")
        page.get_by_label("Criterion 2").select_option("vigour")
        sown = timezone.localdate() - timedelta(days=90)
        page.get_by_label("Sow on").fill(sown.isoformat())
        self.accessible(page, "new trial")
        page.get_by_role("button", name="Draw the layout").dblclick()
        expect(page.locator("#bench-title")).to_have_text("Plan")
        self.assertEqual(Trial.objects.count(), 1)

    def lay_out(self, page: Page) -> None:
        first = self.trial.layout_seed
        page.get_by_role("button", name="Shuffle again").click()
        expect(page.locator(".band")).not_to_contain_text(f"seed {first}.")
        self.assertNotEqual(self.trial.layout_seed, first)
        page.get_by_role("button", name="Fix this layout").click()
        expect(page.get_by_text("The layout is fixed since")).to_be_visible()
        expect(page.get_by_role("button", name="Shuffle again")).to_have_count(0)
        page.locator("#ground a[data-plot]", has_text="203").click()
        expect(page.locator("#plot")).to_contain_text("Nothing has been recorded for this plot yet.")

    def sow_and_plant(self, page: Page) -> None:
        self.stage(page, "Sow")
        page.get_by_text("Keep only the day, without seeds…").click()
        page.locator(".stack").get_by_label("Day").fill((timezone.localdate() - timedelta(days=90)).isoformat())
        page.get_by_role("button", name="Save this date").click()
        expect(page.get_by_text("12 plots sown on")).to_be_visible()
        self.stage(page, "Plant")
        page.get_by_text("Keep only the day, without plants…").click()
        page.get_by_label("Day").fill((timezone.localdate() - timedelta(days=120)).isoformat())
        page.get_by_role("button", name="Save this date").click()
        expect(page.locator(".error")).to_contain_text("after this planting date")
        page.get_by_label("Day").fill((timezone.localdate() - timedelta(days=60)).isoformat())
        page.get_by_role("button", name="Save this date").click()
        expect(page.get_by_text("All 12 plots are planted.")).to_be_visible()

    def walk(self, page: Page) -> None:
        self.stage(page, "Walk")
        page.get_by_role("checkbox", name="Vigour").check()
        page.get_by_role("button", name="Start walking").click()
        here = page.locator(".strip-tag.here")
        for name in HEAVY:
            expect(page.locator("body")).not_to_contain_text(name)
        plots = list(self.trial.plots.select_related("entry__cultivar").order_by("place"))
        path = [p.number for p in plots]
        for p in plots[:-2]:
            expect(here).to_have_text(p.number)
            page.keyboard.press(str(VIGOUR[p.entry.cultivar.name] + (p.block == "2")))  # however the layout was drawn
        expect(here).to_have_text(path[-2])
        page.keyboard.press("x")
        page.keyboard.press("4")
        expect(here).to_have_text(path[-1])
        page.keyboard.press("b")
        expect(page.locator(".kept")).to_contain_text("You have lost label here")
        page.keyboard.press("5")
        expect(here).to_have_text(path[-1])
        page.keyboard.press("6")
        expect(page.locator(".foot").first).to_contain_text("12 of 12 plots")
        page.get_by_role("button", name="Undo").click()
        expect(page.locator(".foot").first).to_contain_text("11 of 12 plots")
        page.keyboard.press("6")
        for _ in range(3):  # some plots are asked a second time, without a word
            expect(page.locator(".foot").first).to_contain_text("12 of 12 plots")
            page.keyboard.press("5")
        expect(page.get_by_text("Every plot has a value.")).to_be_visible()
        expect(page.locator("#waiting")).to_contain_text("Everything is on the server.")
        self.assertEqual(Observation.objects.in_force().count(), 12)

    def pick(self, page: Page) -> None:
        page.goto(self.at(f"/trials/{self.trial.slug}/pick/"))
        plots = list(self.trial.plots.select_related("entry__cultivar").order_by("place"))
        for week in (14, 7):
            page.get_by_label("Day").fill((timezone.localdate() - timedelta(days=week)).isoformat())
            for plot in plots:
                page.get_by_label("Plot", exact=True).fill(plot.number)
                name = plot.entry.cultivar.name
                kg = HEAVY[name] + UNEVEN[(list(HEAVY).index(name) + int(plot.block)) % 4]
                page.get_by_label("Marketable").fill(f"{kg:.2f}".replace(".", ","))
                page.get_by_label("Marketable").press("Enter")
                saved = page.locator("[data-line-answers] li.kept").filter(has_text=f"Plot {plot.number}:")
                expect(saved.first).to_be_visible()
        self.assertEqual(Picking.objects.count(), 24)
        page.get_by_label("Marketable").fill("heavy")
        page.get_by_label("Marketable").press("Enter")
        expect(page.locator(".field.wrong").last).to_contain_text("Found “heavy”. Expected a number from 0 to 500 kg.")
        expect(page.get_by_label("Marketable")).to_have_value("heavy")
        self.accessible(page, "pick")

    def compare(self, page: Page) -> None:
        self.stage(page, "Compare")
        expect(page.locator(".lead")).to_contain_text("Quillet beats the check, Corvane.")
        expect(page.locator(".results tbody tr").first).to_contain_text("Quillet")
        page.locator(".results tbody tr").first.focus()
        page.keyboard.press("ArrowDown")
        expect(page.locator(".plan .tag.lit")).to_have_count(3)
        self.accessible(page, "compare")
        page.get_by_role("link", name="Control the error over all comparisons").click()
        expect(page.locator(".bench")).to_contain_text("(Dunnett)")
        page.get_by_role("link", name="How this was worked out").click()
        expect(page.get_by_role("heading", name="Analysis of variance")).to_be_visible()
        expect(page.get_by_role("row", name=re.compile("^error 6"))).to_be_visible()
        self.accessible(page, "working")

    def decide(self, page: Page) -> None:
        self.stage(page, "Decide")
        line = page.locator("tbody.line", has_text="OF-17")
        expect(line).to_contain_text("Drop")
        expect(page.locator("tbody.line", has_text="Quillet")).to_contain_text("Retest")  # four entries in one season: not sure yet
        line.locator("tr").first.click()
        line.get_by_label("Retest").check()
        line.get_by_role("button", name="Save verdict").click()
        expect(line).to_contain_text("Say why you decide otherwise.")
        self.accessible(page, "an opened line")
        line.get_by_label("Reason").fill("Stood a hard spring")
        line.get_by_role("button", name="Save verdict").click()
        expect(line).to_contain_text("decided otherwise: Stood a hard spring")
        self.accessible(page, "decide")
        page.get_by_label("Your password, as a signature").fill("a guess")
        page.get_by_role("button", name="Sign these verdicts").click()
        expect(page.locator("#notices")).to_contain_text("nothing was signed, and the names stay closed")
        page.get_by_label("Your password, as a signature").fill(world.PASSWORD)
        page.get_by_role("button", name="Sign these verdicts").click()
        expect(page.get_by_text("The data are as they were then.")).to_be_visible()
        page.get_by_role("link", name="Report").click()
        expect(page.get_by_role("heading", name="Fennel by the browser, ")).to_be_visible()
        expect(page.locator(".report")).to_contain_text("Stood a hard spring")
        self.accessible(page, "report")
        self.assertEqual({x["name"]: x["verdict"] for x in SignedBoard.objects.get().lines}["OF-17"], "retest")


class Sheet(BrowserTest):
    def test_a_sheet_becomes_a_trial(self) -> None:
        world.person()
        page = self.open("manager")
        page.goto(self.at("/bring-in/"))
        self.accessible(page, "bring in")
        page.get_by_label("or paste the lines").fill("plot,rep,entry,value\n1,1,A,5\n2,1,B,x\n3,2,A,6\n4,2,B,7")
        page.get_by_role("button", name="Look at it first").click()
        expect(page.locator(".problems")).to_contain_text("a number, or blank for a missing plot")
        page.go_back()
        text = page.get_by_label("or paste the lines")
        text.fill("plot,rep,entry,value\n1,1,A,5\n2,1,B,6.5\n3,2,A,6\n4,2,B,7\n5,3,A,5.5\n6,3,B,7.5")
        page.get_by_role("button", name="Look at it first").click()
        page.get_by_label("Crop").fill("Radicchio")
        page.get_by_label("Check", exact=True).select_option("A")
        page.get_by_role("button", name="Make the trial").dblclick()
        expect(page.locator(".lead")).to_contain_text("check, A")
        self.assertEqual(Trial.objects.count(), 1)


@tag("long")
class EveryPage(BrowserTest):
    def test_main_pages_are_accessible_and_fit_desk_and_phone(self) -> None:
        by = world.person()
        made = world.trial(by, sow_on=date(2026, 3, 1), pick_on=timezone.localdate())
        world.sow(made, by)
        world.keep_yields(made, by, HEAVY)
        asked = world.walk(made, "vigour", by)
        plot, today = made.plots.all()[0], timezone.localdate()
        watch = begin_watch(made, Problem.objects.get(name="Aphids"), today, by, today)
        keep_event(made, "hail", today, "", list(made.plots.all()[:4]), 9, Rule(50, 20), by, today)
        done = Done("spray", "Soap", timezone.now(), 5, "ml", 4, 3, label_read=True)
        keep_care(made, list(made.plots.all()[:4]), done, by, timezone.now())
        seen = world.walk(made, "first-flower", by)
        world.keep(seen, plot, by, day=world.TODAY)
        assert made.bed
        Site.objects.filter(pk=made.bed.site_id).update(latitude=53.4)
        read_station(Site.objects.get(pk=made.bed.site_id), timezone.localdate(), years=4)
        loose = world.trial(by, fixed=False, name="Loose", design="split", factor="Cover", levels=("net", "none"), border=1)
        lot = keep_lot(None, made.entries.all()[0].cultivar, {"name": "17", "year": 2020, "treatment": "dust"}, by)
        keep_use(made.bed, "crop", "Carrot", Crop.objects.get(name="Carrot"), (0, 8), date(2024, 4, 1), date(2024, 9, 1), "")
        paths = (
            "",
            "print/",
            "print/plan/",
            "print/scoring/",
            "print/kit/",
            "needs/",
            "calendar/",
            "protocol/",
            "closer/",
            "again/",
            "sow/",
            "plant/",
            "walk/",
            f"walk/{asked.pk}/",
            "walk/events/?kind=frost",
            "walk/care/",
            "walk/pests/",
            f"walk/pests/{watch.pk}/",
            "walk/stages/",
            "walk/agreement/",
            f"plot/{plot.pk}/identity/",
            f"plot/{plot.pk}/pictures/",
            "pick/",
            "compare/",
            "compare/working/",
            "decide/",
            "report/",
        )
        pages = [
            "/",
            "/trials/",
            "/trials/new/",
            "/cultivars/",
            "/cultivars/traits/",
            f"/cultivars/traits/{asked.trait_id}/",
            "/cultivars/crops/",
            "/cultivars/crops/new/",
            "/ground/",
            f"/ground/{made.bed.site_id}/weather/",
            f"/ground/beds/{made.bed.pk}/",
            "/seed/",
            f"/seed/{lot.pk}/",
            f"/cultivars/{lot.cultivar_id}/",
            "/people/me/",
            "/people/",
            "/help/",
            "/ground/?new=1",
            "/jump/?q=fen",
            "/practice/",
            "/bring-in/",
            f"/trials/{loose.slug}/",
            f"/trials/{loose.slug}/change/",
            *(f"/trials/{made.slug}/{p}" for p in paths),
        ]
        page = self.open("manager", PHONE)
        for path in pages:
            page.goto(self.at(path))
            for size in (PHONE, DESK):
                with self.subTest(path=path, size=size):
                    page.set_viewport_size(size)
                    self.accessible(page, path)
                    self.no_sideways(page, path)
                    if size == PHONE:
                        self.for_thumbs(page, path)

    def test_the_keys_of_a_page(self) -> None:
        made = world.trial(world.person())
        page = self.open("manager")
        page.goto(self.at(f"/trials/{made.slug}/"))
        page.keyboard.press("?")
        expect(page.locator("#keys")).to_be_visible()
        page.keyboard.press("Escape")
        page.keyboard.press("/")
        page.keyboard.type("302")
        page.keyboard.press("Enter")
        expect(page.locator("#plot")).to_contain_text("302")
        expect(page.locator(".tag.chosen")).to_contain_text("302")
