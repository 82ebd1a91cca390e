"""Questions that arise in some trials: every check, the same everywhere, and if plots had been alike; figures reckoned by hand."""

from itertools import pairwise

from django.urls import reverse
from playwright.sync_api import expect

from evarlo.catalogue.models import Trait
from evarlo.compare.alike import Alike, alike, choices
from evarlo.compare.checks import every_check
from evarlo.compare.kinds import kinds_of
from evarlo.compare.places import in_places, places_of
from evarlo.compare.queries import compare
from evarlo.grounds.models import Bed
from evarlo.testing import world
from evarlo.testing.browser import DESK, PHONE, BrowserTest
from evarlo.testing.pages import TestCase
from evarlo.trials.leaving_out import exclude_plot
from evarlo.trials.models import Cause, Plot, Trial
from evarlo.trials.plan import CriterionPlan
from evarlo.trials.queries import plots_of
from evarlo.walks.services import open_round

NOISE = (0.1, -0.2, 0.15, -0.05)


class Questions(TestCase):
    def setUp(self) -> None:
        self.by = world.person()
        self.made = world.trial(self.by, blocks=4, repeated=["OF-17"])
        world.sow(self.made, self.by)
        self.trait = Trait.objects.get(key="plot-yield")
        self.client.force_login(self.by)

    def keep(self, key: str, value: dict[tuple[str, str], float]) -> None:
        """Keep values by cultivar and block."""
        asked = world.walk(self.made, key, self.by)
        for plot in Plot.objects.filter(trial=self.made).select_related("entry__cultivar"):
            if (v := value.get((plot.entry.cultivar.name, plot.block))) is not None:
                world.keep(asked, plot, self.by, v)
        self.made.read_anew()

    def yields(self, means: dict[str, float], tilt: dict[str, float] | None = None) -> dict[tuple[str, str], float]:
        """Means with a little noise that differs by entry; `tilt` is added in the first two blocks and taken off in the others."""
        made = {}
        for n, (name, mean) in enumerate(means.items()):
            for b in range(4):
                side = 1 if b < 2 else -1
                made[name, str(b + 1)] = round(mean + NOISE[(b + n) % 4] + side * (tilt or {}).get(name, 0.0), 2)
        return made

    def test_a_further_check_has_no_verdict_and_entries_stand_against_both(self) -> None:
        self.keep("plot-yield", self.yields({"Corvane": 5.0, "Quillet": 7.0, "OF-17": 6.2, "Brakewater": 5.9}))
        found = compare(self.made, self.trait, self.by)
        every = every_check(found)
        assert every
        self.assertEqual([c.name for c in every.checks], ["Corvane", "OF-17"])
        rows = {r.result.name: r for r in every.rows}
        self.assertEqual(set(rows), {"Quillet", "Brakewater"})
        self.assertEqual((rows["Quillet"].all_of_them, rows["Brakewater"].all_of_them), (1, 0))
        cells = rows["Quillet"].cells
        self.assertAlmostEqual(cells[0].difference.estimate if cells[0] else 0, 2.0)  # the noise sums to nought over blocks
        self.assertAlmostEqual(cells[1].difference.estimate if cells[1] else 0, 0.8)
        page = self.client.get(reverse("compare:checks", args=[self.made.slug]), {"trait": "plot-yield"})
        self.assertContains(page, "<strong>Quillet</strong> is above both checks.")
        self.assertContains(page, "<strong>Brakewater</strong> beats one of them, not all.")
        other = self.client.get(reverse("compare:compare", args=[self.made.slug]), {"trait": "plot-yield", "against": "NONE"})
        self.assertContains(other, "beat the check, <strong>Corvane</strong>")
        code = self.made.entries.get(cultivar__name="OF-17").code
        turned = self.client.get(reverse("compare:compare", args=[self.made.slug]), {"trait": "plot-yield", "against": code})
        self.assertContains(turned, "<strong>Quillet</strong> beats the check, <strong>OF-17</strong>")
        board = self.client.get(reverse("verdicts:decide", args=[self.made.slug]))
        self.assertNotContains(board, f"Verdict on {code}")
        pk = self.made.entries.get(cultivar__name="OF-17").pk
        give = reverse("verdicts:give", args=[self.made.slug, pk])
        self.assertContains(self.client.post(give, {"verdict": "drop", "reason": "no"}, follow=True), "gets no verdict")

    def test_a_crossover_between_two_places_is_said(self) -> None:
        tunnel = Bed.objects.create(site=self.made.bed.site, name="House", length_m=9, width_m=5, environment="tunnel")  # type: ignore[union-attr]
        self.made.more_beds.add(tunnel)
        Plot.objects.filter(trial=self.made, block__in=("3", "4")).update(bed=tunnel)
        self.made = Trial.objects.get(pk=self.made.pk)
        even = {"Corvane": 5.0, "Quillet": 5.1, "OF-17": 5.2, "Brakewater": 4.9}
        self.keep("plot-yield", self.yields(even, {"Quillet": 3.5}))
        self.assertEqual(set(places_of(self.made, plots_of(self.made)).values()), {"open ground", "tunnel"})
        found = compare(self.made, self.trait, self.by)
        there = in_places(found)
        assert there
        quillet = self.made.entries.get(cultivar__name="Quillet").code
        self.assertEqual([c.entry for c in there.crossing], [quillet])
        kept = {(v.plot.entry.cultivar_id, v.plot.block): v.value or 0.0 for v in found.plots}
        pk = {e.code: e.cultivar_id for e in self.made.entries.all()}
        for place, blocks in (("open ground", "12"), ("tunnel", "34")):
            by_hand = sum(kept[pk[quillet], b] - kept[pk[found.check_code or ""], b] for b in blocks) / 2
            self.assertAlmostEqual(there.within[quillet, place].difference.estimate, by_hand)
        page = self.client.get(reverse("compare:places", args=[self.made.slug]), {"trait": "plot-yield"})
        self.assertContains(page, "<strong>Quillet</strong> is better than Corvane in open ground")
        self.assertContains(page, "over all this cancels out")
        plain = self.client.get(reverse("compare:compare", args=[self.made.slug]), {"trait": "plot-yield"})
        self.assertContains(plain, "Entries answer differently to the places that they stand in")

    def test_plots_are_made_alike_in_their_stand(self) -> None:
        """Quillet yields more only where more plants came; at one stand nothing is left of it. Slope 0.2 a plant, as laid in."""
        stand = {(n, str(b + 1)): 20.0 + b for n in ("Corvane", "OF-17", "Brakewater") for b in range(4)}
        stand |= {("Quillet", str(b + 1)): 30.0 - 2 * b for b in range(4)}
        base = self.yields({"Corvane": 1.0, "Quillet": 1.0, "OF-17": 1.0, "Brakewater": 1.0})
        self.keep("stand", stand)
        self.keep("plot-yield", {place: round(v / 10 + 0.2 * stand[place], 3) for place, v in base.items()})
        found = compare(self.made, self.trait, self.by)
        by = choices(self.made, self.trait)[0]
        self.assertEqual(by.key, "stand")
        made = alike(found, by)
        assert isinstance(made, Alike)
        self.assertAlmostEqual(made.worked.slope, 0.2, delta=0.01)
        row = next(r for r in made.rows if r.name == "Quillet")
        self.assertEqual((row.stood, row.stands), (1, 0))
        self.assertAlmostEqual(row.difference or 0, 0.2 * (27 - 21.5), delta=0.01)
        self.assertAlmostEqual(row.difference_after or 0, 0, delta=0.07)
        self.assertTrue(made.caused)
        page = self.client.get(reverse("compare:alike", args=[self.made.slug]), {"trait": "plot-yield", "by": "stand"})
        self.assertContains(page, "<strong>Quillet</strong> would be no longer apart from it")
        self.assertContains(page, "The entries themselves differ in stand")

    def test_pages_stand_without_anything_to_say(self) -> None:
        for page, said in (("checks", "one check"), ("places", "one place"), ("alike", "Nothing else was recorded")):
            bare = self.client.get(reverse(f"compare:{page}", args=[self.made.slug]))
            self.assertEqual(bare.status_code, 200, page)
            self.assertContains(bare, said) if page != "checks" else self.assertNotContains(bare, "<table>")

    def test_questions_are_asked_where_they_arise(self) -> None:
        self.keep("plot-yield", self.yields({"Corvane": 5.0, "Quillet": 7.0, "OF-17": 6.2, "Brakewater": 5.9}))
        page = self.client.get(reverse("compare:compare", args=[self.made.slug])).content.decode()
        places = [page.find(words) for words in ("Who beats the check?", "Every check?", "Who differs?", "Claims hold?")]
        self.assertTrue(all(a < b for a, b in pairwise(places)), places)
        self.assertNotIn("The same everywhere?", page)


