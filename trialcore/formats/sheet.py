"""A trial read from delimited text, every bad cell named before anything is kept."""

from __future__ import annotations

import csv
import io
import math
import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property

MOST_ROWS = 20_000
MOST_COLUMNS = 200
MOST_BYTES = 5_000_000
LONGEST_LABEL = 60

MISSING = {"", "na", "n/a", "nan", ".", "*", "-"}
NAMES = {
    "plot": ("plot", "plot_no", "plot_id", "plotno", "plot number"),
    "rep": ("rep", "replicate", "replication", "complete_block"),
    "row": ("row",),
    "col": ("col", "column"),
    "entry": ("entry", "cultivar", "variety", "genotype", "treatment"),
    "block": ("block", "incomplete_block"),
    "factor2": ("factor2", "second_factor", "level"),
    "environment": ("environment", "env"),
    "site": ("site", "location"),
    "season": ("season", "year"),
}
PLACES = ("environment", "site", "season")  # which together say where and when a plot stood


@dataclass(frozen=True)
class Problem:
    """What is wrong in one place: the line (1 is the header; 0 the file as a whole), the column's name as it stands
    in the header, what was found and what is expected."""

    line: int
    column: str
    found: str
    expected: str


@dataclass(frozen=True)
class SheetPlot:
    """One plot of the sheet: labels as text, `block` an incomplete block within `rep`, `level` that of a second factor,
    `environment` where and when it stood, in a sheet of several places; row and column are whole numbers or None."""

    line: int
    plot: str
    rep: str
    entry: str
    block: str = ""
    row: int | None = None
    col: int | None = None
    level: str = ""
    environment: str = ""


@dataclass(frozen=True)
class TrialSheet:
    """A trial as a sheet tells it. `values` holds, for each value column, one number or None for each plot.

    With any `problems` the rest is as far as it could be read, and must not be kept.
    """

    plots: tuple[SheetPlot, ...] = ()
    values: Mapping[str, tuple[float | None, ...]] = field(default_factory=dict)
    problems: tuple[Problem, ...] = ()
    notes: tuple[str, ...] = ()

    @cached_property
    def entries(self) -> list[str]:
        """The entries, in order of name."""
        return sorted({p.entry for p in self.plots})

    @cached_property
    def reps(self) -> list[str]:
        """The replicates, in the order of people: 2 before 10."""
        return sorted({p.rep for p in self.plots}, key=natural)

    @cached_property
    def has_inner_blocks(self) -> bool:
        """Whether any replicate is cut into more than one block."""
        inside: dict[str, set[str]] = {}
        for p in self.plots:
            inside.setdefault(p.rep, set()).add(p.block)
        return any(len(blocks) > 1 for blocks in inside.values())

    @cached_property
    def levels(self) -> list[str]:
        """The levels of the second factor, in the order of people."""
        return sorted({p.level for p in self.plots if p.level}, key=natural)

    @cached_property
    def environments(self) -> list[str]:
        """The places and seasons of a sheet that holds several, in the order of people."""
        return sorted({p.environment for p in self.plots if p.environment}, key=natural)

    @cached_property
    def labels(self) -> dict[str, list[str]]:
        """The columns by which its design is known, one element a plot."""
        made = {"entry": [p.entry for p in self.plots]}
        if self.reps and self.reps[0]:
            made["rep"] = [p.rep for p in self.plots]
        if self.has_inner_blocks:
            made["block"] = [f"{p.rep} / {p.block}" for p in self.plots]
        if self.levels:
            made["factor2"] = [p.level for p in self.plots]
        if self.has_positions:
            made |= {"row": [str(p.row) for p in self.plots], "col": [str(p.col) for p in self.plots]}
        return made

    @cached_property
    def has_positions(self) -> bool:
        """Whether every plot has its row and column."""
        return bool(self.plots) and all(p.row is not None for p in self.plots)


def natural(text: str) -> tuple[tuple[int, int, str], ...]:
    """A sort key that puts 2 before 10 and words in order."""
    parts = re.findall(r"[0-9]+|[^0-9]+", text)
    return tuple((0, int(p), "") if p.isdecimal() else (1, 0, p.casefold()) for p in parts)


