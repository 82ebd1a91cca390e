"""Fitting blocks of plots into a real bed."""

from __future__ import annotations

from dataclasses import dataclass
from math import ceil, floor

from trialcore.layout import serpentine


@dataclass(frozen=True)
class Bed:
    """A bed in metres. x runs along its length from the origin mark, y across its width."""

    length: float
    width: float


@dataclass(frozen=True)
class PlotSize:
    """A plot in metres: `length` lies along the bed, `width` across it; `path` is left between blocks."""

    length: float
    width: float
    path: float = 0.5


@dataclass(frozen=True)
class Spot:
    """One plot in the bed: its block and its place along the block's path (both from 1), its row and column in the
    whole field, and its near corner and size in metres."""

    block: int
    position: int
    row: int
    col: int
    x: float
    y: float
    length: float
    width: float


@dataclass(frozen=True)
class Placement:
    """Blocks laid in a bed. `spots` is in the order of blocks and positions; lengths in metres.

    When it does not `fit`, `spots` still shows the most compact arrangement, and `short_by` (along, across) says how
    much larger the bed would have to be.
    """

    spots: tuple[Spot, ...]
    block_rows: int
    block_cols: int
    used_length: float
    used_width: float
    fits: bool
    short_by: tuple[float, float]


def place_blocks(entries: int, blocks: int, size: PlotSize, bed: Bed) -> Placement:
    """Lay `blocks` blocks of `entries` plots into `bed`, each block as near to a square as the bed allows.

    Compact blocks hold the ground most alike (Gomez and Gomez 1984, sec. 2.2), so among all shapes that fit the one
    with no empty corner and the shortest edge is taken.

    Raises ValueError for sizes that are not positive or counts below one.
    """
    if min(size.length, size.width, bed.length, bed.width) <= 0 or size.path < 0:
        raise ValueError("lengths must be above nought")
    if entries < 1 or blocks < 1:
        raise ValueError("at least one entry and one block are needed")
    best: tuple[tuple[float, ...], int, int, int] | None = None
    for rows in range(1, entries + 1):
        cols = ceil(entries / rows)
        if rows > 1 and ceil(entries / (rows - 1)) == cols:
            continue
        for down in range(1, blocks + 1):
            along = ceil(blocks / down)
            if down > 1 and ceil(blocks / (down - 1)) == along:
                continue
            length = _extent(along, cols * size.length, size.path)
            width = _extent(down, rows * size.width, size.path)
            over = max(0.0, length - bed.length - 1e-9) + max(0.0, width - bed.width - 1e-9)
            edge = cols * size.length + rows * size.width
            ranking = (over, float(rows * cols - entries), edge, float(down * along - blocks), length + width)
            if best is None or ranking < best[0]:
                best = (ranking, rows, cols, down)
    assert best is not None
    _, rows, cols, down = best
    along = ceil(blocks / down)
    length = _extent(along, cols * size.length, size.path)
    width = _extent(down, rows * size.width, size.path)
    short = (max(0.0, length - bed.length), max(0.0, width - bed.width))
    fits = short[0] <= 1e-9 and short[1] <= 1e-9
    spots = tuple(spot for block in range(blocks) for spot in _block_spots(block, rows, cols, along, entries, size))
    return Placement(spots, rows, cols, length, width, fits, short)


def _extent(count: int, each: float, path: float) -> float:
    return count * each + (count - 1) * path


def _block_spots(block: int, rows: int, cols: int, along: int, entries: int, size: PlotSize) -> list[Spot]:
    down, across = divmod(block, along)
    left = across * (cols * size.length + size.path)
    top = down * (rows * size.width + size.path)
    cells = [(i // cols, i % cols) for i in range(rows * cols)]
    path = serpentine([r for r, _ in cells], [c for _, c in cells])[:entries]
    return [
        Spot(
            block + 1,
            place + 1,
            down * rows + r + 1,
            across * cols + c + 1,
            left + c * size.length,
            top + r * size.width,
            size.length,
            size.width,
        )
        for place, (r, c) in enumerate(cells[i] for i in path)
    ]


def stations(length: float, width: float, between_rows: float, in_row: float) -> tuple[int, int]:
    """Rows and plants a row that a plot holds, half a spacing left at every edge: (rows, plants in each), in metres.

    Rows run along the plot's length. Raises ValueError when a spacing is not positive.
    """
    if between_rows <= 0 or in_row <= 0:
        raise ValueError("spacings must be above nought")
    return floor(width / between_rows + 1e-9), floor(length / in_row + 1e-9)
