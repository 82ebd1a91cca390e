"""What any comparison must satisfy, in untidy trials of every design and kind of record: units and names, the order of plots, ranges
of means, plots added or lost. The trials are drawn at random: bare blocks, ties, lost plots, entries that bear nothing."""

from __future__ import annotations

from dataclasses import dataclass, replace
from itertools import pairwise
from unittest import TestCase

import numpy as np
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from trialcore.analyses.choice import Kind
from trialcore.analyses.entries import EntryComparison, compare_entries
from trialcore.analyses.keeping import LotChecks, share_sound, sound_curve
from trialcore.inference.season_means import SeasonMeans
from trialcore.inference.shrunken import shrink

SEEDS = st.integers(0, 100_000)
KINDS: tuple[Kind, ...] = ("measure", "count", "share")
DESIGNS = ("rcbd", "crd")
EXAMPLES = 25


@dataclass(frozen=True)
class Plots:
    """A trial as it came in: one element a plot."""

    design: str
    kind: Kind
    entry: tuple[str, ...]
    rep: tuple[str, ...]
    value: tuple[float | None, ...]
    among: tuple[int | None, ...] | None = None

    def compared(self, check: str = "E0") -> EntryComparison:
        labels = {"entry": list(self.entry)} | ({"rep": list(self.rep)} if self.design == "rcbd" else {})
        return compare_entries(self.design, self.kind, labels, list(self.value), check, among=self.among)

    def of(self, entry: str) -> list[float]:
        return [v for e, v in zip(self.entry, self.value, strict=True) if e == entry and v is not None]


def untidy(seed: int, design: str, kind: Kind) -> Plots:
    """A trial of 2 to 6 entries in 2 to 5 blocks, with one or two of the things that happen to trials."""
    rng = np.random.default_rng(seed)
    entries, blocks = int(rng.integers(2, 7)), int(rng.integers(2, 6))
    entry = [f"E{i}" for _ in range(blocks) for i in range(entries)]
    rep = [f"B{b}" for b in range(blocks) for _ in range(entries)]
    level = rng.normal(0, 0.7, entries)[None, :] + rng.normal(0, 0.4, blocks)[:, None]
    among = None
    if kind == "measure":
        value = np.round(10 + level + rng.normal(0, 0.5, level.shape), 1).ravel()
    elif kind == "count":
        value = rng.poisson(np.exp(1.2 + level)).astype(float).ravel()
    else:
        units = int(rng.integers(5, 41))
        value = (100 * rng.binomial(units, 1 / (1 + np.exp(0.8 - level))) / units).ravel()
        among = (units,) * value.size
    odd = rng.random()
    if odd < 0.2:
        value[np.array(rep) == "B0"] = 0.0  # a block without any
    elif odd < 0.35:
        value[np.array(entry) == "E1"] = 0.0  # an entry without any
    elif odd < 0.45:
        value[:] = value[0]  # all alike
    kept: list[float | None] = [float(v) for v in value]
    if rng.random() < 0.4:
        for at in rng.choice(len(kept), int(rng.integers(1, 3)), replace=False):
            kept[int(at)] = None
    return Plots(design, kind, tuple(entry), tuple(rep), tuple(kept), among)


def means_of(found: EntryComparison) -> dict[str, float | None]:
    return {m.entry: m.lsmean for m in found.means}


def differences_of(found: EntryComparison) -> dict[str, tuple[float, float, float]]:
    """Of each entry its difference from the check with the ends of its interval."""
    if found.versus is None:
        return {}
    low, high = found.versus.interval(found.versus.critical_each)
    return {d.a: (d.estimate, float(a), float(b)) for d, a, b in zip(found.versus.differences, low, high, strict=True)}


CASES = given(SEEDS, st.sampled_from(DESIGNS), st.sampled_from(KINDS))


