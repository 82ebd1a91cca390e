"""Results as a statistician reads them on a terminal: small tables of the fields that matter."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any


def table(title: str, records: Iterable[Any], **columns: str) -> str:
    """Lines of `records` under a heading. `columns` gives each heading the attribute that it shows; text stands to the left,
    figures to the right with five significant digits, and what is None is left blank."""
    rows = [[_shown(getattr(record, name)) for name in columns.values()] for record in records]
    return lined(title, list(columns), rows)


def lined(title: str, heads: list[str], rows: list[list[str]]) -> str:
    """A table whose cells are text already; the first column stands to the left."""
    if not rows:
        return f"{title}: none"
    width = [max(len(cell) for cell in column) for column in zip(heads, *rows, strict=True)]
    lines = [
        "  ".join(cell.ljust(w) if i == 0 else cell.rjust(w) for i, (cell, w) in enumerate(zip(row, width, strict=True))).rstrip()
        for row in [heads, *rows]
    ]
    return "\n".join([title, *(f"  {line}" for line in lines)])


def figures(**named: float | int | None) -> str:
    """One line of single figures, as `mse 1.2, df 12`; underscores in names become spaces."""
    return ", ".join(f"{name.replace('_', ' ')} {_shown(value)}" for name, value in named.items() if value is not None)


def page(*parts: str) -> str:
    """Parts one below the other, empty ones left out."""
    return "\n\n".join(part for part in parts if part)


def _shown(value: Any) -> str:
    if value is None:
        return ""
    return f"{value:.5g}" if isinstance(value, float) else str(value)
