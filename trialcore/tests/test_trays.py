"""Names of cells, read back as they are written."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from trialcore.reckoning.trays import cell_name, cells_in_words, first_free, read_cells, row_letters


class Cells(unittest.TestCase):
    def test_cells_rows_and_runs_are_read(self) -> None:
        self.assertEqual(read_cells("a1", 6, 10), [0])
        self.assertEqual(read_cells("B", 6, 10), list(range(10, 20)))
        self.assertEqual(read_cells("A8-B2; C1", 6, 10), [7, 8, 9, 10, 11, 20])
        self.assertEqual(read_cells("A–B, A1", 6, 10), list(range(20)))
        self.assertEqual(read_cells(" , ", 6, 10), [])

    def test_what_is_no_cell_is_said(self) -> None:
        for text in ("G1", "A11", "A0", "1A", "A1-", "zz", "☃"):
            with self.subTest(text), self.assertRaisesRegex(ValueError, "Expected cells from A1 to F10"):
                read_cells(text, 6, 10)
        with self.assertRaisesRegex(ValueError, "nearer the mark first"):
            read_cells("B1-A9", 6, 10)

    @given(st.integers(1, 52), st.integers(1, 30), st.data())
    def test_any_cells_are_read_as_they_are_written(self, rows: int, cols: int, data: st.DataObject) -> None:
        cells = sorted(data.draw(st.sets(st.integers(0, rows * cols - 1), max_size=60)))
        self.assertEqual(read_cells(cells_in_words(cells, cols), rows, cols), cells)

    def test_the_first_free_come_from_the_mark_on(self) -> None:
        self.assertEqual(first_free([0, 1, 4], 4, 60), [2, 3, 5, 6])
        self.assertEqual(first_free(range(58), 4, 60), [58, 59])
        self.assertEqual((row_letters(27), cell_name(61, 10)), ("AB", "G2"))