class Comparisons(TestCase):
    def same(self, one: EntryComparison, other: EntryComparison, names: dict[str, str] | None = None, places: int = 6) -> None:
        turn = names or {}
        for entry, mean in means_of(one).items():
            then = means_of(other)[turn.get(entry, entry)]
            self.assertEqual(mean is None, then is None, entry)
            if mean is not None and then is not None:
                self.assertAlmostEqual(mean, then, places=places)
        then_all = differences_of(other)
        for entry, told in differences_of(one).items():
            for a, b in zip(told, then_all[turn.get(entry, entry)], strict=True):
                self.assertAlmostEqual(a, b, delta=10**-places * max(1.0, abs(a)))

    @CASES
    @settings(max_examples=EXAMPLES, deadline=None)
    def test_the_order_of_plots_changes_nothing(self, seed: int, design: str, kind: Kind) -> None:
        plots = untidy(seed, design, kind)
        order = np.random.default_rng(seed + 1).permutation(len(plots.entry))
        turned = replace(
            plots,
            entry=tuple(plots.entry[i] for i in order),
            rep=tuple(plots.rep[i] for i in order),
            value=tuple(plots.value[i] for i in order),
        )
        self.same(plots.compared(), turned.compared(), places=4)

    @CASES
    @settings(max_examples=EXAMPLES, deadline=None)
    def test_other_names_change_no_number(self, seed: int, design: str, kind: Kind) -> None:
        plots = untidy(seed, design, kind)
        names = {e: f"{chr(90 - i)}{e}" for i, e in enumerate(dict.fromkeys(plots.entry))}
        turned = replace(plots, entry=tuple(names[e] for e in plots.entry), rep=tuple(f"x{9 - int(r[1:])}" for r in plots.rep))
        self.same(plots.compared(), turned.compared(names["E0"]), names, places=4)

    @CASES
    @settings(max_examples=EXAMPLES, deadline=None)
    def test_a_mean_lies_between_the_plots_of_its_entry_in_a_complete_trial(self, seed: int, design: str, kind: Kind) -> None:
        plots = untidy(seed, design, kind)
        plots = replace(plots, value=tuple(0.0 if v is None else v for v in plots.value))
        for entry, mean in means_of(plots.compared()).items():
            own = plots.of(entry)
            assert mean is not None
            self.assertTrue(min(own) - 1e-6 <= mean <= max(own) + 1e-6, (entry, mean, own))

    @CASES
    @settings(max_examples=EXAMPLES, deadline=None)
    def test_every_interval_is_finite_and_holds_its_estimate(self, seed: int, design: str, kind: Kind) -> None:
        found = untidy(seed, design, kind).compared()
        for entry, (estimate, low, high) in differences_of(found).items():
            self.assertTrue(np.isfinite([estimate, low, high]).all(), (entry, estimate, low, high))
            self.assertTrue(low - 1e-9 <= estimate <= high + 1e-9, (entry, estimate, low, high))
        bounds = {"count": (0.0, np.inf), "share": (0.0, 100.0)}.get(kind, (-np.inf, np.inf))
        for m in found.means:
            if m.lsmean is not None:
                self.assertTrue(bounds[0] - 1e-9 <= m.lsmean <= bounds[1] + 1e-9, m)

    @CASES
    @settings(max_examples=EXAMPLES, deadline=None)
    def test_a_difference_is_that_of_the_means(self, seed: int, design: str, kind: Kind) -> None:
        found = untidy(seed, design, kind).compared()
        means = means_of(found)
        base = means.get("E0")
        for entry, (estimate, _, _) in differences_of(found).items():
            own = means[entry]
            if own is not None and base is not None:
                self.assertAlmostEqual(estimate, own - base, places=4)

    @CASES
    @settings(max_examples=EXAMPLES, deadline=None)
    def test_two_entries_that_are_exchanged_exchange_their_figures(self, seed: int, design: str, kind: Kind) -> None:
        plots = untidy(seed, design, kind)
        turn = {"E0": "E1", "E1": "E0"}
        there, back = plots.compared("E0"), plots.compared("E1")
        one, other = differences_of(there), differences_of(back)
        if "E1" in one and "E0" in other:
            self.assertAlmostEqual(one["E1"][0], -other["E0"][0], places=4)
        turned = replace(plots, entry=tuple(turn.get(e, e) for e in plots.entry))
        self.same(there, turned.compared("E1"), turn, places=4)

    @given(SEEDS, st.sampled_from(DESIGNS), st.floats(0.01, 1000))
    @settings(max_examples=EXAMPLES, deadline=None)
    def test_other_units_are_a_factor_and_leave_chances(self, seed: int, design: str, factor: float) -> None:
        plots = untidy(seed, design, "measure")
        turned = replace(plots, value=tuple(None if v is None else v * factor for v in plots.value))
        one, other = plots.compared(), turned.compared()
        for entry, told in differences_of(one).items():
            for a, b in zip(told, differences_of(other)[entry], strict=True):
                self.assertAlmostEqual(a * factor, b, delta=1e-6 * max(1.0, abs(a * factor)))
        if one.versus and other.versus:
            for d, then in zip(one.versus.differences, other.versus.differences, strict=True):
                self.assertAlmostEqual(d.p_unadjusted or 0.0, then.p_unadjusted or 0.0, places=6)

    @given(SEEDS, st.floats(-20, 20))
    @settings(max_examples=EXAMPLES, deadline=None)
    def test_an_amount_added_to_a_block_changes_no_difference(self, seed: int, amount: float) -> None:
        plots = untidy(seed, "rcbd", "measure")
        turned = replace(
            plots,
            value=tuple(None if v is None else v + amount * (r == "B1") for v, r in zip(plots.value, plots.rep, strict=True)),
        )
        one, other = plots.compared(), turned.compared()
        assume(one.rescaled is None and other.rescaled is None)  # on a logarithm an amount is none
        for entry, told in differences_of(one).items():
            for a, b in zip(told, differences_of(other)[entry], strict=True):
                self.assertAlmostEqual(a, b, places=6)

    @CASES
    @settings(max_examples=EXAMPLES, deadline=None)
    def test_a_family_of_comparisons_is_never_narrower_than_one(self, seed: int, design: str, kind: Kind) -> None:
        versus = untidy(seed, design, kind).compared().versus
        if versus is None or not versus.differences:
            return
        self.assertGreaterEqual(versus.critical_family, versus.critical_each * (1 - 1e-4))
        narrow, wide = versus.interval(versus.critical_each), versus.interval(versus.critical_family)
        self.assertTrue((np.asarray(wide[0]) <= np.asarray(narrow[0]) + 1e-6).all())
        self.assertTrue((np.asarray(wide[1]) >= np.asarray(narrow[1]) - 1e-6).all())

    @given(SEEDS, st.sampled_from(("count", "share")))
    @settings(max_examples=EXAMPLES, deadline=None)
    def test_a_plot_of_zeros_never_raises_its_own_mean(self, seed: int, kind: Kind) -> None:
        plots = untidy(seed, "crd", kind)
        more = replace(
            plots,
            entry=(*plots.entry, "E1"),
            rep=(*plots.rep, "B0"),
            value=(*plots.value, 0.0),
            among=None if plots.among is None else (*plots.among, plots.among[0]),
        )
        found, then = plots.compared(), more.compared()
        before, after = means_of(found), means_of(then)
        if before.get("E1") is not None:
            self.assertLessEqual(after["E1"] or 0.0, (before["E1"] or 0.0) + 1e-6)
        clumped = [f.generalised.clumped for f in (found, then) if f.generalised]
        if any(c and c.name == "zero-inflated Poisson" for c in clumped):
            return  # the share of plots without any is one for all entries
        for entry in before:
            if entry != "E1" and before[entry] is not None and not any(v is None for v in plots.value):
                self.assertAlmostEqual(before[entry] or 0.0, after[entry] or 0.0, places=4)

    @given(SEEDS, st.sampled_from(DESIGNS))
    @settings(max_examples=EXAMPLES, deadline=None)
    def test_a_lost_plot_widens_its_comparison_at_the_same_error(self, seed: int, design: str) -> None:
        plots = untidy(seed, design, "measure")
        plots = replace(plots, value=tuple(10.0 + i % 7 if v is None else v for i, v in enumerate(plots.value)))
        at = max(i for i, e in enumerate(plots.entry) if e == "E1")
        fewer = replace(plots, value=(*plots.value[:at], None, *plots.value[at + 1 :]))
        one, other = plots.compared(), fewer.compared()
        assume(one.rescaled is None and other.rescaled is None)
        if not (one.versus and other.versus and one.analysis.mse and other.analysis.mse):
            return
        self.assertEqual(one.analysis.df_error - 1, other.analysis.df_error)
        ses = [{d.a: d.se / np.sqrt(f.analysis.mse or 1.0) for d in f.versus.differences} for f in (one, other) if f.versus]
        if "E1" in ses[1]:
            self.assertGreaterEqual(ses[1]["E1"], ses[0]["E1"] - 1e-9)


