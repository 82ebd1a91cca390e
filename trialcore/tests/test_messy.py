"""Sheets as people keep them: twenty shapes of one trial all come to the same means, or to a question whose answer does."""

from __future__ import annotations

import re
import unittest
from collections import defaultdict
from collections.abc import Mapping, Sequence
from datetime import date
from statistics import fmean

from trialcore.formats.meanings import less_is_better, meaning_of, replicate_of, told_unit
from trialcore.formats.messy import Understood, understand
from trialcore.formats.numerals import Numerals, numerals_of
from trialcore.formats.sheet import read_trial_sheet

ENTRIES = ("Brant", "Corvane", "Harl Quoin", "OF-17", "Pale Anchor", "Quillet")
TRUTH = {(e, b): round(4 + 0.7 * i + 0.3 * b + 0.1 * ((i * 7 + b * 5) % 4), 1) for i, e in enumerate(ENTRIES) for b in (1, 2, 3)}
MEANS = {e: fmean(TRUTH[e, b] for b in (1, 2, 3)) for e in ENTRIES}


def read_day(text: str) -> date | None:
    found = re.fullmatch(r"(\d{4})-(\d\d)-(\d\d)", text)
    return date(int(found[1]), int(found[2]), int(found[3])) if found else None


def means_of(told: Understood) -> dict[str, float]:
    """What the plain reader makes of it: the mean of the first value column for each entry."""
    read = read_trial_sheet(told.tidy)
    assert not read.problems, read.problems
    by: dict[str, list[float]] = defaultdict(list)
    for plot, value in zip(read.plots, next(iter(read.values.values())), strict=True):
        if value is not None:
            by[plot.entry].append(value)
    return {e: fmean(v) for e, v in by.items()}


LONG = [
    ["plot", "rep", "entry", "yield"],
    *([f"{b}0{i}", str(b), e, str(TRUTH[e, b])] for b in (1, 2, 3) for i, e in enumerate(ENTRIES)),
]


def long(change: Mapping[str, object] | None = None, head: Sequence[str] | None = None) -> list[list[str]]:
    rows = [list(r) for r in LONG]
    if head:
        rows[0] = list(head)
    return rows


def with_commas() -> list[list[str]]:
    return [LONG[0], *([*r[:3], r[3].replace(".", ",")] for r in LONG[1:])]


SHAPES: dict[str, list[list[str]]] = {
    "plain": long(),
    "in German": long(head=["Parzellen-Nr.", "Wdh.", "Sorte", "Ertrag (kg)"]),
    "in French": long(head=["Parcelle", "Répétition", "Variété", "Rendement kg"]),
    "title rows": [["Trial 2025, north strip", "", "", ""], ["kept by E.", "", "", ""], ["", "", "", ""], *long()],
    "sums and means below": [
        *long(),
        ["Total", "", "", "99"],
        ["", "", "", ""],
        ["", "Mean", "", "5.5"],
        ["LSD 5 %", "", "", "0.4"],
    ],
    "means between blocks": [
        LONG[0],
        *[row for b in (1, 2, 3) for row in [*[r for r in LONG[1:] if r[1] == str(b)], [f"Mean block {b}", "", "", "5"]]],
    ],
    "remarks among the lines": [*long()[:9], ["hail on the third of June", "", "", ""], *long()[9:]],
    "names once more on every page": [*long()[:10], list(LONG[0]), *long()[10:]],
    "units in the cells": [LONG[0], *([*r[:3], f"{r[3]} kg"] for r in LONG[1:])],
    "two units": [LONG[0], *([*r[:3], f"{r[3]} kg" if n % 5 else f"{float(r[3]) * 1000:.0f} g"] for n, r in enumerate(LONG[1:]))],
    "decimal commas": with_commas(),
    "a column a replicate": [
        ["Cultivar", "R1", "R2", "R3", "Mean"],
        *([e, *(str(TRUTH[e, b]) for b in (1, 2, 3)), f"{MEANS[e]:.2f}"] for e in ENTRIES),
    ],
    "roman replicates under a group": [
        ["", "Yield (kg)", "", "", "Height (cm)", "", ""],
        ["Variety", "I", "II", "III", "I", "II", "III"],
        *([e, *(str(TRUTH[e, b]) for b in (1, 2, 3)), "40", "42", "44"] for e in ENTRIES),
    ],
    "units in a line of their own": [
        ["plot", "rep", "entry", "yield", "height"],
        ["", "", "", "kg", "cm"],
        *([*r, "40"] for r in LONG[1:]),
    ],
    "names on two lines": [
        ["Plot", "", "", "Marketable", "Plant"],
        ["no.", "Rep", "Cultivar", "yield kg", "height cm"],
        *([*r, "40"] for r in LONG[1:]),
    ],
    "words below words": [
        ["Plot", "Rep", "Cultivar", "Marketable", "Plant"],
        ["no.", "", "", "yield kg", "height cm"],
        *([*r, "40"] for r in LONG[1:]),
    ],
    "groups over units over replicates": [
        ["Trial 2025, north strip", "", "", "", "", "", ""],
        ["Variety", "Yield", "", "", "Height", "", ""],
        ["", "kg", "", "", "cm", "", ""],
        ["", "R1", "R2", "R3", "R1", "R2", "R3"],
        *([e, *(str(TRUTH[e, b]) for b in (1, 2, 3)), "40", "42", "44"] for e in ENTRIES),
    ],
    "a column a day": [
        ["plot", "rep", "cultivar", "2025-07-01", "2025-07-08"],
        *([r[0], r[1], r[2], f"{float(r[3]) - 1.5:.1f}", "1.5"] for r in LONG[1:]),
    ],
    "a line a pick": [
        ["date", "plot", "rep", "cultivar", "kg"],
        *(
            [d, r[0], r[1], r[2], w]
            for r in LONG[1:]
            for d, w in (("2025-07-01", "1.5"), ("2025-07-08", f"{float(r[3]) - 1.5:.1f}"))
        ),
    ],
    "a name for the lines below it": [
        ["Cultivar", "Block", "kg"],
        *([e if b == 1 else "", str(b), str(TRUTH[e, b])] for e in ENTRIES for b in (1, 2, 3)),
    ],
}


