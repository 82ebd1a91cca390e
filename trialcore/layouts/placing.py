"""From a layout to plots in a real bed."""

from __future__ import annotations

from dataclasses import dataclass
from math import ceil

from trialcore.bed import Bed, PlotSize, Spot
from trialcore.layout import serpentine
from trialcore.layouts.neighbours import Standing
from trialcore.layouts.plan import LaidPlot, Layout


@dataclass(frozen=True)
class Placed:
    """A layout in its bed, in the order of `layout.numbered()`. `path` is the order in which plots are walked. When it does
    not fit, `spots` shows the most compact arrangement and `short_by` (along, across) how much more room it needs."""

    layout: Layout
    spots: tuple[Spot, ...]
    path: tuple[int, ...]
    used_length: float
    used_width: float
    fits: bool
    short_by: tuple[float, float]

    def standings(self) -> list[Standing]:
        """The plots as the checks of neighbours want them."""
        return [
            Standing(str(number), p.entry if p.factor2 is None else f"{p.entry} · {p.factor2}", f"{p.rep}/{p.block}",
                     s.x, s.y, s.length, s.width)
            for (number, p), s in zip(self.layout.numbered(), self.spots, strict=True)
        ]  # fmt: skip


def place(
    layout: Layout, size: PlotSize, bed: Bed, gradient_along: bool | None = None, guard_m: float = 0.0, inner_path_m: float = 0.0
) -> Placed:
    """Lay a layout into a bed, replicates as compact as the bed allows and blocks whole.

    `size.path` is left between replicates, `inner_path_m` between the lines of one (whole plots, incomplete blocks),
    `guard_m` at every edge for guard plants. With `gradient_along` known (does the ground change along the bed?) the lines
    of a replicate lie across that change, so that each block holds ground of one kind.

    Raises ValueError for sizes that are not positive.
    """
    if min(size.length, size.width, bed.length, bed.width) <= 0 or min(size.path, guard_m, inner_path_m) < 0:
        raise ValueError("lengths must be above nought, paths and guards not below it")
    members: dict[int, list[LaidPlot]] = {}
    for p in layout.plots:
        members.setdefault(p.rep, []).append(p)
    largest = max(len(m) for m in members.values())
    room = Bed(bed.length - 2 * guard_m, bed.width - 2 * guard_m)
    best = None
    for shape in _shapes(layout, largest, gradient_along):
        for down in range(1, len(members) + 1):
            along = ceil(len(members) / down)
            if down > 1 and ceil(len(members) / (down - 1)) == along:
                continue
            inner_x, inner_y = shape.extent(size, inner_path_m)
            length = along * inner_x + (along - 1) * size.path
            width = down * inner_y + (down - 1) * size.path
            over = max(0.0, length - room.length - 1e-9) + max(0.0, width - room.width - 1e-9)
            ranking = (
                over,
                float(shape.rows * shape.cols - largest),
                inner_x + inner_y,
                float(down * along - len(members)),
                length + width,
            )
            if best is None or ranking < best[0]:
                best = (ranking, shape, along, length, width)
    assert best is not None
    _, shape, along, length, width = best
    spots = []
    counted: dict[int, int] = {}
    for p in layout.plots:
        counted[p.rep] = counted.get(p.rep, 0) + 1
        row, col = shape.cell(p, counted[p.rep])
        down_at, along_at = divmod(p.rep - 1, along)
        inner_x, inner_y = shape.extent(size, inner_path_m)
        x = (
            guard_m
            + along_at * (inner_x + size.path)
            + col * size.length
            + (0 if shape.upright is None or not shape.upright else col * inner_path_m)
        )
        y = guard_m + down_at * (inner_y + size.path) + row * size.width + (row * inner_path_m if shape.upright is False else 0)
        spots.append(
            Spot(
                p.rep,
                counted[p.rep],
                down_at * shape.rows + row + 1,
                along_at * shape.cols + col + 1,
                x,
                y,
                size.length,
                size.width,
            )
        )
    short = (max(0.0, length - room.length), max(0.0, width - room.width))
    fits = short[0] <= 1e-9 and short[1] <= 1e-9
    path = serpentine([s.row for s in spots], [s.col for s in spots])
    return Placed(layout, tuple(spots), tuple(path), length + 2 * guard_m, width + 2 * guard_m, fits, short)


@dataclass(frozen=True)
class _Shape:
    """A replicate as rows × cols of plots. `upright` tells whether the lines of the design run across the bed (True) or
    along it (False); None where the design has no lines."""

    rows: int
    cols: int
    upright: bool | None

    def extent(self, size: PlotSize, inner: float) -> tuple[float, float]:
        x, y = self.cols * size.length, self.rows * size.width
        if self.upright is True:
            x += (self.cols - 1) * inner
        elif self.upright is False:
            y += (self.rows - 1) * inner
        return x, y

    def cell(self, plot: LaidPlot, order: int) -> tuple[int, int]:
        """Row and column from nought. Without lines the plots follow a path that turns at each row's end."""
        if self.upright is False:
            return plot.line - 1, plot.position - 1
        if self.upright is True:
            return plot.position - 1, plot.line - 1
        row, col = divmod(order - 1, self.cols)
        return row, col if row % 2 == 0 else self.cols - 1 - col


def _shapes(layout: Layout, largest: int, gradient_along: bool | None) -> list[_Shape]:
    if layout.lines:
        lying, upright = _Shape(layout.lines, layout.length, False), _Shape(layout.length, layout.lines, True)
        if layout.design == "latin" or gradient_along is None:
            return [lying, upright]
        return [upright] if gradient_along else [lying]
    shapes = []
    for rows in range(1, largest + 1):
        cols = ceil(largest / rows)
        if rows == 1 or ceil(largest / (rows - 1)) != cols:
            shapes.append(_Shape(rows, cols, None))
    return shapes
