"""How the harvest came in: curves, the day of half the yield, and the sentence about them, reckoned by hand."""

import uuid
from datetime import date, timedelta

from django.urls import reverse

from evarlo.catalogue.models import Trait
from evarlo.compare.flow import flow_of
from evarlo.compare.words import flow_in_words
from evarlo.people.models import Role
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.trials.models import Trial
from evarlo.trials.queries import readings_of, traits_with_records
from evarlo.walks.services import Seen, close_round, keep_observation, open_round

SOWN = world.SOWN
AREA = 3.0 * 1.2  # m² of a plot
# Kilograms of each pick 50, 60 and 70 days after sowing. Half of 4 kg: Quillet has 3 by day 50; the check 1, then 3 by day 60.
PICKS = {"Corvane": (1.0, 2.0, 1.0), "Quillet": (3.0, 0.5, 0.5), "OF-17": (1.0, 2.0, 1.0), "Brakewater": (0.5, 0.5, 3.0)}


class Flow(TestCase):
    def setUp(self) -> None:
        self.by = world.person()
        self.made = world.trial(self.by, plot_length_m=3.0, plot_width_m=1.2)
        world.sow(self.made, self.by)
        luck = {"1": -0.02, "2": 0.0, "3": 0.02}
        for plot in self.made.plots.select_related("entry__cultivar"):
            for day, kg in zip((50, 60, 70), PICKS[plot.entry.cultivar.name], strict=True):
                world.pick(plot, self.by, kg + luck[plot.block], SOWN + timedelta(days=day))

    def read(self) -> Trial:
        return Trial.objects.get(pk=self.made.pk)

    def test_curves_and_the_day_of_half_the_yield(self) -> None:
        """The check: 1 kg by day 50 and 3 by 60, so 2 of 4 kg by day 55. Quillet has 3 by day 50: day 50."""
        found = {e.name: e for e in flow_of(self.read(), self.by).entries}
        self.assertEqual([round(r.mean * AREA, 6) for r in found["Corvane"].curve], [1.0, 3.0, 4.0])
        self.assertEqual([round(r.mean * AREA, 6) for r in found["Quillet"].curve], [3.0, 3.5, 4.0])
        self.assertEqual(found["Corvane"].half_on, SOWN + timedelta(days=55))
        self.assertEqual(found["Quillet"].half_on, SOWN + timedelta(days=50))
        self.assertEqual(found["Brakewater"].half_on, SOWN + timedelta(days=63))  # 1 by day 60, 2 after a third of ten days more
        self.assertEqual((found["Corvane"].peak, found["Brakewater"].peak), (SOWN + timedelta(days=60), SOWN + timedelta(days=70)))
        self.assertEqual((found["Corvane"].first, found["Corvane"].last), (SOWN + timedelta(days=50), SOWN + timedelta(days=70)))
        # Three plots of 0.98, 1.00 and 1.02 kg by day 50: their standard error is 0.02 ÷ √3.
        self.assertAlmostEqual(found["Corvane"].curve[0].half * AREA, 4.302653 * 0.02 / 3**0.5, places=6)  # Student’s t, 2 df

    def test_the_sentence_names_who_was_surely_earlier_or_later(self) -> None:
        said = flow_in_words(flow_of(self.read(), self.by))
        self.assertRegex(
            said, r"Half of <strong>Brakewater</strong>’s yield was in by [^,]+, 8 days \(\d+ to \d+\) after Corvane’s\."
        )
        self.assertRegex(
            said, r"Half of <strong>Quillet</strong>’s yield was in by [^,]+, 5 days \(\d+ to \d+\) before Corvane’s\."
        )
        self.assertNotIn("OF-17", said)
        self.assertIn(f"Half of Corvane’s yield was in by {SOWN + timedelta(days=55):%-d %b}.", said)

    def test_the_page_draws_them_with_the_check_s_band_and_without_picks_says_so(self) -> None:
        self.client.force_login(self.by)
        page = self.client.get(reverse("compare:flow", args=[self.made.slug]))
        self.assertContains(page, '<path class="band"', 1)
        self.assertContains(page, "kg/m²")
        self.assertContains(self.client.get(reverse("harvest:pick", args=[self.made.slug])), "How it came in")
        empty = world.trial(self.by, name="Empty")
        self.assertContains(self.client.get(reverse("compare:flow", args=[empty.slug])), "Nothing marketable has been picked yet")
        self.client.force_login(world.person(Role.HELPER))
        self.assertEqual(self.client.get(reverse("compare:flow", args=[self.made.slug])).status_code, 403)

    def test_one_day_and_one_plot_are_no_error(self) -> None:
        alone = world.trial(self.by, name="Alone", sow_on=date(2026, 4, 1))
        world.sow(alone, self.by)
        world.pick(alone.plots.all()[0], self.by, 1.0)
        self.client.force_login(self.by)
        self.assertEqual(self.client.get(reverse("compare:flow", args=[alone.slug])).status_code, 200)


class StandingInTheField(TestCase):
    def test_looks_whether_it_is_still_marketable_become_days(self) -> None:
        """Ready by day 0 everywhere; the check is over between 6 and 9, Quillet between 12 and 15, and one plot of it stands still."""
        by = world.person()
        made = world.trial(by)
        world.sow(made, by)
        last = {"Corvane": 6, "Quillet": 12, "OF-17": 6, "Brakewater": 9}
        start = world.TODAY - timedelta(days=30)
        plots = list(made.plots.select_related("entry__cultivar", "trial"))
        for day in range(0, 18, 3):
            walk = open_round(made, world.trait("still-marketable"), start + timedelta(days=day), by)
            for plot in plots:
                fit = day <= last[plot.entry.cultivar.name]
                keep_observation(walk, plot, Seen(number=float(fit)), by, start + timedelta(days=day), uuid.uuid4(), world.TODAY)
            close_round(walk)
        trait = Trait.objects.get(key="still-marketable-course")
        found = readings_of(made, trait)
        quillet = [found[p.pk].number for p in plots if p.entry.cultivar.name == "Quillet"]
        self.assertEqual(quillet, [13.5] * 3)  # 12 for certain, 15 at most
        self.client.force_login(by)
        page = self.client.get(reverse("compare:flow", args=[made.slug]))
        self.assertContains(page, "How long they stand fit to sell")
        names = [name for name, *_ in page.context["standing"].rows]
        self.assertEqual((names[0], names[1]), ("Quillet", "Brakewater"))
        self.assertIn(trait, traits_with_records(made))