class Shapes(unittest.TestCase):
    def test_all_come_to_the_same_means(self) -> None:
        self.assertEqual(len(SHAPES), 20)
        for shape, grid in SHAPES.items():
            with self.subTest(shape=shape):
                told = understand(grid, {}, read_day)
                self.assertEqual([q.text for q in told.open], [])
                found = means_of(told)
                self.assertEqual(set(found), set(ENTRIES))
                for entry, mean in MEANS.items():
                    self.assertAlmostEqual(found[entry], mean, places=9)
                reps = read_trial_sheet(told.tidy).reps
                self.assertEqual(reps, ["1", "2", "3"])

    def test_only_the_plain_one_needs_no_look(self) -> None:
        self.assertTrue(understand(SHAPES["plain"], {}, read_day).plain)
        for shape in ("title rows", "a column a replicate", "a line a pick", "two units", "sums and means below"):
            self.assertFalse(understand(SHAPES[shape], {}, read_day).plain, shape)

    def test_several_places_keep_their_blocks_apart(self) -> None:
        grid = [
            ["Ort", "Jahr", "Block", "Sorte", "kg"],
            *([s, "2025", str(b), e, str(TRUTH[e, b])] for s in "AB" for e in ENTRIES for b in (1, 2, 3)),
        ]
        read = read_trial_sheet(understand(grid, {}, read_day).tidy)
        self.assertEqual((len(read.environments), len(read.plots)), (2, 36))


