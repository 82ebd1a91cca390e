"""Models for counts, ranks, dates and second factors, held against other software or against what must hold."""

from unittest import TestCase

import numpy as np

from trialcore.analyses.blocks import analyse_blocks
from trialcore.analyses.environment_plots import analyse_environment_plots
from trialcore.analyses.environments import biplot_of
from trialcore.analyses.factorial import analyse_factorial
from trialcore.analyses.incomplete import analyse_incomplete
from trialcore.analyses.ranks import compare_ranks
from trialcore.analyses.smooth import fit_surface
from trialcore.analyses.spatial import analyse_spatial
from trialcore.analyses.strata import analyse_strip_plot
from trialcore.field.stages import analyse_stage, stage_forecast


class Ranks(TestCase):
    def test_friedman_as_other_software_has_it(self) -> None:
        from scipy.stats import friedmanchisquare

        rng = np.random.default_rng(3)
        scores = np.clip(np.round(rng.normal(5, 1.5, (7, 5)) + np.arange(5) * 0.6), 1, 9)
        found = compare_ranks(
            [f"E{j}" for _ in range(7) for j in range(5)], scores.ravel().tolist(), [str(i) for i in range(7) for _ in range(5)]
        )
        other = friedmanchisquare(*scores.T)
        self.assertAlmostEqual(found.statistic, other.statistic, places=9)
        self.assertAlmostEqual(found.p, other.pvalue, places=9)

    def test_skillings_and_mack_is_friedman_when_complete_and_goes_on_when_not(self) -> None:
        """Without ties and gaps both are the same; the published example of Skillings and Mack (1981) gives 15.493."""
        table: list[list[float | None]] = [
            [3.2, 4.1, 3.8, 4.2],
            [3.1, 3.9, 3.4, 4.0],
            [4.3, 3.5, 4.6, 4.8],
            [3.5, 3.6, 3.9, 4.0],
            [3.6, 4.2, 3.7, 3.9],
            [4.5, 4.7, 3.7, None],
            [None, 4.2, 3.4, None],
            [4.3, 4.6, 4.4, 4.9],
            [3.5, None, 3.7, 3.9],
        ]
        entry = [f"E{j}" for _ in table for j in range(4)]
        block = [str(i) for i in range(9) for _ in range(4)]
        found = compare_ranks(entry, [v for row in table for v in row], block)
        self.assertEqual((found.method, found.df), ("Skillings and Mack", 3))
        self.assertEqual(round(found.statistic, 3), 15.493)
        from trialcore.analyses import ranks

        whole = np.array([[1, 2, 3], [2, 1, 3], [1, 3, 2], [1, 2, 3.0]]).T
        one, two = ranks._friedman(("a", "b", "c"), whole), ranks._skillings_mack(("a", "b", "c"), whole)
        self.assertAlmostEqual(one.statistic, two.statistic)

    def test_what_cannot_be_ranked(self) -> None:
        tied = compare_ranks(["A", "B"] * 3, [5.0] * 6, ["1", "1", "2", "2", "3", "3"])
        self.assertEqual((tied.p, tied.se_difference), (1.0, None))
        for entry, value, block in ((["A", "A"], [1.0, 2.0], ["1", "1"]), (["A", "B"], [1.0, None], ["1", "1"])):
            with self.assertRaises(ValueError):
                compare_ranks(entry, value, block)


