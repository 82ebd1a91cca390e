"""Cells of a tray by name: rows lettered from the marked corner, cells numbered along them."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence

MOST_ROWS, MOST_COLS = 52, 100
CELL = re.compile(r"([A-Za-z]{1,2})\s*([0-9]{1,3})?")


def row_letters(row: int) -> str:
    """A, B … Z, AA, AB … for rows from nought."""
    return chr(65 + row) if row < 26 else chr(64 + row // 26) + chr(65 + row % 26)


def cell_name(cell: int, cols: int) -> str:
    """The name of a cell counted from nought along the rows, such as B7."""
    return f"{row_letters(cell // cols)}{cell % cols + 1}"


def read_cells(text: str, rows: int, cols: int) -> list[int]:
    """Cells that were typed: names (A1), rows (B), runs along the rows (A7-B6, C-D), with commas between; each once, in order.

    Raises ValueError in words for what is no cell of the tray.
    """
    chosen: list[int] = []
    for part in text.replace("–", "-").replace(";", ",").split(","):
        if not part.strip():
            continue
        first, dash, last = (p.strip() for p in part.partition("-"))
        start = _cell(first, rows, cols)[0]
        end = _cell(last, rows, cols)[1] if dash else _cell(first, rows, cols)[1]
        if end < start:
            raise ValueError(f"Found “{part.strip()[:20]}”. Expected the cell nearer the mark first.")
        chosen += range(start, end + 1)
    return list(dict.fromkeys(chosen))


def _cell(text: str, rows: int, cols: int) -> tuple[int, int]:
    """First and last cell that a name or a row letter stands for."""
    found = CELL.fullmatch(text)
    letters = found[1].upper() if found else ""
    row = -1 if not found else ord(letters[-1]) - 65 + (26 * (ord(letters[0]) - 64) if len(letters) == 2 else 0)
    col = int(found[2]) - 1 if found and found[2] else None
    if not found or row >= rows or (col is not None and not 0 <= col < cols):
        last = cell_name(rows * cols - 1, cols)
        raise ValueError(f"Found “{text[:20]}”. Expected cells from A1 to {last}, such as A1-A{min(cols, 6)} or a row such as B.")
    return (row * cols, row * cols + cols - 1) if col is None else (row * cols + col,) * 2


def cells_in_words(cells: Iterable[int], cols: int) -> str:
    """The shortest way to write cells: whole rows by their letter, runs by their ends."""
    said, run = [], []  # type: list[str], list[int]
    for cell in [*sorted(cells), -1]:
        if run and cell != run[-1] + 1:
            said.append(_run(run, cols))
            run = []
        run.append(cell)
    return ", ".join(said)


def _run(run: Sequence[int], cols: int) -> str:
    first, last = run[0], run[-1]
    if first % cols == 0 and last % cols == cols - 1:
        top, bottom = row_letters(first // cols), row_letters(last // cols)
        return top if top == bottom else f"{top}-{bottom}"
    return cell_name(first, cols) if first == last else f"{cell_name(first, cols)}-{cell_name(last, cols)}"


def first_free(taken: Iterable[int], count: int, cells: int) -> list[int]:
    """The first `count` cells that are free, from the marked corner on; fewer where the tray is nearly full."""
    used = set(taken)
    return [c for c in range(cells) if c not in used][:count]
