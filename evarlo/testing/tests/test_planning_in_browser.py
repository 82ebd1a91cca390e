"""Planning done in the browser: many lines in small blocks over two beds and a split-plot, each from nothing to printed stakes;
needs, calendar, a crop's profile, a site's weather."""

import re
from datetime import date, timedelta

from django.utils import timezone
from playwright.sync_api import Locator, Page, expect

from evarlo.catalogue.models import Crop
from evarlo.grounds.models import Bed, Site, WeatherDay
from evarlo.testing import world
from evarlo.testing.browser import PHONE, BrowserTest
from evarlo.trials.models import Trial


def drag(page: Page, handle: Locator, dx: float, dy: float) -> None:
    """Take something by its middle and let it go some pixels further."""
    handle.scroll_into_view_if_needed()
    box = handle.bounding_box()
    assert box
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + dx / 2, y + dy / 2)
    page.mouse.move(x + dx, y + dy)
    page.mouse.up()


LINES = [f"EL-{i:02d}" for i in range(1, 25)]


class ManyLines(BrowserTest):
    def test_from_a_list_of_lines_to_labels(self) -> None:
        by = world.person()
        world.person("helper")
        Crop.objects.get_or_create(name="Edamame", defaults={"between_rows_cm": 45, "in_row_cm": 12, "cv_percent": 14})
        site = Site.objects.create(name="Ostrel Flats", last_frost="04-18", first_frost="10-21")
        Bed.objects.create(site=site, name="Long bed", length_m=17, width_m=10, bearing=10)
        page = self.open("manager")
        page.goto(self.at("/trials/new/"))
        self.fill(page)
        self.choose_blocks(page)
        page.get_by_role("button", name="Draw the layout").click()
        expect(page.locator("#bench-title")).to_have_text("Plan")
        trial = Trial.objects.get()
        self.assertEqual((trial.design, trial.plots.count(), trial.made_by), (Trial.Design.INCOMPLETE, 72, by))
        for rep in "123":
            self.assertEqual(trial.plots.filter(block=rep).values("entry").distinct().count(), 24)
        expect(page.locator(".deeds")).to_contain_text("Planned with 24 entries: 3 replicates, each cut into small blocks")
        self.assertEqual([trial.plots.filter(bed__name=name).count() for name in ("Long bed", "Short bed")], [48, 24])
        self.move_a_block(page, trial)
        self.accessible(page, "plan of incomplete blocks")
        self.print_out(page, trial)

    def fill(self, page: Page) -> None:
        self.begin_plan(page, "Edamame")
        expect(page.get_by_label("Between rows")).to_have_value("45")  # as the crop has it
        page.get_by_label("Name", exact=True).fill("Edamame lines")
        page.get_by_label("Entries, one a line").fill("\n".join([*LINES, "el-07"]))
        page.get_by_label("Check", exact=True).fill("EL-01")
        page.get_by_label("Site").fill("Ostrel Flats")
        page.get_by_label("Bed", exact=True).fill("Long bed")
        page.get_by_label("Bed", exact=True).press("Tab")
        expect(page.get_by_label("Length", exact=True)).to_have_value("17")
        page.get_by_label("Plot length").fill("6 ft")
        page.get_by_label("Plot width").fill("150 cm")
        page.get_by_label("Blocks", exact=True).fill("3")
        page.get_by_label("Criterion 1").select_option("marketable-yield")
        page.get_by_role("button", name="Draw the layout").click()
        wrong = page.locator("#id_entries-wrong").first
        expect(wrong).to_contain_text("EL-07")  # one line twice, written otherwise
        expect(page.get_by_label("Entries, one a line")).to_have_value("\n".join([*LINES, "el-07"]))
        expect(page.get_by_label("Plot length")).to_have_value("6 ft")
        self.assertEqual(Trial.objects.count(), 0)
        page.get_by_label("Entries, one a line").fill("\n".join(LINES))

    def choose_blocks(self, page: Page) -> None:
        forecast = page.locator("#forecast")
        expect(forecast).to_contain_text("72")
        size = page.get_by_label("Plots in a block")
        expect(size).to_be_visible()  # so many lines are proposed in small blocks
        page.get_by_label("Design").select_option(label="Incomplete blocks")
        expect(page.get_by_text("Choose it for more than about 16 entries.")).to_be_visible()
        size.fill("24")
        page.get_by_role("button", name="Draw the layout").click()
        expect(page.locator("#id_block_size-wrong")).to_contain_text("from 2 to 23, one fewer than the entries")
        self.unfold(page)
        size.fill("6")
        expect(forecast).to_contain_text("It does not fit: the bed would have to be")
        page.get_by_label("Further beds").fill("Short bed, 12")
        page.get_by_role("button", name="Draw the layout").click()
        expect(page.locator("#id_more_beds-wrong")).to_contain_text(
            "Found “Short bed, 12”. Expected a bed of this site, or a new one"
        )
        self.unfold(page)
        page.get_by_label("Further beds").fill("Short bed 12 × 9,5 m")
        expect(forecast.locator("svg.plan")).to_be_visible()
        expect(forecast).to_contain_text("It fits: 2 and 1 blocks in the 2 beds")

    def move_a_block(self, page: Page, trial: Trial) -> None:
        """Replicate 3 is dragged along its bed, and what would lie over the edge is not laid there."""
        before = dict(trial.plots.values_list("number", "entry"))
        grip = page.locator(".handle[data-block='3'] .grip")
        drag(page, grip, 24, 0)
        expect(page.locator(".deeds li").first).to_contain_text("Block 3 moved to Short bed")
        x = min(trial.plots.filter(block="3").values_list("x", flat=True))
        self.assertGreater(x, 0.3)
        self.assertEqual(dict(trial.plots.values_list("number", "entry")), before)
        page.get_by_text("Move a block or lay it in another bed…").click()
        form = page.locator("form[data-block='3']")
        form.get_by_label("Along, m").fill("11")
        form.get_by_role("button", name="Move").click()
        expect(page.get_by_text("block 3 would lie over the edge of its bed")).to_be_visible()
        self.assertAlmostEqual(min(trial.plots.filter(block="3").values_list("x", flat=True)), x)

    def print_out(self, page: Page, trial: Trial) -> None:
        page.get_by_role("link", name="Print", exact=True).click()
        expect(page.get_by_text("The layout can still be shuffled. Fix it before stakes go into the ground.")).to_be_visible()
        page.get_by_label("First free label of the sheet").fill("99")
        page.get_by_role("button", name="Labels, PDF").click()
        expect(page.locator(".field.wrong")).to_contain_text("Found “99”. Expected a")
        page.get_by_role("link", name="Layout", exact=True).click()
        page.get_by_role("button", name="Fix this layout").click()
        expect(page.get_by_text("The layout is fixed", exact=True)).to_be_visible()
        page.get_by_role("link", name="Print", exact=True).click()
        expect(page.get_by_text("The layout can still be shuffled")).to_have_count(0)
        pdf = page.request.get(self.at(f"/trials/{trial.slug}/print/?sheet=a4-24&kind=both&start=1"))
        self.assertEqual((pdf.headers["content-type"], pdf.body()[:5]), ("application/pdf", b"%PDF-"))
        page.get_by_role("link", name="Scoring sheet").click()
        expect(page.locator("body")).to_contain_text("324")
        expect(page.locator("body")).not_to_contain_text("EL-05")
        helper = self.open("helper", PHONE)
        helper.goto(self.at(f"/trials/{trial.slug}/print/plan/"))
        expect(helper.locator("body")).to_contain_text("101")
        expect(helper.locator("body")).not_to_contain_text("EL-05")
        refused = helper.request.get(self.at(f"/trials/{trial.slug}/print/?sheet=a4-24&kind=named&start=1"))
        self.assertEqual(refused.status, 422)


