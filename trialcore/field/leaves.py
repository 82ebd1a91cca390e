"""Drawn leaves and plots with a known share of damage, for practice in scoring by eye.

Everything is plain geometry: a leaf lies along x from 0 to 1 with its midrib at y = 0. Shares are reckoned on a grid of
points, so that overlaps and what lies over the margin count once and not at all.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cache
from typing import Literal

import numpy as np

from trialcore.analyses.linear import Floats

Shape = Literal["lance", "oval", "heart", "lobed"]
Lesion = Literal["spots", "blotches", "stripes", "margin", "holes"]
Alike = Literal["none", "flecks", "yellowing", "dust"]
SHAPES: tuple[Shape, ...] = ("lance", "oval", "heart", "lobed")
LESIONS: tuple[Lesion, ...] = ("spots", "blotches", "stripes", "margin", "holes")
ALIKE: tuple[Alike, ...] = ("none", "flecks", "yellowing", "dust")
GRID = 260  # points along the leaf
MOST_LESIONS = 900
SIZE: dict[Lesion, tuple[float, float]] = {
    "spots": (0.012, 0.03),
    "blotches": (0.03, 0.085),
    "stripes": (0.01, 0.02),
    "margin": (0.03, 0.08),
    "holes": (0.018, 0.05),
}

_WIDTHS: dict[Shape, Callable[[Floats], Floats]] = {
    "lance": lambda x: 0.16 * np.sin(np.pi * x**0.8) ** 0.9,
    "oval": lambda x: 0.27 * np.sin(np.pi * x) ** 0.75,
    "heart": lambda x: 0.37 * np.sin(np.pi * x**0.55) ** 0.8 * (1 - 0.25 * x),
    "lobed": lambda x: 0.26 * np.sin(np.pi * x**0.85) ** 0.7 * (1 + 0.3 * np.sin(9 * np.pi * x)),
}


@dataclass(frozen=True, eq=False)
class Leaf:
    """Outlines as (n, 2) arrays in leaf lengths: the leaf, its lesions, and marks that only look like lesions. `share` is the
    percent of the leaf that is damaged."""

    shape: Shape
    lesion: Lesion
    outline: Floats
    lesions: tuple[Floats, ...]
    alike: tuple[Floats, ...]
    kind_alike: Alike
    share: float


@dataclass(frozen=True, eq=False)
class DrawnPlot:
    """Plants of a plot at (x, y) in plant distances, and which of them are affected; `share` is the percent affected."""

    places: Floats
    affected: tuple[bool, ...]
    share: float


def half_width(shape: Shape, x: Floats) -> Floats:
    """Half of the leaf's width at `x` from its base (0) to its tip (1). Raises ValueError for an unknown shape."""
    if shape not in _WIDTHS:
        raise ValueError(f"the shape must be one of {', '.join(SHAPES)}")
    return np.asarray(_WIDTHS[shape](np.clip(np.asarray(x, dtype=float), 0.0, 1.0)))


def _outline(shape: Shape, x: Floats) -> Floats:
    """The margin of the leaf over these places, along one side and back along the other."""
    w = half_width(shape, x)
    return np.concatenate([np.column_stack([x, w]), np.column_stack([x[::-1], -w[::-1]])])


def drawn_leaf(shape: Shape, lesion: Lesion, share: float, seed: int, alike: Alike = "none") -> Leaf:
    """A leaf of which about `share` percent are damaged; the exact percent is in the result. Lesions are added at random
    places until the share is reached, the last one shrunk to fit. Marks that look alike never count.

    Raises ValueError for an unknown shape, lesion or mark, or a share outside 0–95 %.
    """
    if lesion not in LESIONS or alike not in ALIKE:
        raise ValueError(f"lesions are {', '.join(LESIONS)}, marks that look alike {', '.join(ALIKE)}")
    if not 0 <= share <= 95:
        raise ValueError("a drawn leaf holds from 0 to 95 % of damage")
    luck = np.random.default_rng(seed)
    points = _inside(shape)
    hit = np.zeros(len(points), dtype=bool)
    lesions: list[Floats] = []
    wanted = share / 100 * len(points)
    while hit.sum() < wanted and len(lesions) < MOST_LESIONS:
        centre, size, turn, wobble = _place(luck, shape, lesion, points, hit, share)
        outline = _blob(centre, size, lesion, turn, wobble)
        within = _covers(outline, points)
        room = wanted - hit.sum()
        if np.count_nonzero(~hit[within]) > room:
            outline = _shrunk(centre, size, lesion, turn, wobble, points, hit, room)
            lesions.append(outline)
            hit[_covers(outline, points)] = True
            break
        lesions.append(outline)
        hit[within] = True
    whole = _outline(shape, np.linspace(0, 1, 80))
    return Leaf(shape, lesion, whole, tuple(lesions), _marks(luck, shape, alike, points), alike, 100 * float(hit.mean()))


def damaged_share(leaf: Leaf) -> float:
    """The percent of a leaf that its lesions cover, reckoned anew from their outlines."""
    points = _inside(leaf.shape)
    hit = np.zeros(len(points), dtype=bool)
    for outline in leaf.lesions:
        hit[_covers(outline, points)] = True
    return 100 * float(hit.mean())


