"""Several traits together: an index, must-haves, and what is likely to be the best choice."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from trialcore.analyses.linear import Floats
from trialcore.analyses.printing import table
from trialcore.inference.joint import TraitEvidence, draws_of, passes

DRAWS = 20_000


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
    true = draws_of(traits, correlation, seed, draws)
    base = list(entries).index(check) if check is not None else None
    scores = np.zeros((draws, k))
    fit = np.ones((draws, k), dtype=bool)
    expected = np.zeros(k)
    for i, trait in enumerate(traits):
        unit = trait.direction * trait.weight / trait.matters
        drawn, shown = true[:, i, :], trait.shown
        scores += unit * (drawn - (drawn[:, [base]] if base is not None else drawn.mean(axis=1, keepdims=True)))
        expected += unit * (shown - (shown[base] if base is not None else shown.mean()))
        fit &= passes(trait, drawn)
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
