"""Sheets: what can be read is read exactly, and every bad cell is named."""

from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from trialcore.formats.sheet import NOT_TEXT, Problem, TrialSheet, decode, natural, read_trial_sheet

GOOD = "plot,rep,entry,value\n101,1,V01,317.5\n102,1,V02,\n201,2,V02,300\n202,2,V01,310\n"


class Reading(TestCase):
    def only(self, text: str) -> Problem:
        """The one problem of a sheet."""
        read = read_trial_sheet(text)
        self.assertEqual(len(read.problems), 1, read.problems)
        return read.problems[0]

    def test_a_good_sheet(self) -> None:
        read = read_trial_sheet(GOOD)
        self.assertEqual(read.problems, ())
        self.assertEqual(read.values["value"], (317.5, None, 300.0, 310.0))
        self.assertEqual([(p.plot, p.rep, p.entry) for p in read.plots][1], ("102", "1", "V02"))
        self.assertEqual((read.entries, read.reps), (["V01", "V02"], ["1", "2"]))

    def test_decimal_commas_tabs_and_line_ends(self) -> None:
        semicolons = read_trial_sheet("plot;rep;entry;yield\r\n1;1;A;1,25\r\n2;1;B;−0,5\r\n")
        self.assertEqual(semicolons.values["yield"], (1.25, -0.5))
        tabs = read_trial_sheet("plot\trep\tentry\tyield\n1\t1\tA\t1,25\n2\t1\tB\t3")
        self.assertEqual(tabs.values["yield"], (1.25, 3.0))
        self.assertEqual(read_trial_sheet(GOOD.replace("\n", "\r")).values, read_trial_sheet(GOOD).values)

    def test_a_comma_within_a_comma_sheet_is_not_guessed_at(self) -> None:
        found = self.only('plot,entry,value\n1,A,"1,234"\n2,B,5\n')
        self.assertEqual((found.line, found.column, found.found), (2, "value", "1,234"))
        self.assertIn("decimals or thousands", found.expected)

    def test_each_bad_cell_is_named_with_line_and_column(self) -> None:
        text = "plot,rep,row,col,entry,value\n1,1,1,1,A,5\n1,1,1,1,B,six\n3,,x,2,,1e999\n"
        found = {(p.line, p.column) for p in read_trial_sheet(text).problems}
        self.assertEqual(found, {(3, "plot"), (3, "row, col"), (3, "value"), (4, "rep"), (4, "row"), (4, "entry"), (4, "value")})

    def test_lines_are_counted_as_the_file_counts_them(self) -> None:
        self.assertEqual(self.only('plot,entry,value\n1,A,5\n\n"2",B,bad\n').line, 4)

    def test_missing_by_any_usual_mark(self) -> None:
        read = read_trial_sheet("entry,value\nA,NA\nB,.\nC,*\nD,-\nE,n/a\nF,2\n")
        self.assertEqual(read.values["value"], (None,) * 5 + (2.0,))

    def test_words_are_no_values_and_formulas_are_no_numbers(self) -> None:
        read = read_trial_sheet("plot,entry,value,remarks\n1,A,5,fine\n2,B,6,wet\n")
        self.assertEqual(list(read.values), ["value"])
        self.assertIn("remarks", " ".join(read.notes))
        self.assertEqual(self.only("plot,entry,value\n1,A,5\n2,B,=1+1\n").found, "=1+1")

    def test_what_makes_no_trial(self) -> None:
        for text, column in (
            ("", ""),
            ("plot,entry,value\n", ""),
            ("plot,rep,value\n1,1,3\n2,1,3", "entry"),
            ("plot,entry,site,value\n1,A,x,3\n2,B,,3", "site"),
            ("plot,entry,row,value\n1,A,1,3\n2,B,1,3", "row, col"),
            ("plot,entry,value,value\n1,A,1,3\n2,B,1,3", "value"),
            ("plot,entry\n1,A\n2,B", "value"),
            ('plot,entry,value\n1,"A,3\n2,B,4', ""),
            ("plot,entry,value\n1,A,3,9\n2,B,4", ""),
        ):
            with self.subTest(text=text):
                problems = read_trial_sheet(text).problems
                self.assertTrue(problems)
                self.assertEqual(problems[0].column, column)
                self.assertTrue(problems[0].expected)

    def test_several_places_are_told_apart_and_one_is_passed_over(self) -> None:
        rows = "\n".join(
            f"{p},{r},{e},{w},{y},5"
            for p, r, e, w, y in (
                (1, 1, "A", "House", 2025),
                (2, 1, "B", "House", 2025),
                (1, 1, "A", "Field", 2025),
                (2, 1, "B", "Field", 2025),
            )
        )
        read = read_trial_sheet(f"plot,rep,entry,site,season,kg\n{rows}")
        self.assertEqual((read.problems, read.environments), ((), ["Field", "House"]))  # the season is one
        self.assertEqual([p.rep for p in read.plots], ["House 1", "House 1", "Field 1", "Field 1"])
        self.assertEqual([p.plot for p in read.plots], ["House 1", "House 2", "Field 1", "Field 2"])
        self.assertTrue(any("several places" in note for note in read.notes))
        one = read_trial_sheet("plot,entry,site,value\n1,A,x,3\n2,B,x,3")
        self.assertEqual((one.problems, one.environments, list(one.values)), ((), [], ["value"]))

    def test_a_second_factor_is_read_as_its_levels(self) -> None:
        read = read_trial_sheet("plot,rep,entry,factor2,kg\n1,1,A,late,3\n2,1,A,early,4\n3,1,B,late,3\n4,1,B,early,2")
        self.assertEqual((read.problems, read.levels, list(read.values)), ((), ["early", "late"], ["kg"]))

    def test_blocks_within_reps_are_taken_as_incomplete(self) -> None:
        read = read_trial_sheet("plot,rep,block,entry,value\n1,1,1,A,3\n2,1,2,B,4\n")
        self.assertEqual(read.problems, ())
        self.assertIn("taken as incomplete blocks within", read.notes[0])
        self.assertTrue(read.has_inner_blocks)
        self.assertEqual(read_trial_sheet("plot,block,entry,value\n1,7,A,3\n2,8,B,4\n").reps, ["7", "8"])

    def test_hostile_labels(self) -> None:
        self.assertEqual(self.only("plot,entry,value\n1,A\x07,3\n2,B,4\n").column, "entry")
        self.assertEqual(self.only(f"plot,entry,value\n1,{'x' * 61},3\n2,B,4\n").column, "entry")
        self.assertIn("20000", self.only("plot,entry,value\n" + "1,A,3\n" * 20_001).expected)

    @given(st.text(max_size=300))
    def test_no_text_whatever_breaks_it(self, text: str) -> None:
        self.assertIsInstance(read_trial_sheet(text), TrialSheet)

    @given(st.lists(st.one_of(st.none(), st.floats(-1e9, 1e9)), min_size=2, max_size=30).filter(any))
    def test_numbers_come_through_to_the_last_bit(self, values: list[float | None]) -> None:
        lines = [f"{i},E{i % 3},{'' if v is None else repr(v)}" for i, v in enumerate(values)]
        self.assertEqual(read_trial_sheet("plot,entry,value\n" + "\n".join(lines)).values["value"], tuple(values))