class Chances(TestCase):
    @given(SEEDS, st.integers(1, 12), st.floats(0.01, 100))
    @settings(max_examples=EXAMPLES, deadline=None)
    def test_units_and_a_shift_leave_every_chance(self, seed: int, entries: int, factor: float) -> None:
        rng = np.random.default_rng(seed)
        means, base = rng.normal(0, 1, entries), float(rng.normal())
        one = SeasonMeans([f"E{i}" for i in range(entries)], means.tolist(), [0.25] * entries, base, 0.25, 1.0, 12)
        other = SeasonMeans(
            one.entries,
            (factor * means + 7).tolist(),
            [0.25 * factor**2] * entries,
            factor * base + 7,
            0.25 * factor**2,
            factor**2,
            12,
        )
        here, there = shrink([one]), shrink([other])
        assert here and there
        for a, b in zip(here.advantages, there.advantages, strict=True):
            self.assertAlmostEqual(a.chance, b.chance, places=6)
            self.assertAlmostEqual(a.kept * factor, b.kept, delta=1e-6 * max(1.0, abs(b.kept)))

    @given(SEEDS, st.integers(2, 12))
    @settings(max_examples=EXAMPLES, deadline=None)
    def test_the_better_measured_has_the_better_chance(self, seed: int, entries: int) -> None:
        rng = np.random.default_rng(seed)
        means = rng.normal(0, 1, entries)
        found = shrink([SeasonMeans([f"E{i}" for i in range(entries)], means.tolist(), [0.25] * entries, 0.3, 0.25, 1.0, 12)])
        assert found
        order = np.argsort(means)
        chances = [found.advantages[int(i)].chance for i in order]
        self.assertEqual(chances, sorted(chances))
        self.assertTrue(all(0 <= c <= 1 for c in chances))


