"""From a layout to plots in real beds."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from math import ceil

from trialcore.layouts.bed import Bed, PlotSize, Spot
from trialcore.layouts.neighbours import PlotInGround
from trialcore.layouts.paths import serpentine
from trialcore.layouts.plan import LaidPlot, Layout

NEAR = 1e-9  # metres that rounding may add


@dataclass(frozen=True)
class BlockPlace:
    """Where a replicate lies: its bed counted from nought, its near corner in metres, and whether it is turned, so that
    what ran along the bed runs across it."""

    bed: int
    x: float
    y: float
    turned: bool = False


@dataclass(frozen=True)
class Placed:
    """A layout in its beds, in the order of `layout.numbered()`. `path` is the order in which plots are walked; `rows` and
    `cols` the shape of a replicate; `blocks` where each lies. When it does not fit, `spots` shows the most compact
    arrangement and `short_by` (along, across) how much larger the bed, or the last of several, would have to be."""

    layout: Layout
    spots: tuple[Spot, ...]
    path: tuple[int, ...]
    used_length: float
    used_width: float
    fits: bool
    short_by: tuple[float, float]
    rows: int
    cols: int
    blocks: Mapping[int, BlockPlace]

    def in_ground(self) -> list[PlotInGround]:
        """The plots as the checks of neighbours want them."""
        return [
            PlotInGround(
                str(number),
                p.entry if p.factor2 is None else f"{p.entry} · {p.factor2}",
                f"{p.rep}/{p.block}",
                s.x,
                s.y,
                s.length,
                s.width,
            )
            for (number, p), s in zip(self.layout.numbered(), self.spots, strict=True)
        ]


def place(
    layout: Layout, size: PlotSize, bed: Bed, gradient_along: bool | None = None, guard_m: float = 0.0, inner_path_m: float = 0.0
) -> Placed:
    """Lay a layout into one bed, replicates as compact as the bed allows and blocks whole.

    Compact blocks hold the ground most alike (Gomez and Gomez 1984, sec. 2.2), so among all shapes that fit the one with
    no empty corner and the shortest edge is taken. `size.path` is left between replicates, `inner_path_m` between the lines
    of one (whole plots, incomplete blocks), `guard_m` at every edge for guard plants. With `gradient_along` known (does the
    ground change along the bed?) the lines of a replicate lie across that change, so that each block holds ground of one
    kind.

    Raises ValueError for sizes that are not positive.
    """
    return place_in_beds(layout, size, [bed], {}, gradient_along, guard_m, inner_path_m)


def place_in_beds(
    layout: Layout,
    size: PlotSize,
    beds: Sequence[Bed],
    moved: Mapping[int, BlockPlace],
    gradient_along: bool | None = None,
    guard_m: float = 0.0,
    inner_path_m: float = 0.0,
    per_bed: int = 0,
) -> Placed:
    """As `place`, over several beds in their order: each takes as many whole replicates as it holds, or just `per_bed` of them
    where that is above nought, so that what differs between beds (tunnel, glass, open ground) is a factor of the trial; each bed
    has its own grid of them then, and `short_by` is the worst bed's.

    A bed never cuts a replicate in two, so that what differs between beds differs between replicates; a shape that leaves no
    bed empty goes before a more compact one. Where they do not all fit as they lie, those of a bed lie across it if it holds
    more of them so. Replicates in `moved` lie where that says. Raises ValueError for sizes that are
    not positive, no bed, or a move to a bed that is not there.
    """
    if any(not 0 <= at.bed < len(beds) for at in moved.values()):
        raise ValueError("a block is moved to a bed that is not there")
    best = _best(layout, size, beds, gradient_along, guard_m, inner_path_m, per_bed)
    blocks = {rep: moved.get(rep, at) for rep, at in best.blocks.items()}
    spots = _spots(layout, best.shape, blocks, size, inner_path_m, None if moved else best.grid)
    box = best.shape.extent(size, inner_path_m)
    short = best.short if not moved else (0.0, 0.0)
    has_room = max(short) <= NEAR and not crowded(blocks, box, beds)
    used = tuple(max(end for end in ends) for ends in zip(*((s.x + s.length, s.y + s.width) for s in spots), strict=True))
    path = serpentine([s.row for s in spots], [s.col for s in spots])
    return Placed(
        layout,
        tuple(spots),
        tuple(path),
        used[0] + guard_m,
        used[1] + guard_m,
        has_room,
        short,
        best.shape.rows,
        best.shape.cols,
        blocks,
    )


def lacking(layout: Layout, size: PlotSize, beds: Sequence[Bed], per_bed: int = 0) -> tuple[float, float]:
    """How much longer and wider the bed, or the last of several, would have to be for a layout, in metres and without laying
    out its plots; nothing where it fits. Raises ValueError as `place`."""
    short = _best(layout, size, beds, None, size.guard, 0.0, per_bed).short
    return short if max(short) > NEAR else (0.0, 0.0)


def _best(
    layout: Layout,
    size: PlotSize,
    beds: Sequence[Bed],
    gradient_along: bool | None,
    guard_m: float,
    inner_path_m: float,
    per_bed: int,
) -> _Arrangement:
    sides = [side for bed in beds for side in (bed.length, bed.width)]
    if not beds or min(size.length, size.width, *sides) <= 0 or min(size.path, guard_m, inner_path_m) < 0:
        raise ValueError("lengths must be above nought, paths and guards not below it")
    members = Counter(p.rep for p in layout.plots)
    largest = max(members.values())
    rooms = [Bed(b.length - 2 * guard_m, b.width - 2 * guard_m) for b in beds]
    shapes = _shapes(layout, largest, gradient_along)
    if per_bed:
        if per_bed * len(beds) != len(members):
            raise ValueError("every bed holds as many replicates as the others")
        each = (_each_bed(shape, list(members), size, rooms, inner_path_m, guard_m, largest) for shape in shapes)
        return min(each, key=lambda o: o.ranking)
    options = [
        option for shape in shapes for option in _arrangements(shape, list(members), size, rooms, inner_path_m, guard_m, largest)
    ]
    return min(options, key=lambda o: o.ranking)


def crowded(blocks: Mapping[int, BlockPlace], box: tuple[float, float], beds: Sequence[Bed]) -> list[tuple[int, int | None]]:
    """Replicates that overlap, as pairs, and those that reach over the edge of their bed, with None. `box` is the length
    and width of a replicate that is not turned."""
    found: list[tuple[int, int | None]] = []
    boxes = {}
    for rep, at in blocks.items():
        length, width = box[::-1] if at.turned else box
        boxes[rep] = (at.bed, at.x, at.y, at.x + length, at.y + width)
        if min(at.x, at.y) < -NEAR or at.x + length > beds[at.bed].length + NEAR or at.y + width > beds[at.bed].width + NEAR:
            found.append((rep, None))
    pairs = ((a, b) for a in blocks for b in blocks if a < b and boxes[a][0] == boxes[b][0])
    found += [(a, b) for a, b in pairs if _overlap(boxes[a][1:], boxes[b][1:])]
    return found


def _overlap(a: tuple[float, ...], b: tuple[float, ...]) -> bool:
    return a[0] < b[2] - NEAR and b[0] < a[2] - NEAR and a[1] < b[3] - NEAR and b[1] < a[3] - NEAR


@dataclass(frozen=True)
class _Arrangement:
    """One way to lay out the replicates; the lowest `ranking` is the best. `grid` tells, for each, how many replicates lie
    before it down and along; empty where they do not lie in one grid."""

    ranking: tuple[float, ...]
    shape: _Shape
    blocks: dict[int, BlockPlace]
    grid: dict[int, tuple[int, int]]
    short: tuple[float, float]


def _arrangements(
    shape: _Shape, reps: list[int], size: PlotSize, rooms: Sequence[Bed], inner: float, guard: float, largest: int
) -> list[_Arrangement]:
    x, y = shape.extent(size, inner)
    made = []
    empty = float(shape.rows * shape.cols - largest)
    for down in range(1, len(reps) + 1) if len(rooms) == 1 else (0,):
        along = ceil(len(reps) / down) if down else 0
        if down > 1 and ceil(len(reps) / (down - 1)) == along:
            continue
        places = _in_one(len(reps), along) if down else _over_several(len(reps), x, y, size.path, rooms)
        last = [cell for bed, cell in places if bed == len(rooms) - 1] or [(0, 0)]
        length = (1 + max(c for _, c in last)) * (x + size.path) - size.path
        width = (1 + max(d for d, _ in last)) * (y + size.path) - size.path
        room = rooms[-1]
        short = (max(0.0, length - room.length), max(0.0, width - room.width))
        over = sum(s - NEAR if s > NEAR else 0.0 for s in short)
        blocks, grid = {}, {}
        for rep, (bed, (d, c)) in zip(reps, places, strict=True):
            blocks[rep] = BlockPlace(bed, guard + c * (x + size.path), guard + d * (y + size.path))
            grid[rep] = (d, c)
        loose = float(down * along - len(reps)) if down else 0.0
        used = {bed for bed, _ in places}
        idle = float(max(used) + 1 - len(used))
        made.append(_Arrangement((over, idle, 0.0, empty, x + y, loose, length + width), shape, blocks, grid, short))
    if all(a.ranking[0] > 0 for a in made) and (turned := _turned(shape, reps, size, rooms, inner, guard)):
        idle = float(len({at.bed for at in turned.values()}) < max(at.bed for at in turned.values()) + 1)
        crossed = float(sum(at.turned for at in turned.values()))
        ranking = (0.0, idle, crossed, empty, x + y, 0.0, 0.0)
        made.append(_Arrangement(ranking, shape, turned, {}, (0.0, 0.0)))
    return made


def _each_bed(
    shape: _Shape, reps: list[int], size: PlotSize, rooms: Sequence[Bed], inner: float, guard: float, largest: int
) -> _Arrangement:
    """As many replicates in each room, each room's as compact as it holds them."""
    per = len(reps) // len(rooms)
    parts = [
        min(_arrangements(shape, reps[i * per : (i + 1) * per], size, [room], inner, guard, largest), key=lambda made: made.ranking)
        for i, room in enumerate(rooms)
    ]
    blocks = {rep: replace(at, bed=i) for i, part in enumerate(parts) for rep, at in part.blocks.items()}
    short = max((part.short for part in parts), key=sum)
    over = sum(part.ranking[0] for part in parts)
    return _Arrangement((over, *map(max, zip(*(part.ranking[1:] for part in parts), strict=True))), shape, blocks, {}, short)