def drawn_plot(rows: int, in_row: int, affected: int, seed: int, together: bool = False) -> DrawnPlot:
    """A plot of `rows` × `in_row` plants with `affected` of them ill, scattered or `together` around one plant.

    Raises ValueError for numbers that cannot be.
    """
    plants = rows * in_row
    if rows < 1 or in_row < 1 or not 0 <= affected <= plants:
        raise ValueError("expected at least one plant, and no more affected than there are")
    luck = np.random.default_rng(seed)
    places = np.array([(c, r) for r in range(rows) for c in range(in_row)], dtype=float)
    order = luck.permutation(plants)
    if together:
        order = np.argsort(((places - places[order[0]]) ** 2).sum(axis=1) + luck.uniform(0, 0.5, plants))
    ill = set(order[:affected].tolist())
    shaken = places + luck.normal(0, 0.06, places.shape)
    return DrawnPlot(shaken, tuple(i in ill for i in range(plants)), 100 * affected / plants)


@cache
def _inside(shape: Shape) -> Floats:
    """Grid points of the leaf, row by row: their y never falls."""
    x = (np.arange(GRID) + 0.5) / GRID
    reach = float(half_width(shape, x).max())
    y = np.arange(-reach, reach, 1 / GRID) + 0.5 / GRID
    xs, ys = np.meshgrid(x, y)
    keep = np.abs(ys) <= half_width(shape, xs)
    return np.column_stack([xs[keep], ys[keep]])


@cache
def _at_margin(shape: Shape) -> np.ndarray:
    """Which grid points lie near the margin."""
    points = _inside(shape)
    return np.abs(points[:, 1]) > 0.82 * half_width(shape, points[:, 0])


def _place(
    luck: np.random.Generator, shape: Shape, lesion: Lesion, points: Floats, hit: np.ndarray, share: float
) -> tuple[Floats, float, float, Floats]:
    """Centre, size, direction and unevenness of the next lesion; on sound tissue, so that a high share is reached."""
    low, high = SIZE[lesion]
    size = float(luck.uniform(low, high)) * (1 + share / 60)
    wobble = 1 + luck.normal(0, 0.16, 14)
    sound = ~hit if not hit.all() else ~np.zeros_like(hit)
    free = np.flatnonzero(sound)
    centre = points[free[luck.integers(len(free))]]
    if lesion == "margin":
        edge = np.flatnonzero(sound & _at_margin(shape))
        centre = points[edge[luck.integers(len(edge))]] if len(edge) else centre
    return centre, size, float(luck.uniform(0, np.pi)), np.clip(wobble, 0.6, 1.5)


def _blob(centre: Floats, size: float, lesion: Lesion, turn: float, wobble: Floats) -> Floats:
    angles = np.linspace(0, 2 * np.pi, len(wobble), endpoint=False)
    long = {"stripes": 7.0, "blotches": 1.4}.get(lesion, 1.0)
    x, y = long * size * np.cos(angles) * wobble, size * np.sin(angles) * wobble
    if lesion != "stripes":
        x, y = x * np.cos(turn) - y * np.sin(turn), x * np.sin(turn) + y * np.cos(turn)
    return np.column_stack([centre[0] + x, centre[1] + y])


def _covers(outline: Floats, points: Floats) -> np.ndarray:
    """Which points, by number, lie within an outline (even-odd rule); only those near it are looked at. `points` are in the
    order of `_inside`."""
    low, high = outline.min(axis=0), outline.max(axis=0)
    first, after = np.searchsorted(points[:, 1], low[1], "left"), np.searchsorted(points[:, 1], high[1], "right")
    x = points[first:after, 0]
    near = first + np.flatnonzero((x >= low[0]) & (x <= high[0]))
    p = points[near]
    a, b = outline, np.roll(outline, -1, axis=0)
    above = (a[:, 1] > p[:, 1:2]) != (b[:, 1] > p[:, 1:2])
    with np.errstate(divide="ignore", invalid="ignore"):
        cross = (b[:, 0] - a[:, 0]) * (p[:, 1:2] - a[:, 1]) / (b[:, 1] - a[:, 1]) + a[:, 0]
    return np.asarray(near[((above & (p[:, 0:1] < cross)).sum(axis=1) % 2).astype(bool)])


def _shrunk(
    centre: Floats, size: float, lesion: Lesion, turn: float, wobble: Floats, points: Floats, hit: np.ndarray, room: float
) -> Floats:
    """The last lesion at the size at which no more than `room` further points are hit."""
    low, high = 0.0, size
    for _ in range(18):
        middle = (low + high) / 2
        if np.count_nonzero(~hit[_covers(_blob(centre, middle, lesion, turn, wobble), points)]) > room:
            high = middle
        else:
            low = middle
    return _blob(centre, low if low > 0 else high, lesion, turn, wobble)


def _marks(luck: np.random.Generator, shape: Shape, alike: Alike, points: Floats) -> tuple[Floats, ...]:
    """What looks like damage and is none: pale flecks, a yellow tip, dust."""
    if alike == "none":
        return ()
    if alike == "yellowing":
        return (_outline(shape, np.linspace(float(luck.uniform(0.72, 0.86)), 1, 30)),)
    count, size = (40, 0.008) if alike == "flecks" else (90, 0.004)
    centres = points[luck.integers(len(points), size=count)]
    return tuple(_blob(c, size * float(luck.uniform(0.6, 1.6)), "spots", 0.0, np.ones(8)) for c in centres)