class Decoding(TestCase):
    def test_the_usual_encodings(self) -> None:
        text = "entry,value\nČáslav,1\n"
        for encoding in ("utf-8", "utf-8-sig", "utf-16"):
            self.assertEqual(decode(text.encode(encoding)), text)
        self.assertEqual(decode("entry,value\nMüller,1\n".encode("cp1252")), "entry,value\nMüller,1\n")

    def test_what_is_no_text(self) -> None:
        for raw in (
            b"\x89PNG\r\n\x1a\n....",
            b"\xff\xd8\xff\xe0JFIF",
            b"PK\x03\x04xlsx",
            b"%PDF-1.7",
            b"a\x00b",
            b"\xff\xfe\x00\xd8",
        ):
            with self.subTest(raw=raw), self.assertRaisesMessage(NOT_TEXT):
                decode(raw)
        for raw in (b"", b"  \n"):
            with self.subTest(raw=raw), self.assertRaisesMessage("The file is empty."):
                decode(raw)
        with self.assertRaises(ValueError):
            decode(b"1,2\n" * 2_000_000)

    def assertRaisesMessage(self, message: str):  # type: ignore[no-untyped-def]
        return self.assertRaisesRegex(ValueError, message.replace(".", r"\."))

    def test_natural_order(self) -> None:
        self.assertEqual(sorted(["B10", "B2", "A1"], key=natural), ["A1", "B2", "B10"])
