"""The same plots over the years: one layout, outputs summed in a declared unit, compared by sums."""

from datetime import date

from django.urls import reverse

from evarlo.catalogue.models import Crop
from evarlo.compare.queries import over_years
from evarlo.harvest.models import Picking
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.trials.leaving_out import exclude_plot
from evarlo.trials.models import Trial
from evarlo.trials.planning import follow_trial
from evarlo.trials.services import declare_output
from evarlo.ui.refused import Refused

KG = {"Corvane": 6.0, "Quillet": 9.0, "OF-17": 6.3, "Brakewater": 4.0}


class Years(TestCase):
    """Plots of 3 m². A kilogram counts one unit in the first year and a half in the second."""

    def setUp(self) -> None:
        self.by = world.person()
        self.first = world.trial(self.by, season="2025")
        self.second = follow_trial(self.first, "Fennel", "2026", Crop.objects.get(name="Carrot"), self.by)
        declare_output(self.second, "MJ", 0.5, self.by)
        self.pick(self.first, date(2025, 6, 1))

    def pick(self, made: Trial, on: date) -> None:
        for i, plot in enumerate(made.plots.select_related("entry__cultivar")):
            world.pick(plot, self.by, KG[plot.entry.cultivar.name] + 0.1 * ((i * 7) % 5 - 2), on)

    def test_a_follower_stands_on_the_same_plots(self) -> None:
        same = ("number", "entry__cultivar__name", "block", "x", "y", "bed")
        self.assertEqual(list(self.first.plots.values_list(*same)), list(self.second.plots.values_list(*same)))
        self.assertTrue(self.second.is_fixed)
        self.assertEqual(*({e.code for e in t.entries.all()} for t in (self.first, self.second)))
        self.assertEqual(self.second.entries.get(is_check=True).cultivar.crop.name, "Carrot")
        with self.assertRaisesMessage(Refused, "used again by"):
            follow_trial(self.first, "Fennel", "2027", self.first.crop, self.by)
        with self.assertRaisesMessage(Refused, "layout is fixed"):
            follow_trial(world.trial(self.by, fixed=False, name="Loose"), "x", "2027", self.first.crop, self.by)

    def test_sums_are_weighed_by_the_unit_and_compared(self) -> None:
        self.pick(self.second, date(2026, 6, 1))
        found = over_years(Trial.objects.get(pk=self.second.pk), self.by)
        self.assertEqual((found.unit, found.lost), ("MJ/m²", 0))
        result, yearly = found.rows[0]
        self.assertEqual(result.name, "Quillet")
        own = [
            sum(
                p.marketable_kg / 3.0 * factor
                for p in Picking.objects.filter(plot__trial=t, plot__entry__cultivar__name=result.name)
            )
            / 3
            for t, factor in ((self.first, 1.0), (self.second, 0.5))
        ]
        for got, wanted in zip(yearly, own, strict=True):
            self.assertAlmostEqual(got or 0, wanted)
        self.assertAlmostEqual(result.mean.lsmean or 0, sum(own))
        self.assertEqual(result.beats, 1)
        self.client.force_login(self.by)
        page = self.client.get(reverse("compare:years", args=[self.second.slug]))
        self.assertContains(page, "in 2 years, summed in MJ/m²")
        self.assertContains(self.client.get(reverse("compare:compare", args=[self.second.slug])), "The same plots over the years")

    def test_a_plot_without_one_of_its_years_has_no_sum(self) -> None:
        self.pick(self.second, date(2026, 6, 1))
        exclude_plot(self.first.plots.get(number="101"), "accident", "Hares", date(2025, 5, 1), self.by)
        self.assertEqual(over_years(Trial.objects.get(pk=self.second.pk), self.by).lost, 1)

    def test_the_form_says_what_is_wrong_beside_its_field(self) -> None:
        self.client.force_login(self.by)
        url = reverse("trials:follow", args=[self.second.slug])
        typed = {"name": "Fennel", "season": "2027", "crop": "Nobody's crop", "unit": "MJ", "per_kg": "0,4"}
        wrong = self.client.post(url, typed)
        self.assertContains(wrong, "is not on record. Put the crop there first", status_code=422)
        self.assertContains(wrong, 'value="0,4"', status_code=422)
        self.client.post(url, typed | {"crop": "beetroot"})
        made = Trial.objects.get(season="2027")
        self.assertEqual([t.season for t in made.years], ["2025", "2026", "2027"])
        self.assertEqual((made.output_unit, made.output_per_kg), ("MJ", 0.4))