def decode(raw: bytes) -> str:
    """Text from the bytes of a sheet: UTF-8 or UTF-16 by its mark, else UTF-8, else Windows-1252.

    Raises ValueError, in words for the person, when it is no text at all or too large.
    """
    if len(raw) > MOST_BYTES:
        raise ValueError(f"The file holds {len(raw) / 1e6:.1f} MB; at most {MOST_BYTES / 1e6:.0f} MB can be read.")
    if not raw.strip():
        raise ValueError("The file is empty.")
    if raw.startswith((b"\xff\xfe", b"\xfe\xff")):
        try:
            return raw.decode("utf-16")
        except UnicodeDecodeError:
            raise ValueError(NOT_TEXT) from None
    if b"\x00" in raw or raw[:4] in (b"\x89PNG", b"GIF8", b"PK\x03\x04", b"%PDF") or raw[:3] == b"\xff\xd8\xff":
        raise ValueError(NOT_TEXT)
    try:
        return raw.decode("utf-8-sig")
    except UnicodeDecodeError:
        pass
    try:
        text = raw.decode("cp1252")
    except UnicodeDecodeError:
        raise ValueError(NOT_TEXT) from None
    if sum(c < " " and c not in "\r\n\t" for c in text) > 0:
        raise ValueError(NOT_TEXT)
    return text


NOT_TEXT = (
    "This is not a text file: it looks like a picture, a spreadsheet workbook or another program's file. "
    "Save the sheet as CSV and choose that."
)


def read_trial_sheet(text: str) -> TrialSheet:
    """Read a sheet with a header and one line for each plot.

    Columns: `entry` and at least one value column are needed; `plot`, `rep` (the complete block) and `row` with `col`
    are used where they stand. Other columns that hold numbers are value columns. Blank, NA, `.`, `*` and `-` are
    missing plots. Separators may be comma, semicolon or tab; a decimal comma is read where the comma does not separate.
    """
    table = lines_of(text)
    if isinstance(table, Problem):
        return _stopped(table)
    header_problems = _check_header(table.header)
    if header_problems:
        return _stopped(*header_problems)
    return _Reading(table.header, table.rows, table.delimiter).result()


@dataclass(frozen=True)
class Lines:
    """A delimited text cut into cells: the header, and each further line with its number in the file."""

    header: list[str]
    rows: list[tuple[int, list[str]]]
    delimiter: str


def lines_of(text: str, *, whole: bool = False) -> Lines | Problem:
    """Cut delimited text into cells, empty lines left out unless the `whole` of it is wanted; a Problem when it is no table of
    plots."""
    text = text.replace("\r\n", "\n").replace("\r", "\n")
    delimiter = _delimiter(text)
    try:
        every = list(_numbered(text, delimiter))
    except csv.Error as error:
        return Problem(0, "", str(error), "a table with one separator and closed quotes")
    rows = every if whole else [(n, row) for n, row in every if any(cell.strip() for cell in row)]
    if len(rows) < 2:
        return Problem(0, "", f"{len(rows)} line(s)", "a header and at least one line for a plot")
    if len(rows) - 1 > MOST_ROWS:
        return Problem(0, "", f"{len(rows) - 1} lines", f"at most {MOST_ROWS} plots")
    return Lines([cell.strip() for cell in rows[0][1]], rows[1:], delimiter)


def number_in(text: str, delimiter: str) -> float | str:
    """The number in a cell, or what was expected instead."""
    plain = text.replace("−", "-")
    if "," in plain:
        if delimiter == ",":
            return "a number with a decimal point; a comma could be decimals or thousands"
        plain = plain.replace(",", ".", 1)
    if not re.fullmatch(r"[+-]?([0-9]+\.?[0-9]*|\.[0-9]+)([eE][+-]?[0-9]{1,3})?", plain):
        return "a number, or blank for a missing plot"
    number = float(plain)
    if not math.isfinite(number) or abs(number) > 1e12:
        return "a number between −10¹² and 10¹²"
    return number


def _stopped(*problems: Problem) -> TrialSheet:
    return TrialSheet(problems=problems)