class OfWhichKind(TestCase):
    def test_kinds_of_plots_are_counted_by_entry_and_those_left_out_are_not(self) -> None:
        by = world.person()
        made = world.trial(by, blocks=4)
        world.sow(made, by)
        shape = Trait.objects.create(key="bulb-shape", name="Bulb shape", kind=Trait.Kind.CATEGORY, choices=["round", "flat"])
        asked = open_round(made, shape, world.TODAY, by)
        for plot in made.plots.select_related("entry__cultivar"):
            world.keep(asked, plot, by, 1.0 if plot.entry.cultivar.name in ("Corvane", "Quillet") else 2.0)
        lost = made.plots.filter(entry__cultivar__name="Quillet").first()
        assert lost
        exclude_plot(lost, Cause.ACCIDENT, "Mowed", world.TODAY, by)
        found = kinds_of(Trial.objects.get(pk=made.pk), shape, by)
        assert found
        self.assertEqual(found.worked.classes, ("flat", "round"))
        self.assertEqual({name: cells for _, name, cells in found.rows}["Quillet"], ((0, 0.0), (3, 1.0)))
        self.client.force_login(by)
        page = self.client.get(reverse("compare:kinds", args=[made.slug]))
        self.assertContains(page, "Entries differ in bulb shape")
        self.assertContains(page, "are round in every plot")
        self.assertContains(page, "Of which kind?")


