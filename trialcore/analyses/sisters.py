"""Single plants of a generation ranked among their sisters, with the ground taken out by the checks that stand among them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from trialcore.analyses.linear import Floats

NEAR_CHECKS = 4  # whose mean stands for the ground at a plant
FEWEST_CHECKS = 3  # below which sisters stand for the ground instead
NEAR_SISTERS = 8
AT_ONCE = 400  # places whose neighbours are looked for together


@dataclass(frozen=True, eq=False)
class Ground:
    """Values with the ground taken out. `adjusted` (n) holds each plant's value less what its spot is better than the mean, nan
    where it has none; `spot` that amount. `by` says whether checks or, for want of them, sisters tell the ground. `plant_sd` is
    the spread of the checks once adjusted (what single plants differ by without any genetic difference; None without checks),
    `sister_sd` that of the sisters, and `heritability` the share of the sisters' variance beyond the checks' (0 to 1; None without
    checks)."""

    adjusted: Floats
    spot: Floats
    by: str
    plant_sd: float | None
    sister_sd: float | None
    heritability: float | None


def without_ground(value: Sequence[float | None], where: Sequence[tuple[float, float]], is_check: Sequence[bool]) -> Ground:
    """Take the ground out of single plants' values.

    What a spot is better than the rest is the mean of the checks nearest to it, weighted by nearness (1/(1 + (d/d̄)²) with d̄ the
    distance of the nearest four on average), less the mean of all checks: a moving mean of check plants (Gomez and Gomez 1984,
    sec. 13.2; Kempton and Fox 1997, ch. 7). A check is left out of the mean for its own spot, so that it is judged as a sister
    would be. With fewer than three checks the mean of the eight nearest sisters stands in, which takes out some of what families
    that stand together have in common. `where` is in metres. Raises ValueError for lengths that differ.
    """
    if not len(value) == len(where) == len(is_check):
        raise ValueError("expected a value, a place and whether it is a check for every plant")
    y = np.array([np.nan if v is None else v for v in value], dtype=float)
    checks = np.array(is_check, dtype=bool)
    at = np.array(where, dtype=float).reshape(-1, 2)
    there = np.isfinite(y)
    by_checks = int((checks & there).sum()) >= FEWEST_CHECKS
    told = np.flatnonzero(there & (checks if by_checks else ~checks))
    spot = np.zeros(len(y))
    if len(told) > 2:
        middle = float(y[told].mean())
        spot = _near(at, told, y, NEAR_CHECKS if by_checks else NEAR_SISTERS) - middle
    adjusted = y - spot
    plant_sd = _sd(adjusted[checks & there]) if by_checks else None
    sister_sd = _sd(adjusted[~checks & there])
    heritability = None
    if plant_sd is not None and sister_sd:
        heritability = min(1.0, max(0.0, 1 - (plant_sd / sister_sd) ** 2))
    return Ground(adjusted, spot, "checks" if by_checks else "sisters" if len(told) > 2 else "", plant_sd, sister_sd, heritability)


def _near(at: Floats, told: np.ndarray, y: Floats, count: int) -> Floats:
    """The weighted mean of the `count` nearest of `told` (positions) for every place, itself left out; some places at a time, so
    that not all distances lie in memory at once."""
    found = np.empty(len(at))
    for start in range(0, len(at), AT_ONCE):
        here = slice(start, start + AT_ONCE)
        distance = np.hypot(*np.moveaxis(at[here, None, :] - at[None, told, :], 2, 0))
        distance[np.arange(start, start + len(distance))[:, None] == told[None, :]] = np.inf
        nearest = np.argsort(distance, axis=1, kind="stable")[:, :count]
        near = np.take_along_axis(distance, nearest, axis=1)
        scale = np.maximum(1e-9, near.mean(axis=1, keepdims=True, where=np.isfinite(near)))
        weight = np.where(np.isfinite(near), 1 / (1 + (near / scale) ** 2), 0.0)
        found[here] = (weight * y[told][nearest]).sum(axis=1) / weight.sum(axis=1)
    return found


def _sd(values: Floats) -> float | None:
    return float(np.std(values, ddof=1)) if len(values) > 2 else None


@dataclass(frozen=True)
class Sign:
    """One criterion among sisters: values with the ground taken out, +1 where more is better and −1 where less is, its weight,
    and what a plant must have, in the trait's own figures (None where nothing)."""

    adjusted: Sequence[float | None]
    seen: Sequence[float | None]
    sign: int
    weight: float = 1.0
    must: float | None = None


@dataclass(frozen=True)
class Ranked:
    """A plant among its sisters: its index in standard deviations of the sisters (None before it has every figure), its rank, and
    the criteria (by their place) on whose wrong side it is."""

    index: float | None
    rank: int | None
    fails: tuple[int, ...]


def ranked(signs: Sequence[Sign], sister: Sequence[bool]) -> list[Ranked]:
    """The running index: for every plant the weighted mean of how many of its sisters' standard deviations it lies above their
    mean, over the criteria; and its rank among those sisters that have what they must. It runs along while plants are still being
    looked at: those with all figures are ranked. Raises ValueError for weights that do not add up to more than nought."""
    total = sum(s.weight for s in signs)
    if not signs or total <= 0:
        raise ValueError("expected one criterion or more, with a weight")
    index = np.zeros(len(sister))
    fails: list[list[int]] = [[] for _ in sister]
    among = np.array(sister, dtype=bool)
    for k, s in enumerate(signs):
        y = np.array([np.nan if v is None else v for v in s.adjusted], dtype=float)
        own = y[among & np.isfinite(y)]
        spread = float(np.std(own, ddof=1)) if len(own) > 1 else 0.0
        index += s.weight * s.sign * ((y - own.mean()) / spread if spread > 0 else np.where(np.isfinite(y), 0.0, np.nan)) / total
        for i, v in enumerate(s.seen):
            if s.must is not None and v is not None and s.sign * (v - s.must) < 0:
                fails[i].append(k)
    standing = [i for i in range(len(sister)) if among[i] and not fails[i] and np.isfinite(index[i])]
    order = {i: n for n, i in enumerate(sorted(standing, key=lambda i: -index[i]), start=1)}
    return [Ranked(float(index[i]) if np.isfinite(index[i]) else None, order.get(i), tuple(fails[i])) for i in range(len(sister))]


def expected_of(value: float, mean: float, heritability: float) -> float:
    """What the selfed offspring of a plant are expected to be: the sisters' mean and the heritable share of its lead."""
    return mean + heritability * (value - mean)
