"""Least squares on labelled terms: the one solver that every fixed-effects design uses."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import numpy.typing as npt

Floats = npt.NDArray[np.float64]
Whole = npt.NDArray[np.int64]
Flags = npt.NDArray[np.bool_]
Labels = Sequence[str]

RANK_TOLERANCE = 1e-9


@dataclass(frozen=True)
class Coded:
    """Labels as whole numbers: observation i has `levels[codes[i]]`. Levels are sorted."""

    levels: tuple[str, ...]
    codes: Whole

    @staticmethod
    def of(labels: Labels | Coded) -> Coded:
        """Labels, coded once so that several models can share them."""
        if isinstance(labels, Coded):
            return labels
        if not len(labels):
            return Coded((), np.empty(0, dtype=np.int64))
        levels, codes = np.unique(np.asarray(labels, dtype=str), return_inverse=True)
        return Coded(tuple(map(str, levels)), codes.astype(np.int64))

    def __len__(self) -> int:
        return len(self.codes)

    def sums(self, values: Floats) -> Floats:
        """The sum of `values` in each level."""
        return np.asarray(np.bincount(self.codes, weights=values, minlength=len(self.levels)), dtype=float)

    @property
    def counts(self) -> Floats:
        """How many observations each level has."""
        return np.bincount(self.codes, minlength=len(self.levels)).astype(float)

    def cross(self, other: Coded) -> Floats:
        """How many observations have each pair of levels (levels × levels of `other`)."""
        width = len(other.levels)
        cells = np.bincount(self.codes * width + other.codes, minlength=len(self.levels) * width)
        return cells.reshape(len(self.levels), width).astype(float)


@dataclass(frozen=True, eq=False)
class Fit:
    """A least-squares fit of `y` on labelled terms.

    The term with most levels is `absorbed`: it has a coefficient for every level and stands for the mean as well. Every
    other term has one for each level but its first. `columns` names each coefficient, as (term, level). The variance of
    l'b is `mse * l @ inverse @ l`, for any l that `estimable` accepts.
    """

    terms: Mapping[str, Coded]
    absorbed: str
    coefficients: Floats
    residuals: Floats
    rank: int
    rss: float
    df_error: int
    counts: Floats
    crossed: Floats
    others: Floats
    schur_inverse: Floats
    deficient: bool

    @property
    def mse(self) -> float | None:
        """Error mean square, or None when no degree of freedom is left for it."""
        return self.rss / self.df_error if self.df_error > 0 else None

    @cached_property
    def columns(self) -> tuple[tuple[str, str], ...]:
        """The coefficients in order, as (term, level); the first level of every term but the absorbed one is left out."""
        own = [(self.absorbed, level) for level in self.terms[self.absorbed].levels]
        rest = [(name, level) for name, term in self.terms.items() if name != self.absorbed for level in term.levels[1:]]
        return (*own, *rest)

    @cached_property
    def inverse(self) -> Floats:
        """A (generalised) inverse of X'X (p × p), by blocks."""
        scaled = self.crossed / self.counts[:, None]
        corner = scaled @ self.schur_inverse
        top = corner @ scaled.T
        top[np.diag_indices(len(top))] += 1 / self.counts
        return np.block([[top, -corner], [-corner.T, self.schur_inverse]])

    def mean_rows(self, term: str) -> Floats:
        """For each level of `term` its mean as a row of contrasts: over the levels of every other term equally."""
        levels = self.terms[term].levels
        rows = np.zeros((len(levels), len(self.columns)))
        start = 0
        for name in (self.absorbed, *(n for n in self.terms if n != self.absorbed)):
            size = len(self.terms[name].levels)
            first = 0 if name == self.absorbed else 1
            width = size - first
            if name == term:
                rows[np.arange(first, size), start + np.arange(width)] = 1.0
            else:
                rows[:, start : start + width] = 1 / size
            start += width
        return rows

    def estimable(self, rows: Floats) -> Flags:
        """Whether each row of contrasts (m × p) can be estimated from these data (Searle 1971, sec. 5.4)."""
        if not self.deficient:
            return np.ones(len(rows), dtype=bool)
        information = np.block([[np.diag(self.counts), self.crossed], [self.crossed.T, self.others]])
        gap = np.abs((rows @ self.inverse) @ information - rows)
        return np.asarray(gap.max(axis=1, initial=0.0) < 1e-7)