class InTheBrowser(BrowserTest):
    def test_every_question_is_reached_by_keys_and_fits_a_phone(self) -> None:
        by = world.person("manager")
        criteria = [CriterionPlan(world.trait("plot-yield"), "higher", 0.5), CriterionPlan(world.trait("height"), "higher", 5.0)]
        made = world.trial(by, blocks=4, repeated=["OF-17"], criteria=criteria)
        house = Bed.objects.create(site=made.bed.site, name="House", length_m=9, width_m=5, environment="tunnel")  # type: ignore[union-attr]
        made.more_beds.add(house)
        Plot.objects.filter(trial=made, block__in=("3", "4")).update(bed=house)
        world.sow(made, by)
        world.keep_yields(made, by, {"Corvane": 5.0, "Quillet": 7.0, "OF-17": 6.0, "Brakewater": 4.5})
        asked = world.walk(made, "height", by)
        for i, plot in enumerate(made.plots.all()):
            world.keep(asked, plot, by, 40.0 + i % 5)
        said = {
            "Every check?": "is above both checks",
            "All criteria together?": "leads by these weights",
            "The same everywhere?": "Nothing shows that entries answer differently",
            "Does the ground run?": "the ground",
            "If stands were alike?": "height",
            "Seen early?": "Nothing",
        }
        for size in (DESK, PHONE):
            page = self.open("manager", size)
            for question, words in said.items():
                page.goto(self.at(reverse("compare:compare", args=[made.slug]) + "?trait=plot-yield"))
                link = page.get_by_role("link", name=question)
                link.focus()
                page.keyboard.press("Enter")
                expect(page.locator(".tabs [aria-current]")).to_have_text(question)
                expect(page.locator("p.lead")).to_contain_text(words, ignore_case=True)
                self.accessible(page, question)
                self.no_sideways(page, question)
