"""Several traits together: an index, must-haves, and what is likely to be the best choice."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from trialcore.analyses.linear import Floats
from trialcore.analyses.printing import table

DRAWS = 20_000


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


@dataclass(frozen=True)
class Ranked:
    """One entry. `index` is how many (weighted) differences that matter it lies above the check; `chance_best` the chance
    that it is the best of those that meet every must-have; `regret` what choosing it is expected to cost against the
    truly best one, in units of the index; `chance_fit` the chance that it meets every must-have."""

    entry: str
    index: float
    lower95: float
    upper95: float
    chance_above_check: float | None
    chance_best: float
    chance_fit: float
    regret: float


@dataclass(frozen=True)
class Index:
    """What `weigh` found, from so many draws."""

    ranked: tuple[Ranked, ...]
    draws: int

    def __str__(self) -> str:
        columns = {"entry": "entry", "index": "index", "lower": "lower95", "upper": "upper95", "above check": "chance_above_check"}
        return table("Index", self.ranked, **columns, best="chance_best", fit="chance_fit", regret="regret")


def weigh(
    entries: Sequence[str],
    traits: Sequence[TraitEvidence],
    check: str | None,
    correlation: Floats | None = None,
    seed: int = 1,
    draws: int = DRAWS,
) -> Index:
    """Weigh traits against each other by joint draws of the true means given the data.

    Each trait's means are multivariate t about the estimates (flat prior; Box and Tiao 1973, ch. 8). `correlation`
    (traits × traits) is that of plot residuals and ties the traits' luck together; independent unless given. The same
    `seed` gives the same figures. The index of an entry is Σ weight · direction · (mean − check) / matters; without a
    check it is measured from the mean of all entries. An entry without a figure for a trait takes no part: leave it out.

    Raises ValueError for no trait, weights that are all nought or any negative, matters not above nought, arrays of
    another length than `entries`, a check that is not among them, or correlations that cannot be.
    """
    k, t = len(entries), len(traits)
    if not t or k < 2:
        raise ValueError("at least one trait and two entries are needed")
    if any(x.weight < 0 for x in traits) or not any(x.weight > 0 for x in traits):
        raise ValueError("weights must not be negative, and one must be above nought")
    if any(x.matters <= 0 or x.df <= 0 for x in traits):
        raise ValueError("the smallest difference that matters and the degrees of freedom must be above nought")
    if any(x.means.shape != (k,) or x.covariance.shape != (k, k) for x in traits):
        raise ValueError("every trait needs one mean for each entry and their covariance")
    if check is not None and check not in entries:
        raise ValueError(f"“{check}” is not among the entries")
    mixing = _root(np.eye(t) if correlation is None else np.asarray(correlation, dtype=float), t)
    rng = np.random.default_rng(seed)
    luck = np.einsum("ts,dsk->dtk", mixing, rng.standard_normal((draws, t, k)))
    base = list(entries).index(check) if check is not None else None
    scores = np.zeros((draws, k))
    fit = np.ones((draws, k), dtype=bool)
    expected = np.zeros(k)
    for i, trait in enumerate(traits):
        values, vectors = np.linalg.eigh(trait.covariance)
        root = vectors * np.sqrt(np.clip(values, 0, None))
        widening = np.sqrt(trait.df / rng.chisquare(trait.df, size=draws))
        true = trait.means + widening[:, None] * (luck[:, i, :] @ root.T)
        unit = trait.direction * trait.weight / trait.matters
        scores += unit * (true - (true[:, [base]] if base is not None else true.mean(axis=1, keepdims=True)))
        expected += unit * (trait.means - (trait.means[base] if base is not None else trait.means.mean()))
        if trait.least is not None:
            fit &= true >= trait.least
        if trait.most is not None:
            fit &= true <= trait.most
    allowed = np.where(fit, scores, -np.inf)
    best = allowed.max(axis=1)
    some = np.isfinite(best)
    winners = (allowed == best[:, None]) & some[:, None]
    share = winners / np.maximum(winners.sum(axis=1, keepdims=True), 1)
    # An entry that fails a must-have is no choice at all: it costs what the worst allowed one does and one unit more.
    floor = np.where(fit, scores, np.inf).min(axis=1, initial=np.inf)
    paid = np.where(fit, scores, np.where(np.isfinite(floor), floor - 1, 0.0)[:, None])
    loss = np.where(some, best, 0.0)[:, None] - np.where(some[:, None], paid, 0.0)
    low, high = np.percentile(scores, [2.5, 97.5], axis=0)
    ranked = tuple(
        Ranked(
            name,
            float(expected[j]),
            float(low[j]),
            float(high[j]),
            None if base is None or j == base else float((scores[:, j] > 0).mean()),
            float(share[:, j].mean()),
            float(fit[:, j].mean()),
            float(loss[:, j].mean()),
        )
        for j, name in enumerate(entries)
    )
    return Index(ranked, draws)


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
