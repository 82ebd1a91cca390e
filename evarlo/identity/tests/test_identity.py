"""Identity in doubt: out of every comparison until it is settled, and what settling does to the records."""

from django.urls import reverse
from django.utils import timezone

from evarlo.catalogue.models import Cultivar
from evarlo.compare.queries import compare
from evarlo.harvest.queries import areas, yields
from evarlo.harvest.stand import stands_over
from evarlo.identity.boundaries import lose_boundary, neighbours_of, settle_boundary, side_towards
from evarlo.identity.doubts import raise_doubt, settle_doubt
from evarlo.identity.likeness import likeness_of
from evarlo.identity.models import Doubt
from evarlo.people.models import Role
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.trials.leaving_out import exclude_plot
from evarlo.trials.models import Plot, Trial
from evarlo.trials.queries import diary_of, left_out
from evarlo.ui.refused import Refused
from evarlo.walks.services import open_round

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
        found = {c.entry.cultivar.name: c.apart or 0.0 for c in likeness_of(plot, self.entries.values()) if c.entry}
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


class FromOutside(Identity):
    def test_a_cultivar_from_outside_is_expected_as_far_from_the_check_as_elsewhere(self) -> None:
        """Elsewhere it bore 3 kg more than the check, which has 5 here: 8 expected. 4 plots of it and 4 of the check there, 3 of
        the check here: the variance of what is expected is 1/3 + 1/4 + 1/4 of a plot's."""
        elsewhere = world.trial(self.by, name="Elsewhere", blocks=4, entries=("Corvane", "Marrow Tern", "Quillet"))
        walk = open_round(elsewhere, world.trait("plot-yield"), self.today, self.by)
        for plot in elsewhere.plots.select_related("entry__cultivar"):
            world.keep(walk, plot, self.by, {"Corvane": 4.0, "Marrow Tern": 7.0, "Quillet": 5.0}[plot.entry.cultivar.name])
        outside = Cultivar.objects.get(name="Marrow Tern")
        plot = self.made.plots.select_related("entry", "trial").filter(entry=self.entries["Quillet"])[0]
        found = likeness_of(plot, [], outside)
        self.assertEqual([(c.entry, c.outside) for c in found], [(None, outside)])
        like, own = found[0].likeness[0], likeness_of(plot, [self.entries["Corvane"]])[0].likeness[0]
        self.assertAlmostEqual(like.mean, own.mean + 3.0)
        sd = (own.value - own.mean) / own.apart / (1 + 1 / 3) ** 0.5
        self.assertAlmostEqual(like.apart, (like.value - like.mean) / (sd * (1 + 1 / 3 + 1 / 4 + 1 / 4) ** 0.5))

    def test_it_stays_out_and_its_name_stands_only_where_names_may(self) -> None:
        Cultivar.objects.create(crop=self.made.crop, name="Marrow Tern")
        self.client.force_login(self.by)
        at = [self.made.slug, self.plot.pk]
        typed = {"why": "Taller", "outside": "Marrow Ten"}
        wrong = self.client.post(reverse("identity:doubt", args=at), typed)
        self.assertContains(wrong, "Expected a cultivar that is on the list", status_code=422)
        self.assertContains(wrong, 'value="Marrow Ten"', status_code=422)
        self.client.post(reverse("identity:doubt", args=at), typed | {"outside": "marrow tern"})
        self.assertContains(self.client.get(reverse("identity:identity", args=at)), "Marrow Tern")
        self.client.post(reverse("identity:settle", args=at), {"outcome": "outside", "how": "Grown beside it"})
        self.assertEqual((Doubt.objects.get().outcome, left_out([self.made])), ("outside", {self.plot.pk}))
        self.assertIn("Marrow Tern", " ".join(line.text for line in diary_of(self.plot, True)))
        self.assertNotIn("Marrow Tern", " ".join(line.text for line in diary_of(self.plot, False)))
        self.client.force_login(world.person(Role.HELPER))
        self.assertNotContains(self.client.get(reverse("identity:identity", args=at)), "Marrow Tern")


