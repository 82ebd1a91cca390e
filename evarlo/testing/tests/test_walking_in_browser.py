"""What befalls plots and is done to them, in the browser: plots chosen on the plan, rules, intervals, the slider over days, the
trainer, and a picture kept without a signal."""

import io
import uuid
from datetime import timedelta

from django.utils import timezone
from PIL import Image
from playwright.sync_api import Page, expect

from evarlo.catalogue.models import Problem, Trait
from evarlo.catalogue.problems import area_trait
from evarlo.events.models import Care, Event, Photo
from evarlo.pests.watches import begin_watch
from evarlo.practice.models import Practice
from evarlo.testing import world
from evarlo.testing.browser import DESK, PHONE, BrowserTest
from evarlo.walks.models import Observation
from evarlo.walks.services import Seen, close_round, keep_observation, open_round


class Grown(BrowserTest):
    forgiven = ("ERR_INTERNET_DISCONNECTED", "ERR_FAILED", "Failed to load resource")

    def setUp(self) -> None:
        super().setUp()
        self.by = world.person()
        self.made = world.trial(self.by)
        world.sow(self.made, self.by)
        self.numbers = list(self.made.plots.order_by("place").values_list("number", flat=True))

    def go(self, page: Page, rest: str) -> None:
        page.goto(self.at(f"/trials/{self.made.slug}/{rest}"))


