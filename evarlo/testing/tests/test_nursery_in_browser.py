"""From a cross to a named line over five generations, as a person does it."""

from django.utils import timezone
from playwright.sync_api import Page, expect

from evarlo.breeding.models import Cross, Generation, Saved
from evarlo.catalogue.models import Crop, Cultivar
from evarlo.catalogue.services import cultivar_named
from evarlo.grounds.models import Bed, Site
from evarlo.testing import world
from evarlo.testing.browser import PHONE, BrowserTest


class FiveGenerations(BrowserTest):
    def setUp(self) -> None:
        super().setUp()
        world.person()
        crop = Crop.objects.create(name="Made bean", profile={"pollination": "self"}, between_rows_cm=50, in_row_cm=40)
        for name in ("Hollis", "Verrin"):
            cultivar_named(crop, name)
        Bed.objects.create(site=Site.objects.create(name="Made place"), name="Long", length_m=12, width_m=6)
        self.today = timezone.localdate()

    def test_from_a_cross_to_a_name(self) -> None:
        page = self.open("manager")
        page.goto(self.at("/crosses/"))
        self.accessible(page, "crosses")
        page.get_by_label("Crop", exact=True).select_option(label="Made bean")
        page.get_by_label("Name of the cross").fill("HV")
        page.get_by_label("Seed parent").fill("Hollis")
        page.get_by_label("Pollen parent").fill("Verrin")
        page.get_by_label("Seeds it gave").fill("30")
        page.get_by_role("button", name="Put it on record").click()
        expect(page.get_by_role("heading", name="Hollis × Verrin")).to_be_visible()
        self.accessible(page, "a cross")
        page.get_by_role("link", name="Grow from its seed").click()
        for season in range(5):
            self.grow(page, str(2020 + season), "14" if season == 4 else "6")
            made = Generation.objects.latest("pk")
            self.assertEqual(made.called, f"F{season + 1}")
            if season == 4:
                break
            page.get_by_role("link", name="Save seed of").first.click()
            page.get_by_label("Seeds", exact=True).fill("60")
            page.get_by_role("button", name="Save its seed").click()
            expect(page.get_by_text("60 seeds are in store.")).to_be_visible()
            page.goto(self.at(Saved.objects.latest("pk").get_absolute_url()))
            if season == 0:
                page.get_by_label("Its name").fill("Too early")
                page.get_by_role("button", name="Name it").click()
                expect(page.get_by_text("It cannot be named yet")).to_be_visible()
                self.accessible(page, "a line")
            page.get_by_role("link", name="Grow the next generation").click()
        self.weigh(page)
        line = Saved.objects.latest("pk")
        page.goto(self.at(line.get_absolute_url()))
        self.assertEqual(page.get_by_text("short", exact=True).count(), 0)
        page.get_by_label("Its name").fill("Marrow Gate")
        page.get_by_role("button", name="Name it").click()
        expect(page.get_by_role("heading", name="Marrow Gate")).to_be_visible()
        self.assertFalse(Cultivar.objects.get(name="Marrow Gate").segregates)
        page.get_by_role("link", name="Put it in a trial").click()
        expect(page.locator(".entry-chip").filter(has_text="Marrow Gate")).to_be_visible()
        for path in (
            Cross.objects.get().get_absolute_url(),
            Generation.objects.latest("pk").get_absolute_url(),
            "/crosses/numbers/",
        ):
            phone = self.open("manager", PHONE)
            phone.goto(self.at(path))
            self.no_sideways(phone, path)
            self.accessible(phone, path)

    def grow(self, page: Page, season: str, plants: str) -> None:
        page.get_by_label("Season").fill(season)
        page.get_by_label("Bed", exact=True).select_option(index=1)
        page.get_by_label("Plants of each").fill(plants)
        page.get_by_label("A check after every").fill("4")
        page.get_by_label("Criterion 1").select_option("plot-yield")
        page.get_by_label("A difference that matters").first.fill("0.1")
        page.get_by_role("button", name="Number the plants").click()
        expect(page.get_by_text("Walk them, and the index runs along.")).to_be_visible()

    def weigh(self, page: Page) -> None:
        """Every plant of the last generation by its keys: much alike, the first a little better."""
        page.get_by_role("link", name="Walk the plants").click()
        page.get_by_label("Plot yield").first.check()
        page.get_by_role("button", name="Start").click()
        plots = list(Generation.objects.latest("pk").trial.plots.all())
        for n, plot in enumerate(plots):
            expect(page.locator(".strip-tag.here")).to_have_text(plot.number)
            page.keyboard.type(str(round(2 + 0.05 * (n % 7), 2)))
            page.keyboard.press("Enter")
        expect(page.locator("#waiting")).to_contain_text("Everything is on the server.")
        page.goto(self.at(Generation.objects.latest("pk").get_absolute_url()))
        expect(page.get_by_text("14 plants of HV F5, 14 looked at")).to_be_visible()
