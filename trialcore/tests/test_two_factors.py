"""Entries over the levels of a second factor, held to published figures and to what must hold for any figures."""

import json
from itertools import product
from pathlib import Path
from typing import Any
from unittest import TestCase

import numpy as np

from trialcore.analyses.blocks import analyse_blocks
from trialcore.analyses.two_factors import WHY_STRATA, entries_over_levels
from trialcore.formats.plots import Plots, read_plots
from trialcore.formats.sheet import decode
from trialcore.inference.comparisons import against_check
from trialcore.tests.surely import surely

DATA = Path(__file__).resolve().parent / "data"


def published(name: str) -> tuple[Plots, dict[str, Any]]:
    return read_plots(decode((DATA / f"{name}.csv").read_bytes())), json.loads((DATA / f"{name}.expected.json").read_text())


class SplitPlots(TestCase):
    def test_entries_on_whole_plots_as_published(self) -> None:
        plots, expected = published("splitplot_3x4")
        found = entries_over_levels(
            "split-plot", plots.labels["entry"], plots.labels["factor2"], plots.value, plots.labels["rep"], True, "V01"
        )
        by_name = {r["level"]: r for r in expected["whole_plot_means"]["table"]}
        for m in found.means:
            self.assertAlmostEqual(m.lsmean, by_name[m.entry]["mean"], 6)
        assert found.versus
        for d in found.versus.differences:
            self.assertAlmostEqual(d.se, expected["sed"]["whole_plot_means"], 5)
            self.assertAlmostEqual(d.df, expected["df_a"], 3)
        self.assertAlmostEqual(found.cells.mse, expected["mse_b"], 4)
        self.assertAlmostEqual(found.cells.cv_percent, expected["cv_b_percent"], 4)
        anova = {r["source"]: r for r in expected["anova"]}
        for effect in found.effects:
            self.assertAlmostEqual(effect.f, anova[effect.source]["f"], 4)
            self.assertAlmostEqual(effect.p, anova[effect.source]["p"], 6)

    def test_entries_within_whole_plots_as_published(self) -> None:
        """The same field with the names of the factors changed: nitrogen rates are the entries now."""
        plots, expected = published("splitplot_3x4")
        found = entries_over_levels(
            "split-plot", plots.labels["factor2"], plots.labels["entry"], plots.value, plots.labels["rep"], False, "N0"
        )
        assert found.versus
        for d in found.versus.differences:
            self.assertAlmostEqual(d.se, expected["sed"]["sub_plot_means"], 5)
            self.assertAlmostEqual(d.df, expected["df_b"], 2)
        self.assertAlmostEqual(found.versus.critical_each * found.versus.differences[0].se, expected["lsd5"]["sub_plot_means"], 3)
        rows = {row.source: row for row in found.strata}
        self.assertAlmostEqual(rows["factor2"].ss, 1786.361111, 4)
        self.assertAlmostEqual(rows["entry"].ss, 20020.5, 4)

    def test_missing_plots_as_published(self) -> None:
        plots, expected = published("splitplot_3x4_missing")
        found = entries_over_levels(
            "split-plot", plots.labels["entry"], plots.labels["factor2"], plots.value, plots.labels["rep"], True, "V03"
        )
        table = {r["entry"]: r for r in expected["whole_plot_means"]["table"]}
        for m in found.means:
            self.assertAlmostEqual(m.lsmean, table[m.entry]["mean"], 4)
            self.assertAlmostEqual(m.se, table[m.entry]["se_kr"], 4)
        assert found.versus
        pair = {r["contrast"]: r for r in expected["whole_plot_means"]["pairwise"]}["V02 - V03"]
        d = next(d for d in found.versus.differences if d.a == "V02")
        self.assertAlmostEqual(d.estimate, pair["estimate"], 4)
        self.assertAlmostEqual(d.se, pair["se_kr"], 4)
        self.assertAlmostEqual(d.df, pair["df_kr"], 2)
        self.assertEqual(found.strata, ())
        self.assertAlmostEqual(found.interaction.f, expected["anova_kenward_roger"][2]["f"], 4)  # type: ignore[union-attr]

    def test_an_entry_lost_at_one_level_has_no_mean_and_says_so(self) -> None:
        plots, _ = published("splitplot_3x4")
        value = [
            None if (e, f) == ("V02", "N1") else v
            for e, f, v in zip(plots.labels["entry"], plots.labels["factor2"], plots.value, strict=True)
        ]
        found = entries_over_levels(
            "split-plot", plots.labels["entry"], plots.labels["factor2"], value, plots.labels["rep"], True, "V01"
        )
        lost = next(m for m in found.means if m.entry == "V02")
        self.assertIsNone(lost.lsmean)
        self.assertIn("level", lost.why)
        assert found.versus
        self.assertEqual([d.a for d in found.versus.differences], ["V03"])


