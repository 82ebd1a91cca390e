"""Days known only to lie between two looks, by entry and block: normal, or log-normal or Weibull on the log of days."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Literal

import numpy as np
import numpy.typing as npt

from trialcore.analyses.linear import Floats, Labels, levels_of
from trialcore.analyses.mixed import incidence
from trialcore.analyses.printing import figures, lined, page
from trialcore.inference import distributions

Shape = Literal["lognormal", "gaussian", "weibull"]
SHAPES: tuple[Shape, ...] = ("lognormal", "gaussian", "weibull")
STEPS = 200
CLOSE = 1e-10
LN2 = float(np.log(2))


@dataclass(frozen=True, eq=False)
class Censored:
    """What `fit_censored` found: the terms of the model with their coefficients `beta`, the log of the common scale, and the
    `covariance` of all (the log scale last), on the log of days unless `shape` is gaussian."""

    shape: Shape
    entries: tuple[str, ...]
    blocks: int
    terms: tuple[str, ...]
    beta: Floats
    log_scale: float
    covariance: Floats
    loglik: float
    loglik_without_entries: float
    loglik_all_alike: float  # the same over every plot, those of entries without a finite location too

    @cached_property
    def _rows(self) -> Floats:
        rows = np.zeros((len(self.entries), len(self.beta)))
        rows[:, 0] = 1.0
        if self.blocks > 1:
            rows[:, 1 : self.blocks] = 1 / self.blocks
        start = max(1, self.blocks)
        for i in range(1, len(self.entries)):
            rows[i, start + i - 1] = 1.0
        return rows

    @property
    def places(self) -> Floats:
        """Each entry's location, blocks averaged."""
        return np.asarray(self._rows @ self.beta)

    @property
    def place_covariance(self) -> Floats:
        """That of `places`."""
        return np.asarray(self._rows @ self.covariance[:-1, :-1] @ self._rows.T)

    def median(self, place: float) -> float:
        """The day by which half have come, of a location."""
        if self.shape == "gaussian":
            return place
        return float(np.exp(place + (np.exp(self.log_scale) * np.log(LN2) if self.shape == "weibull" else 0.0)))

    @property
    def log_median_se(self) -> Floats:
        """The standard error of the log of each median (of the median itself for the gaussian)."""
        rows = np.hstack([self._rows, np.zeros((len(self.entries), 1))])
        if self.shape == "weibull":
            rows[:, -1] = np.exp(self.log_scale) * np.log(LN2)
        return np.asarray(np.sqrt(np.einsum("ij,jk,ik->i", rows, self.covariance, rows)))

    @property
    def differ(self) -> tuple[float, int, float]:
        """Whether entries differ, by likelihood ratio: chi-square, df, p."""
        return distributions.likelihood_ratio(self.loglik, self.loglik_without_entries, len(self.entries) - 1)

    def differ_with(self, left_out: int) -> tuple[float, int, float]:
        """The same with the `left_out` entries without a finite location, in the limit."""
        return distributions.likelihood_ratio(self.loglik, self.loglik_all_alike, len(self.entries) - 1 + left_out)

    def __str__(self) -> str:
        rows = [[e, f"{self.median(float(p)):.4g}"] for e, p in zip(self.entries, self.places, strict=True)]
        return page(lined(f"Medians ({self.shape})", ["entry", "days"], rows), figures(scale=float(np.exp(self.log_scale))))


@dataclass(frozen=True)
class Unbounded:
    """An entry of which no plot tells a day: all `not yet at the last walk`, or all `before the first walk`."""

    entry: str
    every_plot: str


def unbounded(entry: Labels, looked: Sequence[float | None], reached: Sequence[float | None]) -> tuple[Unbounded, ...]:
    """Entries that have no finite location."""
    found = []
    for e in levels_of(entry):
        at = [i for i, x in enumerate(entry) if x == e and (looked[i] is not None or reached[i] is not None)]
        if at and all(reached[i] is None for i in at):
            found.append(Unbounded(e, "not yet at the last walk"))
        elif at and all(looked[i] is None for i in at):
            found.append(Unbounded(e, "before the first walk"))
    return tuple(found)


