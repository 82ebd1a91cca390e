"""Laying out: balance, chance, fit and what can be told apart."""

import itertools
import json
from collections import Counter
from pathlib import Path
from unittest import TestCase

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from trialcore.bed import Bed, PlotSize, place_blocks, stations
from trialcore.layout import complete_blocks, plot_number, serpentine
from trialcore.power import blocks_needed, detectable_difference, power

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
        x = np.array([s.x for s in placed.spots])
        y = np.array([s.y for s in placed.spots])
        apart = (np.abs(x[:, None] - x) > length - 1e-6) | (np.abs(y[:, None] - y) > width - 1e-6)
        np.fill_diagonal(apart, True)
        self.assertTrue(apart.all())
        if placed.fits:
            self.assertLessEqual(float(x.max()) + length, bed_length + 1e-6)
            self.assertLessEqual(float(y.max()) + width, bed_width + 1e-6)
        else:
            self.assertGreater(max(placed.short_by), 0)

    def test_it_finds_the_one_arrangement_that_fits(self) -> None:
        placed = place_blocks(6, 4, PlotSize(1, 1, 0), Bed(24, 1))
        self.assertTrue(placed.fits)
        self.assertEqual((placed.block_rows, placed.block_cols), (1, 6))

    def test_blocks_are_as_compact_as_the_bed_lets_them(self) -> None:
        placed = place_blocks(12, 4, PlotSize(2.4, 2.4, 1.0), Bed(20.4, 15.6))
        self.assertEqual((placed.block_rows, placed.block_cols), (3, 4))
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

    def test_absurd_sizes_are_refused(self) -> None:
        for size, bed in ((PlotSize(-1, 1), Bed(9, 9)), (PlotSize(1, 1), Bed(0, 9)), (PlotSize(1, 1, -1), Bed(9, 9))):
            with self.subTest(size=size, bed=bed), self.assertRaises(ValueError):
                place_blocks(4, 2, size, bed)


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
