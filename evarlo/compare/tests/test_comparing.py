"""The comparison: right sentence, right figures, nothing left out in silence."""

import csv
import io
import json
import random
import re
import uuid
from datetime import timedelta
from pathlib import Path

from django.urls import reverse
from django.utils.html import strip_tags

from evarlo.catalogue.models import Crop, Trait
from evarlo.compare.analysis import Comparison
from evarlo.compare.queries import compare
from evarlo.compare.scored import scored
from evarlo.compare.words import bars_in_words, sentence
from evarlo.exchange.services import Wanted, make_trial
from evarlo.exchange.shapes import keep_sheet
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from evarlo.trials.leaving_out import exclude_plot
from evarlo.trials.models import Cause, Trial
from evarlo.ui.tables import harmless
from evarlo.walks.services import Seen, keep_observation, open_round
from trialcore.analyses.generalised import analyse_generalised
from trialcore.analyses.ordinal import analyse_ordinal
from trialcore.field.stages import analyse_stage

MEANS = {"Corvane": 5.0, "Quillet": 6.5, "OF-17": 5.2, "Brakewater": 3.4}


class Comparing(TestCase):
    def setUp(self) -> None:
        self.by = world.person()
        self.trial = world.trial(self.by)

    def compared(self, key: str = "plot-yield", guard: str = "each") -> Comparison:
        return compare(Trial.objects.get(pk=self.trial.pk), world.trait(key), self.by, guard)  # type: ignore[arg-type]

    def said(self, key: str = "plot-yield") -> str:
        return strip_tags(sentence(self.compared(key)))

    def test_before_there_is_a_value(self) -> None:
        self.assertEqual(self.said(), "No plot has a value for plot yield yet.")
        self.client.force_login(self.by, backend="django.contrib.auth.backends.ModelBackend")
        for path in ("compare/", "compare/working/", "compare/figures.json", "compare/plots.csv", "decide/", "report/"):
            with self.subTest(path=path):
                self.assertEqual(self.client.get(f"/trials/{self.trial.slug}/{path}").status_code, 200)

    def test_a_trait_without_a_value_is_no_table_of_nothing_and_what_is_recorded_comes_first(self) -> None:
        self.client.force_login(self.by, backend="django.contrib.auth.backends.ModelBackend")
        self.assertNotContains(self.client.get(f"/trials/{self.trial.slug}/compare/"), 'class="results"')
        asked = world.walk(self.trial, "height", self.by)
        for i, plot in enumerate(self.trial.plots.all()):
            world.keep(asked, plot, self.by, 60 + i % 5)
        page = self.client.get(f"/trials/{self.trial.slug}/compare/")
        self.assertContains(page, 'class="results"')
        self.assertContains(page, '<option value="height" selected>')
        page = self.client.get(f"/trials/{self.trial.slug}/compare/?trait=plot-yield")
        self.assertContains(page, "No plot has a value for plot yield yet.")
        self.assertNotContains(page, 'class="results"')

    def test_winners_luck_and_losers(self) -> None:
        world.keep_yields(self.trial, self.by, MEANS)
        said = self.said()
        self.assertRegex(
            said, r"^Quillet beats the check, Corvane\. Brakewater falls behind it\. One more is ahead of it, but with three blocks"
        )
        self.assertRegex(said, r"a difference under 0\.\d+ kg \(\d+ %\) could be luck\.$")
        beats = {s.name: s.beats for s in self.compared().results}
        self.assertEqual(beats, {"Quillet": 1, "OF-17": 0, "Corvane": 0, "Brakewater": -1})

    def test_where_lower_is_better_the_lowest_stands_first(self) -> None:
        asked = world.walk(self.trial, "bolting", self.by)
        for i, plot in enumerate(self.trial.plots.select_related("entry__cultivar")):
            world.keep(asked, plot, self.by, round(10 * MEANS[plot.entry.cultivar.name] + i % 3))
        results = self.compared("bolting").results
        self.assertEqual(results[0].name, "Brakewater")
        self.assertGreater(results[0].flat or 0, 0.97)
        self.assertTrue(self.said("bolting").startswith("Brakewater beats the check"))

    def test_holding_all_together_widens_the_band(self) -> None:
        world.keep_yields(self.trial, self.by, MEANS)
        each, family = self.compared().band, self.compared(guard="family").band
        assert each and family
        self.assertGreater(family, each * 1.1)

    def test_every_plot_left_out_is_named_with_its_reason(self) -> None:
        asked = world.keep_yields(self.trial, self.by, MEANS)
        exclude_plot(self.trial.plots.get(number="102"), "accident", "Flooded", world.TODAY, self.by)
        world.keep(asked, self.trial.plots.get(number="203"), self.by, cause="lost_label", note="stake gone")
        world.keep(asked, self.trial.plots.get(number="304"), self.by, cause="failed")
        found = self.compared()
        self.assertEqual(
            {p.plot.number: p.left_out for p in found.left_out}, {"102": "accident: Flooded", "203": "lost label: stake gone"}
        )
        self.assertEqual({p.plot.number: p.value for p in found.counted_as}, {"304": 0.0})
        self.assertEqual((found.analysis.n_observed, found.analysis.n_plots), (10, 12))
        asked = world.walk(self.trial, "vigour", self.by)
        world.keep(asked, self.trial.plots.get(number="101"), self.by, cause="failed")
        self.assertIn("flatters the cultivar", {p.plot.number: p.left_out for p in self.compared("vigour").left_out}["101"])

    def test_a_check_without_a_value(self) -> None:
        asked = world.keep_yields(self.trial, self.by, MEANS)
        for plot in self.trial.plots.filter(entry__is_check=True):
            world.keep(asked, plot, self.by, cause="accident")
        self.assertIn("The check, Corvane, has no value for plot yield", self.said())

    def test_one_block_with_values_says_why_nothing_is_sure(self) -> None:
        asked = world.walk(self.trial, "plot-yield", self.by)
        for plot in self.trial.plots.filter(block="1"):
            world.keep(asked, plot, self.by, 3 + plot.place / 10)
        self.assertIn("error cannot be judged", self.said())

    def test_the_figures_on_the_page_are_those_of_the_core(self) -> None:
        world.keep_yields(self.trial, self.by, MEANS)
        self.client.force_login(self.by, backend="django.contrib.auth.backends.ModelBackend")
        figures = self.client.get(reverse("compare:figures", args=[self.trial.slug])).json()
        page = self.client.get(reverse("compare:compare", args=[self.trial.slug])).content.decode()
        for mean in figures["entry_means"]:
            self.assertIn(f">{mean['lsmean']:.2f}<", page)
        working = self.client.get(reverse("compare:working", args=[self.trial.slug])).content.decode()
        self.assertIn(f"{figures['mse']:.4f}", working)
        rows = list(csv.reader(io.StringIO(self.client.get(reverse("compare:plots", args=[self.trial.slug])).content.decode())))
        self.assertEqual(rows[0][:6], ["plot", "rep", "row", "col", "entry", "Plot yield (kg)"])
        self.assertEqual(len(rows), 13)
        self.assertTrue(re.fullmatch(r"\d+\.\d+", rows[1][5]))

    def test_no_interval_reaches_beyond_what_can_be(self) -> None:
        asked = world.walk(self.trial, "bolting", self.by)
        for i, plot in enumerate(self.trial.plots.order_by("pk")):
            world.keep(asked, plot, self.by, 40.0 + 9 * (i % 4) if plot.entry.cultivar.name == "Brakewater" else 2.0 * (i % 2))
        found = self.compared("bolting")
        self.assertLess(min(m.lower95 or 0 for m in found.worked.means), 0)
        self.assertEqual(min(r.mean.lower95 or 0 for r in found.results), 0)
        self.assertIn("Thin: 95 %, within what can be.", bars_in_words(found))
        world.keep_yields(self.trial, self.by, MEANS)
        self.assertNotIn("within what can be", bars_in_words(self.compared()))

    def test_formulas_leave_as_text_and_figures_as_figures(self) -> None:
        self.assertEqual(
            [harmless(c) for c in ("=1+1", "+cmd", "@x", "-5.25", "-", "V01", 3)],
            ["'=1+1", "'+cmd", "'@x", "-5.25", "'-", "V01", 3],
        )