class Boundaries(Identity):
    """Plots of 3 rows of 6 plants on 1.2 × 3 m: a strip one line deep at an end takes 3 plants, at a side 6."""

    def beside(self) -> Plot:
        self.plot.trial = self.made
        return next(p for p in neighbours_of(self.plot) if p.block == self.plot.block)

    def lose(self) -> Doubt:
        return lose_boundary(self.plot, self.beside(), "The stakes were mown down", self.today, self.by)

    def test_plots_lie_beside_each_other_or_they_do_not(self) -> None:
        self.plot.trial = self.made
        for other in neighbours_of(self.plot):
            one, back = side_towards(self.plot, other), side_towards(other, self.plot)
            self.assertEqual({one, back}, {"left", "right"} if one in ("left", "right") else {"near", "far"})
        far = self.made.plots.order_by("-place")[0]
        self.assertIsNone(side_towards(self.plot, far))
        with self.assertRaisesMessage(Refused, "Choose a plot beside"):
            lose_boundary(self.plot, far, "x", self.today, self.by)

    def test_both_are_out_until_it_is_found(self) -> None:
        doubt = self.lose()
        assert doubt.neighbour
        self.assertEqual(left_out([self.made]), {self.plot.pk, doubt.neighbour.pk})
        with self.assertRaisesMessage(Refused, "in doubt already"):
            raise_doubt(doubt.neighbour, "x", [], "", self.today, self.by)
        self.assertIn(f"Boundary to {self.plot.number} lost", " ".join(x.text for x in diary_of(doubt.neighbour, False)))
        settle_boundary(doubt, "found", None, "The old holes", self.today, self.by)
        self.assertEqual(left_out([self.made]), set())

    def test_plants_beside_it_set_aside_leave_less_ground_and_fewer_plants(self) -> None:
        doubt = self.lose()
        assert doubt.neighbour
        side, area = side_towards(self.plot, doubt.neighbour), areas(self.made)[self.plot.pk]
        rows, each = world.spacing(self.made).shape or (0, 0)
        self.assertEqual((rows, each), (3, 6))
        line = rows if (side in ("left", "right")) == (self.plot.length >= self.plot.width) else each
        self.assertEqual(settle_boundary(doubt, "strip", 1, "One line each", self.today, self.by), 2 * line)
        self.assertEqual(left_out([self.made]), set())
        made = Trial.objects.get(pk=self.made.pk)
        self.assertAlmostEqual(areas(made)[self.plot.pk], area * (18 - line) / 18)
        self.assertEqual(stands_over(made)[self.plot.pk].on(self.today), 18 - line)
        world.sow(made, self.by)
        world.pick(self.plot, self.by, 3.0)
        season = yields(Trial.objects.get(pk=self.made.pk))[self.plot.pk]
        self.assertAlmostEqual(season.g_per_plant or 0, 3000 / (18 - line))
        self.assertAlmostEqual(season.kg_per_m2 or 0, 3.0 / (area * (18 - line) / 18))

    def test_what_was_picked_with_them_cannot_be_parted(self) -> None:
        world.sow(self.made, self.by)
        world.pick(self.plot, self.by, 3.0)
        doubt = self.lose()
        with self.assertRaisesMessage(Refused, "cannot be parted from the rest"):
            settle_boundary(doubt, "strip", 1, "One line each", self.today, self.by)
        with self.assertRaisesMessage(Refused, "Say how it was settled"):
            settle_boundary(doubt, "unknown", None, " ", self.today, self.by)
        settle_boundary(doubt, "unknown", None, "Nobody knows", self.today, self.by)
        self.assertEqual(len(left_out([self.made])), 2)

    def test_on_the_page_from_either_plot(self) -> None:
        self.client.force_login(self.by)
        other = self.beside()
        at = [self.made.slug, self.plot.pk]
        self.client.post(reverse("identity:boundary", args=at), {"neighbour": other.pk, "why": "Mown down"})
        page = self.client.get(reverse("identity:identity", args=[self.made.slug, other.pk]))
        self.assertContains(page, f"Where plot {self.plot.number} ends and {other.number} begins")
        settle = reverse("identity:settle", args=[self.made.slug, other.pk])
        wrong = self.client.post(settle, {"outcome": "strip", "deep": "6", "how": "x"})
        self.assertContains(wrong, "Expected fewer lines", status_code=422)
        self.assertEqual(Doubt.objects.get().outcome, "")
        done = self.client.post(settle, {"outcome": "strip", "deep": "1", "how": "One line each"}, follow=True)
        self.assertContains(done, "leave them when you pick")
        pick = self.client.get(reverse("harvest:pick", args=[self.made.slug]))
        self.assertContains(pick, "Not judged, beside a lost boundary: plants of")
        self.assertContains(self.client.get(reverse("compare:compare", args=[self.made.slug])), "beside a lost boundary")
