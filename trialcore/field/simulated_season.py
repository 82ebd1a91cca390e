"""A season whose truth is known, in the shape that a trial records."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np


@dataclass(frozen=True)
class Field:
    """How uneven the ground is, in the trait's unit: standard deviations of blocks and of plots, and the rise of a
    straight gradient from the first to the last column."""

    block_sd: float
    plot_sd: float
    gradient: float = 0.0


def plot_values(
    entry: Sequence[str],
    block: Sequence[int],
    col: Sequence[int],
    truth: Mapping[str, float],
    field: Field,
    seed: int,
) -> list[float]:
    """One value a plot: the entry's true mean + its block + the gradient + luck, all normal and from `seed`.

    `entry`, `block` and `col` have one element a plot. Raises KeyError for an entry without a true mean.
    """
    rng = np.random.default_rng(seed)
    blocks = {b: rng.normal(0.0, field.block_sd) for b in sorted(set(block))}
    first, last = min(col), max(col)
    span = max(1, last - first)
    return [
        float(truth[e] + blocks[b] + field.gradient * (c - first) / span + rng.normal(0.0, field.plot_sd))
        for e, b, c in zip(entry, block, col, strict=True)
    ]


def split_into_picks(total: float, picks: int, seed: int) -> list[float]:
    """A total shared over repeated picks, most in the middle ones. The parts add up to `total`."""
    rng = np.random.default_rng(seed)
    middle = (picks - 1) / 2
    hump = np.exp(-(((np.arange(picks) - middle) / max(1.0, picks / 3)) ** 2))
    share = rng.dirichlet(20 * hump / hump.sum())
    return [float(total * s) for s in share]


@dataclass(frozen=True)
class Cultivar:
    """What is true of one entry: marketable kg a plot, days from sowing to the first pick, share of plants that come up,
    and the damage it takes on a 1–9 scale (9 worst)."""

    name: str
    yield_kg: float
    days: float
    emergence: float = 0.9
    damage: float = 3.0


@dataclass(frozen=True)
class World:
    """How the ground, the year and the people are. `season_shift` moves every yield by a share, `frost_loss` is the chance
    that a plot is lost to an accident, `lost_label` that a record is; raters have a bias and a spread in points."""

    block_sd: float = 0.4
    plot_sd: float = 0.5
    gradient: float = 0.0
    neighbour_sd: float = 0.0
    neighbour_rho: float = 0.8
    season_shift: float = 0.0
    accident: float = 0.0
    lost_label: float = 0.0
    stations: int = 24
    picks: int = 4
    days_sd: float = 2.0
    rater_bias: Mapping[str, float] = field(default_factory=lambda: {"A": 0.0})
    rater_sd: float = 0.7


@dataclass(frozen=True)
class PlotRecord:
    """What the application would hold of one plot at the end: counts, dates as days from sowing, weights in kg by pick day,
    one damage score a rater, and why there is nothing where there is nothing."""

    plot: int
    entry: str
    block: int
    row: int
    col: int
    cause: str
    stand: int | None
    first_pick_after: int | None
    first_pick_by: int | None
    picks: tuple[tuple[int, float], ...]
    damage: Mapping[str, int]

    @property
    def total_kg(self) -> float | None:
        """Marketable kg of the plot; None where nothing was picked."""
        return sum(kg for _, kg in self.picks) if self.picks else None


def simulate_season(
    plots: Sequence[tuple[int, str, int, int, int]], cultivars: Sequence[Cultivar], world: World, seed: int
) -> list[PlotRecord]:
    """A season of a trial whose truth is known, as its records.

    `plots` are (number, entry, block, row, col). Yields are the entry's + block + a straight rise along the columns +
    correlated ground (AR1 over rows and columns) + luck, moved by the season and by missing plants; the first pick is seen
    on the weekly walk after it is ready; raters score damage with their own bias. Everything comes from `seed`.

    Raises ValueError for an entry that is not among the cultivars.
    """
    known = {c.name: c for c in cultivars}
    unknown = sorted({p[1] for p in plots} - known.keys())
    if unknown:
        raise ValueError(f"no cultivar is named {unknown[0]}")
    rng = np.random.default_rng(seed)
    blocks = {b: rng.normal(0, world.block_sd) for b in sorted({p[2] for p in plots})}
    rows, cols = np.array([p[3] for p in plots]), np.array([p[4] for p in plots])
    ground = world.gradient * (cols - cols.min()) / max(1, int(np.ptp(cols)))
    if world.neighbour_sd > 0:
        rho = world.neighbour_rho ** (np.abs(rows[:, None] - rows) + np.abs(cols[:, None] - cols))
        ground = ground + world.neighbour_sd * np.linalg.cholesky(rho + 1e-9 * np.eye(len(rows))) @ rng.standard_normal(len(rows))
    records = []
    for (number, name, block, row, col), lie in zip(plots, ground, strict=True):
        truth = known[name]
        stand = int(rng.binomial(world.stations, truth.emergence))
        luck = rng.normal(0, world.plot_sd)
        cause = "accident" if rng.random() < world.accident else "lost_label" if rng.random() < world.lost_label else ""
        kg = max(0.0, (truth.yield_kg + blocks[block] + float(lie) + luck) * (1 + world.season_shift))
        kg *= stand / max(1e-9, world.stations * truth.emergence) if truth.emergence else 0.0
        ready = truth.days + rng.normal(0, world.days_sd)
        seen = int(7 * np.ceil(ready / 7))
        weights = split_into_picks(kg, world.picks, int(rng.integers(2**31))) if kg > 0 else []
        scores = {
            rater: int(np.clip(round(truth.damage + bias + rng.normal(0, world.rater_sd)), 1, 9))
            for rater, bias in world.rater_bias.items()
        }
        if cause:
            records.append(PlotRecord(number, name, block, row, col, cause, None, None, None, (), {}))
            continue
        picks = tuple((seen + 7 * i, float(w)) for i, w in enumerate(weights))
        records.append(PlotRecord(number, name, block, row, col, "", stand, seen - 7, seen, picks, scores))
    return records
