"""Several traits at once: joint draws of what the true means may be, and how entries stand by weights and must-haves."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import product
from typing import Literal

import numpy as np
import numpy.typing as npt

from trialcore.analyses.linear import Floats
from trialcore.inference.priors import RATIOS, SEASONALS, STANDINGS, WIDTH, Prior
from trialcore.inference.shrunken import LEAST_WEIGHT

DRAWS = 20_000
MANY = 120  # entries, beyond which fewer spreads of them are looked at
Link = Literal["identity", "logit", "log", "sqrt"]


def _back(values: Floats, link: Link) -> Floats:
    if link == "identity":
        return values
    if link == "sqrt":
        return np.asarray(np.maximum(values, 0.0) ** 2)
    return np.asarray(np.exp(values) if link == "log" else 100 / (1 + np.exp(-values)))


@dataclass(frozen=True, eq=False)
class TraitEvidence:
    """What the trial says of one trait. `means` (entries) with their `covariance` (entries × entries, in squared units) on
    `df` degrees of freedom. `direction` is +1 when more is better, −1 when less is. One unit of the index is `matters`
    (the smallest difference that matters) times 1 / `weight`. `least` and `most` are must-haves, in the trait's unit."""

    name: str
    means: Floats
    covariance: Floats
    df: float
    direction: int = 1
    weight: float = 1.0
    matters: float = 1.0
    least: float | None = None
    most: float | None = None
    link: Link = "identity"
    """The scale on which `means` and `covariance` stand: that of the trait, logit of a percentage, log or square root."""

    plot_variance: float = 0.0
    """On that scale; where it is known, means can be shrunken."""

    @property
    def shown(self) -> Floats:
        """The means in the trait's unit."""
        return _back(self.means, self.link)


def draws_of(
    traits: Sequence[TraitEvidence],
    correlation: Floats | None = None,
    seed: int = 1,
    draws: int = DRAWS,
    check: int | None = None,
    prior: Prior | None = None,
) -> Floats:
    """Joint draws of the true means (draws × traits × entries), each in its trait's unit; the same `seed` gives the same.

    By a flat prior (Box and Tiao 1973, ch. 8); with a `prior` on the `check` (its place among the entries) by that of `shrink`, one
    season, where a trait knows the variance of a plot: entries as drawn around a mean of their own.

    Raises ValueError for correlations that cannot be.
    """
    k, t = len(traits[0].means), len(traits)
    mixing = _root(np.eye(t) if correlation is None else np.asarray(correlation, dtype=float), t)
    rng = np.random.default_rng(seed)
    luck = np.einsum("ts,dsk->dtk", mixing, rng.standard_normal((draws, t, k)))
    made = np.empty((draws, t, k))
    for i, trait in enumerate(traits):
        widening = np.sqrt(trait.df / rng.chisquare(trait.df, size=draws))[:, None]
        if prior is not None and check is not None and trait.plot_variance > 0:
            parts = _posterior(trait, check, prior)
            of = rng.choice(len(parts), size=draws, p=[weight for weight, _, _ in parts])
            for n in np.unique(of):
                own, (_, mean, covariance) = of == n, parts[n]
                made[own, i, :] = _back(mean + widening[own] * (luck[own, i, :] @ _spread(covariance).T), trait.link)
        else:
            made[:, i, :] = _back(trait.means + widening * (luck[:, i, :] @ _spread(trait.covariance).T), trait.link)
    return made


def _spread(covariance: Floats) -> Floats:
    """A symmetric root, so that the luck of an entry stays its own."""
    values, vectors = np.linalg.eigh(covariance)
    return np.asarray((vectors * np.sqrt(np.clip(values, 0, None))) @ vectors.T)


def _posterior(trait: TraitEvidence, check: int, prior: Prior) -> list[tuple[float, Floats, Floats]]:
    """The parts of the posterior of the true means: weight, mean, covariance, one for each spread of entries and each entry ×
    season variance of the grid, over all standings of the check, the mean of entries flat."""
    k, y, v = len(trait.means), trait.direction * trait.means, trait.covariance
    logs, parts = [], []
    some = range(0, len(RATIOS), 1 if k <= MANY else 3), range(len(SEASONALS)) if k <= MANY else [int(np.argmax(prior.seasonals))]
    for i, j in product(*some):
        between = RATIOS[i] ** 2 * trait.plot_variance
        g = np.full(k, between)
        g[check] = WIDTH**2 * between
        inverse = np.linalg.inv(v + np.diag(g + SEASONALS[j] * between))
        ones = inverse.sum(axis=1)
        total = float(ones.sum())
        a = np.zeros((len(STANDINGS), k))
        a[:, check] = STANDINGS * np.sqrt(between)
        level = (y - a) @ ones / total
        gap = y - a - level[:, None]
        logdet = float(np.linalg.slogdet(inverse)[1])
        fits = prior.logs[i, j] + 0.5 * (logdet - np.log(total) - ((gap @ inverse) * gap).sum(axis=1))
        chances = np.exp(fits - fits.max())
        logs.append(float(np.log(chances.sum()) + fits.max()))
        chances /= chances.sum()
        each = level[:, None] + a + g * (gap @ inverse)
        mean = chances @ each
        left = 1 - g * ones
        within = np.diag(g) - (g[:, None] * inverse) * g + np.outer(left, left) / total
        parts.append((trait.direction * mean, within + (each - mean).T @ (chances[:, None] * (each - mean))))
    weights = np.exp(np.array(logs) - max(logs))
    weights[weights < LEAST_WEIGHT * weights.sum()] = 0.0
    weights /= weights.sum()
    return [(float(w), mean, covariance) for w, (mean, covariance) in zip(weights, parts, strict=True) if w > 0]


