"""Planning done in the browser: many lines in small blocks down to printed labels, a crop's profile, a site's weather."""

from datetime import date, timedelta

from django.utils import timezone
from playwright.sync_api import Page, expect

from evarlo.catalogue.models import Crop
from evarlo.grounds.models import Bed, Site, WeatherDay
from evarlo.testing import world
from evarlo.testing.browser import PHONE, BrowserTest
from evarlo.trials.models import Trial

LINES = [f"EL-{i:02d}" for i in range(1, 25)]


class ManyLines(BrowserTest):
    def test_from_a_list_of_lines_to_labels(self) -> None:
        by = world.person()
        world.person("helper")
        Crop.objects.get_or_create(name="Edamame", defaults={"between_rows_cm": 45, "in_row_cm": 12, "cv_percent": 14})
        site = Site.objects.create(name="Ostrel Flats", last_frost="04-18", first_frost="10-21")
        Bed.objects.create(site=site, name="Long bed", length_m=40, width_m=14, bearing=10)
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
        expect(page.locator(".deeds")).to_contain_text("Planned with 24 entries in 3 replicates of incomplete blocks.")
        self.accessible(page, "plan of incomplete blocks")
        self.print_out(page, trial)

    def fill(self, page: Page) -> None:
        page.get_by_label("Name", exact=True).fill("Edamame lines")
        page.get_by_label("Crop").fill("Edamame")
        page.get_by_label("Crop").press("Tab")
        expect(page.get_by_label("Between rows")).not_to_have_value("")  # the profile fills it in
        page.get_by_label("Entries, one a line").fill("\n".join([*LINES, "el-07"]))
        page.get_by_label("Check").fill("EL-01")
        page.get_by_label("Site").fill("Ostrel Flats")
        page.get_by_label("Bed", exact=True).fill("Long bed")
        page.get_by_label("Bed", exact=True).press("Tab")
        expect(page.get_by_label("Length", exact=True)).to_have_value("40")
        page.get_by_label("Plot length").fill("6 ft")
        page.get_by_label("Plot width").fill("150 cm")
        page.get_by_label("Blocks", exact=True).fill("3")
        page.get_by_label("Criterion 1").select_option("marketable-yield")
        page.get_by_role("button", name="Draw the layout").click()
        wrong = page.locator(".field.wrong")
        expect(wrong).to_contain_text("EL-07")  # one line twice, written otherwise
        expect(page.get_by_label("Entries, one a line")).to_have_value("\n".join([*LINES, "el-07"]))
        expect(page.get_by_label("Plot length")).to_have_value("6 ft")
        self.assertEqual(Trial.objects.count(), 0)
        page.get_by_label("Entries, one a line").fill("\n".join(LINES))

    def choose_blocks(self, page: Page) -> None:
        forecast = page.locator("#forecast")
        expect(forecast).to_contain_text("72")
        size = page.get_by_label("Plots in a block")
        expect(size).to_be_hidden()
        page.get_by_label("Design").select_option(label="Incomplete blocks: replicates cut into small blocks, for many entries")
        size.fill("24")
        page.get_by_role("button", name="Draw the layout").click()
        expect(page.locator(".field.wrong")).to_contain_text("from 2 to 23, one fewer than the entries")
        size.fill("6")
        expect(forecast.locator("svg.plan")).to_be_visible()
        expect(forecast).to_contain_text("It fits")

    def print_out(self, page: Page, trial: Trial) -> None:
        page.get_by_role("link", name="Print", exact=True).click()
        expect(page.get_by_text("The layout can still be shuffled. Fix it before stakes go into the ground.")).to_be_visible()
        page.get_by_label("First free label of the sheet").fill("99")
        page.get_by_role("button", name="Labels, PDF").click()
        expect(page.locator(".field.wrong")).to_contain_text("Found “99”. Expected a")
        page.get_by_role("link", name="Back to the plan").click()
        page.get_by_role("button", name="Fix this layout").click()
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
        page.get_by_role("button", name="Keep the profile").click()
        expect(page.locator(".field.wrong")).to_contain_text("Found “close”. Expected a number from 0.5 to 500 cm.")
        expect(page.get_by_label("Between rows")).to_have_value("1 ft")
        page.get_by_label("In the row").fill("4")
        page.get_by_role("button", name="Keep the profile").click()
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
        expect(page.get_by_role("heading", name="Frost by risk")).to_be_visible()
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
        page.get_by_role("button", name="Reckon").click()
        expect(page.locator("p.lead").last).to_contain_text("°C·days from 1 Jan")
        self.accessible(page, "weather")
        self.no_sideways(page, "weather")
