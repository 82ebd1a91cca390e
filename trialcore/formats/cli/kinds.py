"""`analyse --kind`: records that are no plain values of plots, each by its own model."""

from __future__ import annotations

import sys
from collections.abc import Callable, Sequence
from typing import Any

from trialcore.formats.cli.files import read_file
from trialcore.formats.cli.reckoning import number_in, read_columns, whole_in
from trialcore.formats.figures.blocks import Json
from trialcore.formats.sheet import Problem, lines_of

# The columns by which a kind is known where none is given, the most telling first.
KNOWN_BY: tuple[tuple[str, tuple[str, ...]], ...] = (
    ("panel", ("judge", "entry", "value")),
    ("keeping", ("lot", "entry", "day", "sound", "lost")),
)
KINDS = tuple(kind for kind, _ in KNOWN_BY)


def kind_of(file: str) -> str | None:
    """The kind that a file's columns show; None for plain values of plots."""
    head = lines_of(read_file(file))
    if isinstance(head, Problem):
        return None
    names = {name.casefold() for name in head.header}
    found = next((kind for kind, columns in KNOWN_BY if names.issuperset(columns)), None)
    if found:
        print(f"{file}: taken as {found}, from its columns", file=sys.stderr)
    return found


def figures_of(kind: str, file: str, check: str | None) -> Json:
    """Every figure of a file of that kind. Raises ValueError for what cannot be."""
    return READERS[kind](file, check)


def panel(file: str, check: str | None) -> Json:
    """Scores of a tasting: columns judge, entry and value, and rep where a sample was tasted twice."""
    from trialcore.analyses.panel import analyse_panel
    from trialcore.formats.figures.panel import panel_figures

    table = read_columns(file, ("judge", "entry", "rep"), ("value",), optional=("rep",))
    values = [number_in(table, "value", i) for i in range(len(table.lines))]
    found = analyse_panel(table.labels["judge"], table.labels["entry"], values, table.labels.get("rep"))
    return panel_figures(found, check, len(values))


def keeping(file: str, check: str | None) -> Json:
    """Looks at lots in store: columns lot, entry, day, sound and lost."""
    from trialcore.formats.figures.keeping import keeping_figures

    return keeping_figures(keeping_rows(file), check)


def keeping_rows(file: str) -> Sequence[dict[str, Any]]:
    """The lines of a keeping sheet, as `keeping_figures` takes them."""
    table = read_columns(file, ("lot", "entry"), ("day", "sound", "lost"))
    return [
        {
            "lot": lot,
            "entry": table.labels["entry"][i],
            "day": number_in(table, "day", i),
            **{n: whole_in(file, table, n, i) for n in ("sound", "lost")},
        }
        for i, lot in enumerate(table.labels["lot"])
    ]


READERS: dict[str, Callable[[str, str | None], Json]] = {"panel": panel, "keeping": keeping}
