"""Every pair with its letters, heads over all traits, and who is as good as the check; figures held to the core and to hand."""

from django.urls import reverse

from evarlo.catalogue.models import Claim, Trait
from evarlo.compare.claims import HOLDS, NOT, SHORT, UNTOLD, judged
from evarlo.compare.heads import as_good, head_to_head, pair_table
from evarlo.compare.queries import compare
from evarlo.people.models import Role
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from trialcore.analyses.blocks import analyse_blocks
from trialcore.inference.comparisons import all_pairs

MEANS = {"Corvane": 5.0, "Quillet": 6.5, "OF-17": 5.1, "Brakewater": 3.4}


class Heads(TestCase):
    def setUp(self) -> None:
        self.by = world.person()
        self.made = world.trial(self.by, blocks=4)
        world.sow(self.made, self.by)
        world.keep_yields(self.made, self.by, MEANS, 0.3)
        self.trait = Trait.objects.get(key="plot-yield")
        self.client.force_login(self.by)
        self.pk_of = {e.cultivar.name: e.pk for e in self.made.entries.select_related("cultivar")}

    def test_pairs_are_those_of_tukey_with_letters(self) -> None:
        found = compare(self.made, self.trait, self.by)
        table = pair_table(found)
        assert table
        self.assertEqual([r[0] for r in table.rows][0::3], ["Quillet", "Brakewater"])
        letters = {name: group for name, _, group, _ in table.rows}
        self.assertEqual(letters["Quillet"], "a")
        self.assertEqual(letters["Corvane"], letters["OF-17"])
        values = {v.plot.pk: v.value for v in found.plots}
        plots = list(self.made.plots.select_related("entry").order_by("pk"))
        plain = analyse_blocks([p.entry.code for p in plots], [values[p.pk] for p in plots], {"rep": [p.block for p in plots]})
        tukey = {frozenset((d.a, d.b)): d.p_family for d in all_pairs(plain)}
        code = {e.cultivar.name: e.code for e in self.made.entries.select_related("cultivar")}
        order = [r[0] for r in table.rows]
        for name, _, _, cells in table.rows:
            for other, cell in zip(order, cells, strict=True):
                if name == other:
                    self.assertIsNone(cell)
                else:
                    assert cell
                    self.assertAlmostEqual(cell[1], tukey[frozenset((code[name], code[other]))] or 0.0, places=9)
        page = self.client.get(reverse("compare:pairs", args=[self.made.slug]), {"trait": "plot-yield"})
        self.assertContains(page, "Quillet</strong> is better than every other entry")
        self.assertContains(page, "Tukey")

    def test_lower_is_better_turns_the_table(self) -> None:
        self.made.criteria.filter(trait=self.trait).delete()
        self.made.criteria.create(trait=self.trait, direction="lower", matters=0.5, rank=8)
        table = pair_table(compare(self.made, self.trait, self.by))
        assert table
        self.assertEqual(table.rows[0][0], "Brakewater")
        self.assertEqual(table.rows[0][3][-1][0] if table.rows[0][3][-1] else None, 1)

    def test_heads_stand_against_each_other_over_all_traits(self) -> None:
        rows = head_to_head(
            self.made, [self.trait], [self.pk_of["Quillet"], self.pk_of["Brakewater"], self.pk_of["Corvane"]], self.by
        )
        (row,) = rows
        first, second = row.against
        assert first and second
        self.assertAlmostEqual(first[0], (row.means[0] or 0) - (row.means[1] or 0), places=9)
        self.assertAlmostEqual((first[1] + first[2]) / 2, first[0], places=9)
        self.assertEqual((first[3], second[3]), (1, 1))
        turned = head_to_head(self.made, [self.trait], [self.pk_of["Brakewater"], self.pk_of["Quillet"]], self.by)[0].against[0]
        assert turned
        self.assertAlmostEqual(turned[0], -first[0], places=9)
        self.assertEqual(turned[3], -1)
        url = reverse("compare:heads", args=[self.made.slug])
        page = self.client.get(url, {"of": [self.pk_of["Quillet"], self.pk_of["Brakewater"]]})
        self.assertContains(page, "Against Brakewater <strong>Quillet</strong> is better in plot yield.")
        for asked in ({}, {"of": "x"}, {"of": [self.pk_of["Quillet"]]}, {"of": ["999999", ""]}):
            self.assertEqual(self.client.get(url, asked).status_code, 200)
        self.client.force_login(world.person(Role.HELPER))
        self.assertEqual(self.client.get(url).status_code, 403)

    def test_as_good_as_the_check_is_a_claim_of_its_own(self) -> None:
        """Within 1 kg: OF-17 lies 0.1 above the check with narrow ends, Brakewater 1.6 below."""
        criterion = self.made.criteria.filter(trait=self.trait).first()
        if criterion:
            self.made.criteria.filter(pk=criterion.pk).update(matters=1.0, direction="higher")
        else:
            self.made.criteria.create(trait=self.trait, direction="higher", matters=1.0, rank=8)
        found = compare(self.made, self.trait, self.by)
        rows = {name: (low, high, equal, at_least) for name, low, high, equal, at_least in as_good(self.made, found)}
        self.assertTrue(rows["OF-17"][3])
        self.assertTrue(rows["Quillet"][3])
        self.assertFalse(rows["Quillet"][2])  # better than equal
        self.assertFalse(rows["Brakewater"][3])
        page = self.client.get(reverse("compare:pairs", args=[self.made.slug]), {"trait": "plot-yield"})
        self.assertContains(page, "at least as good as Corvane within what matters")

    def test_counted_units_and_an_empty_trial_are_no_error(self) -> None:
        walk = world.walk(self.made, "diseased-plants", self.by)
        for n, plot in enumerate(self.made.plots.select_related("entry__cultivar", "trial")):
            ill = 15 if plot.entry.cultivar.name == "Quillet" else n % 3
            world.keep(walk, plot, self.by, 5.0 * ill, looked=20)
        table = pair_table(compare(self.made, world.trait("diseased-plants"), self.by))
        assert table
        self.assertEqual((table.family, table.rows[-1][0]), ("Holm", "Quillet"))
        self.assertTrue(all(cell is None or cell[0] == -1 for cell in table.rows[-1][3]))
        bare = world.trial(self.by, name="Bare")
        for name in ("pairs", "heads"):
            self.assertEqual(self.client.get(reverse(f"compare:{name}", args=[bare.slug])).status_code, 200)

    def test_small_blocks_give_the_pairs_of_the_recovered_model(self) -> None:
        names = [f"E{n}" for n in range(9)]
        made = world.trial(self.by, name="Small blocks", entries=names, check="E0", blocks=3, design="incomplete", block_size=3)
        world.sow(made, self.by)
        world.keep_yields(made, self.by, {n: 5 + i / 2 for i, n in enumerate(names)}, 0.2)
        found = compare(made, self.trait, self.by)
        assert found.worked.incomplete and found.worked.incomplete.recovered
        table = pair_table(found)
        assert table
        pairs = {frozenset((p.a, p.b)): p.p_family for p in found.worked.incomplete.recovered.pairs}
        codes = {e.cultivar.name: e.code for e in made.entries.select_related("cultivar")}
        order = [r[0] for r in table.rows]
        for name, _, _, cells in table.rows:
            for other, cell in zip(order, cells, strict=True):
                if cell:
                    self.assertAlmostEqual(cell[1], pairs[frozenset((codes[name], codes[other]))], places=9)