class SmallBlocks(TestCase):
    def test_incomplete_blocks_are_compared_by_the_recovered_model(self) -> None:
        """The reference alpha trial, brought in from its sheet, gives its REML means and Kenward–Roger differences."""
        data = Path(__file__).resolve().parents[3] / "trialcore" / "tests" / "data"
        by = world.person()
        sheet = keep_sheet("alpha.csv", (data / "alpha_24.csv").read_bytes(), by)
        crop = Crop.objects.create(name="Test crop")
        made = make_trial(sheet, Wanted("Alpha", crop, "2026", "V05", {"value": "higher"}, {"value": 0.1}), by, world.TODAY)
        self.assertEqual(made.design, Trial.Design.INCOMPLETE)
        expected = json.loads((data / "alpha_24.expected.json").read_text())["reml_entries_fixed"]
        means = {row["entry"]: row for row in expected["entry_means"]}
        versus = {next(e for e in row["contrast"].split(" - ") if e != "V05"): row for row in expected["vs_check"]}
        found = compare(made, Trait.objects.get(key="sheet-value"), by)
        for s in found.results:
            self.assertAlmostEqual(s.mean.lsmean or 0, means[s.entry.code]["mean"], places=5)
            if s.difference is not None:
                row = versus[s.entry.code]
                self.assertAlmostEqual(s.difference.se, row["se_kr"], places=4)
                self.assertAlmostEqual(s.difference.df / row["df_kr"], 1, places=3)
        self.assertEqual(found.misled, [])
        self.client.force_login(by, backend="django.contrib.auth.backends.ModelBackend")
        page = self.client.get(reverse("compare:working", args=[made.slug]))
        self.assertContains(page, "restricted maximum likelihood")
        figures = self.client.get(reverse("compare:figures", args=[made.slug])).json()
        self.assertAlmostEqual(figures["reml_entries_fixed"]["reml_loglik"], expected["reml_loglik"], places=4)
        again = self.client.get(reverse("compare:plots", args=[made.slug])).content.decode().splitlines()
        self.assertTrue(again[0].startswith("plot,rep,block,row,col,entry"))