def _delimiter(text: str) -> str:
    lines = [line for line in text.split("\n") if line.strip()][:20]
    header = lines[0] if lines else ""
    usual = max("\t;,", key=header.count)
    if header.count(usual):
        return usual
    return max("\t;,", key=lambda sign: sum(line.count(sign) for line in lines))  # a title stands above the header


def _numbered(text: str, delimiter: str) -> Iterable[tuple[int, list[str]]]:
    reader = csv.reader(io.StringIO(text), delimiter=delimiter, strict=True)
    before = 0
    for row in reader:
        yield before + 1, row
        before = reader.line_num


def _role_of(name: str) -> str | None:
    folded = name.casefold().replace(" ", "_")
    return next((role for role, names in NAMES.items() if folded in names or name.casefold() in names), None)


def _check_header(header: Sequence[str]) -> list[Problem]:
    problems = []
    if len(header) > MOST_COLUMNS:
        return [Problem(1, "", f"{len(header)} columns", f"at most {MOST_COLUMNS} columns")]
    named = [h.casefold() for h in header if h]
    twice = sorted({h for h in named if named.count(h) > 1})
    problems += [Problem(1, name, "the same column name twice", "each column named once") for name in twice]
    roles: dict[str, str] = {}
    for name in header:
        role = _role_of(name)
        if role in roles and role is not None and name.casefold() != roles[role].casefold():
            problems.append(Problem(1, name, f"a second {role} column beside “{roles[role]}”", f"one {role} column"))
        elif role is not None:
            roles[role] = name
    if "entry" not in roles:
        found = ", ".join(h for h in header[:8] if h) or "no names"
        problems.append(Problem(1, "entry", found, "a column named entry (or cultivar, variety, genotype, treatment)"))
    if len({"row", "col"} & roles.keys()) == 1:
        problems.append(Problem(1, "row, col", "only one of row and col", "both, or neither"))
    return problems


