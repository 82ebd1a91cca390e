"""Laying out: balance, chance, fit and what can be told apart."""

import itertools
import json
from collections import Counter
from pathlib import Path
from unittest import TestCase

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from trialcore.inference.power import blocks_needed, detectable_difference, power
from trialcore.layouts.bed import Bed, PlotSize, beside, judged_stations, plants_at, stations
from trialcore.layouts.paths import complete_blocks, plot_number, serpentine
from trialcore.layouts.placing import BlockPlace, Placed, crowded, place, place_in_beds
from trialcore.layouts.whole import randomised_blocks, split_plot

VECTORS = json.loads((Path(__file__).parent / "data" / "small_vectors.json").read_text())["replicates_needed"]


class Layout(TestCase):
    @given(st.integers(2, 60), st.integers(1, 12), st.integers(0, 2**31))
    def test_every_entry_stands_once_in_every_block(self, entries: int, blocks: int, seed: int) -> None:
        names = [f"E{i}" for i in range(entries)]
        drawn = complete_blocks(names, blocks, seed)
        self.assertEqual(len(drawn), blocks)
        for block in drawn:
            self.assertEqual(sorted(block), sorted(names))
        self.assertEqual(drawn, complete_blocks(names, blocks, seed))

    def test_each_entry_falls_on_each_place_equally_often(self) -> None:
        places = Counter((block.index("A"), block.index("B")) for seed in range(1500) for block in complete_blocks("ABCD", 2, seed))
        expected = 3000 / 12
        chi2 = sum((n - expected) ** 2 / expected for n in places.values())
        self.assertEqual(len(places), 12)
        self.assertLess(chi2, 31.3)  # 99.9 % of chi-square on 11 df

    def test_what_cannot_be_laid_out_is_refused(self) -> None:
        for entries, blocks in ((["A"], 4), (["A", "A"], 4), (["A", "B"], 0)):
            with self.subTest(entries=entries, blocks=blocks), self.assertRaises(ValueError):
                complete_blocks(entries, blocks, 1)

    @given(st.integers(1, 9), st.integers(1, 9))
    def test_the_path_never_jumps(self, rows: int, cols: int) -> None:
        cells = [(r, c) for r in range(rows) for c in range(cols)]
        path = [cells[i] for i in serpentine([r for r, _ in cells], [c for _, c in cells])]
        self.assertEqual(sorted(path), cells)
        for (r1, c1), (r2, c2) in itertools.pairwise(path):
            self.assertEqual(abs(r1 - r2) + abs(c1 - c2), 1)

    def test_plot_numbers_never_meet(self) -> None:
        for per_block in (12, 99, 100, 200):
            numbers = {plot_number(b, p, per_block) for b in range(1, 21) for p in range(1, per_block + 1)}
            self.assertEqual(len(numbers), 20 * per_block)


def place_blocks(entries: int, blocks: int, size: PlotSize, bed: Bed) -> Placed:
    return place(randomised_blocks([str(i) for i in range(entries)], blocks, 1), size, bed)


