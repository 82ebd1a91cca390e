"""Every analysis on data that can say little: no crash, no figure that is no number, and a reason for what cannot be said."""

import math
import warnings
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path
from typing import Any
from unittest import TestCase

import numpy as np

from trialcore.analyses.choice import NEEDS, choose, design_of
from trialcore.analyses.entries import compare_entries
from trialcore.analyses.spatial import analyse_spatial
from trialcore.formats.figures.designs import analyse
from trialcore.formats.plots import Plots, read_plots

DATA = Path(__file__).parent / "data"
FILES = {
    "rcbd": "rcbd_16x4",
    "crd": "crd_unbalanced",
    "latin": "latin_6x6",
    "split-plot": "splitplot_3x4",
    "strip-plot": "splitplot_3x4",
    "factorial": "splitplot_3x4",
    "alpha": "alpha_24",
    "augmented": "augmented_4c40",
    "blocks": "disconnected_8x4",
    "environments": "met_10x12",
    "environment-plots": "met_plots_12x6x3",
    "paired-strips": "met_10x12",
    "spatial": "spatial_56x4",
}


def plots_for(design: str) -> Plots:
    plots = read_plots((DATA / f"{FILES[design]}.csv").read_text())
    return only(plots, lambda i: int(plots.labels["col"][i]) <= 4) if design == "spatial" else plots


def only(plots: Plots, keep: Callable[[int], bool]) -> Plots:
    kept = [i for i in range(len(plots.value)) if keep(i)]
    return Plots({k: tuple(v[i] for i in kept) for k, v in plots.labels.items()}, tuple(plots.value[i] for i in kept))


def valued(plots: Plots, value: Callable[[int, float], float | None]) -> Plots:
    return Plots(plots.labels, tuple(None if v is None else value(i, v) for i, v in enumerate(plots.value)))


def not_numbers(figures: Any, path: str = "") -> Iterator[str]:
    if isinstance(figures, dict):
        for key, value in figures.items():
            yield from not_numbers(value, f"{path}/{key}")
    elif isinstance(figures, list | tuple):
        for i, value in enumerate(figures):
            yield from not_numbers(value, f"{path}/{i}")
    elif isinstance(figures, float) and not math.isfinite(figures):
        yield path


