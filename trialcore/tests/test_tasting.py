"""Tasting panels: against figures of other software, by hand, and the balance that serving orders must have."""

import contextlib
import csv
import io
import itertools
import json
from collections import Counter
from math import sqrt
from pathlib import Path
from typing import Any
from unittest import TestCase

from trialcore.analyses.panel import Panel, analyse_panel
from trialcore.formats.cli import main
from trialcore.layouts.serving import serving_plan, williams
from trialcore.tests.surely import surely

DATA = Path(__file__).parent / "data"


def read(name: str) -> tuple[Panel, dict[str, Any]]:
    with (DATA / f"{name}.csv").open() as file:
        rows = list(csv.DictReader(file))
    columns = {k: [r.get(k, "1") for r in rows] for k in ("judge", "entry", "value", "rep")}
    found = analyse_panel(columns["judge"], columns["entry"], [float(v) for v in columns["value"]], columns["rep"])
    return found, json.loads((DATA / f"{name}.expected.json").read_text())


class Reference(TestCase):
    def test_scores_and_ranks_as_other_software_has_them(self) -> None:
        for name in ("panel_wine", "panel_incomplete"):
            found, wanted = read(name)
            with self.subTest(name=name):
                anova = wanted["anova_judge_as_block"]
                self.assertAlmostEqual(surely(found.blocks.mse), anova["mse"], 10)
                for m in anova["entry_means"]:
                    own = found.blocks.means[found.blocks.index(m["entry"])]
                    self.assertAlmostEqual(surely(own.lsmean), m["lsmean"], 10)
                    self.assertAlmostEqual(surely(own.se), m["se"], 10)
                test, ranks = wanted["rank_test_any_pattern"], surely(found.ranks)
                self.assertAlmostEqual(ranks.statistic, test["statistic"], 9)
                self.assertEqual(ranks.df, test["df"])
                self.assertAlmostEqual(ranks.p, test["p"], 10)

    def test_judges_as_other_software_has_them(self) -> None:
        for name in ("panel_wine", "panel_incomplete"):
            found, wanted = read(name)
            own = {j.judge: j for j in found.judges}
            for j in wanted["judges"]:
                self.assertEqual((own[j["judge"]].entries, own[j["judge"]].mean), (j["entries"], j["mean"]))
                self.assertAlmostEqual(surely(own[j["judge"]].sd), j["sd"], 10)
            for j in wanted["judge_agreement"]:
                if j["correlation_with_mean_of_others"] is not None:
                    self.assertAlmostEqual(surely(own[j["judge"]].agreement), j["correlation_with_mean_of_others"], 9)
            for j in wanted.get("judge_consistency", []):
                judge = own[j["judge"]]
                figures = (judge.pairs, judge.mean_difference, judge.mean_absolute_difference, judge.exact)
                names = ("pairs", "mean_difference", "mean_absolute_difference", "exact_agreement")
                self.assertEqual(figures, tuple(j[n] for n in names))
                self.assertAlmostEqual(surely(judge.sd_within), j["sd_within"], 10)
        found, wanted = read("panel_wine")
        self.assertAlmostEqual(surely(found.concordance).w, wanted["kendall_w"]["w_ties"], 10)
        self.assertEqual(found.pairs, wanted["consistency_all"]["pairs"])
        self.assertAlmostEqual(surely(found.sd_within), wanted["consistency_all"]["sd_within"], 10)
        self.assertIsNone(read("panel_incomplete")[0].concordance)

    def test_the_command_line_prints_them(self) -> None:
        with contextlib.redirect_stdout(io.StringIO()) as out:
            self.assertEqual(main(["panel", str(DATA / "panel_wine.csv"), "--check", "V01", "--format", "json"]), 0)
        found, wanted = json.loads(out.getvalue()), read("panel_wine")[1]
        for own, other in zip(found["anova_judge_as_block"]["vs_check"], wanted["anova_judge_as_block"]["vs_check"], strict=True):
            self.assertEqual((own["entry"], own["check"]), (other["entry"], other["check"]))
            for key in ("estimate", "se", "t", "p_unadjusted", "p_holm"):
                self.assertAlmostEqual(own[key], other[key], 9)
            self.assertAlmostEqual(own["p_dunnett"], other["p_dunnett"], 3)
        self.assertAlmostEqual(found["kendall_w"]["w_ties"], wanted["kendall_w"]["w_ties"], 10)


class ByHand(TestCase):
    def test_a_doubled_check_tells_the_judge_and_counts_once(self) -> None:
        """A: check 4 and 6, other 7: mean 5 against 7. B: 3 and 3, other 5. Differences of 2 in both; SD within √(4 / 4) = 1."""
        found = analyse_panel(list("AAABBB"), list("KKXKKX"), [4, 6, 7, 3, 3, 5], list("121121"))
        means = {m.entry: m.lsmean for m in found.blocks.means}
        self.assertAlmostEqual(surely(means["X"]) - surely(means["K"]), 2.0)
        self.assertEqual((found.pairs, found.sd_within), (2, 1.0))
        self.assertEqual(found.judges[0].sd_within, sqrt(2))
        self.assertEqual((found.judges[0].exact, found.judges[1].exact), (0.0, 1.0))
        self.assertIsNone(found.judges[0].agreement)  # two entries say nothing of it

    def test_what_cannot_be_is_refused_and_little_says_little(self) -> None:
        for judge, entry, value in (
            (["A"], ["K", "X"], [1.0]),
            (["A", "A"], ["K", "X"], [1.0, 2.0]),
            (list("ABA"), list("KKK"), [1.0] * 3),
        ):
            with self.subTest(judge=judge), self.assertRaises(ValueError):
                analyse_panel(judge, entry, value)
        alike = analyse_panel(list("AABB"), list("KXKX"), [5, 5, 3, 3])
        self.assertEqual((alike.ranks, alike.concordance), (None, None))


class Serving(TestCase):
    def test_orders_are_balanced_for_place_and_for_what_came_before(self) -> None:
        for n in range(2, 13):
            rows, times = williams(n), 1 if n % 2 == 0 else 2
            with self.subTest(n=n):
                self.assertEqual(len(rows), n * times)
                self.assertTrue(all(sorted(row) == list(range(n)) for row in rows))
                places = Counter((i, x) for row in rows for i, x in enumerate(row))
                before = Counter(pair for row in rows for pair in itertools.pairwise(row))
                self.assertEqual((len(places), set(places.values())), (n * n, {times}))
                self.assertEqual((len(before), set(before.values())), (n * (n - 1), {times}))

    def test_a_plan_is_balanced_again_and_again_and_no_code_stands_twice(self) -> None:
        plan = serving_plan(["K", "X", "Y", "K"], 8, 5)
        self.assertEqual(len({s.code for s in plan}), 32)
        self.assertTrue(all(101 <= s.code <= 999 for s in plan))
        self.assertEqual(Counter((s.position, s.sample) for s in plan if s.sample == "X"), {(p, "X"): 2 for p in range(1, 5)})
        self.assertEqual(Counter(s.sample for s in plan if s.judge == 3), {"K": 2, "X": 1, "Y": 1})
        self.assertEqual(plan, serving_plan(["K", "X", "Y", "K"], 8, 5))
        self.assertNotEqual(plan, serving_plan(["K", "X", "Y", "K"], 8, 6))

    def test_what_cannot_be_served_is_refused(self) -> None:
        for samples, judges in ((["K"], 3), (["K", "X"], 0), (["K", "X"], 450)):
            with self.subTest(samples=samples, judges=judges), self.assertRaises(ValueError):
                serving_plan(samples, judges, 1)
