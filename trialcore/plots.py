"""Plots with all their labels, read from delimited text: what the command line analyses."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from trialcore.sheet import MISSING, Problem, lines_of, number_in

LABELS = ("plot", "rep", "block", "row", "col", "site", "season", "entry", "factor2")


@dataclass(frozen=True)
class Plots:
    """One value for each plot (None is missing) with every label column that the file has, as text."""

    labels: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    value: tuple[float | None, ...] = ()
    problems: tuple[Problem, ...] = ()


def read_plots(text: str, trait: str = "value") -> Plots:
    """Read the label columns `plot, rep, block, row, col, site, season, entry, factor2` and the value column `trait`.

    `entry` and `trait` are needed. A blank value, NA, `.`, `*` or `-` is a missing plot; a blank label is a problem.
    """
    table = lines_of(text)
    if isinstance(table, Problem):
        return Plots(problems=(table,))
    place = {name.casefold(): i for i, name in enumerate(table.header)}
    problems = [
        Problem(1, name, ", ".join(h for h in table.header if h)[:40], f"a column named {name}")
        for name in ("entry", trait)
        if name.casefold() not in place
    ]
    if problems:
        return Plots(problems=tuple(problems))
    known = [name for name in LABELS if name in place]
    cells: dict[str, list[str]] = {name: [] for name in known}
    values: list[float | None] = []
    seen: dict[tuple[str, ...], int] = {}
    for line, row in table.rows:
        if len(row) != len(table.header):
            problems.append(Problem(line, "", f"{len(row)} cells", f"{len(table.header)} cells, as in the header"))
            continue
        for name in known:
            text_here = row[place[name]].strip()
            cells[name].append(text_here)
            if not text_here:
                problems.append(Problem(line, name, "nothing", f"the {name} of this plot"))
        key = tuple(row[place[name]].strip() for name in ("site", "season", "plot") if name in place)
        if "plot" in place and key in seen:
            problems.append(Problem(line, "plot", key[-1], f"a plot once; line {seen[key]} has it already"))
        seen.setdefault(key, line)
        cell = row[place[trait.casefold()]].strip()
        number = None if cell.casefold() in MISSING else number_in(cell, table.delimiter)
        if isinstance(number, str):
            problems.append(Problem(line, trait, cell[:40], number))
            number = None
        values.append(number)
    return Plots({name: tuple(column) for name, column in cells.items()}, tuple(values), tuple(problems))