class Asked(unittest.TestCase):
    def test_a_number_that_can_be_read_in_two_ways_is_asked_about(self) -> None:
        grid = [["entry", "rep", "seeds"], ["A", "1", "1.234"], ["B", "1", "987"], ["A", "2", "1.112"], ["B", "2", "1.020"]]
        told = understand(grid, {}, read_day)
        self.assertEqual((told.tidy, [q.key for q in told.open]), ("", ["decimal:2"]))
        self.assertEqual(told.open[0].proposed, "point_thousands")
        thousands = means_of(understand(grid, {"decimal:2": "point_thousands"}, read_day))
        self.assertAlmostEqual(thousands["A"], 1173.0)
        self.assertAlmostEqual(means_of(understand(grid, {"decimal:2": "point"}, read_day))["A"], 1.173)

    def test_points_and_commas_in_one_column_are_asked_about(self) -> None:
        grid = [["entry", "rep", "kg"], ["A", "1", "5,2"], ["B", "1", "4.9"], ["A", "2", "5,6"], ["B", "2", "5.1"]]
        told = understand(grid, {}, read_day)
        self.assertEqual([q.key for q in told.open], ["decimal:2"])
        self.assertAlmostEqual(means_of(understand(grid, {"decimal:2": "both"}, read_day))["A"], 5.4)

    def test_names_that_may_be_one_are_asked_about(self) -> None:
        grid = [
            ["entry", "rep", "kg"],
            ["Brant", "1", "5.2"],
            ["Quillet", "1", "4.9"],
            ["brant", "2", "5.6"],
            ["Quillet", "2", "5.1"],
        ]
        told = understand(grid, {}, read_day)
        self.assertEqual([q.key for q in told.open], ["one:Brant|brant"])
        one = means_of(understand(grid, {"one:Brant|brant": "one"}, read_day))
        self.assertAlmostEqual(one["Brant"], 5.4)
        self.assertEqual(len(means_of(understand(grid, {"one:Brant|brant": "two"}, read_day))), 3)

    def test_what_a_person_says_goes_before_what_is_proposed(self) -> None:
        grid = [["a", "b", "c"], ["A", "x", "5.2"], ["B", "x", "4.9"], ["A", "y", "5.6"], ["B", "y", "5.1"]]
        told = understand(grid, {"mean:0": "entry", "mean:1": "rep", "mean:2": "value"}, read_day)
        self.assertEqual(read_trial_sheet(told.tidy).reps, ["x", "y"])
        dropped = understand(grid, {"mean:0": "entry", "mean:1": "rep", "mean:2": "value", "keep:4": "no"}, read_day)
        self.assertEqual(len(read_trial_sheet(dropped.tidy).plots), 3)
        self.assertIn("left out by you", dropped.left_out[4])

    def test_a_first_line_of_remarks_is_a_plot_and_no_header(self) -> None:
        for words in (["lost", "lost"], ["eaten by deer", "eaten"]):
            grid = [["entry", "yield", "rot"], ["A", *words], ["B", "5", "2"], ["C", "4", "3"], ["D", "4", "1"]]
            told = understand(grid, {}, read_day)
            self.assertEqual([c.name for c in told.columns], ["entry", "yield", "rot"])
            self.assertIn(1, [*told.lines, *told.left_out])

    def test_several_lines_of_names_are_said(self) -> None:
        told = understand(SHAPES["groups over units over replicates"], {}, read_day)
        self.assertEqual([c.name for c in told.columns[:3]], ["Variety", "Yield (kg) R1", "Yield (kg) R2"])
        self.assertIn("The names of the columns take 3 lines and are put together.", told.notes)
        self.assertEqual(told.title, "Trial 2025, north strip")

    def test_a_cell_that_is_no_number_is_named_and_not_dropped(self) -> None:
        grid = [["entry", "rep", "kg"], ["A", "1", "5.2"], ["B", "1", "about five"], ["A", "2", "5.6"], ["B", "2", "5.1"]]
        read = read_trial_sheet(understand(grid, {}, read_day).tidy)
        self.assertEqual([(p.column, p.found) for p in read.problems], [("kg", "about five")])

    def test_nothing_is_a_sheet_without_columns(self) -> None:
        for grid in ([], [[""]], [["one"]], [["", ""], ["", ""]]):
            self.assertEqual(understand(grid, {}, read_day).columns, ())


class Parts(unittest.TestCase):
    def test_numerals(self) -> None:
        for cells, how, first in (
            (["12,5", "3"], "comma", 12.5),
            (["1.234,5", "3,1"], "comma", 1234.5),
            (["1,234.5", "987"], "point", 1234.5),
            (["1 234", "987"], "point", 1234.0),
            (["1'234.5"], "point", 1234.5),
            (["5 %", "12 %"], "point", 5.0),
            (["−3.5", "2.25"], "point", -3.5),
            (["1.234.567", "8,5"], "comma", 1234567.0),
            (["0.125", "0.250"], "point", 0.125),
        ):
            told = numerals_of(cells)
            self.assertEqual(told.how, how, cells)
            self.assertAlmostEqual(Numerals.split(cells[0]).read(told.how) or 0.0, first)
        self.assertEqual(Numerals.split("6.2 kg").unit, "kg")
        self.assertEqual(Numerals.split("about 5").digits, "")
        self.assertEqual(Numerals.split("<5").digits, "")

    def test_headers(self) -> None:
        for name, meaning in (
            ("Parzellen-Nr.", "plot"),
            ("VARIETY NAME", "entry"),
            ("Répétition", "rep"),
            ("Année", "season"),
            ("Yield", ""),
        ):
            self.assertEqual(meaning_of(name), meaning, name)
        for name, rep in (
            ("Rep 2", "2"),
            ("II", "2"),
            ("Yield R3", "3"),
            ("4", "4"),
            ("Wdh. 1", "1"),
            ("Plot", ""),
            ("Height", ""),
        ):
            self.assertEqual(replicate_of(name), rep, name)
        self.assertEqual(told_unit("Yield (kg/m²)"), ("Yield", "kg/m²"))
        self.assertEqual(told_unit("Bolted %"), ("Bolted", "%"))
        self.assertEqual(told_unit("kg"), ("kg", ""))

    def test_of_what_less_is_better(self) -> None:
        for name in ("bolted %", "Diseased leaves", "days to first pick", "Lagerung", "Befall mit Blattläusen", "pertes"):
            self.assertTrue(less_is_better(name), name)
        for name in ("Yield", "marketable kg", "vigour", "Ertrag", "sugar", "head weight"):
            self.assertFalse(less_is_better(name), name)