class Befallen(Grown):
    def test_plots_are_dragged_over_on_the_plan_and_judged_by_a_rule_written_first(self) -> None:
        page = self.open("manager", DESK)
        self.go(page, "walk/events/")
        page.get_by_text("Something happened…").click()
        tag = "#ground a[data-number='{}']"
        first, last = page.locator(tag.format("101")).bounding_box(), page.locator(tag.format("103")).bounding_box()
        assert first and last
        page.mouse.move(first["x"] - 4, first["y"] - 4)
        page.mouse.down()
        page.mouse.move(last["x"] + last["width"] - 2, last["y"] + last["height"] - 2, steps=5)
        page.mouse.up()
        field = page.get_by_label("Plots", exact=True)
        expect(field).to_have_value("101-104")
        page.locator(tag.format("103")).click()
        expect(field).to_have_value("101, 102, 104")
        page.get_by_role("button", name="Block 2").click()
        expect(page.locator("[data-picked]")).to_have_text("7 chosen")
        page.get_by_role("button", name="Block 2").click()
        expect(page.locator(".plan a.picked")).to_have_count(3)
        page.get_by_label("What", exact=True).select_option("hail")
        page.get_by_label("Leave a plot out when its damage is over").fill("60")
        page.get_by_label("unless its recovery comes to").fill("30")
        page.get_by_role("button", name="Save").dblclick()
        expect(
            page.get_by_text(
                "A plot is left out of the comparison when its damage is over 60 %, unless its recovery comes to 30 % or more."
            )
        ).to_be_visible()
        self.assertEqual(Event.objects.count(), 1)
        self.go(page, "walk/")
        page.get_by_role("row", name="Damage round 1 3 plots only").get_by_role("button", name="Walk").click()
        for value in ("70", "20", "25"):
            expect(page.locator(".strip-tag")).to_have_count(3)
            page.keyboard.type(value)
            page.keyboard.press("Enter")
        expect(page.get_by_text("Every plot has a value.")).to_be_visible()
        expect(page.locator("#waiting")).to_contain_text("Everything is on the server.")
        self.go(page, "walk/events/")
        expect(page.get_by_role("row", name="Plot 101")).to_contain_text("wait for the score")
        expect(page.get_by_role("row", name="Plot 102")).to_contain_text("keep")
        page.get_by_role("checkbox", name="Plot 101").check()
        page.get_by_label("Reason").fill("Under the fallen branch")
        page.get_by_role("button", name="Apply to the ticked plots").click()
        expect(page.get_by_role("row", name="101").first).to_contain_text("an accident Under the fallen branch")
        page.get_by_role("button", name="Take the event back").click()
        expect(page.get_by_text("Nothing has happened")).to_be_visible()

    def test_a_spray_holds_walks_and_picks_back(self) -> None:
        page = self.open("manager", PHONE)
        self.go(page, "walk/care/")
        page.get_by_label("What kind").select_option("spray")
        page.get_by_label("What", exact=True).fill("Soap")
        page.get_by_role("button", name="All", exact=True).click()
        page.get_by_label("Nobody enters for").fill("12")
        page.get_by_label("Nothing is picked for").fill("3")
        page.get_by_role("button", name="Save").click()
        expect(page.locator(".error").first).to_contain_text("Read the label first")
        expect(page.get_by_label("Plots", exact=True)).not_to_have_value("")
        page.get_by_label("I read the label").check()
        page.get_by_role("button", name="Save").click()
        expect(page.get_by_text("Every plot: Nobody enters until")).to_be_visible()
        self.accessible(page, "care")
        self.no_sideways(page, "care")
        asked = world.walk(self.made, "damage", self.by)
        self.go(page, f"walk/{asked.pk}/")
        expect(page.locator("#field .warned")).to_contain_text("Nobody enters until")
        self.go(page, "pick/")
        expect(page.get_by_text("Not to be picked before")).to_be_visible()
        self.go(page, "walk/care/")
        page.get_by_role("button", name="Undo").click()
        expect(page.get_by_text("Nobody enters until")).to_have_count(0)
        self.assertIsNotNone(Care.objects.get().withdrawn_at)

    def test_a_disease_over_days_on_the_plan(self) -> None:
        today = timezone.localdate()
        watch = begin_watch(self.made, Problem.objects.get(name="Leaf spot"), today, self.by, today)
        for days, top in ((14, 4.0), (7, 20.0), (0, 60.0)):
            on = today - timedelta(days=days)
            walk = open_round(self.made, area_trait(watch.problem), on, self.by)
            for n, plot in enumerate(self.made.plots.all()):
                keep_observation(walk, plot, Seen(number=round(top / (1 + n))), self.by, on, uuid.uuid4(), today)
            close_round(walk)
        page = self.open("manager", DESK)
        self.go(page, f"walk/pests/{watch.pk}/")
        expect(page.locator(".map:visible")).to_have_count(1)
        expect(page.locator("output")).to_contain_text(f"{today:%-d %b}")
        page.locator("#days").focus()
        page.keyboard.press("Home")
        expect(page.locator("output")).to_contain_text(f"{today - timedelta(days=14):%-d %b}")
        expect(page.locator(".map:visible")).to_contain_text(f"{today - timedelta(days=14):%-d %b %Y}")
        expect(page.locator("svg.progress")).to_be_visible()
        self.accessible(page, "watch")