class ByKindOfRecord(TestCase):
    """Counted units are compared by their own model, which is said, with the plain one a click away."""

    def setUp(self) -> None:
        self.by = world.person()
        self.made = world.trial(self.by, blocks=4)
        world.sow(self.made, self.by)
        self.client.force_login(self.by)
        self.url = reverse("compare:compare", args=[self.made.slug])
        self.hits = {"Corvane": (1, 0, 1, 0), "Quillet": (8, 9, 7, 8), "OF-17": (1, 2, 0, 1), "Brakewater": (0, 0, 0, 0)}
        walk = world.walk(self.made, "diseased-plants", self.by)
        for plot in self.made.plots.select_related("entry__cultivar", "trial"):
            ill = self.hits[plot.entry.cultivar.name][int(plot.block) - 1]
            world.keep(walk, plot, self.by, 5.0 * ill, looked=20)

    def test_the_figures_are_those_of_the_core_and_stay_within_what_can_be(self) -> None:
        page = self.client.get(self.url, {"trait": "diseased-plants"})
        found = page.context["c"]
        self.assertEqual(found.worked.choice.errors, "binomial")
        plots = list(self.made.plots.select_related("entry__cultivar").order_by("pk"))
        y = [self.hits[p.entry.cultivar.name][int(p.block) - 1] for p in plots]
        core = analyse_generalised("binomial", [p.entry.code for p in plots], y, [20] * len(y), {"rep": [p.block for p in plots]})
        by_code = {m.entry: m for m in core.means}
        tests = {c.entry: c.p for c in core.against(found.check_code)}
        for s in found.results:
            self.assertAlmostEqual(s.mean.lsmean, 100 * by_code[s.entry.code].mean, places=9)
            self.assertTrue(0 <= s.mean.lower95 <= s.mean.upper95 <= 100)
            if s.difference:
                self.assertAlmostEqual(s.difference.p_unadjusted, tests[s.entry.code], places=9)
        self.assertEqual({s.name: s.word for s in found.results if s.word}["Quillet"], "behind")
        self.assertContains(page, "logistic regression")
        self.assertContains(page, "Brakewater</strong> every unit, or none, was counted")
        self.assertIsNone(found.band)  # no one width holds for every entry

    def test_the_plain_model_is_a_click_away_and_says_where_it_differs(self) -> None:
        page = self.client.get(self.url, {"trait": "diseased-plants"})
        self.assertContains(page, "model=plain")
        plain = self.client.get(self.url, {"trait": "diseased-plants", "model": "plain"})
        self.assertEqual(plain.context["c"].worked.choice.errors, "normal")
        self.assertContains(plain, "Back to the model of its kind")
        same = {s.name: s.word for s in page.context["c"].results}
        other = {s.name: s.word for s in plain.context["c"].results}
        self.assertEqual(dict(page.context["c"].otherwise), {n: w for n, w in other.items() if w != same[n]})

    def test_the_working_and_the_figures_say_the_same(self) -> None:
        working = self.client.get(reverse("compare:working", args=[self.made.slug]), {"trait": "diseased-plants"})
        self.assertContains(working, "logit scale")
        self.assertContains(working, "The plain model beside it")
        check = compare(self.made, world.trait("diseased-plants"), self.by)
        assert check.versus
        for d in check.versus.differences:  # the tests of the page stand first, the plain ones after them
            self.assertContains(working, f"{d.t:.3f}".replace("-", "−"))
        figures = self.client.get(reverse("compare:figures", args=[self.made.slug]), {"trait": "diseased-plants"}).json()
        self.assertEqual((figures["kind"], figures["n_observed"]), ("shares", 16))

    def test_a_share_judged_by_eye_stays_plain(self) -> None:
        walk = world.walk(self.made, "bolting", self.by)
        for n, plot in enumerate(self.made.plots.select_related("trial")):
            world.keep(walk, plot, self.by, float(5 + n % 7))
        found = self.client.get(self.url, {"trait": "bolting"}).context["c"]
        self.assertEqual(found.worked.choice.errors, "normal")