class Edges(TestCase):
    def each(self, change: Callable[[Plots, str, str], Plots]) -> Iterator[tuple[str, dict[str, Any] | str]]:
        """The figures of every design for changed data, or the reason why there are none."""
        for design in NEEDS:
            plots = plots_for(design)
            entries = sorted(set(plots.labels["entry"]))
            changed = change(plots, entries[0], entries[-1])
            check = entries[0] if entries[0] in changed.labels["entry"] else None
            with self.subTest(design=design), warnings.catch_warnings():
                warnings.simplefilter("error")
                try:
                    figures = analyse(changed, design, check)
                except ValueError as reason:
                    self.assertNotIsInstance(reason, np.linalg.LinAlgError)
                    self.assertGreater(len(str(reason)), 20)
                    yield design, str(reason)
                    continue
                self.assertEqual(list(not_numbers(figures))[:5], [])
                yield design, figures

    def test_all_values_equal(self) -> None:
        """The mean is what every plot has, nothing is tested against an error of nought, and the reason is said."""
        judged = []
        for design, figures in self.each(lambda p, *_: valued(p, lambda i, v: 7.0)):
            assert isinstance(figures, dict)
            judged.append(design)
            if design == "paired-strips":
                found = [(r["estimate"], r["se"], r["p_unadjusted"]) for r in figures["vs_check"]]
                self.assertEqual(set(found), {(0.0, None, None)})
                continue
            self.assertEqual(figures["grand_mean"], 7.0)
            self.assertEqual(figures.get("mse", 0.0), 0.0)
            self.assertIsNone(figures.get("f_entry"))
            self.assertNotIn(
                "vs_check", {name for name, value in figures.items() if isinstance(value, dict) and value.get("table")}
            )
            self.assertRegex(" ".join(figures["cannot_say"]), "no variation at all|do not vary about")
        self.assertEqual(judged, list(NEEDS))

    def test_no_value_at_all(self) -> None:
        for _, figures in self.each(lambda p, *_: Plots(p.labels, (None,) * len(p.value))):
            assert isinstance(figures, dict)
            self.assertTrue(figures["cannot_say"] or figures.get("vs_check") == [])

    def test_a_check_or_another_entry_never_seen(self) -> None:
        for which in (0, 1):

            def without(p: Plots, *ends: str, which: int = which) -> Plots:
                return valued(p, lambda i, v: None if p.labels["entry"][i] == ends[which] else v)

            for design, figures in self.each(without):
                assert isinstance(figures, dict), design
                if which == 0 and design in ("rcbd", "latin", "crd"):
                    self.assertNotIn("vs_check", figures)

    def test_two_entries_one_entry_one_plot(self) -> None:
        for _ in self.each(lambda p, first, last: only(p, lambda i: p.labels["entry"][i] in (first, last))):
            pass
        for _ in self.each(lambda p, first, _: only(p, lambda i: p.labels["entry"][i] == first)):
            pass
        for _ in self.each(lambda p, *_: only(p, lambda i: i == 0)):
            pass

    def test_one_block_only_and_one_block_missing(self) -> None:
        def block(p: Plots) -> tuple[str, ...]:
            return p.labels[next(k for k in ("rep", "block", "site", "season", "row", "entry") if k in p.labels)]

        for _ in self.each(lambda p, *_: only(p, lambda i: block(p)[i] == block(p)[0])):
            pass
        for _, figures in self.each(lambda p, *_: valued(p, lambda i, v: None if block(p)[i] == block(p)[0] else v)):
            self.assertIsInstance(figures, dict)

    def test_perfect_separation_and_absurd_scales(self) -> None:
        for _ in self.each(lambda p, *_: valued(p, lambda i, v: float(sorted(set(p.labels["entry"])).index(p.labels["entry"][i])))):
            pass
        for factor in (-1.0, 1e-9, 1e9):
            for _, figures in self.each(lambda p, *_, f=factor: valued(p, lambda i, v: v * f)):
                self.assertIsInstance(figures, dict)

    def test_many_plots_lost_by_chance(self) -> None:
        for seed, share in ((1, 0.3), (2, 0.5), (3, 0.7)):
            rng = np.random.default_rng(seed)
            lost = rng.random(400) < share
            for _, figures in self.each(lambda p, *_, x=lost: valued(p, lambda i, v: None if x[i % 400] else v)):
                self.assertIsInstance(figures, dict | str)


class Unchanged(TestCase):
    """What must hold whatever the data: another unit or another zero changes nothing but the figures it should."""

    def pair(self, design: str, change: Callable[[float], float]) -> tuple[dict[str, Any], dict[str, Any]]:
        plots = plots_for(design)
        check = sorted(set(plots.labels["entry"]))[0]
        return analyse(plots, design, check), analyse(valued(plots, lambda i, v: change(v)), design, check)

    def test_another_zero_moves_means_and_nothing_else(self) -> None:
        for design in ("rcbd", "latin", "alpha", "augmented"):
            one, two = self.pair(design, lambda v: v + 1000)
            a, b = (f.get("intra_block", f) for f in (one, two))
            with self.subTest(design=design):
                self.assertAlmostEqual(b["mse"] / a["mse"], 1.0, places=7)
                for x, y in zip(
                    a.get("entry_means") or a["adjusted_means"], b.get("entry_means") or b["adjusted_means"], strict=True
                ):
                    key = "lsmean" if "lsmean" in x else "adjusted_mean"
                    self.assertAlmostEqual(y[key] - x[key], 1000.0, places=6)

    def test_another_unit_scales_means_and_errors(self) -> None:
        for design in ("rcbd", "alpha", "environment-plots"):
            one, two = self.pair(design, lambda v: v * 1000)
            with self.subTest(design=design):
                for name in ("reml_entries_fixed", "reml_entry_fixed"):
                    if name in one:
                        for part, variance in one[name]["variance_components"].items():
                            self.assertAlmostEqual(two[name]["variance_components"][part] / 1e6, variance, places=4)
                p = "p_unadjusted"
                for x, y in zip(one.get("pairwise", [])[:40], two.get("pairwise", [])[:40], strict=True):
                    self.assertAlmostEqual(x[p], y[p], places=9)

    def test_the_order_of_the_lines_does_not_matter(self) -> None:
        for design in NEEDS:
            plots = plots_for(design)
            order = np.random.default_rng(1).permutation(len(plots.value)).tolist()
            turned = Plots({k: tuple(v[i] for i in order) for k, v in plots.labels.items()}, tuple(plots.value[i] for i in order))
            check = sorted(set(plots.labels["entry"]))[0]
            one, two = analyse(plots, design, check), analyse(turned, design, check)
            with self.subTest(design=design):
                for key in ("mse", "grand_mean", "pooled_error_ms", "mse_a", "mse_b"):
                    if one.get(key) is not None:
                        self.assertAlmostEqual(two[key] / one[key], 1.0, places=9)
                self.assertEqual(design_of(plots.labels), design_of(turned.labels))

    def test_an_unknown_design_column_or_check_is_refused_in_words(self) -> None:
        plots = plots_for("rcbd")
        for design, check in (("cubes", None), ("latin", None), ("rcbd", "nobody"), ("paired-strips", None)):
            with self.subTest(design=design), self.assertRaises(ValueError):
                analyse(plots, design, check)


