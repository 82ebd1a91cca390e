"""`analyse --kind`: records that are no plain values of plots, each by its own model."""

from __future__ import annotations

import sys
from collections.abc import Callable, Sequence
from typing import Any

from trialcore.formats.cli.files import read_file
from trialcore.formats.cli.reckoning import number_in, p_text, read_columns, whole_in
from trialcore.formats.figures.blocks import Json
from trialcore.formats.sheet import Problem, lines_of
from trialcore.formats.table import Table

# The columns by which a kind is known where none is given, the most telling first.
KNOWN_BY: tuple[tuple[str, tuple[str, ...]], ...] = (
    ("panel", ("judge", "entry", "value")),
    ("keeping", ("lot", "entry", "day", "sound", "lost")),
    ("shares", ("entry", "y", "n")),
)
KINDS = (*(kind for kind, _ in KNOWN_BY), "counts")


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


def shares(file: str, check: str | None) -> Json:
    """Units that were counted: columns entry, y of n, and rep where the plots lie in blocks."""
    from trialcore.analyses.generalised import analyse_generalised
    from trialcore.formats.figures.generalised import generalised_figures

    table = read_columns(file, ("entry", "rep"), ("y", "n"), optional=("rep",), may_be_blank=("y", "n"))
    y, n = (_whole(file, table, name) for name in ("y", "n"))
    blocks = {"rep": table.labels["rep"]} if "rep" in table.labels else {}
    return generalised_figures(analyse_generalised("binomial", table.labels["entry"], y, n, blocks), check, len(y))


def counts(file: str, check: str | None) -> Json:
    """Counts of plots: columns entry and value, and rep where the plots lie in blocks."""
    from trialcore.analyses.generalised import analyse_generalised
    from trialcore.formats.figures.generalised import generalised_figures

    table = read_columns(file, ("entry", "rep"), ("value",), optional=("rep",), may_be_blank=("value",))
    y = _whole(file, table, "value")
    blocks = {"rep": table.labels["rep"]} if "rep" in table.labels else {}
    return generalised_figures(analyse_generalised("poisson", table.labels["entry"], y, None, blocks), check, len(y))


def _whole(file: str, table: Table, name: str) -> list[int | None]:
    """A column of whole numbers, blanks as None."""
    return [None if v is None else whole_in(file, table, name, i) for i, v in enumerate(table.numbers[name])]


def counted_text(figures: Json) -> str:
    """What a person reads first of shares or counts."""
    chosen = figures[figures["chosen"]]
    name = "share" if figures["kind"] == "shares" else "mean"
    lines = [f"{figures['kind']} by {figures['chosen'].replace('_', '-')}, {figures['n_observed']} plots"]
    ordered = sorted(chosen["entry_means"], key=lambda r: -r[name])
    low, high = f"{name}_lower95", f"{name}_upper95"
    lines += [f"  {m['entry']:<14} {m[name]:9.4g}  95 % {m[low]:.3g} to {m[high]:.3g}" for m in ordered]
    bare = [r["entry"] for r in figures.get("separated_entries", [])] + figures.get("entries_all_zero", [])
    if bare:
        lines.append(f"  {', '.join(bare)}: every unit, or none, was counted; no finite figure")
    lines += [f"{r['entry']} against {r['check']}: {p_text(r['p'])} (likelihood ratio)" for r in figures["likelihood_ratio_tests"]]
    return "\n".join(lines)


READERS: dict[str, Callable[[str, str | None], Json]] = {"panel": panel, "keeping": keeping, "shares": shares, "counts": counts}