class InBed(TestCase):
    @settings(max_examples=150, deadline=None)
    @given(
        st.integers(2, 40),
        st.integers(1, 8),
        st.floats(0.3, 5),
        st.floats(0.3, 5),
        st.floats(0, 2),
        st.floats(2, 80),
        st.floats(1, 40),
    )
    def test_plots_never_overlap_and_stay_in_a_bed_they_fit(
        self, entries: int, blocks: int, length: float, width: float, path: float, bed_length: float, bed_width: float
    ) -> None:
        placed = place_blocks(entries, blocks, PlotSize(length, width, path), Bed(bed_length, bed_width))
        self.assertEqual(Counter((s.block, s.position) for s in placed.spots).most_common(1)[0][1], 1)
        self.assertEqual(len(placed.spots), entries * blocks)
        self.assertEqual(len({(s.row, s.col) for s in placed.spots}), entries * blocks)
        self.assertEqual({tuple(sorted((s.length, s.width))) for s in placed.spots}, {tuple(sorted((length, width)))})
        x, y, along, across = (np.array([getattr(s, of) for s in placed.spots]) for of in ("x", "y", "length", "width"))
        apart = (x[:, None] >= x + along - 1e-6) | (y[:, None] >= y + across - 1e-6)
        apart |= apart.T
        np.fill_diagonal(apart, True)
        self.assertTrue(apart.all())
        if placed.fits:
            self.assertLessEqual(float((x + along).max()), bed_length + 1e-6)
            self.assertLessEqual(float((y + across).max()), bed_width + 1e-6)
        else:
            self.assertGreater(max(placed.short_by), 0)

    def test_it_finds_the_one_arrangement_that_fits(self) -> None:
        placed = place_blocks(6, 4, PlotSize(1, 1, 0), Bed(24, 1))
        self.assertTrue(placed.fits)
        self.assertEqual((placed.rows, placed.cols), (1, 6))

    def test_blocks_are_as_compact_as_the_bed_lets_them(self) -> None:
        placed = place_blocks(12, 4, PlotSize(2.4, 2.4, 1.0), Bed(20.4, 15.6))
        self.assertEqual((placed.rows, placed.cols), (3, 4))
        self.assertTrue(placed.fits)

    def test_a_bed_too_small_says_by_how_much(self) -> None:
        placed = place_blocks(4, 2, PlotSize(2, 2, 0), Bed(7, 4))
        self.assertFalse(placed.fits)
        self.assertEqual(placed.short_by, (1.0, 0.0))

    def test_stations(self) -> None:
        self.assertEqual(stations(2.4, 2.4, 0.4, 0.3), (6, 8))
        self.assertEqual(stations(0.2, 0.2, 0.4, 0.3), (0, 0))
        with self.assertRaises(ValueError):
            stations(1, 1, 0, 0.3)

    def test_plants_beside_a_boundary(self) -> None:
        """Three rows of six: an end takes one of each row, a side takes a whole row."""
        points, _ = plants_at(3.0, 1.2, 0.4, 0.5)
        self.assertEqual(beside(points, "left", 1), [0, 6, 12])
        self.assertEqual(beside(points, "right", 2), [4, 5, 10, 11, 16, 17])
        self.assertEqual(beside(points, "near", 1), list(range(6)))
        self.assertEqual(beside(points, "far", 3), list(range(18)))
        with self.assertRaises(ValueError):
            beside(points, "far", 0)

    def test_plants_stand_in_the_middle_of_their_plot_and_the_border_is_told_apart(self) -> None:
        """2.4 × 1.3 m, rows 40 cm apart, 50 cm in the row: 3 rows of 4, 5 cm free at the sides, 20 cm at the ends."""
        judged, edge = plants_at(2.4, 1.3, 0.4, 0.5, border=1)
        self.assertEqual((len(judged), len(edge)), (2, 10))
        for got, wanted in zip(sorted(judged), [(0.95, 0.65), (1.45, 0.65)], strict=True):
            np.testing.assert_allclose(got, wanted)
        xs, ys = np.array(judged + edge).T
        np.testing.assert_allclose([xs.min(), 2.4 - xs.max(), ys.min(), 1.3 - ys.max()], [0.45, 0.45, 0.25, 0.25])
        self.assertEqual([judged_stations(3, 4, b) for b in (0, 1, 2)], [12, 2, 0])
        with self.assertRaises(ValueError):
            judged_stations(3, 4, -1)

    def test_staggered_rows_hold_as_many_plants_each_opposite_a_gap(self) -> None:
        straight, _ = plants_at(2.4, 1.3, 0.4, 0.5)
        staggered, _ = plants_at(2.4, 1.3, 0.4, 0.5, staggered=True)
        self.assertEqual(len(staggered), len(straight))
        rows = [sorted(x for x, y in staggered if y == row) for row in sorted({y for _, y in staggered})]
        np.testing.assert_allclose(np.subtract(rows[1], rows[0]), 0.25)  # half of 50 cm
        np.testing.assert_allclose(rows[2], rows[0])
        self.assertTrue(all(0 <= x <= 2.4 for x, _ in staggered))

    def test_every_bed_holds_as_many_replicates_each_in_its_own_grid(self) -> None:
        layout = randomised_blocks("abcd", 4, 1)
        beds = [Bed(9, 4), Bed(4.5, 9)]
        placed = place_in_beds(layout, PlotSize(2, 1, 0.5), beds, {}, per_bed=2)
        self.assertTrue(placed.fits)
        self.assertEqual([placed.blocks[rep].bed for rep in (1, 2, 3, 4)], [0, 0, 1, 1])
        self.assertFalse(crowded(placed.blocks, (placed.cols * 2, placed.rows * 1), beds))
        greedy = place_in_beds(layout, PlotSize(2, 1, 0.5), beds, {})
        self.assertNotEqual([greedy.blocks[rep].bed for rep in (1, 2, 3, 4)], [0, 0, 1, 1])
        small = place_in_beds(layout, PlotSize(2, 1, 0.5), [Bed(9, 4), Bed(4, 4)], {}, per_bed=2)
        self.assertFalse(small.fits)
        self.assertAlmostEqual(sum(small.short_by), 0.5)  # 4 × 4.5 m: two blocks of 4 × 2 with a path
        with self.assertRaises(ValueError):
            place_in_beds(layout, PlotSize(2, 1, 0.5), beds, {}, per_bed=3)

    def test_a_guard_strip_leaves_less_room_and_moves_the_plots_in(self) -> None:
        layout = randomised_blocks("abcd", 2, 1)
        self.assertTrue(place(layout, PlotSize(2, 1, 0.5), Bed(8.5, 2)).fits)
        self.assertFalse(place(layout, PlotSize(2, 1, 0.5), Bed(8.5, 2), guard_m=0.3).fits)
        inside = place(layout, PlotSize(2, 1, 0.5), Bed(9.1, 2.6), guard_m=0.3)
        self.assertTrue(inside.fits)
        self.assertAlmostEqual(min(s.x for s in inside.spots), 0.3)

    def test_absurd_sizes_are_refused(self) -> None:
        for size, bed in ((PlotSize(-1, 1), Bed(9, 9)), (PlotSize(1, 1), Bed(0, 9)), (PlotSize(1, 1, -1), Bed(9, 9))):
            with self.subTest(size=size, bed=bed), self.assertRaises(ValueError):
                place_blocks(4, 2, size, bed)


