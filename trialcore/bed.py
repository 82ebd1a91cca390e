"""Beds, plots and plants in metres."""

from __future__ import annotations

from dataclasses import dataclass
from math import floor


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
    """One plot in its bed: its replicate and its place along the replicate's path (both from 1), its row and column in the
    whole field, its near corner and size in metres, and the bed counted from nought."""

    block: int
    position: int
    row: int
    col: int
    x: float
    y: float
    length: float
    width: float
    bed: int = 0


def stations(length: float, width: float, between_rows: float, in_row: float) -> tuple[int, int]:
    """Rows and plants a row that a plot holds, half a spacing left at every edge: (rows, plants in each), in metres.

    Rows run along the plot's length. Raises ValueError when a spacing is not positive.
    """
    if between_rows <= 0 or in_row <= 0:
        raise ValueError("spacings must be above nought")
    return floor(width / between_rows + 1e-9), floor(length / in_row + 1e-9)
