"""Does the ground run: what is said of even ground and of a slope, and a sheet that does not say where its plots stood."""

from unittest.mock import patch

from django.urls import reverse

from evarlo.catalogue.models import Trait
from evarlo.compare import running as module
from evarlo.compare.queries import compare
from evarlo.compare.running import Running, running
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.trials.models import Trial

ENTRIES = tuple(f"OE-{n}" for n in range(1, 13))


class Ground(TestCase):
    def setUp(self) -> None:
        self.by = world.person()
        self.client.force_login(self.by)
        self.made = world.trial(
            self.by, entries=ENTRIES, check=ENTRIES[0], blocks=4, plot_length_m=1.2, plot_width_m=0.8, path_m=0.3
        )
        world.sow(self.made, self.by)
        self.trait = Trait.objects.get(key="plot-yield")
        self.url = reverse("compare:ground", args=[self.made.slug])

    def grow(self, slope: float) -> None:
        """Entries a fifth apart, a fixed scatter, and `slope` a metre along the bed, rising and falling again across it."""
        asked = world.walk(self.made, "plot-yield", self.by)
        for i, plot in enumerate(self.made.plots.select_related("entry__cultivar").order_by("place")):
            own = 4 + ENTRIES.index(plot.entry.cultivar.name) / 5
            luck = ((i * 37) % 23 - 11) / 40
            world.keep(asked, plot, self.by, round(own + luck + slope * (plot.x + abs(plot.y - 3)), 3))
        self.made = Trial.objects.get(pk=self.made.pk)

    def test_a_slope_within_blocks_is_taken_out_and_its_worth_said(self) -> None:
        self.grow(0.6)
        made = running(compare(self.made, self.trait, self.by))
        assert isinstance(made, Running)
        self.assertTrue(made.worked.runs)
        self.assertGreater(made.more_blocks, 1)
        means = [row.without[0] for row in made.rows]
        self.assertEqual(means, sorted(means, reverse=True))
        names = [row.result.name for row in made.rows]
        apart = sum(abs(names.index(e) - (len(ENTRIES) - 1 - i)) for i, e in enumerate(ENTRIES))
        self.assertLess(apart, 16)  # nearly the order that was laid in
        page = self.client.get(self.url, {"trait": "plot-yield"})
        self.assertContains(page, "The ground runs: neighbouring plots are alike.")
        self.assertContains(page, "With the ground taken out")
        self.assertEqual(page.content.decode().count("<li><p"), 4)

    def test_on_even_ground_nothing_is_taken_out(self) -> None:
        self.grow(0.0)
        page = self.client.get(self.url, {"trait": "plot-yield"})
        self.assertContains(page, "The ground need not be taken out")
        self.assertNotContains(page, "With the ground taken out")

    def test_a_sheet_without_rows_is_not_judged(self) -> None:
        self.grow(0.6)
        Trial.objects.filter(pk=self.made.pk).update(placed=False)
        self.assertContains(self.client.get(self.url), "does not say where its plots stood")

    def test_of_a_long_trial_the_figures_come_after_the_page(self) -> None:
        self.grow(0.6)
        with patch.object(module, "LONG", 10):
            page = self.client.get(self.url, {"trait": "plot-yield"})
            self.assertContains(page, "Reckoning the ground of 48 plots")
            self.assertNotContains(page, "The ground runs")
            part = self.client.get(self.url, {"trait": "plot-yield", "part": "ground"}, headers={"HX-Request": "true"})
            self.assertContains(part, "The ground runs")
            self.assertNotContains(part, "<html")
            plain = self.client.get(self.url, {"trait": "plot-yield", "part": "ground"})
            self.assertContains(plain, "The ground runs")

    def test_without_a_record_it_says_so(self) -> None:
        self.assertContains(self.client.get(self.url), "too few values")
