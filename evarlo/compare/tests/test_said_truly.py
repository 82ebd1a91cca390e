"""Counts and sentences that say what is so: no plot beyond those there are, none left out that was not, no loss where none was."""

from datetime import timedelta

from django.urls import reverse

from evarlo.compare.queries import compare
from evarlo.compare.tests.test_comparing import MEANS
from evarlo.grounds.history import history_of
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.trials.leaving_out import exclude_plot
from evarlo.trials.models import Trial
from evarlo.walks.queries import round_lines


class SaidTruly(TestCase):
    def setUp(self) -> None:
        self.by = world.person()
        self.trial = world.trial(self.by)
        self.client.force_login(self.by)

    def fresh(self) -> Trial:
        return Trial.objects.get(pk=self.trial.pk)

    def page(self, name: str) -> str:
        return self.client.get(reverse(name, args=[self.trial.slug])).content.decode()

    def test_plots_left_out_after_they_were_scored_are_no_longer_counted(self) -> None:
        world.keep_yields(self.trial, self.by, MEANS)
        for plot in self.trial.plots.all()[:2]:
            exclude_plot(plot, "accident", "mown", world.TODAY, self.by)
        (line,) = round_lines(self.fresh())
        self.assertEqual((line.done, line.plots, line.left), (10, 10, 0))

    def test_plots_without_a_record_are_not_left_out(self) -> None:
        walked = world.walk(self.trial, "plot-yield", self.by)
        for plot in self.trial.plots.all()[:9]:
            world.keep(walked, plot, self.by, 5.0 + plot.place % 4 / 3)
        exclude_plot(self.trial.plots.all()[0], "accident", "mown", world.TODAY, self.by)
        found = compare(self.fresh(), world.trait("plot-yield"), self.by)
        self.assertEqual((len(found.left_out), len(found.not_recorded)), (1, 3))
        said = " ".join(self.page("compare:compare").split())
        self.assertIn("1 plot left out", said)
        self.assertIn("3 plots without a record", said)

    def test_nothing_is_said_of_lost_plots_where_none_was_lost(self) -> None:
        names = tuple(f"N{n}" for n in range(10))
        made = world.trial(self.by, name="Augmented", entries=names, check="N0", design="augmented", repeated=["N1"], blocks=4)
        walked = world.walk(made, "plot-yield", self.by)
        for plot in made.plots.all():
            world.keep(walked, plot, self.by, 5.0 + 2 * int(plot.block) + plot.place % 3 / 5)
        self.assertEqual(compare(made, world.trait("plot-yield"), self.by).misled, [])

    def test_a_bed_is_taken_until_the_last_pick_and_bears_what_was_weighed(self) -> None:
        world.sow(self.trial, self.by)
        plots = list(self.trial.plots.all())
        world.pick(plots[0], self.by, 2.0, on=world.SOWN + timedelta(20))
        world.pick(plots[1], self.by, 1.5, on=world.SOWN + timedelta(95))
        assert self.trial.bed
        (lain,) = history_of([self.trial.bed])[self.trial.bed.pk]
        self.assertEqual((lain.use.until, lain.yield_kg), (world.SOWN + timedelta(95), 3.5))
        page = self.client.get(reverse("grounds:bed", args=[self.trial.bed.pk]))
        self.assertContains(page, "3.5 kg")
