"""Sheets of weights in every shape: the same picks read the same, and every bad cell is named."""

from datetime import date
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from trialcore.formats.weights import Weight, WeightSheet, read_weights

DAYS = {f"2026-07-{d:02}": date(2026, 7, d) for d in range(1, 32)}
LONG = "plot,date,weight,pieces\n101,2026-07-14,2.31,9\n102,2026-07-14,0,\n101,2026-07-16,1.5,6\n"


def read(text: str) -> WeightSheet:
    return read_weights(text, DAYS.get)


def kilograms(sheet: WeightSheet) -> dict[tuple[str, int, str], tuple[float, int | None]]:
    return {(w.plot, w.on.day, w.pick_class): (w.kg, w.count) for w in sheet.weights}


class Shapes(TestCase):
    def test_a_line_a_plot_and_day(self) -> None:
        self.assertEqual(
            kilograms(read(LONG)), {("101", 14, ""): (2.31, 9), ("102", 14, ""): (0.0, None), ("101", 16, ""): (1.5, 6)}
        )

    def test_a_column_a_day(self) -> None:
        found = read("Plot;Entry;2026-07-14;2026-07-16\n101;A;2,31;1,5\n102;B;0;\n")
        self.assertEqual(kilograms(found), {k: (kg, None) for k, (kg, _) in kilograms(read(LONG)).items()})
        self.assertEqual(found.notes, ("Not read: Entry.",))

    def test_a_column_a_day_and_a_line_a_class(self) -> None:
        found = read("plot\tclass\t2026-07-14 (g)\t2026-07-16 g\n101\tFit\t2310\t1500\n101\tOver\t400\t\n")
        expected = {("101", 14, "Fit"): (2.31, None), ("101", 16, "Fit"): (1.5, None), ("101", 14, "Over"): (0.4, None)}
        self.assertEqual(kilograms(found), expected)

    def test_a_column_a_class_with_its_pieces(self) -> None:
        found = read("plot,day,Fit kg,Fit pieces,Over (g),remark\n101,2026-07-14,2.31,9,400,wet\n102,2026-07-14,1,,,\n")
        expected = {("101", 14, "Fit"): (2.31, 9), ("101", 14, "Over"): (0.4, None), ("102", 14, "Fit"): (1.0, None)}
        self.assertEqual(kilograms(found), expected)
        self.assertEqual(found.notes, ("Not read: remark.",))

    def test_a_line_a_class(self) -> None:
        found = read("plot,picked on,grade,kg,n\n101,2026-07-14,Fit,2.31,9\n101,2026-07-14,Over,0.4,1\n")
        self.assertEqual(kilograms(found), {("101", 14, "Fit"): (2.31, 9), ("101", 14, "Over"): (0.4, 1)})

    def test_two_crates_of_a_plot_and_day_are_added(self) -> None:
        found = read("plot,date,kg,pieces\n101,2026-07-14,2,8\n101,2026-07-14,1.25,5\n")
        self.assertEqual(found.weights, (Weight(2, "101", date(2026, 7, 14), "", 3.25, 13),))
        self.assertIn("added", found.notes[0])


class Wrong(TestCase):
    def test_each_bad_cell_is_named(self) -> None:
        text = (
            "plot,date,kg,pieces\n"
            "101,14 July,2,8\n"  # no day
            ",2026-07-14,2,8\n"  # no plot
            "102,2026-07-14,two,8\n"
            "103,2026-07-14,-1,\n"
            "104,2026-07-14,1,2.5\n"
            "105,2026-07-14,,4\n"  # pieces without weight
        )
        found = [(p.line, p.column, p.expected) for p in read(text).problems]
        self.assertEqual(
            found,
            [
                (2, "date", "a day such as 2026-07-14"),
                (3, "plot", "the plot's number"),
                (4, "kg", "a number, or blank for a missing plot"),
                (5, "kg", "0 or more"),
                (6, "pieces", "a whole number of pieces"),
                (7, "weight", "their weight beside them"),
            ],
        )

    def test_what_is_no_sheet_of_weights(self) -> None:
        for text, expected in (
            ("date,kg\n2026-07-14,2\n", "a column named plot"),
            ("plot,entry\n101,A\n", "a column of weights"),
            ("plot,kg\n101,2\n", "a column of days"),
            ("plot,kg,KG\n101,2,3\n", "each column named once"),
            ("plot\n", "a header and at least one line"),
            ("", "a header and at least one line"),
        ):
            with self.subTest(text=text):
                self.assertIn(expected, read(text).problems[0].expected)

    @given(st.text(alphabet='plotdaekg,;\t\n0123456789.-"−é', max_size=200))
    def test_no_text_is_an_error(self, text: str) -> None:
        found = read(text)
        self.assertTrue(found.problems or all(w.kg >= 0 for w in found.weights))