class Stages(TestCase):
    def trial(self, step: float, seed: int = 1) -> tuple[list[str], np.ndarray, list[str]]:
        rng = np.random.default_rng(seed)
        entry = [f"E{i % 6}" for i in range(24)]
        true = np.array([60 + 3 * (i % 6) + rng.normal(0, 2.0) for i in range(24)])
        return entry, true, [str(i // 6) for i in range(24)]

    def test_daily_walks_give_what_exact_dates_give(self) -> None:
        entry, true, block = self.trial(1.0)
        narrow = analyse_stage(entry, (true - 0.001).tolist(), (true + 0.001).tolist(), block)
        plain = analyse_blocks(entry, true, {"rep": block})
        for m, p in zip(narrow.means, plain.means, strict=True):
            self.assertAlmostEqual(m.days or 0, p.lsmean or 0, places=4)
            self.assertAlmostEqual(m.se or 0, p.se or 0, places=4)

    def test_weekly_walks_are_not_late_by_half_a_week_and_cover_the_truth(self) -> None:
        late, inside = [], 0
        for seed in range(30):
            entry, true, block = self.trial(7.0, seed)
            by = np.ceil(true / 7) * 7
            found = analyse_stage(entry, (by - 7).tolist(), by.tolist(), block)
            late.append(np.mean([(m.days or 0) - 60 - 3 * i for i, m in enumerate(found.means)]))
            inside += sum((m.lower95 or 0) <= 60 + 3 * i <= (m.upper95 or 0) for i, m in enumerate(found.means))
        self.assertLess(abs(float(np.mean(late))), 0.25)  # taking the walk's own day would be late by 3.5
        self.assertGreater(inside / 180, 0.92)

    def test_a_stage_never_seen_has_no_date_and_says_so(self) -> None:
        entry, true, block = self.trial(7.0)
        by: list[float | None] = [None if e == "E5" else float(v) for e, v in zip(entry, np.ceil(true / 7) * 7, strict=True)]
        found = analyse_stage(entry, [60.0 if b is None else b - 7 for b in by], by, block)
        self.assertIsNone(found.means[5].days)
        self.assertEqual((found.means[5].n, found.means[5].seen), (4, 0))
        self.assertIn("later than every walk", found.cannot_say[0])
        self.assertEqual(len(found.against("E0")), 4)
        with self.assertRaises(ValueError):
            analyse_stage(["A"], [5.0], [4.0])

    def test_forecast_of_a_later_stage(self) -> None:
        found = stage_forecast([60, 62, 64], [80, 83, 84])
        assert found is not None
        self.assertAlmostEqual(found[0], 61 / 3)
        self.assertEqual(found[3], 3)
        self.assertIsNone(stage_forecast([1], [2]))


class TwoFactors(TestCase):
    def test_a_factorial_as_other_software_has_it(self) -> None:
        import pandas as pd
        import statsmodels.formula.api as smf
        from statsmodels.stats.anova import anova_lm

        rng = np.random.default_rng(8)
        rows = [
            (f"E{i}", f"s{j}", f"b{k}", 10 + i + 2 * j + (i == 1) * j + k + rng.normal())
            for k in range(4)
            for i in range(3)
            for j in range(2)
        ]
        rows.pop(5)
        entry, second, rep, value = (list(column) for column in zip(*rows, strict=True))
        found = analyse_factorial(entry, second, value, rep)
        frame = pd.DataFrame({"e": entry, "s": second, "r": rep, "y": value})
        other = anova_lm(smf.ols("y ~ r + e * s", frame).fit(), typ=2)
        ours = {r.source: r for r in found.rows}
        for name, theirs in (("entry", "e"), ("factor2", "s"), ("entry:factor2", "e:s"), ("Residual", "Residual")):
            self.assertAlmostEqual(ours[name].ss, other.loc[theirs, "sum_sq"], places=8)
            self.assertEqual(ours[name].df, int(other.loc[theirs, "df"]))
        mean = found.entries.means[0]
        cells = [found.cell("E0", s) for s in ("s0", "s1")]
        self.assertAlmostEqual(mean or 0, float(np.mean([c.lsmean for c in cells if c])))

    def test_a_strip_plot_splits_all_of_the_variation(self) -> None:
        rng = np.random.default_rng(4)
        rows = [(f"A{i}", f"B{j}", f"r{k}", rng.normal(10 + i, 2)) for k in range(3) for i in range(4) for j in range(3)]
        a, b, r, y = (list(c) for c in zip(*rows, strict=True))
        found = analyse_strip_plot(a, b, y, r)
        assert found.strata is not None
        self.assertAlmostEqual(sum(row.ss for row in found.strata.rows), float(((np.array(y) - np.mean(y)) ** 2).sum()))
        self.assertEqual([row.df for row in found.strata.rows], [2, 3, 6, 2, 4, 6, 12])
        lost = analyse_strip_plot(a, b, [None, *y[1:]], r)
        self.assertIsNone(lost.strata)
        self.assertIsNotNone(lost.mixed)


class Environments(TestCase):
    def test_two_stages_give_the_plain_means_when_everything_is_even(self) -> None:
        rng = np.random.default_rng(6)
        rows = [(f"E{i}", f"S{s}", str(r), 10 + i + s + rng.normal()) for s in range(5) for r in range(3) for i in range(6)]
        entry, site, rep, value = (list(c) for c in zip(*rows, strict=True))
        found = analyse_environment_plots(entry, value, site, ["1"] * len(rows), rep)
        assert found.two_stage is not None and found.fixed is not None
        plain = np.array([np.mean([v for e, v in zip(entry, value, strict=True) if e == f"E{i}"]) for i in range(6)])
        np.testing.assert_allclose(found.two_stage.means - found.two_stage.means.mean(), plain - plain.mean(), atol=0.15)
        few = [None if e == "E0" and s in ("S1", "S2") else v for e, s, v in zip(entry, site, value, strict=True)]
        lost = analyse_environment_plots(entry, few, site, ["1"] * len(rows), rep)
        assert lost.two_stage is not None and lost.fixed is not None
        one = lost.fixed.contrasts(np.eye(6)).estimate
        two = lost.two_stage.means
        np.testing.assert_allclose(two - two.mean(), one - one.mean(), atol=0.25)  # close to the analysis in one go

    def test_the_biplot_gives_back_the_table_it_was_made_of(self) -> None:
        rng = np.random.default_rng(2)
        rank_two = rng.normal(size=(7, 2)) @ rng.normal(size=(2, 4)) + 5
        found = biplot_of(rank_two)
        np.testing.assert_allclose(found.entries @ found.environments.T, rank_two - rank_two.mean(axis=0), atol=1e-9)
        self.assertAlmostEqual(sum(found.percent), 100.0)
        np.testing.assert_array_equal(found.best, rank_two.argmax(axis=0))


class Ground(TestCase):
    def field(self, trend: float, seed: int) -> tuple[list[str], list[float], list[int], list[int], list[str], np.ndarray]:
        rng = np.random.default_rng(seed)
        entry, rep, row, col = [], [], [], []
        for k in range(4):
            for n, i in enumerate(rng.permutation(12)):
                entry.append(f"E{i:02d}")
                rep.append(str(k))
                row.append(k + 1)
                col.append(int(n) + 1)
        truth = np.array([int(e[1:]) for e in entry]) * 0.3
        y = truth + trend * np.sin(np.array(col) / 2.0) + rng.normal(0, 1, 48)
        return entry, y.tolist(), row, col, rep, np.arange(12) * 0.3

    def test_the_ground_is_modelled_where_it_changes_and_left_alone_where_not(self) -> None:
        entry, y, row, col, rep, truth = self.field(6.0, 1)
        found = analyse_spatial(entry, y, row, col, rep)
        self.assertEqual(found.chosen, "ar1_ar1_entry")
        self.assertGreater(found.gain("ar1_ar1_entry") or 0, 4)
        model = found.models["ar1_ar1_entry"]
        wrong = np.std(model.deviations - (truth - truth.mean()))
        plain = np.array([m.lsmean for m in found.plain.means], dtype=float)
        self.assertLess(wrong, 0.5 * np.std(plain - plain.mean() - truth + truth.mean()))
        np.testing.assert_allclose(model.means[[int(e[1:]) for e in entry]] + model.trend + model.residuals, y, atol=1e-8)
        flat = analyse_spatial(*self.field(0.0, 2)[:5])
        self.assertEqual(flat.chosen, "random_reps")
        with self.assertRaises(ValueError):
            analyse_spatial(["A", "B"], [1.0, 2.0], [1, 1], [1, 1])

    def test_a_surface_is_no_rougher_than_the_ground(self) -> None:
        rng = np.random.default_rng(0)
        a, b = rng.uniform(0, 10, 80), rng.uniform(0, 5, 80)
        tilted = 3 + 0.5 * a - 2 * b + 0.1 * a * b
        plane = fit_surface(tilted + rng.normal(0, 1, 80), np.ones((80, 1)), a, b)
        self.assertLess(plane.edf, 6)
        self.assertLess(float(np.abs(plane.surface + plane.beta[0] - tilted).mean()), 0.4)
        wavy = 3 * np.sin(a) + rng.normal(0, 0.3, 80)
        found = fit_surface(wavy, np.ones((80, 1)), a, b)
        self.assertGreater(found.edf, 5)
        self.assertAlmostEqual(found.scale, 0.09, delta=0.05)


class Degenerate(TestCase):
    """What the larger models do with data that can say little."""

    def test_no_variation_gives_means_and_a_reason(self) -> None:
        found = analyse_incomplete(list("ABAB"), [7.0] * 4, list("1122"))
        self.assertIsNone(found.recovered)
        self.assertTrue(any("do not vary" in said or "no variation" in said for said in found.cannot_say))
        self.assertEqual([m.lsmean for m in found.intra.means], [7.0, 7.0])