class SowingDates(BrowserTest):
    """A split-plot of radicchio × sowing date: planned, provided for, dated, fixed, printed."""

    def test_from_a_question_to_stakes(self) -> None:
        world.person()
        Site.objects.create(name="Ostrel Flats", last_frost="04-18", first_frost="10-21", latitude=53.4)
        page = self.open("manager")
        page.goto(self.at("/trials/new/"))
        self.begin_plan(page, "Radicchio")
        self.plan(page)
        trial = Trial.objects.get()
        self.provide(page, trial)
        self.date(page, trial)
        self.fix_and_print(page, trial)

    def plan(self, page: Page) -> None:
        sown = timezone.localdate() + timedelta(days=40)
        for label, text in (
            ("Question", "Does it want the earlier or the later sowing?"),
            ("Site", "Ostrel Flats"),
            ("Entries, one a line", "Cinder Rail\nOstrel Red\nVane Hollow\nPallister"),
            ("Plot length", "1.8"),
            ("Plot width", "1.4"),
            ("Further beds", ""),
        ):
            page.get_by_label(re.compile(f"^{label}( optional)?$")).fill(text)
            page.get_by_label(re.compile(f"^{label}( optional)?$")).press("Tab")
        for label, text in (
            ("Name", "Radicchio dates"),
            ("Check", "Ostrel Red"),
            ("Bed", "Bank bed"),
            ("Length", "40"),
            ("Width", "6"),
            ("Blocks", "4"),
        ):
            page.get_by_label(label, exact=True).fill(text)
        page.get_by_label("Criterion 1").select_option("piece-weight")
        page.get_by_label("Sow on").fill(sown.isoformat())
        expect(page.get_by_label("Second factor", exact=True)).to_be_hidden()
        page.get_by_label("Design").select_option(label="Split-plot")
        page.get_by_label("Second factor", exact=True).fill("Sowing date")
        page.get_by_label("Its levels, one a line").fill(f"{sown:%-d %b}")
        page.get_by_role("button", name="Draw the layout").click()
        expect(page.locator(".field.wrong")).to_contain_text("Expected 2 to 12 levels of the second factor")
        later = sown + timedelta(days=21)
        page.get_by_label("Its levels, one a line").fill(f"{sown:%-d %b}\n{later:%-d %b}")
        forecast = page.locator("#forecast")
        expect(forecast).to_contain_text("over all levels of sowing date, would be found 8 times in 10")
        expect(forecast).to_contain_text("each block 2 whole plots of 4")
        self.accessible(page, "new split-plot")
        page.get_by_role("button", name="Draw the layout").dblclick()
        expect(page.locator("#bench-title")).to_have_text("Plan")
        expect(page.locator(".bench")).to_contain_text("2 levels of sowing date on whole plots and entries within them")
        page.get_by_role("link", name="Change the plan").click()
        expect(page.get_by_label("Its levels, one a line")).to_have_value(f"{sown:%-d %b}\n{later:%-d %b}")
        page.get_by_label("Blocks", exact=True).fill("3")
        page.get_by_role("button", name="Draw the layout").click()
        expect(page.locator(".deeds")).to_contain_text("Plan changed: 4 entries, 3 blocks")
        self.assertEqual(Trial.objects.get().plots.count(), 24)

    def provide(self, page: Page, trial: Trial) -> None:
        """4 rows of 6 stand in a plot, so 144 stations an entry; 144 ÷ (0.85 × 0.9) + 10 % is 189 and 19 seeds."""
        page.get_by_role("link", name="Needs", exact=True).click()
        expect(page.locator("#needs")).to_contain_text("4 of 4 entries are short of seed")
        expect(page.locator("#needs")).to_contain_text("144 stations ÷ (0.85 × 0.90) + 10 % = 208 seeds (germination assumed)")
        page.get_by_label("To spare").fill("0")
        expect(page.locator("#needs")).to_contain_text("= 189 seeds")
        page.get_by_text("Put a material on the list…").click()
        page.get_by_label("Material", exact=True).fill("Leaf compost")
        page.get_by_label("Reckoned as").select_option("layer")
        page.get_by_label("Amount").fill("3 cm deep")
        page.get_by_role("button", name="Add", exact=True).click()
        expect(page.locator(".field.wrong")).to_contain_text("Found “3 cm deep”")
        page.get_by_label("Amount").fill("3")
        page.get_by_role("button", name="Add", exact=True).click()
        expect(page.locator("#needs")).to_contain_text("3 cm × 2.52 m²")
        self.accessible(page, "needs")
        orders = page.request.get(self.at(f"/trials/{trial.slug}/needs/orders.csv")).text()
        self.assertEqual(len(orders.strip().splitlines()), 1 + 4 + 1)

    def date(self, page: Page, trial: Trial) -> None:
        page.get_by_role("link", name="Calendar", exact=True).click()
        expect(page.locator(".tasks")).to_contain_text("Plant out")
        trial.refresh_from_db()
        first = trial.sow_on
        assert first
        drag(page, page.locator(".calendar .task[data-key='sow'] .hit"), 60, 0)
        expect(page.locator(".notice").first).to_contain_text("With it:")
        trial.refresh_from_db()
        assert trial.sow_on
        moved = (trial.sow_on - first).days
        self.assertGreater(moved, 3)
        expect(page.locator(".notice").first).to_contain_text(f"Sow moved by +{moved} days.")
        page.get_by_text("Add a task to the calendar…").click()
        page.get_by_label("Task", exact=True).fill("Lay drip lines")
        page.get_by_role("button", name="Add", exact=True).click()
        expect(page.locator(".field.wrong")).to_contain_text("Say when: a day, after which task, or what it waits for.")
        page.get_by_label("or when", exact=True).fill("ground is level")
        page.get_by_role("button", name="Add", exact=True).click()
        expect(page.locator(".tasks")).to_contain_text("ground is level")
        self.accessible(page, "calendar")
        self.no_sideways(page, "calendar")

    def fix_and_print(self, page: Page, trial: Trial) -> None:
        page.get_by_role("link", name="Layout", exact=True).click()
        page.get_by_role("button", name="Fix this layout").click()
        expect(page.get_by_text("The layout is fixed since")).to_be_visible()
        expect(page.locator(".handle")).to_have_count(0)
        page.locator("#ground a[data-plot]", has_text="101").click()
        page.get_by_text("Swap with another plot of its block…").click()
        page.get_by_label("With plot").fill("201")
        page.locator("#plot").get_by_label("Because").fill("Trays were mixed up")
        page.get_by_role("button", name="Swap them").click()
        expect(page.locator("#plot")).to_contain_text("stand in different blocks")
        beside = trial.plots.filter(inner=trial.plots.get(number="101").inner).exclude(number="101")[0]
        page.get_by_label("With plot").fill(beside.number)
        page.get_by_role("button", name="Swap them").click()
        expect(page.locator("#plot")).to_contain_text("As planned,")
        page.get_by_role("link", name="Print", exact=True).click()
        pdf = page.request.get(self.at(f"/trials/{trial.slug}/print/?sheet=stake&kind=blind&start=1"))
        self.assertEqual((pdf.headers["content-type"], pdf.body()[:5]), ("application/pdf", b"%PDF-"))
        page.get_by_role("link", name="Kit list").click()
        expect(page.locator("body")).to_contain_text("24 plots of 24 stations")
        expect(page.locator("body")).not_to_contain_text("Vane Hollow")


