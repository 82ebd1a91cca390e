"""Columns read from delimited text, every bad cell named."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from trialcore.formats.sheet import MISSING, Lines, Problem, lines_of, number_in


@dataclass(frozen=True)
class Table:
    """Label columns as text and number columns as numbers (None where a cell is blank), in the order of the lines.

    With any `problems` the rest is as far as it could be read, and must not be used. `lines` are the line numbers in the
    file.
    """

    labels: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    numbers: Mapping[str, tuple[float | None, ...]] = field(default_factory=dict)
    lines: tuple[int, ...] = ()
    problems: tuple[Problem, ...] = ()


def read_table(
    text: str, labels: Sequence[str], numbers: Sequence[str], needed: Sequence[str], may_be_blank: Sequence[str] = ()
) -> Table:
    """Read the columns `labels` and `numbers` as far as the header has them, whatever its capitals.

    A column of `needed` that is absent is a problem; so is a blank cell, but in the number columns of `may_be_blank`, where
    blank, NA, `.`, `*` and `-` stand for nothing.
    """
    table = lines_of(text)
    if isinstance(table, Problem):
        return Table(problems=(table,))
    place = {name.casefold(): i for i, name in enumerate(table.header)}
    found = ", ".join(h for h in table.header if h)[:40]
    absent = [Problem(1, name, found, f"a column named {name}") for name in needed if name.casefold() not in place]
    twice = {h.casefold() for h in table.header if h and [x.casefold() for x in table.header].count(h.casefold()) > 1}
    absent += [Problem(1, name, "the same column name twice", "each column named once") for name in sorted(twice)]
    if absent:
        return Table(problems=tuple(absent))
    problems: list[Problem] = []
    rows = []
    for line, row in table.rows:
        if len(row) != len(table.header):
            problems.append(Problem(line, "", f"{len(row)} cells", f"{len(table.header)} cells, as in the header"))
        else:
            rows.append((line, row))
    texts = {name: _labels(name, place[name.casefold()], rows, problems) for name in labels if name.casefold() in place}
    values = {
        name: _numbers(name, place[name.casefold()], rows, table, name in may_be_blank, problems)
        for name in numbers
        if name.casefold() in place
    }
    problems.sort(key=lambda p: p.line)
    return Table(texts, values, tuple(line for line, _ in rows), tuple(problems))


def _labels(name: str, at: int, rows: Sequence[tuple[int, list[str]]], problems: list[Problem]) -> tuple[str, ...]:
    cells = tuple(row[at].strip() for _, row in rows)
    problems += [
        Problem(line, name, "nothing", f"the {name} of this line") for (line, _), c in zip(rows, cells, strict=True) if not c
    ]
    return cells


def _numbers(
    name: str, at: int, rows: Sequence[tuple[int, list[str]]], table: Lines, blank: bool, problems: list[Problem]
) -> tuple[float | None, ...]:
    values: list[float | None] = []
    for line, row in rows:
        cell = row[at].strip()
        if cell.casefold() in MISSING:
            values.append(None)
            if not blank:
                problems.append(Problem(line, name, cell or "nothing", "a number"))
            continue
        number = number_in(cell, table.delimiter)
        if isinstance(number, str):
            problems.append(Problem(line, name, cell[:40], number if blank else "a number"))
        values.append(None if isinstance(number, str) else number)
    return tuple(values)
