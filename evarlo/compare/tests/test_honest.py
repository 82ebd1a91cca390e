"""Leads as they are expected to last: by hand against the core, with the check's signed seasons, and as the page says it."""

from django.urls import reverse

from evarlo.catalogue.models import Trait
from evarlo.compare.queries import compare
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.trials.models import Trial
from evarlo.verdicts.board import board_of
from evarlo.verdicts.services import sign_board
from trialcore.inference.season_means import SeasonMeans
from trialcore.inference.shrunken import shrink

ENTRIES = ("Corvane", "Quillet", "OF-17", "Brakewater", "Weir Street", "Umbra Sill")
MEANS = {"Corvane": 5.0, "Quillet": 6.2, "OF-17": 5.1, "Brakewater": 4.4, "Weir Street": 4.9, "Umbra Sill": 4.7}


class Honest(TestCase):
    def setUp(self) -> None:
        self.by = world.person()
        self.trait = Trait.objects.get(key="plot-yield")
        self.client.force_login(self.by)

    def season(self, year: str, means: dict[str, float], check: str = "Corvane") -> Trial:
        made = world.trial(self.by, entries=ENTRIES, season=year, name=f"Fennel {year}", check=check)
        world.sow(made, self.by)
        world.keep_yields(made, self.by, means)
        return made

    def test_the_chance_is_that_of_the_core_and_the_flat_one_stays_beside(self) -> None:
        found = compare(self.season("2026", MEANS), self.trait, self.by)
        means = {r.name: r.mean.lsmean or 0.0 for r in found.results}
        square, n = found.analysis.mse or 0.0, found.trial.blocks
        others = [e for e in means if e != "Corvane"]
        own = SeasonMeans(
            others, [means[e] for e in others], [square / n] * 5, means["Corvane"], square / n, square, found.analysis.df_error
        )
        held = shrink([own])
        assert held and found.honest
        for a in held.advantages:
            row = next(r for r in found.results if r.name == a.entry)
            self.assertAlmostEqual(row.chance or 0, a.chance, places=6)
            self.assertAlmostEqual(row.kept or 0, a.kept, places=6)
        top = found.results[0]
        self.assertEqual(top.name, "Quillet")
        assert top.difference and top.flat and top.chance
        self.assertLess(top.kept or 0, top.difference.estimate)
        self.assertLess(top.chance, top.flat)
        page = self.client.get(reverse("compare:compare", args=[found.trial.slug]), {"trait": "plot-yield"})
        self.assertContains(page, "because the best of five usually looks better than it is")
        self.assertContains(page, "takes the check to be rather better than an average new entry")
        self.assertEqual(found.honest.learnt_from, 0)

    def test_a_signed_season_of_the_same_check_is_in_it_and_no_other(self) -> None:
        sign_board(self.season("2024", MEANS, check="OF-17"), self.by)  # another check
        self.season("2023", MEANS)  # never signed
        before = self.season("2025", {e: m + (e != "Corvane") for e, m in MEANS.items()})
        now = self.season("2026", MEANS)
        alone = compare(now, self.trait, self.by).results
        sign_board(before, self.by)
        found = compare(Trial.objects.get(pk=now.pk), self.trait, self.by)
        assert found.honest
        self.assertEqual(found.honest.seasons, ("Fennel 2025 2025",))
        self.assertEqual(found.honest.learnt_from, 1)  # the programme of the other check teaches what entries and checks are like
        chance = {r.name: r.chance or 0.0 for r in found.results if r.kept is not None}
        for r in alone:
            if r.kept is not None:
                self.assertGreater(chance[r.name], r.chance or 0.0, r.name)  # the check was far behind all of them then
        self.assertContains(
            self.client.get(reverse("compare:compare", args=[now.slug]), {"trait": "plot-yield"}),
            "starts from what one other signed programme of this place showed",
        )
        later = compare(Trial.objects.get(pk=before.pk), self.trait, self.by)
        self.assertEqual(later.honest.seasons if later.honest else None, ())  # seasons to come say nothing of one gone by

    def test_few_entries_go_by_the_same_rule(self) -> None:
        made = world.trial(self.by, entries=ENTRIES[:3])
        world.sow(made, self.by)
        world.keep_yields(made, self.by, MEANS)
        found = compare(made, self.trait, self.by)
        square, n = found.analysis.mse or 0.0, found.trial.blocks
        means = [r.mean.lsmean or 0.0 for r in found.results]
        names = [r.name for r in found.results]
        others = [i for i, name in enumerate(names) if name != "Corvane"]
        base, own = means[names.index("Corvane")], square / n
        held = shrink(
            [
                SeasonMeans(
                    [names[i] for i in others], [means[i] for i in others], [own] * 2, base, own, square, found.analysis.df_error
                )
            ]
        )
        assert held
        for a in held.advantages:
            self.assertAlmostEqual(found.results[names.index(a.entry)].chance or 0, a.chance, places=6)

    def test_the_board_goes_by_the_same_chances_and_gives_a_best_bet_apart(self) -> None:
        made = self.season("2026", MEANS)
        found = compare(made, self.trait, self.by)
        board = board_of(Trial.objects.get(pk=made.pk), self.by)
        chance = {r.name: r.chance for r in found.results}
        for line in board.lines:
            self.assertEqual(line.figures[0].chance, chance[line.name])
        lines = {line.name: line for line in board.lines}
        self.assertEqual(lines["Quillet"].verdict, "retest")  # sure when taken flat, not when it is the best of five
        self.assertIn("Not sure enough yet in plot yield", lines["Quillet"].reasons[0])
        self.assertEqual(lines["Brakewater"].verdict, "drop")
        page = self.client.get(reverse("verdicts:decide", args=[made.slug]))
        self.assertContains(page, "If you must choose now: <strong>Quillet</strong>")
        self.assertContains(page, "That is a bet, not a recommendation.")
        Trial.objects.filter(pk=made.pk).update(family_guard=True)
        flat = board_of(Trial.objects.get(pk=made.pk), self.by)
        self.assertEqual({line.name: line.verdict for line in flat.lines}["Quillet"], "recommend")
