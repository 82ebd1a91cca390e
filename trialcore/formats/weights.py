"""Weights of picks read from delimited text, whatever its shape: a line a plot and day, a column a day, or a column a class."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from datetime import date

from trialcore.formats.sheet import MISSING, NAMES, Lines, Problem, lines_of, number_in

PLOT = NAMES["plot"]
DAY = ("date", "day", "on", "picked", "picked on", "pick date", "harvested", "harvest date", "weighed on")
CLASS = ("class", "grade", "category", "part", "size class")
WEIGHT = ("weight", "mass", "yield", "harvest", "amount", "kg", "g", "lb", "oz")
COUNT = ("count", "pieces", "number", "fruits", "heads", "n", "pcs", "no")
OTHERS = {"by", "note", "notes", "remark", "name", "code"}
SKIPPED = OTHERS.union(*(NAMES[role] for role in ("rep", "row", "col", "entry", "block")))
KILOGRAMS = {"kg": 1.0, "g": 0.001, "lb": 0.45359237, "oz": 0.028349523125}
UNIT = re.compile(r"[\s_,]*[\(\[]?\s*(kg|g|lb|oz)\s*[\)\]]?\s*$", re.IGNORECASE)
PIECES = re.compile(r"[\s_,]*[\(\[]?\s*(count|pieces|number|pcs|n)\s*[\)\]]?\s*$", re.IGNORECASE)


@dataclass(frozen=True)
class Weight:
    """What a sheet says of one plot on one day in one class (empty where it names none): kilograms, and pieces where they stand
    beside. `line` is where it was found first."""

    line: int
    plot: str
    on: date
    pick_class: str
    kg: float
    count: int | None = None


@dataclass(frozen=True)
class WeightSheet:
    """The weights of a sheet, how it was understood, and what has to be mended first."""

    weights: tuple[Weight, ...] = ()
    problems: tuple[Problem, ...] = ()
    notes: tuple[str, ...] = ()


@dataclass(frozen=True)
class _Column:
    """A column of figures: of which class, on which day (None where a column of its own says it), a weight's factor to kilograms
    or None for a count."""

    at: int
    name: str
    pick_class: str
    on: date | None
    factor: float | None


def read_weights(text: str, read_day: Callable[[str], date | None]) -> WeightSheet:
    """Read a sheet with a header and a column of plots.

    Days stand in a column (named date, day, picked …) or are the names of columns. Classes stand in a column (class, grade …) or
    are the names of columns; without either it is one weight. A weight is in kilograms unless its name ends with g, lb or oz; a
    column whose name ends with pieces, count or number counts those of its class. A blank cell is no weigh-in, 0 is one. What
    stands twice for a plot, day and class is added.
    """
    table = lines_of(text)
    if isinstance(table, Problem):
        return WeightSheet(problems=(table,))
    names = [h.casefold() for h in table.header]
    twice = sorted({n for n in names if n and names.count(n) > 1})
    if twice:
        return WeightSheet(problems=tuple(Problem(1, n, "the same column name twice", "each column named once") for n in twice))
    plot, day, kind = (_find(names, some) for some in (PLOT, DAY, CLASS))
    if plot is None:
        return _stopped("plot", ", ".join(table.header[:8]), "a column named plot")
    columns, skipped = _columns(table, {plot, day, kind}, read_day)
    if not columns:
        return _stopped(
            "", ", ".join(table.header[:8]), "a column of weights: kg, the name of a class, or a day such as 2026-07-14"
        )
    if day is None and any(c.on is None for c in columns):
        return _stopped("date", ", ".join(table.header[:8]), "a column of days, or days as the names of the columns")
    found, problems, again = _cells(table, (plot, day, kind), columns, read_day)
    notes = [f"Not read: {', '.join(skipped)}."] if skipped else []
    if again:
        notes.append(f"{again} cells stand for a plot, day and class that another has too: they are added.")
    return WeightSheet(tuple(found.values()), tuple(sorted(problems, key=lambda p: p.line)), tuple(notes))


def _stopped(column: str, found: str, expected: str) -> WeightSheet:
    return WeightSheet(problems=(Problem(1, column, found, expected),))


def _find(names: Sequence[str], known: Sequence[str]) -> int | None:
    return next((i for i, n in enumerate(names) if n in known or n.replace(" ", "_") in known), None)


def _columns(table: Lines, taken: set[int | None], read_day: Callable[[str], date | None]) -> tuple[list[_Column], list[str]]:
    """The columns of figures, and the names of those that are none."""
    columns: list[_Column] = []
    skipped = []
    for at, name in enumerate(table.header):
        if at in taken or not name:
            continue
        on = read_day(UNIT.sub("", name))
        unit = UNIT.search(name)
        factor = KILOGRAMS[unit[1].casefold()] if unit else 1.0
        plain = UNIT.sub("", name).strip()
        counts = PIECES.search(name)
        if on is not None:
            columns.append(_Column(at, name, "", on, factor))
        elif name.casefold() in COUNT or (counts and not PIECES.sub("", name).strip()):
            columns.append(_Column(at, name, "", None, None))
        elif counts:
            columns.append(_Column(at, name, PIECES.sub("", name).strip(), None, None))
        elif plain.casefold() in WEIGHT or not plain:
            columns.append(_Column(at, name, "", None, factor))
        elif name.casefold().replace(" ", "_") in SKIPPED or name.casefold() in SKIPPED:
            skipped.append(name)
        elif _all_numbers(table, at):
            columns.append(_Column(at, name, plain, None, factor))
        else:
            skipped.append(name)
    if not any(c.factor is not None for c in columns):
        return [], skipped
    return columns, skipped


def _all_numbers(table: Lines, at: int) -> bool:
    cells = [row[at].strip() for _, row in table.rows if at < len(row)]
    told = [c for c in cells if c.casefold() not in MISSING]
    return bool(told) and not any(isinstance(number_in(c, table.delimiter), str) for c in told)


def _cell(row: Sequence[str], at: int | None) -> str:
    return row[at].strip() if at is not None and at < len(row) else ""


Key = tuple[str, date, str]


def _cells(
    table: Lines, places: tuple[int, int | None, int | None], columns: Sequence[_Column], read_day: Callable[[str], date | None]
) -> tuple[dict[Key, Weight], list[Problem], int]:
    """Every weight by plot, day and class, what is wrong, and how many cells were added to another."""
    plot_at, day_at, kind_at = places
    found: dict[Key, Weight] = {}
    problems: list[Problem] = []
    again = 0
    for line, row in table.rows:
        plot, written = _cell(row, plot_at), _cell(row, day_at)
        on_line = read_day(written) if written else None
        if not plot:
            problems.append(Problem(line, table.header[plot_at], "nothing", "the plot's number"))
        elif day_at is not None and on_line is None and any(c.on is None and _cell(row, c.at) for c in columns):
            problems.append(Problem(line, table.header[day_at], written[:40] or "nothing", "a day such as 2026-07-14"))
        else:
            here, wrong = _line(line, row, columns, on_line, _cell(row, kind_at), table.delimiter)
            problems += wrong
            for (on, kind), (kg, pieces) in here.items():
                again += _add(found, Weight(line, plot, on, kind, round(kg, 6), pieces))
    return found, problems, again


def _line(
    line: int, row: Sequence[str], columns: Sequence[_Column], on_line: date | None, kind: str, delimiter: str
) -> tuple[dict[tuple[date, str], tuple[float, int | None]], list[Problem]]:
    """Kilograms and pieces of one line by day and class, and what is wrong in it."""
    problems: list[Problem] = []
    weights: dict[tuple[date, str], float] = {}
    counts: dict[tuple[date, str], int] = {}
    for column in columns:
        text, on = _cell(row, column.at), column.on or on_line
        if text.casefold() in MISSING or on is None:
            continue
        number = number_in(text, delimiter)
        key = (on, column.pick_class or kind)
        if isinstance(number, str) or number < 0:
            problems.append(Problem(line, column.name, text[:40], number if isinstance(number, str) else "0 or more"))
        elif column.factor is not None:
            weights[key] = weights.get(key, 0.0) + number * column.factor
        elif number != int(number):
            problems.append(Problem(line, column.name, text[:40], "a whole number of pieces"))
        else:
            counts[key] = int(number)
    alone = [] if problems else [key for key in counts if key not in weights]
    beside = "their weight beside them"
    problems += [Problem(line, kind or "weight", f"{counts[on, kind]} pieces", beside) for on, kind in alone]
    return {key: (kg, counts.get(key)) for key, kg in weights.items()}, problems


def _add(found: dict[Key, Weight], weight: Weight) -> bool:
    """Put a weight among the others; where one of its plot, day and class is there already they are added, which is said."""
    key = (weight.plot, weight.on, weight.pick_class)
    before = found.setdefault(key, weight)
    if before is weight:
        return False
    both = None if before.count is None or weight.count is None else before.count + weight.count
    found[key] = replace(before, kg=round(before.kg + weight.kg, 6), count=both)
    return True