class Interrupted(BrowserTest):
    forgiven = ("status of 401", "net::ERR_INTERNET_DISCONNECTED", "htmx:responseError", "Response Status Error Code 401")

    def test_a_plan_typed_for_an_hour_outlives_the_log_in_and_the_connection(self) -> None:
        world.person()
        page = self.open("manager")
        page.goto(self.at("/cultivars/crops/new/"))
        page.get_by_label("Crop", exact=True).fill("Sea kale")
        cookies = [c for c in page.context.cookies() if c["name"] != "sessionid"]
        page.context.clear_cookies(name="sessionid")
        page.get_by_role("button", name="Save the profile").click()
        expect(page.locator("#notices")).to_contain_text("You are no longer logged in.")
        expect(page.get_by_label("Crop", exact=True)).to_have_value("Sea kale")
        self.assertTrue(cookies)
        other = page.context.new_page()
        other.goto(self.at("/people/log-in/"))
        other.get_by_label("Username").fill("manager")
        other.get_by_label("Password").fill(world.PASSWORD)
        other.get_by_role("button", name="Log in").click()
        expect(other.get_by_role("button", name="Log out")).to_be_visible()
        page.context.set_offline(True)
        page.get_by_role("button", name="Save the profile").click()
        expect(page.locator("#notices")).to_contain_text("No connection: nothing was sent.")
        page.context.set_offline(False)
        page.get_by_role("button", name="Save the profile").dblclick()
        expect(page.get_by_text("Sea kale: the profile is kept.")).to_be_visible()
        self.assertEqual(Crop.objects.filter(name="Sea kale").count(), 1)