def fit_censored(
    entry: Labels, looked: Sequence[float | None], reached: Sequence[float | None], shape: Shape, block: Labels | None = None
) -> Censored:
    """Maximum likelihood of a location for each block and entry and one scale, each plot known to have come after `looked` (None:
    before the first walk) and by `reached` (None: not yet); both None is a missing plot. Newton's method with halved steps.

    Entries without a finite location (`unbounded`) are left out. Raises ValueError when lengths differ, `reached` does not lie
    after `looked`, fewer than two entries are left, or the likelihood has no maximum.
    """
    if not len(entry) == len(looked) == len(reached) or (block is not None and len(block) != len(entry)):
        raise ValueError("entry, both walks and block must have one element for each plot")
    if any(a is not None and b is not None and b <= a for a, b in zip(looked, reached, strict=True)):
        raise ValueError("a day must be reached after the last look without it")
    without = {u.entry for u in unbounded(entry, looked, reached)}
    kept = [i for i in range(len(entry)) if entry[i] not in without and (looked[i] is not None or reached[i] is not None)]
    names = levels_of([entry[i] for i in kept])
    if len(names) < 2:
        raise ValueError("expected two entries at least whose plots were seen to come")
    less, levels = _blocks(kept, block)
    x = np.hstack([less, incidence([entry[i] for i in kept], names)[:, 1:]])
    terms = ["(Intercept)", *(f"rep{level}" for level in levels[1:]), *(f"entry{e}" for e in names[1:])]
    low, high = _ends(kept, looked, reached, shape)
    theta, information, loglik = _fit(low, high, x, shape)
    alike = _fit(low, high, less, shape)[2]
    every = _alike(looked, reached, shape, block) if without else alike
    covariance = np.asarray(np.linalg.inv(information), dtype=float)
    return Censored(
        shape, tuple(names), max(1, len(levels)), tuple(terms), theta[:-1], float(theta[-1]), covariance, loglik, alike, every
    )


def _alike(looked: Sequence[float | None], reached: Sequence[float | None], shape: Shape, block: Labels | None) -> float:
    """The log-likelihood of every plot, entries alike."""
    kept = [i for i in range(len(looked)) if looked[i] is not None or reached[i] is not None]
    return _fit(*_ends(kept, looked, reached, shape), _blocks(kept, block)[0], shape)[2]


def _blocks(kept: Sequence[int], block: Labels | None) -> tuple[Floats, list[str]]:
    """The columns of the mean and of the blocks but the first, and the blocks there are."""
    mean = np.ones((len(kept), 1))
    if block is None:
        return mean, []
    own = [block[i] for i in kept]
    levels = levels_of(own)
    return np.hstack([mean, incidence(own, levels)[:, 1:]]), levels


def _ends(
    kept: Sequence[int], looked: Sequence[float | None], reached: Sequence[float | None], shape: Shape
) -> tuple[Floats, Floats]:
    """Between what each of the plots lies, on the scale of the shape."""
    low, high = (_on_scale([which[i] for i in kept], shape, missing) for which, missing in ((looked, -np.inf), (reached, np.inf)))
    return low, high


def _on_scale(days: Sequence[float | None], shape: Shape, missing: float) -> Floats:
    if shape == "gaussian":
        return np.array([missing if d is None else float(d) for d in days])
    if any(d is not None and d < 0 for d in days):
        raise ValueError("days on a log scale cannot lie below nought")
    with np.errstate(divide="ignore"):
        return np.array([missing if d is None else float(np.log(d)) for d in days])


def _fit(low: Floats, high: Floats, x: Floats, shape: Shape) -> tuple[Floats, Floats, float]:
    """Coefficients and the log of the scale, the observed information and the log-likelihood."""
    step = 0.1 if shape != "gaussian" else 5.0
    middle = np.where(
        np.isinf(low), high - step, np.where(np.isinf(high), low + step, (low + np.where(np.isinf(high), 0, high)) / 2)
    )
    beta = np.linalg.lstsq(x, middle, rcond=None)[0]
    spread = float(np.std(middle - x @ beta)) or step
    theta = np.concatenate([beta, [np.log(max(spread, step / 20))]])
    value, score, hessian = _derivatives(low, high, x, theta, shape)
    for _ in range(STEPS):
        values, vectors = np.linalg.eigh(-hessian)
        move = vectors @ ((vectors.T @ score) / np.maximum(np.abs(values), 1e-8))  # uphill, also where it is not concave yet
        size = min(1.0, 1.0 / max(1e-12, abs(float(move[-1]))))
        while size > 1e-10:
            following = _derivatives(low, high, x, theta + size * move, shape)
            if following[0] >= value - 1e-12 * abs(value):
                break
            size /= 2
        else:
            break
        theta = theta + size * move
        value, score, hessian = following
        if size * float(np.abs(move).max()) < CLOSE:
            break
    if not np.isfinite(value) or float(np.abs(score).max()) > 1e-4 or float(np.linalg.eigvalsh(-hessian).min()) < 1e-9:
        raise ValueError("the likelihood has no maximum: more plots between two walks are needed")
    return theta, -hessian, value


