"""Entries against several checks at once: every difference, held together, and who stands above or below all of them."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from trialcore.analyses.blocks import BlockAnalysis
from trialcore.analyses.linear import Floats, Whole
from trialcore.analyses.printing import table
from trialcore.inference import distributions
from trialcore.inference.comparisons import AgainstCheck, Difference, against, differences_of

WIDEST, KNOTS = 10.0, 81  # of the probability as a function of the width
REACH = 6.0  # standard deviations to which checks are integrated
ALONG = (1, 96, 96, 36)  # nodes along each dimension, by how many there are
POINTS = 1 << 14  # of the lattice over more checks than these


@dataclass(frozen=True)
class AgainstAll:
    """One entry against every check: its least and its greatest t, and the one-sided probabilities that it is not above all of
    them, or not below (the intersection-union test; Berger 1982)."""

    entry: str
    smallest_t: float
    largest_t: float
    p_above: float
    p_below: float


@dataclass(frozen=True, eq=False)
class AgainstChecks:
    """Every entry that is no check against every check, in the trait's unit. `level` and `covariance` are those of all means in
    the order of `names`, `base` and `others` the places of checks and entries, `df` those of the error."""

    names: tuple[str, ...]
    base: Whole
    others: Whole
    level: Floats
    covariance: Floats
    df: float

    @cached_property
    def differences(self) -> tuple[Difference, ...]:
        """Each entry minus each check, one by one."""
        first, second = np.repeat(self.others, len(self.base)), np.tile(self.base, len(self.others))
        v = self.covariance
        se = np.sqrt(v[first, first] + v[second, second] - 2 * v[first, second])
        return differences_of(self.names, first, second, self.level[first] - self.level[second], se, self.df)

    @cached_property
    def held(self) -> tuple[Difference, ...]:
        """The same with the probability over all entries and all checks together."""
        family = self.above(np.array([d.t for d in self.differences]))
        return tuple(replace(d, p_family=float(p)) for d, p in zip(self.differences, family, strict=True))

    @cached_property
    def critical_family(self) -> float:
        """The t that the largest of all passes in 5 of 100 such trials without any difference."""
        from scipy.optimize import brentq

        return float(brentq(lambda t: float(self.above(np.array([t]))[0]) - 0.05, 1.0, 12.0, xtol=1e-4))

    def one(self, check: str) -> AgainstCheck:
        """Every entry against one of the checks, held together within it."""
        return against(self.names, self.names.index(check), self.others, self.level, self.covariance, self.df)

    @cached_property
    def all_checks(self) -> tuple[AgainstAll, ...]:
        """Each entry against all checks at once."""
        t = np.array([d.t for d in self.differences]).reshape(len(self.others), len(self.base))
        rows = zip(self.others, t.min(axis=1), t.max(axis=1), strict=True)
        return tuple(
            AgainstAll(
                self.names[i],
                float(low),
                float(high),
                1 - float(distributions.t_below(low, self.df)),
                float(distributions.t_below(high, self.df)),
            )
            for i, low, high in rows
        )

    @cached_property
    def mean_of_checks(self) -> tuple[Difference, ...]:
        """Each entry minus the mean of the checks, all checks weighing alike."""
        rows = np.zeros((len(self.others) + 1, len(self.names)))
        rows[np.arange(len(self.others)), self.others] = 1.0
        rows[-1, self.base] = 1 / len(self.base)
        kept = [*self.others, *self.base]
        level = rows[:, kept] @ self.level[kept]
        v = rows[:, kept] @ self.covariance[np.ix_(kept, kept)] @ rows[:, kept].T
        names = [*(self.names[i] for i in self.others), "mean of checks"]
        last = len(self.others)
        first, second = np.arange(last), np.full(last, last)
        se = np.sqrt(v[first, first] + v[last, last] - 2 * v[first, last])
        return differences_of(names, first, second, level[first] - level[last], se, self.df)

    def above(self, t: Floats) -> Floats:
        """P(max |T| > t) over every entry and every check.

        Given the means of the checks the entries are independent (but for a common part, which no difference holds), so the
        probability is an integral over as many dimensions as there are checks, and one for the error: within 1e-4 for two checks or
        three. Where blocks are incomplete or plots were lost, what entries share beyond the checks is left out: within 1e-3."""
        s, weight = distributions.scale_nodes(self.df)
        width = np.multiply.outer(np.abs(np.atleast_1d(t)), s)
        return np.clip(1 - self._within(np.minimum(width, WIDEST)) @ weight, 0.0, 1.0)

    @cached_property
    def _within(self) -> Callable[[Floats], Floats]:
        """P(max |Z| < w) were the error known, as a cubic spline over 0 ≤ w ≤ `WIDEST`."""
        from scipy.interpolate import CubicSpline
        from scipy.special import ndtr

        e, c = self.others, self.base
        v = self.covariance / float(np.diag(self.covariance)[e].mean())
        se = np.sqrt(np.diag(v)[e][:, None] + np.diag(v)[c] - 2 * v[np.ix_(e, c)])
        if len(e) > 1:  # what all entries share is in no difference
            own = v[np.ix_(e, e)]
            v = v - (own.sum() - np.trace(own)) / (len(e) * (len(e) - 1))
        inside = v[np.ix_(c, c)]
        values, vectors = np.linalg.eigh(inside)
        by = v[np.ix_(e, c)] @ np.linalg.pinv(inside)
        rest = np.sqrt(np.maximum(np.diag(v)[e] - np.einsum("ij,jk,ik->i", by, inside, by), 1e-12 * np.diag(v)[e]))
        nodes, weights = _nodes(len(c))
        check = nodes @ (vectors * np.sqrt(np.clip(values, 0.0, None))).T
        alike, count = np.unique(np.column_stack([rest, by, se]).round(6), axis=0, return_counts=True)
        rest, by, se = alike[:, 0], alike[:, 1 : 1 + len(c)], alike[:, 1 + len(c) :]  # entries that stand alike are reckoned once
        middle = check @ by.T
        at = np.linspace(0.0, WIDEST, KNOTS)
        known = np.zeros(KNOTS)
        for k, width in enumerate(at[1:], start=1):
            high = np.min([check[:, [j]] + width * se[:, j] for j in range(len(c))], axis=0)
            low = np.max([check[:, [j]] - width * se[:, j] for j in range(len(c))], axis=0)
            each = np.maximum(ndtr((high - middle) / rest) - ndtr((low - middle) / rest), 0.0)
            known[k] = float(weights @ (each**count).prod(axis=1))
        curve: Callable[[Floats], Floats] = CubicSpline(at, known)
        return curve

    def __str__(self) -> str:
        columns = {
            "entry": "a",
            "check": "b",
            "difference": "estimate",
            "se": "se",
            "t": "t",
            "p": "p_unadjusted",
            "p all": "p_family",
        }
        return table("Against every check", self.held, **columns)


def _nodes(dimensions: int) -> tuple[Floats, Floats]:
    """Points (nodes × dimensions) and weights for a mean over independent normals: Gauss and Legendre's rule along each of two or
    three, a lattice beyond."""
    from scipy.special import ndtri

    if dimensions > len(ALONG) - 1:
        roots = np.sqrt(np.array([2.0, 3.0, 5.0, 7.0, 11.0, 13.0, 17.0, 19.0, 23.0])[:dimensions])
        spread = np.mod(np.outer(np.arange(1, POINTS + 1), roots), 1.0)
        return np.asarray(ndtri(np.clip(np.abs(2 * spread - 1), 1e-12, 1 - 1e-12))), np.full(POINTS, 1 / POINTS)
    nodes, weights = np.polynomial.legendre.leggauss(ALONG[dimensions])
    weights = weights * np.exp(-((REACH * nodes) ** 2) / 2)
    grid = np.stack(np.meshgrid(*[REACH * nodes] * dimensions, indexing="ij"), axis=-1).reshape(-1, dimensions)
    product = weights
    for _ in range(dimensions - 1):
        product = np.multiply.outer(product, weights)
    return grid, product.ravel() / product.sum()


MOST_CHECKS = 9


def against_checks(analysis: BlockAnalysis, checks: Sequence[str]) -> AgainstChecks | None:
    """Every comparable entry against each of `checks`; None where the error cannot be judged, a check has no comparable value, or
    nothing is left to set against them.

    Raises KeyError for a check that the trial does not have, ValueError for fewer than two or more than `MOST_CHECKS`.
    """
    if not 2 <= len(set(checks)) <= MOST_CHECKS:
        raise ValueError(f"expected two to {MOST_CHECKS} different checks, not {len(set(checks))}")
    base = np.array([analysis.index(c) for c in dict.fromkeys(checks)], dtype=np.int64)
    sets = np.array(analysis.connected_set)
    if not analysis.mse or not sets[base[0]] or len(set(sets[base])) > 1:
        return None
    others = np.array([i for i in np.flatnonzero(sets == sets[base[0]]) if i not in base], dtype=np.int64)
    if not len(others):
        return None
    names = tuple(m.entry for m in analysis.means)
    return AgainstChecks(names, base, others, analysis.level, analysis.mse * analysis.covariance, analysis.df_error)
