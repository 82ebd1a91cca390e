"""Several plants at a station, from the plan to the stand and the yield: hills, clumps and plugs are no stand of 200 %."""

from django.urls import reverse
from django.utils import timezone

from evarlo.harvest.queries import yields
from evarlo.harvest.stand import stands_over
from evarlo.nursery.book import book_of, planted_in
from evarlo.nursery.models import RaisingRule
from evarlo.nursery.planting import fits, plant
from evarlo.nursery.raising import keep_rule, rule_of
from evarlo.nursery.stand import mark_station, stands
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.testing.raising import Nursery
from evarlo.trials.models import Trial
from evarlo.trials.needs import needs_of, seeds_of
from evarlo.trials.services import keep_need_plan


class Hills(TestCase):
    """Plots of 3 × 6 stations with two plants at each, sown where they stand: 36 plants."""

    def setUp(self) -> None:
        self.by, self.today = world.person(), timezone.localdate()
        self.made = world.trial(self.by, per_station=2, raised=False)
        self.client.force_login(self.by)

    def read(self) -> Trial:
        return Trial.objects.get(pk=self.made.pk)

    def test_the_plan_needs_and_machine_go_by_stations_and_plants(self) -> None:
        made = self.read()
        self.assertEqual((world.spacing(made).stations, world.spacing(made).plants, world.spacing(made).judged), (18, 36, 36))
        page = self.client.get(made.get_absolute_url())
        self.assertContains(page, "36 plants a plot, 2 at each of 18 stations")
        keep_need_plan(
            made, {"per_station": 3, "germination": 80, "field_percent": 100, "spare_percent": 0, "spare": 0, "transplant": False}
        )
        needs = needs_of(self.read(), {}, self.today)
        # 54 stations × 3 ÷ (1 − 0.2³) = 163.3; P(fewer than 2 of 3) = 0.2³ + 3 × 0.8 × 0.2² = 10.4 %; of 4 it is 2.7 %
        self.assertEqual((needs.places_a_plot[0], needs.place, {r.seeds for r in needs.rows}), (18, "station", {164}))
        self.assertEqual(
            needs.advice,
            "With 3 seeds a station, 10 % get fewer than 2 plants; 4 would leave fewer than 5 % so, and are thinned to 2.",
        )
        page = self.client.get(reverse("trials:needs", args=[made.slug]))
        self.assertContains(page, "12 plots of 18 stations")
        self.assertContains(page, "for 16.7 plants a m²")  # 2 ÷ (0.4 × 0.3 m²)

    def test_a_full_stand_is_a_hundred_percent_and_a_plant_weighs_its_share(self) -> None:
        made = self.read()
        world.sow(made, self.by)
        asked = world.walk(made, "stand", self.by)
        plots = list(made.plots.select_related("trial", "entry"))
        world.keep(asked, plots[0], self.by, 36)
        world.keep(asked, plots[1], self.by, 27)
        found = stands(made)
        self.assertEqual([s.percent for s in found[:3]], [100.0, 75.0, None])
        world.pick(plots[0], self.by, 7.2)
        mark_station(plots[2], 0, "gap", self.today, self.by, self.today)
        self.assertAlmostEqual(yields(self.read())[plots[0].pk].g_per_plant or 0, 200.0)
        self.assertEqual(stands_over(self.read())[plots[2].pk].on(self.today), 34)  # a hill of two is gone

    def test_the_form_takes_it_and_the_panel_reckons_with_it(self) -> None:
        typed = {"crop": "Bulb fennel", "entries": "A\nB", "blocks": "3", "plot_length_m": "3", "plot_width_m": "1.2"}
        typed |= {"between_rows_cm": "40", "in_row_cm": "50", "per_station": "3", "border": "1", "raised": "sown"}
        page = self.client.post(reverse("trials:forecast"), typed)
        self.assertContains(page, "3 rows × 6 ×")
        self.assertContains(page, "<dd>54</dd>", html=True)
        self.assertContains(page, "12 judged")  # 1 × 4 stations of 3
        self.assertContains(page, "324")  # plants in 6 plots of 54: the table of replicates counts plants too


class Plugs(TestCase):
    """Three plants raised together in each cell, 18 plugs of them in a plot."""

    def setUp(self) -> None:
        self.by, self.today = world.person(), timezone.localdate()
        self.n = Nursery(self.by, self.today, days=34)
        Trial.objects.filter(pk=self.n.trial.pk).update(per_station=3)
        for sowing in self.n.sow_all().values():
            self.n.count(sowing, 14, 60, "1" * 60 + "0" * 12)

    @property
    def trial(self) -> Trial:
        return Trial.objects.get(pk=self.n.trial.pk)

    def test_plugs_are_planted_whole_and_counted_as_their_plants(self) -> None:
        keep_need_plan(self.trial, {"per_station": 3, "transplant": True})
        self.assertEqual(rule_of(self.trial).surplus, RaisingRule.Surplus.WHOLE)
        needs = needs_of(self.trial, {}, self.today)
        self.assertEqual((needs.places_a_plot[0], needs.place), (18, "plug"))
        self.assertEqual(
            needs.rows[0].cells, -(-seeds_of(54, needs.plan, needs.rows[0].becomes / (needs.plan.field_percent / 100)) // 3)
        )
        found = fits(self.trial, book_of(self.trial), {}, rule_of(self.trial))
        self.assertEqual({f.needed for f in found}, {54})
        plant(self.trial, list(self.trial.plots.select_related("entry")), self.today, self.by, self.today)
        self.assertEqual({p.plants for p in planted_in(self.trial)}, {18})
        self.assertEqual({s.on(self.today) for s in stands_over(self.trial).values()}, {54})
        self.client.force_login(self.by)
        self.assertContains(self.client.get(reverse("nursery:plant", args=[self.trial.slug])), "18 plugs of 3 plants a plot")

    def test_raised_one_by_one_a_station_takes_three_of_them(self) -> None:
        keep_need_plan(self.trial, {"per_station": 1, "transplant": True})
        keep_rule(self.trial, self.today, surplus=RaisingRule.Surplus.CUT)
        needs = needs_of(self.trial, {}, self.today)
        self.assertEqual((needs.places_a_plot[0], needs.place), (54, "plant"))
        found = fits(self.trial, book_of(self.trial), {}, rule_of(self.trial))
        self.assertEqual({f.needed for f in found}, {162})