class Practising(Grown):
    def test_a_rater_practises_and_is_told(self) -> None:
        page = self.open("manager", PHONE)
        page.goto(self.at("/practice/"))
        page.get_by_role("button", name="Practise ten").click()
        expect(page.locator("#said")).to_be_visible()
        self.accessible(page, "practice")
        self.no_sideways(page, "practice")
        for n in range(10):
            expect(page.locator(".foot").first).to_contain_text(f"{n + 1} of 10")
            page.locator("#said").fill("lots" if n == 3 else "10")
            page.locator("#said").press("Enter")
            if n == 3:
                expect(page.locator(".error")).to_contain_text("Found “lots”")
                expect(page.locator("#said")).to_have_value("lots")
                page.locator("#said").fill("12")
                page.locator("#said").press("Enter")
            if n < 9:
                expect(page.get_by_role("status").filter(has_text="You said")).to_contain_text("It is")
        expect(page.get_by_role("heading", name="Practice done")).to_be_visible()
        self.assertEqual(len(Practice.objects.get().said), 10)
        page.goto(self.at("/practice/"))
        expect(page.get_by_role("row", name="leaf area diseased practice")).to_be_visible()

    def test_a_trait_of_ones_own_is_put_in_and_walked(self) -> None:
        page = self.open("manager", DESK)
        page.goto(self.at("/cultivars/traits/"))
        page.get_by_text("A trait of your own…").click()
        page.get_by_label("Name", exact=True).fill("Fennel scent")
        page.get_by_label("How it is done").fill("Crush a leaf. 1 is none, 9 fills the shed. High is good.")
        page.get_by_role("button", name="Add", exact=True).dblclick()
        expect(page.get_by_text("It has no guide yet")).to_be_visible()
        page.get_by_text("Write the guide").click()
        page.get_by_label("Places on the scale").fill("1 none\n5 at arm's length\n90 off the scale")
        page.get_by_role("button", name="Save the guide").click()
        expect(page.locator(".error")).to_contain_text("90 is off the scale, 1 to 9.")
        page.get_by_label("Places on the scale").fill("1 none\n5 at arm's length\n9 the whole shed | plant:9")
        page.get_by_role("button", name="Save the guide").click()
        expect(page.locator(".anchors li")).to_have_count(3)
        self.assertEqual(Trait.objects.get(name="Fennel scent").guides.count(), 1)
        self.go(page, "walk/")
        self.unfold(page)
        page.get_by_role("checkbox", name="Fennel scent").check()
        page.get_by_role("button", name="Start walking").click()
        expect(page.locator("#bench-title")).to_have_text("Fennel scent")
        expect(page.locator(".strip-tag.here")).to_be_visible()
        page.keyboard.press("7")
        expect(page.locator(".foot").first).to_contain_text("1 of 12 plots")
        expect(page.locator("#waiting")).to_contain_text("Everything is on the server.")
        self.assertEqual((Observation.objects.get().number, Observation.objects.get().guide), (7, 1))


class Pictures(Grown):
    def test_a_picture_is_kept_without_a_signal_and_comes_in_shrunk(self) -> None:
        asked = world.walk(self.made, "damage", self.by)
        page = self.open("manager", PHONE)
        self.go(page, f"walk/{asked.pk}/")
        expect(page.locator(".strip-tag.here")).to_have_text(self.numbers[0])
        page.evaluate("() => navigator.serviceWorker.ready")
        page.reload()
        expect(page.locator(".strip-tag.here")).to_have_text(self.numbers[0])
        page.context.set_offline(True)
        out = io.BytesIO()
        Image.new("RGB", (2600, 1300), "#77aa66").save(out, "PNG")
        page.get_by_role("button", name="Photo").tap()
        page.locator("#photo").set_input_files({"name": "leaf.png", "mimeType": "image/png", "buffer": out.getvalue()})
        expect(page.locator("#said")).to_contain_text(f"The picture of plot {self.numbers[0]} is kept.")
        page.keyboard.type("12")
        page.keyboard.press("Enter")
        expect(page.locator("#waiting")).to_contain_text("2 kept on this phone only. No signal")
        page.reload()
        expect(page.locator("#waiting")).to_contain_text("2 kept on this phone only")
        page.get_by_role("button", name="Photo").tap()
        page.locator("#photo").set_input_files({"name": "a.jpg", "mimeType": "image/jpeg", "buffer": b"no picture"})
        expect(page.locator(".error").first).to_contain_text("That picture could not be kept")
        self.assertEqual(Photo.objects.count(), 0)
        page.context.set_offline(False)
        expect(page.locator("#waiting")).to_contain_text("Everything is on the server.")
        kept = Photo.objects.get()
        self.assertEqual((kept.plot.number, kept.width, kept.height, kept.latitude), (self.numbers[0], 1600, 800, None))
        page.goto(self.at(f"/trials/{self.made.slug}/plot/{kept.plot_id}/pictures/"))
        expect(page.locator(".photos img")).to_be_visible()
        self.accessible(page, "pictures")