def _derivatives(low: Floats, high: Floats, x: Floats, theta: Floats, shape: Shape) -> tuple[float, Floats, Floats]:
    """The log-likelihood with its gradient and Hessian."""
    s = float(np.exp(theta[-1]))
    mean = x @ theta[:-1]
    chance = np.zeros(len(low))
    grad, second = np.zeros((len(low), 2)), np.zeros((len(low), 3))
    for end, sign in ((high, 1.0), (low, -1.0)):
        inner = np.isfinite(end)
        z = np.where(inner, (np.where(inner, end, 0.0) - mean) / s, 0.0)
        f, d, d2 = _distribution(z, shape)
        chance += sign * np.where(inner, f, end > 0)
        d, d2 = np.where(inner, d, 0.0), np.where(inner, d2, 0.0)
        grad += sign * np.column_stack([-d / s, -z * d])
        second += sign * np.column_stack([d2 / s**2, (d + z * d2) / s, z * d + z * z * d2])
    if (chance <= 1e-300).any():
        return -np.inf, np.zeros(len(theta)), -np.eye(len(theta))
    g = grad / chance[:, None]
    h = second / chance[:, None] - np.column_stack([g[:, 0] ** 2, g[:, 0] * g[:, 1], g[:, 1] ** 2])
    score = np.concatenate([x.T @ g[:, 0], [g[:, 1].sum()]])
    cross = x.T @ h[:, 1]
    hessian = np.block([[(x * h[:, [0]]).T @ x, cross[:, None]], [cross[None, :], np.array([[h[:, 2].sum()]])]])
    return float(np.log(chance).sum()), score, hessian


def _distribution(z: Floats, shape: Shape) -> tuple[Floats, Floats, Floats]:
    """The share that has come by `z`, its density and the derivative of that."""
    if shape == "weibull":
        u = np.exp(np.minimum(z, 6.5))
        density = np.exp(np.minimum(z, 6.5) - u)
        return -np.expm1(-u), density, density * (1 - u)
    from scipy.special import ndtr

    density = np.exp(-0.5 * z * z) / np.sqrt(2 * np.pi)
    return ndtr(z), density, -z * density


@dataclass(frozen=True)
class Mass:
    """What part comes after `start` and by `end` (None: beyond the last look; -inf: before the first), and by then in all."""

    start: float
    end: float | None
    mass: float
    cdf: float


def turnbull(
    looked: Sequence[float | None], reached: Sequence[float | None], number: Sequence[int] | None = None
) -> tuple[tuple[Mass, ...], float]:
    """The likeliest distribution of days known to lie between two looks without any shape (Turnbull 1976, by EM), and its
    log-likelihood. `number` says how many units each pair of looks is of (1 each where none is given). Mass lies on the innermost
    intervals only. Raises ValueError where nothing was looked at."""
    counts: dict[tuple[float, float], int] = {}
    for i, (a, b) in enumerate(zip(looked, reached, strict=True)):
        many = 1 if number is None else number[i]
        if many > 0 and (a is not None or b is not None):
            pair = (-np.inf if a is None else float(a), np.inf if b is None else float(b))
            counts[pair] = counts.get(pair, 0) + many
    if not counts:
        raise ValueError("nothing was looked at")
    pairs, weight = list(counts), np.array(list(counts.values()), dtype=float)
    lows, highs = sorted({a for a, _ in pairs}), sorted({b for _, b in pairs})
    inner = [
        (a, b) for a in lows for b in highs if b > a and not any(a < c < b for c in lows) and not any(a < c < b for c in highs)
    ]
    holds = np.array([[a <= c and d <= b for c, d in inner] for a, b in pairs], dtype=float)
    mass, value = _self_consistent(holds, weight, np.ones(len(inner), dtype=bool))
    for j in np.argsort(mass).tolist():  # a mass that should be 0 goes there ever more slowly: try without it
        if 0 < mass[j] < SMALL_MASS:
            fewer = mass > 0
            fewer[j] = False
            if not (holds[:, fewer].sum(axis=1) > 0).all():
                continue
            without, there = _self_consistent(holds, weight, fewer)
            if there >= value - 1e-9:
                mass, value = without, there
    rows, cdf = [], 0.0
    for (a, b), m in zip(inner, mass.tolist(), strict=True):
        if m > 1e-9:
            cdf += m
            rows.append(Mass(a, None if b == np.inf else b, m, min(1.0, cdf)))
    return tuple(rows), value


SMALL_MASS = 0.02


def _self_consistent(holds: Floats, weight: Floats, allowed: npt.NDArray[np.bool_]) -> tuple[Floats, float]:
    """Masses on the `allowed` intervals that equal what the pairs of looks say of them, and the log-likelihood: by EM, each two
    steps carried on as far as they point (squared extrapolation, Varadhan and Roland 2008) unless that is less likely."""

    def following(mass: Floats) -> Floats:
        share = holds * mass
        return np.asarray(weight @ (share / share.sum(axis=1, keepdims=True)) / weight.sum())

    def likelihood(mass: Floats) -> float:
        return float(weight @ np.log(np.maximum(holds @ mass, 1e-300)))

    mass = np.asarray(allowed / allowed.sum())
    for _ in range(2000):
        one = following(mass)
        two = following(one)
        step, bend = one - mass, two - one - (one - mass)
        if float(np.abs(two - one).max()) < 1e-14 or not bend.any():
            mass = two
            break
        far = max(1.0, float(np.linalg.norm(step) / np.linalg.norm(bend)))
        ahead = np.maximum(mass + 2 * far * step + far**2 * bend, 0.0)
        ahead = following(ahead / ahead.sum()) if (holds @ ahead > 0).all() else two
        mass = ahead if likelihood(ahead) >= likelihood(two) else two
    return mass, float(weight @ np.log(holds @ mass))