class BetweenTwoWalks(TestCase):
    """A stage seen on walks a week apart: plots that had not come so far by the last one count as later, and the bias goes."""

    def setUp(self) -> None:
        self.by = world.person()
        self.made = world.trial(self.by, blocks=4)
        world.sow(self.made, self.by)
        self.client.force_login(self.by)
        trait, self.walks = world.trait("first-flower"), [50, 57, 64]
        walk = open_round(self.made, trait, world.SOWN + timedelta(days=50), self.by)
        # The day on which each plot's stage truly came; Brakewater's last two were not there on day 64.
        self.truth = {
            "Corvane": (52, 53, 55, 51),
            "Quillet": (46, 48, 47, 45),
            "OF-17": (58, 60, 62, 59),
            "Brakewater": (61, 63, 66, 67),
        }
        self.plots = list(self.made.plots.select_related("entry__cultivar", "trial"))
        for day in self.walks:
            on = world.SOWN + timedelta(days=day)
            for plot in self.plots:
                came = self.truth[plot.entry.cultivar.name][int(plot.block) - 1]
                before = day - 7 if day > 50 else 0
                if came <= day and came > before:
                    keep_observation(walk, plot, Seen(day=on), self.by, on, uuid.uuid4(), world.TODAY)
                elif came > day:
                    keep_observation(walk, plot, Seen(cause=Cause.NOT_REACHED), self.by, on, uuid.uuid4(), world.TODAY)

    def compared(self, **asked: str) -> Comparison:
        page = self.client.get(reverse("compare:compare", args=[self.made.slug]), {"trait": "first-flower", **asked})
        found: Comparison = page.context["c"]
        return found

    def test_plots_not_so_far_count_as_later_and_are_named(self) -> None:
        found = self.compared()
        self.assertEqual(found.worked.choice.errors, "censored")
        late = [v.plot.entry.cultivar.name for v in found.counted_as]
        self.assertEqual(late, ["Brakewater", "Brakewater"])
        by_name = {s.name: s.mean.lsmean for s in found.results}
        for name, days in self.truth.items():
            if name != "Quillet":  # of which nothing is known before the first walk
                self.assertAlmostEqual(by_name[name] or 0, sum(days) / 4, delta=2.0, msg=name)
        plain = {s.name: s.mean.lsmean for s in self.compared(model="plain").results}
        self.assertGreater((by_name["Brakewater"] or 0) - (plain["Brakewater"] or 0), -1.0)
        self.assertGreater((plain["OF-17"] or 0) - (by_name["OF-17"] or 0), 2.0)  # first seen is late by half a week

    def test_the_figures_are_those_of_the_core(self) -> None:
        found = self.compared()
        after: list[float | None] = []
        by: list[float | None] = []
        for plot in self.plots:
            came = self.truth[plot.entry.cultivar.name][int(plot.block) - 1]
            seen = next((d for d in self.walks if came <= d), None)
            after.append(None if seen == 50 else 64.0 if seen is None else seen - 7.0)
            by.append(None if seen is None else float(seen))
        after = [49.5 if b == 50 else a for a, b in zip(after, by, strict=True)]  # seen on the first walk: taken as typed
        by = [50.5 if b == 50 else b for b in by]
        core = analyse_stage([p.entry.code for p in self.plots], after, by, [p.block for p in self.plots])
        days = {m.entry: m.days for m in core.means}
        for s in found.results:
            self.assertAlmostEqual(s.mean.lsmean or 0, days[s.entry.code] or 0, places=6)

    def test_the_figures_to_take_along_are_those_of_the_page(self) -> None:
        found = self.compared()
        taken = self.client.get(reverse("compare:figures", args=[self.made.slug]), {"trait": "first-flower"}).json()
        self.assertEqual(
            (taken["n_not_yet"], taken["n_interval"]), (2, 14)
        )  # a day seen on the first walk is that day, half a day to each side
        page = {s.entry.code: s.mean.lsmean for s in found.results}
        for rows, key in ((taken["chosen"]["entry_means"], "days"), (taken["shown"]["entry_means"], "lsmean")):
            self.assertEqual(len(rows), 4)
            for row in rows:
                self.assertAlmostEqual(row[key], page[row["entry"]] or 0, places=9)

    def test_days_that_were_typed_stay_plain(self) -> None:
        made = world.trial(self.by, name="Typed")
        world.sow(made, self.by)
        walk = open_round(made, world.trait("first-flower"), world.SOWN + timedelta(days=60), self.by)
        for n, plot in enumerate(made.plots.select_related("trial")):
            on = world.SOWN + timedelta(days=50 + n % 5)
            keep_observation(walk, plot, Seen(day=on), self.by, world.SOWN + timedelta(days=60), uuid.uuid4(), world.TODAY)
        self.assertEqual(compare(made, world.trait("first-flower"), self.by).worked.choice.errors, "normal")


