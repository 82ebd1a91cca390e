"""Beds, plots and plants in metres."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from math import floor
from typing import Literal

Side = Literal["left", "right", "near", "far"]


@dataclass(frozen=True)
class Bed:
    """A bed in metres. x runs along its length from the origin mark, y across its width."""

    length: float
    width: float


@dataclass(frozen=True)
class PlotSize:
    """A plot in metres: `length` lies along the bed, `width` across it; `path` is left between blocks, `guard` at the edges of
    the bed for guard plants."""

    length: float
    width: float
    path: float = 0.5
    guard: float = 0.0


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


def judged_stations(rows: int, plants_a_row: int, border: int) -> int:
    """Plants of the net plot: those left when `border` rows at either side and as many plants at either end of a row are not
    judged. Nought when nothing is left; raises ValueError for counts below nought."""
    if min(rows, plants_a_row, border) < 0:
        raise ValueError("rows, plants and the border must not be negative")
    return max(0, rows - 2 * border) * max(0, plants_a_row - 2 * border)


def plants_at(
    length: float, width: float, between_rows: float, in_row: float, border: int = 0, staggered: bool = False
) -> tuple[list[tuple[float, float]], list[tuple[float, float]]]:
    """Where plants stand in a plot, (x along it, y across) in metres from its near corner, the rows in its middle: those that
    are judged, and those of the border. In `staggered` rows each plant stands opposite the gap of the next row: every other row
    is moved a quarter of the spacing one way and the rest as much the other, so that all hold as many. Raises ValueError when a
    spacing is not positive."""
    rows, each = stations(length, width, between_rows, in_row)
    left, top = (length - each * in_row) / 2, (width - rows * between_rows) / 2
    judged: list[tuple[float, float]] = []
    edge: list[tuple[float, float]] = []
    for row in range(rows):
        for n in range(each):
            inside = border <= row < rows - border and border <= n < each - border
            along = (0.25, 0.75)[row % 2] if staggered else 0.5
            (judged if inside else edge).append((left + (n + along) * in_row, top + (row + 0.5) * between_rows))
    return judged, edge


@dataclass(frozen=True)
class Spacing:
    """How the plants of a plot stand: its size and the distances in metres, how many plants share a station (a hill, a clump or a
    hole), how many outer rows and stations are a border that is not judged, and whether rows are staggered."""

    length: float
    width: float
    between_rows: float
    in_row: float
    per_station: int = 1
    border: int = 0
    staggered: bool = False

    @property
    def shape(self) -> tuple[int, int]:
        """Rows, and stations in each."""
        return stations(self.length, self.width, self.between_rows, self.in_row)

    @property
    def stations(self) -> int:
        """Places for plants in the whole plot."""
        return self.shape[0] * self.shape[1]

    @property
    def plants(self) -> int:
        """Plants of the whole plot."""
        return self.stations * self.per_station

    @property
    def judged_stations(self) -> int:
        """The stations of the net plot."""
        return judged_stations(*self.shape, self.border)

    @property
    def judged(self) -> int:
        """The plants of the net plot."""
        return self.judged_stations * self.per_station

    @cached_property
    def judged_share(self) -> float:
        """The share of the plot's ground on which judged plants stand; all of it without a border, or where none would be left."""
        return self.judged / self.plants if self.border and self.judged else 1.0

    @cached_property
    def inside(self) -> frozenset[int]:
        """The stations of the net plot, counted from nought row by row."""
        rows, each = self.shape
        return frozenset(
            r * each + n for r in range(rows) for n in range(each) if self.border <= min(r, rows - 1 - r, n, each - 1 - n)
        )

    def points(self) -> list[tuple[float, float]]:
        """Where the stations lie, in metres from the near corner, in the order of their numbers."""
        return plants_at(self.length, self.width, self.between_rows, self.in_row, 0, self.staggered)[0]


def beside(points: Sequence[tuple[float, float]], side: Side, deep: int) -> list[int]:
    """Which of a plot's plants, as `points` in metres (x along the bed, y across), stand in the `deep` lines nearest to one side:
    their indices. `left` and `right` are the ends along x, `near` and `far` those along y.

    Raises ValueError for a depth below one."""
    if deep < 1:
        raise ValueError("at least one line of plants stands beside a boundary")
    axis, sign = (0 if side in ("left", "right") else 1), (1 if side in ("left", "near") else -1)
    lines = sorted({round(sign * p[axis], 6) for p in points})[:deep]
    return [i for i, p in enumerate(points) if round(sign * p[axis], 6) in lines]
