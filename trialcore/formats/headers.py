"""Which line of a sheet names its columns, and what the names are where they take several lines: groups over replicates, a name
written on two lines, units below."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Sequence
from datetime import date

from trialcore.formats.meanings import meaning_of, replicate_of, told_unit
from trialcore.formats.sheet import MISSING

Grid = Sequence[Sequence[str]]
LOOKED = 30  # lines among which the header is looked for
MOST_LINES = 4  # of one header
UNIT = re.compile(r"[(\[]?\s*(kg|g|t|lb|lbs|oz|cm|mm|m|m2|m²|%|°C|days?|d|n|no\.?|nr\.?|count|score|[0-9]\s?[-–]\s?[0-9]|"
                  r"(?:kg|g|t)\s?/\s?(?:m2|m²|ha|plot|plant))\s*[)\]]?", re.I)  # fmt: skip


def header_line(grid: Grid, read_day: Callable[[str], date | None]) -> int | None:
    """The line that names the columns: many cells, each once, few of them numbers, with lines below that are filled alike."""
    best, found = 0.0, None
    for i, row in enumerate(grid[:LOOKED]):
        cells = [c for c in row if c]
        below = [r for r in grid[i + 1 : i + 6] if any(r)]
        if len(cells) < 2 or not below:
            continue
        bare = [c for c in cells if c.isdecimal()]
        counted = len(bare) > 1 and bare == [str(n + 1) for n in range(len(bare))]  # 1, 2, 3: replicates
        words = [c for c in cells if (counted if c in bare else not is_number(c) or replicate_of(c)) or read_day(c)]
        known = sum(meaning_of(c) != "" for c in cells)
        filled = sum(bool(r[k]) for r in below for k, c in enumerate(row) if c) / (len(below) * len(cells))
        numbers = sum(is_number(r[k]) for r in below for k, c in enumerate(row) if c) / (len(below) * len(cells))
        score = len(words) / len(cells) * (1 + filled + numbers) * len(set(cells)) / len(cells) * min(len(cells), 8) + 2 * known
        if score > best:
            best, found = score, i
    return found


def is_number(text: str) -> bool:
    """Whether a cell is rather a number, with a unit perhaps, than words."""
    return bool(re.search(r"[0-9]", text)) and not re.search(r"[A-Za-z]{4,}", text)


def names_of(grid: Grid, header: int) -> tuple[list[str], int, int]:
    """The names of the columns, the first line of the header, and the first line below it.

    A name is put together from what stands in its column. Where that does not tell columns apart (R1, R2 and again R1, R2) the
    groups to the left above it go before it. Lines above belong to the header where they fill its blanks or tell its names apart,
    lines below where they hold units or replicates only, or words with units over columns of numbers.
    """
    last = _last_line(grid, header)
    top = _first_line(grid, header, last)
    lines = [list(row) for row in grid[top : last + 1]]
    own = [[line[k] for line in lines] for k in range(len(lines[0]))]
    lowest = [next((c for c in reversed(column) if c), "") for column in own]
    counts = Counter(n for n in lowest if n)
    names = []
    for k, column in enumerate(own):
        parts = column
        if counts[lowest[k]] > 1:
            end = max(i for i, c in enumerate(column) if c)
            parts = [c or (_group(lines[i], k) if i < end else "") for i, c in enumerate(column)]
        name = ""
        for part in parts:
            name = _joined(name, part)
        names.append(name)
    return names, top, last + 1


def _group(line: Sequence[str], at: int) -> str:
    """What a cell that is merged over several columns says of one of them."""
    return next((c for c in reversed(line[: at + 1]) if c), "")


def _first_line(grid: Grid, header: int, last: int) -> int:
    top = header
    while top > 0 and last - top + 1 < MOST_LINES:
        above, here = grid[top - 1], grid[top]
        if sum(bool(c) for c in above) < 2:
            break
        counts = Counter(c for c in here if c)
        fills = any(not c and up for c, up in zip(here, above, strict=True))
        names = any(up and meaning_of(up) and not meaning_of(c) for c, up in zip(here, above, strict=True))
        if not (fills or names or max(counts.values(), default=0) > 1):
            break
        top -= 1
    return top


def _last_line(grid: Grid, header: int) -> int:
    last = header
    while last + 2 < len(grid) and last - header + 1 < MOST_LINES:
        told = [c for c in grid[last + 1] if c]
        units = [c for c in told if UNIT.fullmatch(c)]
        reps = len(told) > 1 and all(replicate_of(c) and not c.isdecimal() for c in told)
        if not told or not (len(units) == len(told) or reps or _words_with_units(grid, last + 1)):
            break
        last += 1
    return last


def _words_with_units(grid: Grid, at: int) -> bool:
    """Whether a line names columns that hold numbers below it, with the unit of one at least."""
    body = [row for row in grid[at + 1 : at + 11] if any(row)]
    columns = [k for k in range(len(grid[at])) if _of_numbers([row[k] for row in body])]
    here = [grid[at][k] for k in columns if grid[at][k]]
    return bool(here) and not any(is_number(c) for c in grid[at]) and any(told_unit(c)[1] or UNIT.fullmatch(c) for c in here)


def _of_numbers(cells: Sequence[str]) -> bool:
    told = [c for c in cells if c and c.casefold() not in MISSING]
    return len(told) > 1 and sum(is_number(c) for c in told) >= 0.8 * len(told)


def _joined(name: str, more: str) -> str:
    if not more or not name:
        return name or more
    if UNIT.fullmatch(more) and not meaning_of(f"{name} {more}"):
        return f"{name} ({more.strip('()[] ')})"
    rep = replicate_of(more)
    return f"{name} R{rep}" if rep else f"{name} {more}"