LOOKS = st.lists(st.tuples(st.integers(1, 20), st.integers(0, 9), st.integers(0, 9)), min_size=1, max_size=6)


def lot(name: str, looks: list[tuple[int, int, int]], left: int = 10) -> LotChecks:
    """A lot of which, at looks so many days apart, some pieces were lost and some taken out."""
    laid = left + sum(lost + taken for _, lost, taken in looks)
    days = np.cumsum([gap for gap, _, _ in looks])
    sound = laid - np.cumsum([lost + taken for _, lost, taken in looks])
    return LotChecks(name, "E", laid, tuple(map(float, days)), tuple(map(int, sound)), tuple(lost for _, lost, _ in looks))


class Keeping(TestCase):
    @given(st.lists(LOOKS, min_size=1, max_size=3))
    @settings(max_examples=EXAMPLES, deadline=None)
    def test_a_curve_begins_whole_never_rises_and_stays_within_what_can_be(self, lots: list[list[tuple[int, int, int]]]) -> None:
        curve = sound_curve([lot(str(i), looks) for i, looks in enumerate(lots)])
        self.assertEqual((curve[0].day, curve[0].share), (0.0, 1.0))
        for a, b in pairwise(curve):
            self.assertLessEqual(b.share, a.share + 1e-9)
        for at in curve:
            self.assertTrue(-1e-9 <= at.lower95 <= at.share + 1e-9 and at.share <= at.upper95 + 1e-9 <= 1 + 2e-9, at)

    @given(LOOKS)
    @settings(max_examples=EXAMPLES, deadline=None)
    def test_one_lot_is_its_product_limit_and_what_is_taken_out_sound_changes_nothing_before(
        self, looks: list[tuple[int, int, int]]
    ) -> None:
        own = lot("1", looks)
        curve, share, here = sound_curve([own]), 1.0, own.pieces
        for day, sound, lost in zip(own.days, own.sound, own.lost, strict=True):
            share *= 1 - lost / here
            self.assertAlmostEqual(share_sound(curve, day) or 0.0, share, places=5)
            here = sound

    @given(LOOKS)
    @settings(max_examples=EXAMPLES, deadline=None)
    def test_two_lots_alike_are_one(self, looks: list[tuple[int, int, int]]) -> None:
        one, two = sound_curve([lot("1", looks)]), sound_curve([lot("1", looks), lot("2", looks)])
        for a in one:
            self.assertAlmostEqual(a.share, share_sound(two, a.day) or 0.0, places=5)