class InSeveralBeds(TestCase):
    size = PlotSize(2.0, 1.0, 0.5)

    @settings(max_examples=80, deadline=None)
    @given(st.integers(2, 12), st.integers(2, 6), st.lists(st.tuples(st.floats(3, 40), st.floats(1, 12)), min_size=1, max_size=4))
    def test_blocks_stay_whole_apart_and_inside(self, entries: int, blocks: int, sides: list[tuple[float, float]]) -> None:
        beds = [Bed(*both) for both in sides]
        placed = place_in_beds(randomised_blocks([str(i) for i in range(entries)], blocks, 1), self.size, beds, {})
        self.assertEqual(len({(s.row, s.col) for s in placed.spots}), entries * blocks)
        for block in range(1, blocks + 1):
            self.assertEqual(len({s.bed for s in placed.spots if s.block == block}), 1)
        for n, bed in enumerate(beds):
            here = [s for s in placed.spots if s.bed == n]
            for i, a in enumerate(here):
                for b in here[i + 1 :]:
                    sides_by_axis = ((a.x, a.length, b.x, b.length), (a.y, a.width, b.y, b.width))
                    apart = any(p + m <= q + 1e-6 or q + n <= p + 1e-6 for p, m, q, n in sides_by_axis)
                    self.assertTrue(apart, (a, b))
            if placed.fits and here:
                self.assertLessEqual(max(s.x + s.length for s in here), bed.length + 1e-6)
                self.assertLessEqual(max(s.y + s.width for s in here), bed.width + 1e-6)
        self.assertEqual(placed.fits, max(placed.short_by) <= 1e-9)

    def test_three_replicates_share_two_beds_that_hold_two_and_one(self) -> None:
        layout = randomised_blocks("abcdef", 3, 5)
        placed = place_in_beds(layout, self.size, [Bed(12.5, 2.2), Bed(6.5, 2.2)], {})
        self.assertTrue(placed.fits)
        self.assertEqual([placed.blocks[b].bed for b in (1, 2, 3)], [0, 0, 1])
        self.assertEqual((placed.rows, placed.cols), (2, 3))

    def test_blocks_lie_each_its_own_way_where_they_fit_only_so(self) -> None:
        """Six plots of 3 × 1 m are a block of 3 × 6 m in one line of plots; the bed in the middle takes it only across."""
        layout = randomised_blocks("abcdef", 3, 1)
        size = PlotSize(3, 1, 0.5)
        beds = [Bed(3.2, 6.4), Bed(6.4, 3.2), Bed(3.1, 6.1)]
        found = place_in_beds(layout, size, beds, {})
        self.assertTrue(found.fits)
        self.assertEqual([(at.bed, at.turned) for _, at in sorted(found.blocks.items())], [(0, False), (1, True), (2, False)])
        for spot in found.spots:
            bed = beds[spot.bed]
            self.assertLessEqual(spot.x + spot.length, bed.length + 1e-9)
            self.assertLessEqual(spot.y + spot.width, bed.width + 1e-9)
            self.assertEqual((spot.length, spot.width), (1, 3) if spot.bed == 1 else (3, 1))
        self.assertFalse(place_in_beds(layout, size, beds[:2], {}).fits)
        straight = place_in_beds(layout, size, [Bed(3.2, 6.4)] * 3, {})
        self.assertFalse(any(at.turned for at in straight.blocks.values()))  # none lies across where all fit as they are

    def test_a_last_bed_larger_by_what_is_lacking_holds_it_all(self) -> None:
        for blocks, sides in ((4, [(4, 2), (6.5, 2)]), (3, [(9, 1), (8.5, 1)]), (5, [(3, 1), (20, 1.5), (2, 2)])):
            beds = [Bed(*both) for both in sides]
            layout = randomised_blocks("abcd", blocks, 5)
            short = place_in_beds(layout, self.size, beds, {}).short_by
            with self.subTest(beds=beds):
                self.assertGreater(max(short), 0)
                larger = Bed(beds[-1].length + short[0], beds[-1].width + short[1])
                self.assertTrue(place_in_beds(layout, self.size, [*beds[:-1], larger], {}).fits)

    def test_a_block_is_moved_and_turned_as_a_whole(self) -> None:
        layout = randomised_blocks("abcd", 2, 5)
        beds = [Bed(10, 2), Bed(3, 5)]
        before = place_in_beds(layout, self.size, beds, {})
        self.assertEqual({at.bed for at in before.blocks.values()}, {0})
        after = place_in_beds(layout, self.size, beds, {2: BlockPlace(1, 0.5, 0.5, turned=True)})
        self.assertTrue(after.fits)
        turned = [s for s in after.spots if s.block == 2]
        self.assertEqual({(s.bed, s.length, s.width) for s in turned}, {(1, 1.0, 2.0)})
        self.assertEqual({(s.x, s.y) for s in turned}, {(0.5, 0.5), (1.5, 0.5), (0.5, 2.5), (1.5, 2.5)})
        self.assertEqual([p.entry for p in after.layout.plots], [p.entry for p in before.layout.plots])
        self.assertGreater(min(s.row for s in turned), max(s.row for s in after.spots if s.block == 1))

    def test_blocks_on_each_other_or_over_the_edge_are_named(self) -> None:
        beds = [Bed(10, 4)]
        places = {1: BlockPlace(0, 0, 0), 2: BlockPlace(0, 3.9, 0), 3: BlockPlace(0, 6.1, 2.1)}
        self.assertEqual(crowded(places, (4.0, 2.0), beds), [(3, None), (1, 2)])
        self.assertEqual(crowded({1: BlockPlace(0, 0, 0), 2: BlockPlace(0, 4, 0, True)}, (4.0, 2.0), beds), [])

    def test_whole_plots_stay_whole_when_a_block_is_moved(self) -> None:
        layout = split_plot(["early", "late"], "abc", 2, 3)
        placed = place_in_beds(layout, PlotSize(1, 1, 0.5), [Bed(8, 2)], {1: BlockPlace(0, 5, 0)}, inner_path_m=0)
        for line in (1, 2):
            whole = [s for p, s in zip(layout.plots, placed.spots, strict=True) if (p.rep, p.line) == (1, line)]
            self.assertTrue(len({s.x for s in whole}) == 1 or len({s.y for s in whole}) == 1)

    def test_a_move_to_a_bed_that_is_not_there_is_refused(self) -> None:
        for beds, moved in (([Bed(9, 9)], {1: BlockPlace(1, 0, 0)}), ([], {})):
            with self.subTest(beds=beds), self.assertRaises(ValueError):
                place_in_beds(randomised_blocks("abcd", 2, 5), self.size, beds, moved)


