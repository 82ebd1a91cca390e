"""Identity in doubt: out of every comparison until it is settled, and what settling does to the records."""

from django.urls import reverse
from django.utils import timezone

from evarlo.compare.queries import compare
from evarlo.identity.doubts import likeness_of, raise_doubt, settle_doubt
from evarlo.identity.models import Doubt
from evarlo.people.models import Role
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.trials.leaving_out import exclude_plot
from evarlo.trials.models import Plot, Trial
from evarlo.trials.queries import diary_of, left_out
from evarlo.ui.refused import Refused

MEANS = {"Corvane": 5.0, "Quillet": 9.0, "OF-17": 2.0, "Brakewater": 12.0}


class Identity(TestCase):
    def setUp(self) -> None:
        self.by = world.person()
        self.made = world.trial(self.by)
        self.walk = world.keep_yields(self.made, self.by, MEANS, spread=0.3)
        self.today = timezone.localdate()
        self.plot = self.made.plots.select_related("entry", "trial").get(number="101")
        self.entries = {e.cultivar.name: e for e in self.made.entries.select_related("cultivar")}
        self.other = next(e for e in self.entries.values() if e.pk != self.plot.entry_id and not e.is_check)

    def doubt(self) -> Doubt:
        return raise_doubt(self.plot, "Broader leaves than its neighbours", [self.other], "Leaf width", self.today, self.by)

    def settle(self, doubt: Doubt, outcome: str, entry: object = None, how: str = "Leaves measured") -> None:
        settle_doubt(doubt, outcome, entry, how, self.today, self.by)  # type: ignore[arg-type]

    def mean(self, name: str) -> float:
        made = Trial.objects.get(pk=self.made.pk)
        return next(s.mean.raw_mean or 0.0 for s in compare(made, world.trait("plot-yield"), self.by).results if s.name == name)

    def test_it_is_out_until_settled_and_counts_again_as_it_did(self) -> None:
        before = self.mean(self.plot.entry.cultivar.name)
        doubt = self.doubt()
        self.assertEqual(left_out([self.made]), {self.plot.pk})
        with self.assertRaisesMessage(Refused, "in doubt already"):
            self.doubt()
        self.settle(doubt, "own")
        self.assertEqual(left_out([self.made]), set())
        self.assertEqual(self.mean(self.plot.entry.cultivar.name), before)

    def test_another_entry_takes_the_records_and_the_plan_stays_beside_it(self) -> None:
        own, other = self.plot.entry.cultivar.name, self.other.cultivar.name
        value = self.plot.observations.get().number or 0.0
        before = self.mean(other)
        self.settle(self.doubt(), "other", self.other)
        plot = Plot.objects.get(pk=self.plot.pk)
        self.assertEqual((plot.entry, plot.planned), (self.other, self.entries[own]))
        self.assertAlmostEqual(self.mean(other), (3 * before + value) / 4)
        said = " ".join(line.text for line in diary_of(plot, True))
        self.assertIn(f"it is another entry ({other})", said)
        self.assertIn("holds", self.made.deeds.last().said)  # type: ignore[union-attr]

    def test_where_nobody_can_tell_it_stays_out(self) -> None:
        self.settle(self.doubt(), "unknown")
        self.assertEqual(left_out([self.made]), {self.plot.pk})

    def test_what_was_left_out_before_stays_out(self) -> None:
        exclude_plot(self.plot, "accident", "Flooded", self.today, self.by)
        self.settle(self.doubt(), "own")
        self.assertEqual(left_out([self.made]), {self.plot.pk})

    def test_what_cannot_be(self) -> None:
        elsewhere = world.trial(self.by, name="Elsewhere").entries.all()[0]
        doubt = self.doubt()
        for outcome, entry, how, said in (
            ("own", None, " ", "how it was settled"),
            ("other", None, "x", "Choose the entry"),
            ("other", elsewhere, "x", "Choose the entry"),
            ("other", self.plot.entry, "x", "what was sown here"),
            ("maybe", None, "x", "what it turned out"),
        ):
            with self.subTest(said=said), self.assertRaisesMessage(Refused, said):
                self.settle(doubt, outcome, entry, how)
        self.settle(doubt, "own")
        with self.assertRaisesMessage(Refused, "settled already"):
            self.settle(doubt, "unknown")

    def test_measurements_tell_which_candidate_it_is_not(self) -> None:
        """A plot of Brakewater, 12 kg, is many standard deviations from OF-17 with 2 kg, and near to its own."""
        plot = self.made.plots.select_related("entry", "trial").filter(entry=self.entries["Brakewater"])[0]
        found = {c.entry.cultivar.name: c.apart or 0.0 for c in likeness_of(plot, self.entries.values())}
        self.assertLess(found["Brakewater"], 2.5)
        self.assertGreater(found["OF-17"], 5)
        nearest = likeness_of(plot, self.entries.values())[0]
        self.assertEqual(nearest.entry, self.entries["Brakewater"])

    def test_on_the_page_a_helper_doubts_by_code_and_does_not_settle(self) -> None:
        self.client.force_login(world.person(Role.HELPER))
        at = [self.made.slug, self.plot.pk]
        empty = self.client.post(reverse("identity:doubt", args=at), {"why": ""})
        self.assertContains(empty, "Say what looks wrong", status_code=422)
        self.client.post(reverse("identity:doubt", args=at), {"why": "Odd leaves", "candidates": [self.other.pk]})
        page = self.client.get(reverse("identity:identity", args=at))
        self.assertNotContains(page, "Standard deviations apart")
        for name in MEANS:
            self.assertNotContains(page, name)
        act = reverse("identity:settle", args=at)
        self.assertEqual(self.client.post(act, {"outcome": "own", "how": "x"}).status_code, 403)
        self.client.force_login(self.by)
        self.assertContains(self.client.get(reverse("identity:identity", args=at)), "Standard deviations apart")
        self.client.post(act, {"outcome": "other", "entry": self.other.pk, "how": "Leaves measured"})
        self.assertEqual(Doubt.objects.get().outcome, "other")