class _Reading:
    """One pass over the lines of a sheet whose header is sound."""

    def __init__(self, header: list[str], rows: list[tuple[int, list[str]]], delimiter: str) -> None:
        self.header, self.rows, self.delimiter = header, rows, delimiter
        self.place: dict[str, int] = {}
        for i, name in enumerate(header):
            role = _role_of(name)
            if role:
                self.place[role] = i
        self.problems: list[Problem] = []
        self.notes: list[str] = []
        if "rep" not in self.place and "block" in self.place:
            self.place["rep"] = self.place.pop("block")
            self.notes.append(f"“{header[self.place['rep']]}” is taken as the block.")
        self.places = [r for r in PLACES if r in self.place and len({self._cell(row, r) for _, row in rows}) > 1]
        numbers = [self._cell(row, "plot") for _, row in rows]
        self.numbered_anew = bool(self.places) and len(set(numbers)) < len(numbers)
        if self.places:
            told = " and ".join(f"“{header[self.place[r]]}”" for r in self.places)
            self.notes.append(f"By {told} the trial stands in several places: blocks are taken as those of each place.")
        if "factor2" in self.place:
            self.notes.append(f"“{header[self.place['factor2']]}” is taken as the levels of a second factor.")
        if "block" in self.place:
            inner = "whole plots" if "factor2" in self.place else "incomplete blocks"
            self.notes.append(f"“{header[self.place['block']]}” is taken as {inner} within “{header[self.place['rep']]}”.")

    def result(self) -> TrialSheet:
        for line, row in self.rows:
            if len(row) != len(self.header):
                self._bad(line, "", f"{len(row)} cells", f"{len(self.header)} cells, as in the header")
        if self.problems:
            return TrialSheet(problems=tuple(self.problems))
        plots = self._plots()
        values = self._values()
        if not values and not self.problems:
            self._bad(1, "value", "no column of numbers", "at least one column with the measured values")
        return TrialSheet(tuple(plots), values, tuple(self.problems), tuple(self.notes))

    def _bad(self, line: int, column: str, found: str, expected: str) -> None:
        shown = found if len(found) <= 40 else found[:39] + "…"
        self.problems.append(Problem(line, column, shown, expected))

    def _cell(self, row: list[str], role: str) -> str:
        at = self.place.get(role)
        return row[at].strip() if at is not None and at < len(row) else ""

    def _plots(self) -> list[SheetPlot]:
        if "plot" not in self.place:
            self.notes.append("There is no plot column: plots are numbered in the order of the lines.")
        if "rep" not in self.place:
            self.notes.append("No column tells blocks, so plots are compared without them.")
        plots: list[SheetPlot] = []
        seen: dict[str, int] = {}
        taken: dict[tuple[str, int, int], int] = {}
        for order, (line, row) in enumerate(self.rows, start=1):
            plot = self._cell(row, "plot") if "plot" in self.place else str(order)
            rep, entry = self._cell(row, "rep"), self._cell(row, "entry")
            block, level = self._cell(row, "block"), self._cell(row, "factor2")
            for role, text in (("plot", plot), ("rep", rep), ("entry", entry), ("block", block), ("factor2", level)):
                if role in self.place:
                    self._check_label(line, role, text)
            where = self._where(line, row)
            if where:  # numbered anew in every place
                rep, plot = f"{where} {rep}".strip(), f"{where} {plot}" if self.numbered_anew else plot
            if plot and plot in seen:
                self._bad(line, self.header[self.place["plot"]], plot, f"a plot once; line {seen[plot]} has it already")
            seen.setdefault(plot, line)
            at = self._position(line, row)
            if at is not None and (where, *at) in taken:
                self._bad(line, "row, col", f"{at[0]}, {at[1]}", f"one plot a place; line {taken[where, *at]} stands there")
            if at is not None:
                taken.setdefault((where, *at), line)
            row_at, col_at = at or (None, None)
            plots.append(SheetPlot(line, plot, rep, entry, block, row_at, col_at, level, where))
        return plots

    def _where(self, line: int, row: list[str]) -> str:
        """Where and when a plot stood, by those columns that tell places apart; empty in a sheet of one place."""
        for role in self.places:
            self._check_label(line, role, self._cell(row, role))
        return " ".join(self._cell(row, role) for role in self.places)

    def _check_label(self, line: int, role: str, text: str) -> None:
        name = self.header[self.place[role]]
        if not text:
            self._bad(line, name, "nothing", f"the {role} of this plot")
        elif len(text) > LONGEST_LABEL:
            self._bad(line, name, text, f"at most {LONGEST_LABEL} characters; found {len(text)}")
        elif any(not c.isprintable() for c in text):
            self._bad(line, name, repr(text)[1:-1], "text without control characters or line breaks")

    def _position(self, line: int, row: list[str]) -> tuple[int, int] | None:
        if "row" not in self.place:
            return None
        at = []
        for role in ("row", "col"):
            text = self._cell(row, role)
            if not re.fullmatch(r"[0-9]{1,4}", text):
                self._bad(line, self.header[self.place[role]], text or "nothing", "a whole number from 0 to 9999")
                return None
            at.append(int(text))
        return at[0], at[1]

    def _values(self) -> dict[str, tuple[float | None, ...]]:
        values = {}
        used = set(self.place.values())
        for i, name in enumerate(self.header):
            if i in used:
                continue
            cells = [(line, row[i].strip()) for line, row in self.rows]
            present = [text for _, text in cells if text.casefold() not in MISSING]
            if not name:
                if present:
                    self._bad(1, "", f"column {i + 1} without a name", "a name in the header")
                continue
            if not any(isinstance(number_in(text, self.delimiter), float) for text in present):
                if name.casefold() == "value" and present:
                    line, text = next((n, t) for n, t in cells if t.casefold() not in MISSING)
                    self._bad(line, name, text, "a number, or blank for a missing plot")
                else:
                    self.notes.append(f"“{name}” holds no numbers and is left out.")
                continue
            if len(name) > LONGEST_LABEL:
                self._bad(1, name, f"{len(name)} characters", f"a name of at most {LONGEST_LABEL} characters")
            values[name] = tuple(self._value(line, name, text) for line, text in cells)
        return values

    def _value(self, line: int, name: str, text: str) -> float | None:
        if text.casefold() in MISSING:
            return None
        number = number_in(text, self.delimiter)
        if isinstance(number, float):
            return number
        self._bad(line, name, text, number)
        return None
