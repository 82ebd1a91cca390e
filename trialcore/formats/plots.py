"""Plots with all their labels, read from delimited text: what the command line analyses."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from trialcore.formats.sheet import Problem
from trialcore.formats.table import read_table

LABELS = ("plot", "rep", "block", "row", "col", "site", "season", "entry", "factor2")


@dataclass(frozen=True)
class Plots:
    """One value for each plot (None is missing) with every label column that the file has, as text."""

    labels: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    value: tuple[float | None, ...] = ()
    problems: tuple[Problem, ...] = ()

    def whole(self, label: str) -> list[int]:
        """A label column as whole numbers. Raises ValueError when it holds anything else."""
        try:
            return [int(text) for text in self.labels[label]]
        except ValueError:
            raise ValueError(f"every {label} must be a whole number") from None


def read_plots(text: str, trait: str = "value") -> Plots:
    """Read the label columns `plot, rep, block, row, col, site, season, entry, factor2` and the value column `trait`.

    `entry` and `trait` are needed. A blank value, NA, `.`, `*` or `-` is a missing plot; a blank label is a problem, and so
    is a plot that stands twice in one site and season.
    """
    table = read_table(text, LABELS, (trait,), ("entry", trait), may_be_blank=(trait,))
    problems = list(table.problems)
    if "plot" in table.labels:
        keys = zip(*(table.labels[n] for n in ("site", "season", "plot") if n in table.labels), strict=True)
        first: dict[tuple[str, ...], int] = {}
        for line, key in zip(table.lines, keys, strict=True):
            if key in first:
                problems.append(Problem(line, "plot", key[-1], f"a plot once; line {first[key]} has it already"))
            first.setdefault(key, line)
    return Plots(table.labels, table.numbers.get(trait, ()), tuple(problems))