class OneDispatcher(TestCase):
    def test_pairs_of_one_season_are_blocks_of_two_and_seasons_are_replicates_where_there_are_some(self) -> None:
        columns = ["entry", "rep", "block"]
        labels: dict[str, Sequence[str]] = {name: [] for name in columns}
        self.assertEqual(choose("paired-strips", "measure", labels).analysis, "alpha")
        self.assertEqual(choose("paired-strips", "measure", {**labels, "season": []}).analysis, "paired-strips")
        self.assertEqual(choose("paired-strips", "measure", {"entry": [], "block": []}).analysis, "blocks")

    def test_page_and_command_line_find_the_same_means_and_error(self) -> None:
        for design, data in (("rcbd", "rcbd_16x4_missing"), ("alpha", "alpha_24"), ("latin", "latin_6x6_missing")):
            plots = read_plots((DATA / f"{data}.csv").read_text())
            page = compare_entries(design, "measure", plots.labels, plots.value)
            figures = analyse(plots, design)
            intra = figures.get("intra_block", figures)
            self.assertEqual(page.analysis.mse, intra["mse"], design)
            if page.incomplete is not None:
                recovered = {r["entry"]: r["mean"] for r in figures["reml_entries_fixed"]["entry_means"]}
                self.assertEqual({m.entry: m.lsmean for m in page.means}, recovered)

    def test_a_category_and_a_design_over_seasons_have_no_comparison_within_a_trial(self) -> None:
        with self.assertRaises(ValueError):
            choose("rcbd", "category", {"entry": [], "rep": []})
        with self.assertRaises(ValueError):
            compare_entries("environments", "measure", {"entry": [], "site": [], "season": []}, [])


class Printing(TestCase):
    def test_results_print_as_tables_and_are_told_apart_by_identity(self) -> None:
        plots = read_plots((DATA / "rcbd_16x4.csv").read_text())
        one, other = (compare_entries("rcbd", "measure", plots.labels, plots.value) for _ in range(2))
        self.assertNotEqual(one, other)
        self.assertEqual(one, one)
        lines = str(one).splitlines()
        self.assertIn("Analysis of variance, entries last", lines)
        mean = one.means[0]
        row = next(line for line in lines if line.split()[:1] == [mean.entry])
        self.assertEqual(row.split()[1:3], [str(mean.n), f"{mean.lsmean:.5g}"])


class Refused(TestCase):
    def test_positions_that_are_no_field_are_refused_at_once(self) -> None:
        """Columns a thousand apart hung the spatial analysis; a Latin square with two plots in one place was taken silently."""
        labels = {"entry": ["A", "B"] * 6, "row": [str(i) for i in range(12)], "col": [str(1000 * i) for i in range(12)]}
        with self.assertRaisesRegex(ValueError, "too far apart"):
            analyse_spatial(labels["entry"], [float(i) for i in range(12)], range(12), range(0, 12000, 1000))
        square = "row,col,entry,value\n1,1,A,3\n1,1,B,4\n2,1,B,5\n2,2,A,6\n"
        with self.assertRaisesRegex(ValueError, "same row and column"):
            analyse(read_plots(square, "value"), "latin")