def passes(trait: TraitEvidence, values: Floats) -> npt.NDArray[np.bool_]:
    """Whether each of `values` meets the trait's must-haves."""
    fit = np.ones(values.shape, dtype=bool)
    if trait.least is not None:
        fit &= values >= trait.least
    if trait.most is not None:
        fit &= values <= trait.most
    return fit


@dataclass(frozen=True, eq=False)
class Standing:
    """Of each entry the chance that it is above the check (None for the check, and without one), that it is the best of those that
    meet every must-have, and that it is among the best three of these."""

    above: tuple[float | None, ...]
    best: Floats
    three: Floats


def stand(apart: Floats, weights: Sequence[float], fit: npt.NDArray[np.bool_], check: int | None) -> Standing:
    """How entries stand by Σ weight · `apart` (draws × traits × entries, in differences that matter from the check); `fit` (draws ×
    entries) says who meets every must-have."""
    scores = np.einsum("t,dtk->dk", np.asarray(weights, dtype=float), apart)
    allowed = np.where(fit, scores, -np.inf)
    k = scores.shape[1]
    first = allowed.max(axis=1, keepdims=True)
    third = np.partition(allowed, k - 3, axis=1)[:, [k - 3]] if k >= 3 else np.full((len(allowed), 1), -np.inf)
    above = tuple(None if check is None or j == check else float((scores[:, j] > 0).mean()) for j in range(k))
    return Standing(above, (fit & (allowed >= first)).mean(axis=0), (fit & (allowed >= third)).mean(axis=0))


@dataclass(frozen=True)
class Turn:
    """What weight of one trait would let another entry win, everything else as it is."""

    trait: str
    weight: float
    winner: str


def turns(entries: Sequence[str], apart: Floats, weights: Sequence[float], names: Sequence[str]) -> tuple[Turn, ...]:
    """For each trait the weight nearest to its own at which another entry overtakes the leader of Σ weight · `apart` (traits ×
    entries, in differences that matter); none where no weight does. The nearest by ratio comes first."""
    w = np.asarray(weights, dtype=float)
    index = w @ apart
    leader = int(np.argmax(index))
    found: list[tuple[float, Turn]] = []
    for i, name in enumerate(names):
        options = []
        for j in range(len(entries)):
            slope = apart[i, leader] - apart[i, j]
            if j == leader or slope == 0:
                continue
            at = w[i] - (index[leader] - index[j]) / slope
            if at >= 0:
                options.append((abs(np.log((at + 0.05) / (w[i] + 0.05))), at, entries[j]))
        if options:
            nearness, at, winner = min(options)
            found.append((float(nearness), Turn(name, float(at), winner)))
    return tuple(turn for _, turn in sorted(found, key=lambda f: f[0]))


def _root(correlation: Floats, traits: int) -> Floats:
    if (
        correlation.shape != (traits, traits)
        or not np.allclose(correlation, correlation.T)
        or not np.allclose(correlation.diagonal(), 1)
    ):
        raise ValueError("the correlations of the traits must be a symmetric table with ones on its diagonal")
    values, vectors = np.linalg.eigh(correlation)
    if values[0] < -1e-8:
        raise ValueError("these correlations cannot hold together")
    return np.asarray(vectors * np.sqrt(np.clip(values, 0, None)))


def residual_correlation(residuals: Floats) -> Floats:
    """Correlation of the traits' plot residuals (plots × traits, NaN where there is none), pair by pair, moved to the
    nearest table that can hold together (negative eigenvalues cut off)."""
    t = residuals.shape[1]
    table = np.eye(t)
    for i in range(t):
        for j in range(i):
            both = np.isfinite(residuals[:, i]) & np.isfinite(residuals[:, j])
            a, b = residuals[both, i], residuals[both, j]
            if len(a) > 2 and a.std() > 0 and b.std() > 0:
                table[i, j] = table[j, i] = float(np.corrcoef(a, b)[0, 1])
    values, vectors = np.linalg.eigh(table)
    whole = (vectors * np.clip(values, 0, None)) @ vectors.T
    scale = np.sqrt(np.diag(whole))
    return np.asarray(whole / np.outer(scale, scale))
