"""Whether what is seen lies together in the ground, as it does when it spreads from neighbour to neighbour."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

NEAREST = 1.6  # times the distance to the nearest plot within which plots are neighbours


@dataclass(frozen=True)
class Together:
    """Moran's I of values over neighbouring plots, what it would be by chance, and the share of shuffles that gave as much."""

    moran: float
    expected: float
    p: float
    neighbours: int


def lies_together(
    values: Sequence[float], x: Sequence[float], y: Sequence[float], seed: int, shuffles: int = 999
) -> Together | None:
    """Moran's (1950) I with neighbours weighted alike, against `shuffles` random orders of the values (Cliff and Ord 1981);
    one-sided, for lying together. `x` and `y` are the middles of plots in metres. None with fewer than eight plots, no
    neighbours, or values that are all equal. Raises ValueError for lists of different length."""
    if not len(values) == len(x) == len(y):
        raise ValueError("each plot needs a value and a place")
    v = np.array(values, dtype=float)
    if len(v) < 8 or float(v.std()) == 0:
        return None
    places = np.column_stack([x, y]).astype(float)
    apart = np.sqrt(((places[:, None, :] - places[None, :, :]) ** 2).sum(axis=2))
    np.fill_diagonal(apart, np.inf)
    weights = (apart <= NEAREST * apart.min(axis=1, keepdims=True)).astype(float)
    weights = np.maximum(weights, weights.T)
    total = float(weights.sum())
    if total == 0:
        return None

    def moran(z: np.ndarray) -> float:
        return float(len(z) / total * (z @ weights @ z) / (z @ z))

    z = v - v.mean()
    found = moran(z)
    luck = np.random.default_rng(seed)
    more = sum(moran(luck.permutation(z)) >= found - 1e-12 for _ in range(shuffles))
    return Together(found, -1 / (len(v) - 1), (more + 1) / (shuffles + 1), int(total / 2))