class Records(BrowserTest):
    def test_a_profile_is_changed_and_a_slip_keeps_what_was_typed(self) -> None:
        world.person()
        carrot, _ = Crop.objects.get_or_create(name="Carrot", defaults={"between_rows_cm": 30, "in_row_cm": 3, "cv_percent": 15})
        page = self.open("manager")
        page.goto(self.at("/cultivars/crops/"))
        page.get_by_role("link", name="Carrot").click()
        page.get_by_text("Change the profile…").click()
        page.get_by_label("Between rows").fill("1 ft")
        page.get_by_label("In the row").fill("close")
        page.get_by_role("button", name="Save the profile").click()
        expect(page.locator(".field.wrong")).to_contain_text("Found “close”. Expected a number from 0.5 to 500 cm.")
        expect(page.get_by_label("Between rows")).to_have_value("1 ft")
        page.get_by_label("In the row").fill("4")
        page.get_by_role("button", name="Save the profile").click()
        expect(page.get_by_text("Rows 30.48 cm apart, plants 4 cm in the row.")).to_be_visible()
        page.reload()
        expect(page.get_by_text("Set by Manager Tester")).to_be_visible()
        carrot.refresh_from_db()
        self.assertEqual((float(carrot.between_rows_cm), float(carrot.in_row_cm)), (30.48, 4.0))

    def test_the_station_a_bad_sheet_and_a_good_one(self) -> None:
        world.person()
        site = Site.objects.create(name="Ostrel Flats", last_frost="04-18", first_frost="10-21", latitude=53.4)
        page = self.open("manager")
        page.goto(self.at(f"/ground/{site.pk}/weather/"))
        expect(page.get_by_text("No weather on record")).to_be_visible()
        page.get_by_role("button", name="Read the station").dblclick()
        expect(page.get_by_role("heading", name="Months")).to_be_visible()
        days = WeatherDay.objects.filter(site=site)
        held = days.count()
        self.assertEqual(held, days.values("day").distinct().count())
        day = timezone.localdate() - timedelta(days=1)
        page.get_by_text("Bring in a sheet of days…").click()
        sheet = page.get_by_label("or paste the lines")
        typed = f"date,tmin,tmax\n{day},9,4\n{day - timedelta(days=1)},cold,8"
        sheet.fill(typed)
        page.get_by_role("button", name="Bring it in").click()
        expect(page.locator(".problems tbody tr")).to_have_count(2)
        expect(page.locator(".problems")).to_contain_text("cold")
        expect(page.get_by_label("or paste the lines")).to_have_value(typed)
        self.assertEqual(days.count(), held)
        page.get_by_label("or paste the lines").fill(f"date,tmin,tmax\n{day},-3.5,4")
        page.get_by_role("button", name="Bring it in").click()
        expect(page.locator(".problems")).to_have_count(0)
        kept = days.get(day=day)
        self.assertEqual((kept.tmin, kept.tmax), (-3.5, 4.0))
        page.get_by_label("Grows above").fill("10")
        page.get_by_label("Since").fill(date(day.year, 1, 1).isoformat())
        page.get_by_role("button", name="Calculate").click()
        expect(page.locator("p.lead").last).to_contain_text("°C·days from 1 Jan")
        self.accessible(page, "weather")
        self.no_sideways(page, "weather")