def _turned(
    shape: _Shape, reps: Sequence[int], size: PlotSize, rooms: Sequence[Bed], inner: float, guard: float
) -> dict[int, BlockPlace] | None:
    """Each replicate whole in a bed, those of a bed all across it where it holds more of them so; None where they do not fit."""
    box = shape.extent(size, inner)
    waiting = list(reps)
    places: dict[int, BlockPlace] = {}
    for i, room in enumerate(rooms):
        ways = []
        for turned in (False, True):
            x, y = box[::-1] if turned else box
            along, down = (int((side + size.path + NEAR) // (of + size.path)) for side, of in ((room.length, x), (room.width, y)))
            ways.append((min(along * down, len(waiting)), not turned, along, x + size.path, y + size.path))
        count, straight, along, x, y = max(ways)
        for n, rep in enumerate(waiting[:count]):
            row, col = divmod(n, along)
            places[rep] = BlockPlace(i, guard + col * x, guard + row * y, not straight)
        waiting = waiting[count:]
    return None if waiting else places


def _in_one(count: int, along: int) -> list[tuple[int, tuple[int, int]]]:
    return [(0, divmod(i, along)) for i in range(count)]


def _over_several(count: int, x: float, y: float, path: float, rooms: Sequence[Bed]) -> list[tuple[int, tuple[int, int]]]:
    """As many replicates as each bed holds, in the order of the beds; what is left over goes on along the last."""
    places: list[tuple[int, tuple[int, int]]] = []
    for i, room in enumerate(rooms):
        along, down = int((room.length + path + NEAR) // (x + path)), int((room.width + path + NEAR) // (y + path))
        if i == len(rooms) - 1 and (left := count - len(places)) > along * down:
            down = max(1, down)
            along = ceil(left / down)
        cells = [divmod(n, along) for n in range(along * down)] if along else []
        places += [(i, cell) for cell in cells[: count - len(places)]]
    return places


def _spots(
    layout: Layout,
    shape: _Shape,
    blocks: Mapping[int, BlockPlace],
    size: PlotSize,
    inner: float,
    grid: Mapping[int, tuple[int, int]] | None,
) -> list[Spot]:
    spots, counted = [], dict.fromkeys(blocks, 0)
    for p in layout.plots:
        counted[p.rep] += 1
        row, col = shape.cell(p, counted[p.rep])
        x = col * size.length + (col * inner if shape.upright is True else 0)
        y = row * size.width + (row * inner if shape.upright is False else 0)
        at = blocks[p.rep]
        x, y, length, width = (y, x, size.width, size.length) if at.turned else (x, y, size.length, size.width)
        down, along = grid[p.rep] if grid else (0, 0)
        field = (down * shape.rows + row + 1, along * shape.cols + col + 1)
        spots.append(Spot(p.rep, counted[p.rep], *field, at.x + x, at.y + y, length, width, at.bed))
    if grid and not any(at.bed for at in blocks.values()):
        return spots
    return _in_rows(spots)


def _in_rows(spots: list[Spot]) -> list[Spot]:
    """Rows and columns counted from where the plots lie, the rows of one bed after those of the bed before."""
    made: dict[int, Spot] = {}
    before = 0
    for bed in sorted({s.bed for s in spots}):
        here = [i for i, s in enumerate(spots) if s.bed == bed]
        rows, cols = _lines([spots[i].y for i in here]), _lines([spots[i].x for i in here])
        for i, row, col in zip(here, rows, cols, strict=True):
            made[i] = replace(spots[i], row=before + row, col=col)
        before += max(rows)
    return [made[i] for i in range(len(spots))]


def _lines(at: Sequence[float]) -> list[int]:
    """Places along an axis as line numbers from 1; what lies within a centimetre is one line."""
    order = sorted(set(at))
    number = {order[0]: 1}
    for a, b in pairwise(order):
        number[b] = number[a] + (b - a > 0.01)
    return [number[v] for v in at]


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