def levels_of(labels: Labels) -> list[str]:
    """The distinct labels in sorted order."""
    return sorted(set(labels))


def fit(y: Floats, terms: Mapping[str, Labels | Coded]) -> Fit:
    """Fit `y` (n) on `terms`, each a label for every observation, and their common mean.

    Works whatever cells are missing. The largest term is absorbed: only the Schur complement of its diagonal block is
    inverted (Searle 1971, sec. 7.1), so thousands of plots take no time. Where terms are confounded a generalised inverse
    is taken and `estimable` tells which combinations still mean something.

    Raises ValueError when `y` is empty, not finite, or of another length than a term.
    """
    n = len(y)
    if n == 0:
        raise ValueError("there is no observation to fit")
    if not np.isfinite(y).all():
        raise ValueError("every observation must be a finite number; leave missing ones out")
    if any(len(labels) != n for labels in terms.values()):
        raise ValueError("every term needs one label for each observation")
    coded = {name: Coded.of(labels) for name, labels in terms.items()} or {"": Coded(("",), np.zeros(n, dtype=np.int64))}
    absorbed = max(coded, key=lambda name: len(coded[name].levels))
    own, rest = coded[absorbed], [term for name, term in coded.items() if name != absorbed]
    counts = own.counts
    crossed = np.hstack([np.empty((len(counts), 0)), *(own.cross(t)[:, 1:] for t in rest)])
    others = _cross_table(rest)
    schur_inverse, schur_rank = _inverse(others - crossed.T @ (crossed / counts[:, None]), others)

    shift = float(y.mean())  # centring keeps figures exact when the mean is large beside the differences
    coefficients = np.zeros(len(counts) + len(others))
    residuals = y - shift
    for _ in range(2):  # the second pass refines what rounding left of the first
        top = own.sums(residuals)
        side = np.concatenate([np.empty(0), *(t.sums(residuals)[1:] for t in rest)])
        step = schur_inverse @ (side - crossed.T @ (top / counts))
        whole = np.concatenate([(top - crossed @ step) / counts, step])
        coefficients += whole
        residuals = residuals - _fitted(whole, own, rest)
    coefficients[: len(counts)] += shift

    rank = len(counts) + schur_rank
    rss = float(residuals @ residuals)
    spread = float(((y - shift) ** 2).sum())
    if n == rank or rss < 1e-24 * max(1.0, spread):  # all values equal: rounding is not variation
        rss = 0.0
    deficient = schur_rank < len(others)
    return Fit(coded, absorbed, coefficients, residuals, rank, rss, n - rank, counts, crossed, others, schur_inverse, deficient)


def _cross_table(terms: Sequence[Coded]) -> Floats:
    if not terms:
        return np.empty((0, 0))
    return np.block([[a.cross(b)[1:, 1:] for b in terms] for a in terms])


def _fitted(coefficients: Floats, own: Coded, rest: Sequence[Coded]) -> Floats:
    start = len(own.levels)
    fitted = coefficients[:start][own.codes]
    for term in rest:
        width = len(term.levels) - 1
        fitted = fitted + np.concatenate([[0.0], coefficients[start : start + width]])[term.codes]
        start += width
    return fitted


def _inverse(schur: Floats, others: Floats) -> tuple[Floats, int]:
    """The (generalised) inverse of the Schur complement and its rank, judged against the size of what it came from."""
    if not len(schur):
        return schur, 0
    scale = float(others.diagonal().max(initial=1.0))
    try:
        root = np.linalg.cholesky(schur)
        if float(root.diagonal().min()) ** 2 > 1e-6 * scale:
            half = np.linalg.inv(root)
            return half.T @ half, len(schur)
    except np.linalg.LinAlgError:
        pass
    values, vectors = np.linalg.eigh(schur)
    kept = values > RANK_TOLERANCE * scale
    basis = vectors[:, kept]
    return (basis / values[kept]) @ basis.T, int(kept.sum())