class Rescaled(TestCase):
    def test_what_is_compared_on_the_logarithm_is_taken_along_as_it_is_shown(self) -> None:
        by = world.person()
        made = world.trial(by, blocks=6)
        world.sow(made, by)
        means = {"Corvane": 5.0, "Quillet": 16.0, "OF-17": 8.0, "Brakewater": 1.2}
        drawn = random.Random(0)  # noqa: S311 - made-up weights
        weighed = {(str(b), n): round(m * drawn.lognormvariate(0.0, 0.3), 2) for b in range(1, 7) for n, m in means.items()}
        walk = world.walk(made, "plot-yield", by)
        for plot in made.plots.select_related("entry__cultivar", "trial"):
            world.keep(walk, plot, by, weighed[plot.block, plot.entry.cultivar.name])
        self.client.force_login(by)
        found = compare(made, world.trait("plot-yield"), by)
        self.assertIsNotNone(found.worked.rescaled)
        taken = self.client.get(reverse("compare:figures", args=[made.slug]), {"trait": "plot-yield"}).json()
        self.assertEqual(taken["on_scale"]["scale"], "log")
        shown = {r["entry"]: r["lsmean"] for r in taken["shown"]["entry_means"]}
        for s in found.results:
            self.assertAlmostEqual(shown[s.entry.code], s.mean.lsmean or 0.0, places=9)
        tests = {r["entry"]: r["t"] for r in taken["shown"]["vs_check"]["table"]}
        there = {r["entry"]: r["t"] for r in taken["on_scale"]["vs_check"]["table"]}
        self.assertEqual(tests, there)


class Scored(TestCase):
    def test_scores_are_shown_by_classes_and_by_ranks_beside_their_means(self) -> None:
        by = world.person()
        made = world.trial(by, blocks=4)
        world.sow(made, by)
        asked = world.walk(made, "vigour", by)
        own = {"Corvane": 5, "Quillet": 7, "OF-17": 5, "Brakewater": 3}
        for i, plot in enumerate(made.plots.select_related("entry__cultivar")):
            world.keep(asked, plot, by, float(own[plot.entry.cultivar.name] + (i * 7) % 5 - 2))
        found = compare(made, Trait.objects.get(key="vigour"), by)
        beside = scored(found)
        assert beside and beside.model
        entry, values = [v.plot.entry.code for v in found.plots], [v.value for v in found.plots]
        held = analyse_ordinal(entry, values, {"rep": [v.plot.block for v in found.plots]})
        self.assertEqual(beside.differ_p, held.differ_f[3])
        self.assertEqual([r[0] for r in beside.rows][::3], ["Quillet", "Brakewater"])
        self.client.force_login(by)
        page = self.client.get(reverse("compare:working", args=[made.slug]), {"trait": "vigour"})
        self.assertContains(page, "By classes and by ranks")
        self.assertContains(page, "Chance of 7 or more")
        self.assertIsNone(scored(compare(made, Trait.objects.get(key="plot-yield"), by)))