class OtherLayouts(TestCase):
    def setUp(self) -> None:
        rng = np.random.default_rng(8)
        rows = list(product("12345", "ABCD", ("early", "late")))
        self.rep, self.entry, self.level = (list(part) for part in zip(*rows, strict=True))
        self.value = [float(v) for v in rng.normal(10, 1, len(rows))]

    def test_a_factorial_averages_its_cells_and_shares_one_error(self) -> None:
        found = entries_over_levels("factorial", self.entry, self.level, self.value, self.rep, check="A")
        y = np.array(self.value).reshape(5, 4, 2)
        for m, mean in zip(found.means, y.mean(axis=(0, 2)), strict=True):
            self.assertAlmostEqual(surely(m.lsmean), float(mean))
        assert found.versus
        cells = y.mean(axis=0)
        rest = y - cells - y.mean(axis=(1, 2), keepdims=True) + y.mean()
        mse = float((rest**2).sum() / (4 * 7))
        for d in found.versus.differences:
            self.assertAlmostEqual(d.se, (2 * mse / 10) ** 0.5)
            self.assertEqual(d.df, 28)

    def test_strips_judge_entries_by_their_own_strips(self) -> None:
        found = entries_over_levels("strip-plot", self.entry, self.level, self.value, self.rep, True, "A")
        y = np.array(self.value).reshape(5, 4, 2).mean(axis=2)
        by_rep = analyse_blocks(
            [e for _ in range(5) for e in "ABCD"], [float(v) for v in y.ravel()], {"rep": [r for r in "12345" for _ in "ABCD"]}
        )
        plain = against_check(by_rep, "A")
        assert plain and found.versus
        for row in found.strata:
            if row.source == "entry":
                self.assertAlmostEqual(surely(row.f), next(surely(r.f) for r in by_rep.anova_sequential if r.source == "entry"))
        for got, wanted in zip(found.versus.differences, plain.differences, strict=True):
            self.assertAlmostEqual(got.estimate, wanted.estimate)

    def test_turning_the_factors_of_strips_changes_names_only(self) -> None:
        one = entries_over_levels("strip-plot", self.entry, self.level, self.value, self.rep, True, "A")
        other = entries_over_levels("strip-plot", self.entry, self.level, self.value, self.rep, False, "A")
        for a, b in zip(one.means, other.means, strict=True):
            self.assertAlmostEqual(surely(a.lsmean), surely(b.lsmean), 6)
            self.assertAlmostEqual(surely(a.se), surely(b.se), 5)
        self.assertEqual({e.source for e in one.effects}, {e.source for e in other.effects})
        self.assertIn("error (a) = rep x factor2", [row.source for row in other.strata])

    def test_nothing_is_set_against_a_check_without_a_value(self) -> None:
        value = [None if e == "A" else v for e, v in zip(self.entry, self.value, strict=True)]
        for layout in ("split-plot", "strip-plot", "factorial"):
            with self.subTest(layout=layout):
                found = entries_over_levels(layout, self.entry, self.level, value, self.rep, False, "A")
                self.assertIsNone(found.versus)


class SmallTrials(TestCase):
    """Two or three large plots a replicate leave their variance at nought in many a data set."""

    def made(self, layout: str, a: int, b: int, reps: int, seed: int) -> tuple[list[str], list[str], list[float], list[str]]:
        rng = np.random.default_rng(seed)
        rows = [(f"E{i}", f"L{j}", float(10 + rng.normal()), str(k)) for k in range(reps) for i in range(a) for j in range(b)]
        entry, second, value, rep = (list(column) for column in zip(*rows, strict=True))
        return entry, second, value, rep

    def test_none_breaks_down_and_one_page_shows_one_test(self) -> None:
        nought = 0
        for layout, (a, b, reps), seed in product(("split-plot", "strip-plot"), ((2, 3, 3), (2, 2, 2), (3, 3, 2)), range(25)):
            entry, second, value, rep = self.made(layout, a, b, reps, seed)
            for whole in (False, True) if layout == "split-plot" else (True,):
                found = entries_over_levels(layout, entry, second, value, rep, whole, "E0")  # type: ignore[arg-type]
                lines = {row.source: row for row in found.strata}
                for effect in found.effects:
                    self.assertTrue(np.isfinite(effect.f) and 0 <= effect.p <= 1, (layout, a, b, reps, seed, effect))
                if WHY_STRATA in found.cannot_say:
                    nought += 1
                    for effect in found.effects:
                        self.assertAlmostEqual(effect.f, lines[effect.source].f or 0, 9)
                    self.assertTrue(all(0 < d.se < 10 for d in found.versus.differences) if found.versus else True)
        self.assertGreater(nought, 50)

    def test_the_strata_by_hand(self) -> None:
        """Two entries on whole plots, two levels, two replicates: the whole plots of a replicate are 1.25 and 1.35 apart, so their
        difference is 1.30 with a standard error of 0.1 ÷ 2 = 0.05 on one degree of freedom."""
        entry = ["A", "A", "B", "B"] * 2
        second = ["x", "y"] * 4
        value = [10.0, 11.0, 11.0, 12.5, 10.5, 11.0, 11.6, 12.6]
        rep = ["1"] * 4 + ["2"] * 4
        found = entries_over_levels("split-plot", entry, second, value, rep, True, "A")
        rows = {row.source: row for row in found.strata}
        by_entry = [np.mean([v for v, e in zip(value, entry, strict=True) if e == name]) for name in "AB"]
        self.assertAlmostEqual(surely(rows["entry"].ss), float(4 * sum((m - np.mean(value)) ** 2 for m in by_entry)), 9)
        assert found.versus
        self.assertIn(WHY_STRATA, found.cannot_say)
        (d,) = found.versus.differences
        self.assertAlmostEqual(d.estimate, 1.30, 9)
        self.assertAlmostEqual(d.se, 0.05, 9)
        self.assertEqual(d.df, 1)
