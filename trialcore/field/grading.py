"""A lot of which only some pieces were graded: what its classes come to, and how far that can be trusted."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from math import exp, log, sqrt

from trialcore.inference.distributions import t_quantile


@dataclass(frozen=True)
class GradedShare:
    """The share of a lot's weight (0 to 1) that is of one class, its standard error, and the 95 % interval by Student's t."""

    share: float
    se: float
    lower95: float
    upper95: float

    def of(self, lot_kg: float) -> tuple[float, float]:
        """Kilograms of the whole lot, with their standard error."""
        return self.share * lot_kg, self.se * lot_kg


def graded_share(weights: Sequence[float], affected: Sequence[float], units_in_lot: int) -> GradedShare:
    """The share of a lot from units drawn at random, each with its weight and the weight of it that is of the class (same unit).

    The ratio of the sums, with the variance of a ratio estimator and the finite population correction (Cochran 1977, *Sampling
    Techniques*, 6.3): nought when the whole lot was graded. Raises ValueError for fewer than two units, more than are in the lot,
    or no weight at all.
    """
    n = len(weights)
    if len(affected) != n or n < 2 or n > units_in_lot:
        raise ValueError(f"{n} units were graded of {units_in_lot}; expected from two to all of them")
    total = sum(weights)
    if total <= 0:
        raise ValueError("the graded units weigh nothing")
    ratio = sum(affected) / total
    left = sum((a - ratio * w) ** 2 for a, w in zip(affected, weights, strict=True))
    se = sqrt((1 - n / units_in_lot) * left / (n - 1) / n) / (total / n)
    half = t_quantile(0.975, n - 1) * se
    return GradedShare(ratio, se, max(0.0, ratio - half), min(1.0, ratio + half))


def shared_out(counts: Sequence[int], total: int) -> list[int]:
    """`total` whole pieces in the proportions of `counts`, by largest remainders (Hamilton): they add up to it."""
    exact = [c * total / sum(counts) for c in counts]
    whole = [int(x) for x in exact]
    largest = sorted(range(len(counts)), key=lambda i: (whole[i] - exact[i], i))
    for i in largest[: total - sum(whole)]:
        whole[i] += 1
    return whole


def graded_classes(sample: Sequence[tuple[float, int]], units_in_lot: int) -> list[GradedShare]:
    """The share of each class from its weight and pieces in the graded sample; a piece weighs what its class does on average.

    The intervals are on the logit scale. Weighing by class tells nothing of how pieces differ within one, which moves a share of
    weight far less than how many pieces fell into it. Raises ValueError as `graded_share` does, or for a class with weight and no
    piece.
    """
    if any((kg > 0) != (pieces > 0) for kg, pieces in sample):
        raise ValueError("a class has a weight and no piece, or pieces and no weight")
    weights = [kg / pieces for kg, pieces in sample for _ in range(pieces)]
    made, at = [], 0
    for _, pieces in sample:
        own = [w if at <= i < at + pieces else 0.0 for i, w in enumerate(weights)]
        made.append(_on_logits(graded_share(weights, own, units_in_lot), len(weights)))
        at += pieces
    return made


def _on_logits(found: GradedShare, n: int) -> GradedShare:
    """The same with its interval on the logit scale, which never leaves 0 to 1 and holds for small shares."""
    p = found.share
    if not 0 < p < 1 or found.se == 0:
        return found
    half, middle = t_quantile(0.975, n - 1) * found.se / (p * (1 - p)), log(p / (1 - p))
    return replace(found, lower95=1 / (1 + exp(half - middle)), upper95=1 / (1 + exp(-half - middle)))
