"""What an early score foretold of what came later, over trials, and what deciding by it would have cost."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import atanh, ceil, sqrt, tanh

import numpy as np

from trialcore.inference.distributions import t_quantile

LEAST = 4  # entries with both figures, below which a trial tells nothing
KEPT = 1 / 3  # of the entries that would have been kept by the early score


@dataclass(frozen=True)
class Foretold:
    """The correlation of entry means, early and late, with its 95 % interval over `trials` and `entries`; where the best third by
    the early score had been kept, how far the best of these lay below the best of all on average (`cost`, in the late trait's
    unit), and in how many trials that best was among them."""

    correlation: float
    lower95: float
    upper95: float
    trials: int
    entries: int
    cost: float
    kept_best: int


def foretold(trials: Sequence[tuple[Sequence[float], Sequence[float]]]) -> Foretold | None:
    """Early and late means of the same entries in each trial, both turned so that more is better.

    Correlations are pooled over trials as Fisher's z, each weighing by its entries less three; the interval is of the pooled
    figure. None without a trial of `LEAST` entries whose figures vary. Raises ValueError for unequal lengths."""
    told: list[tuple[float, int]] = []
    cost, kept_best, used = [], 0, 0
    for early, late in trials:
        if len(early) != len(late):
            raise ValueError("each entry needs an early and a late figure")
        a, b = np.asarray(early, dtype=float), np.asarray(late, dtype=float)
        if len(a) < LEAST or np.ptp(a) == 0 or np.ptp(b) == 0:
            continue
        r = float(np.clip(np.corrcoef(a, b)[0, 1], -0.999999, 0.999999))
        told.append((atanh(r), len(a) - 3))
        kept = np.argsort(-a, kind="stable")[: ceil(KEPT * len(a))]
        cost.append(float(b.max() - b[kept].max()))
        kept_best += int(np.argmax(b) in kept)
        used += len(a)
    if not told:
        return None
    weight = sum(w for _, w in told)
    z = sum(w * v for v, w in told) / weight
    half = t_quantile(0.975, float("inf")) / sqrt(weight)
    return Foretold(tanh(z), tanh(z - half), tanh(z + half), len(told), used, sum(cost) / len(cost), kept_best)
