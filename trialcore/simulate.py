"""A season whose truth is known, in the shape that a trial records."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

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
