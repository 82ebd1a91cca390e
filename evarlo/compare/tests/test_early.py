"""Early and late: an early round that foretells the yield is said to, over trials, with what deciding by it would have cost."""

from datetime import timedelta

from django.urls import reverse

from evarlo.catalogue.models import Trait
from evarlo.compare.early import seen_early
from evarlo.compare.queries import compare
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.trials.models import Trial
from evarlo.walks.models import Round

ENTRIES = ("Corvane", "Quillet", "OF-17", "Brakewater", "Weir Street", "Umbra Sill")
YIELD = {"Corvane": 5.0, "Quillet": 7.0, "OF-17": 5.6, "Brakewater": 4.4, "Weir Street": 6.2, "Umbra Sill": 4.8}


class EarlyAndLate(TestCase):
    def setUp(self) -> None:
        self.by = world.person()
        self.client.force_login(self.by)

    def season(self, year: str, vigour: dict[str, float]) -> Trial:
        made = world.trial(self.by, entries=ENTRIES, season=year, name=f"Fennel {year}", blocks=3)
        world.sow(made, self.by)
        asked = world.walk(made, "vigour", self.by)
        for plot in made.plots.select_related("entry__cultivar"):
            world.keep(asked, plot, self.by, vigour[plot.entry.cultivar.name])
        late = world.keep_yields(made, self.by, YIELD, 0.2)
        assert late.opened_on
        Round.objects.filter(pk=asked.pk).update(opened_on=late.opened_on - timedelta(days=40))
        return made

    def test_a_telling_score_is_named_with_its_interval_over_trials(self) -> None:
        good = {e: round(2 + y / 2) + 0.0 for e, y in YIELD.items()}
        self.season("2025", good)
        made = self.season("2026", good)
        found = compare(made, Trait.objects.get(key="plot-yield"), self.by)
        signs = seen_early(found, self.by)
        self.assertEqual([(s.trait.key, s.told.trials, s.told.entries) for s in signs], [("vigour", 2, 12)])
        self.assertGreater(signs[0].told.correlation, 0.9)
        self.assertEqual(signs[0].told.cost, 0)
        page = self.client.get(reverse("compare:early", args=[made.slug]), {"trait": "plot-yield"})
        self.assertContains(page, "foretold plot yield well")
        self.assertContains(page, "would have cost nothing on average")

    def test_a_score_that_says_the_opposite_costs_what_was_lost(self) -> None:
        made = self.season("2026", {e: round(9 - y) + 0.0 for e, y in YIELD.items()})
        found = compare(made, Trait.objects.get(key="plot-yield"), self.by)
        (sign,) = seen_early(found, self.by)
        means = {r.name: r.mean.lsmean or 0.0 for r in found.results}
        self.assertLess(sign.told.correlation, -0.9)
        self.assertAlmostEqual(sign.told.cost, means["Quillet"] - max(means["Brakewater"], means["Corvane"]))
        page = self.client.get(reverse("compare:early", args=[made.slug]), {"trait": "plot-yield"})
        self.assertContains(page, "Nothing seen early surely foretold plot yield")

    def test_without_anything_early_it_says_so(self) -> None:
        made = world.trial(self.by)
        self.assertContains(self.client.get(reverse("compare:early", args=[made.slug])), "Nothing was walked before")