class Power(TestCase):
    def test_replicates_needed_as_published(self) -> None:
        for v in VECTORS:
            difference, cv, entries, alpha = v["difference_percent"], v["cv_percent"], v["n_entries"], v["alpha"]
            with self.subTest(v=v):
                self.assertEqual(blocks_needed(difference, cv, entries, alpha, v["power"]), v["replicates"])
                found = power(difference, cv, v["replicates"], entries, alpha)
                self.assertAlmostEqual(found, v["power_at_replicates"], delta=1e-8)
                self.assertAlmostEqual(
                    power(difference, cv, v["replicates"] - 1, entries, alpha), v["power_at_one_less"], delta=1e-8
                )

    @settings(deadline=None, max_examples=30)
    @given(st.floats(2, 60), st.integers(2, 12), st.integers(2, 60))
    def test_the_detectable_difference_is_found_as_often_as_it_says(self, cv: float, blocks: int, entries: int) -> None:
        self.assertAlmostEqual(power(detectable_difference(cv, blocks, entries), cv, blocks, entries), 0.8, delta=1e-6)

    def test_no_difference_is_found_at_the_error_rate(self) -> None:
        self.assertAlmostEqual(power(0.0, 12, 4, 10), 0.05, delta=1e-9)

    def test_too_little_to_compare_is_refused(self) -> None:
        for blocks, entries, cv in ((1, 5, 10), (4, 1, 10), (4, 5, 0)):
            with self.subTest(blocks=blocks, entries=entries), self.assertRaises(ValueError):
                power(10, cv, blocks, entries)