class FitOfTheModel(TestCase):
    def test_a_slipped_point_is_pointed_at_with_what_it_does(self) -> None:
        by = world.person()
        made = world.trial(by, blocks=4)
        world.sow(made, by)
        self.client.force_login(by)
        world.keep_yields(made, by, MEANS, 0.3)
        url = reverse("compare:fit", args=[made.slug])
        clean = self.client.get(url, {"trait": "plot-yield"})
        self.assertContains(clean, "Nothing speaks against the model")
        plot = made.plots.select_related("trial").get(entry__cultivar__name="Quillet", block="2")
        walk = made.rounds.get(trait__key="plot-yield")
        world.keep(walk, plot, by, 66.0)
        page = self.client.get(url, {"trait": "plot-yield"})
        check = page.context["fit"]
        self.assertEqual([v.plot.number for v in check.out], [plot.number])
        self.assertContains(page, f"Plot <strong>{plot.number}</strong> stands out.")
        self.assertIn(("Quillet", "could be luck", "ahead"), check.without)
        self.assertContains(page, "would be “ahead”")
        bare = world.trial(by, name="Bare")
        self.assertEqual(self.client.get(reverse("compare:fit", args=[bare.slug])).status_code, 200)


class Claims(TestCase):
    def setUp(self) -> None:
        self.by = world.person()
        self.made = world.trial(self.by, blocks=4)
        world.sow(self.made, self.by)
        world.keep_yields(self.made, self.by, MEANS, 0.3)
        self.client.force_login(self.by)
        self.trait = Trait.objects.get(key="plot-yield")
        self.quillet = self.made.entries.get(cultivar__name="Quillet").cultivar

    def test_an_interval_judges_a_claim(self) -> None:
        """Higher is better, 1 matters: 6.0 to 7.0 against 6.5 holds (surely above 5.5), against 8.5 does not."""
        self.assertEqual(judged(6.5, 6.0, 7.0, 1, 1.0), HOLDS)
        self.assertEqual(judged(8.5, 6.0, 7.0, 1, 1.0), NOT)
        self.assertEqual(judged(7.1, 6.2, 7.0, 1, 1.0), SHORT)  # surely below, by less than what matters
        self.assertEqual(judged(6.9, 6.0, 7.0, 1, 0.5), UNTOLD)
        self.assertEqual(judged(85, 80, 84, -1, 0), HOLDS)  # fewer days are better
        self.assertEqual(judged(78, 80, 84, -1, 0), NOT)
        self.assertEqual(judged(82, 80, 84, -1, 1), UNTOLD)

    def test_the_page_and_the_cultivar_s_own_say_the_same(self) -> None:
        for says, value in (("Six kilograms a plot", 6.0), ("Nine kilograms a plot", 9.0)):
            Claim.objects.create(cultivar=self.quillet, says=says, trait=self.trait, value=value, climate="dry inland")
        Claim.objects.create(cultivar=self.quillet, says="Sweet")  # no figure: nothing to set against it
        page = self.client.get(reverse("compare:claims", args=[self.made.slug]))
        self.assertContains(page, "One claim holds and one claim does not hold.")
        self.assertContains(page, "made in dry inland")
        self.assertEqual([v.verdict for v in page.context["claims"]], [HOLDS, NOT])
        part = self.client.get(reverse("claims-found", args=[self.quillet.pk]))
        self.assertEqual([v.verdict for v in part.context["claims"]], [HOLDS, NOT])
        self.assertContains(part, self.made.name)
        self.assertContains(self.client.get(f"/cultivars/{self.quillet.pk}/"), reverse("claims-found", args=[self.quillet.pk]))

    def test_without_a_claim_and_behind_codes_it_says_so(self) -> None:
        url = reverse("compare:claims", args=[self.made.slug])
        self.assertContains(self.client.get(url), "No entry has a claim with a figure")
        Claim.objects.create(cultivar=self.quillet, says="Six", trait=self.trait, value=6.0)
        self.client.force_login(world.person(Role.EVALUATOR))
        page = self.client.get(url)
        self.assertEqual((page.status_code, list(page.context["claims"])), (200, []))
        self.assertNotContains(page, "Quillet")
