"""Least squares on labelled terms: the one solver that every fixed-effects design uses."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

Floats = npt.NDArray[np.float64]
Labels = Sequence[str]

RANK_TOLERANCE = 1e-9


@dataclass(frozen=True)
class Fit:
    """A least-squares fit of `y` on an intercept and labelled terms.

    `columns` says what each coefficient stands for, as (term, level); the intercept is ("", ""). The first level of
    each term is its reference and has no column. `inverse` is (X'X)⁻ (p × p), so the variance of l'b is
    `mse * l @ inverse @ l`, for any l that `estimable` accepts.
    """

    columns: tuple[tuple[str, str], ...]
    coefficients: Floats
    inverse: Floats
    residuals: Floats
    rank: int
    rss: float
    df_error: int
    row_space: Floats | None  # projector on the row space of X, None when X has full column rank

    @property
    def mse(self) -> float | None:
        """Error mean square, or None when no degree of freedom is left for it."""
        return self.rss / self.df_error if self.df_error > 0 else None

    def estimable(self, contrasts: Floats) -> npt.NDArray[np.bool_]:
        """Whether each row of `contrasts` (m × p) can be estimated from these data (Searle 1971, sec. 5.4)."""
        if self.row_space is None:
            return np.ones(len(contrasts), dtype=bool)
        gap = np.abs(contrasts @ self.row_space - contrasts).max(axis=1)
        return np.asarray(gap < 1e-7)


def levels_of(labels: Labels) -> list[str]:
    """The distinct labels in sorted order."""
    return sorted(set(labels))


def design_matrix(terms: Mapping[str, Labels], n: int) -> tuple[Floats, tuple[tuple[str, str], ...]]:
    """Intercept and one 0/1 column for each level but the first of each term: X (n × p) and the name of each column."""
    columns: list[tuple[str, str]] = [("", "")]
    blocks: list[Floats] = [np.ones((n, 1))]
    for term, labels in terms.items():
        levels = levels_of(labels)
        place = {level: i for i, level in enumerate(levels)}
        codes = np.array([place[label] for label in labels])
        indicator = np.zeros((n, len(levels)))
        indicator[np.arange(n), codes] = 1.0
        blocks.append(indicator[:, 1:])
        columns += [(term, level) for level in levels[1:]]
    return np.hstack(blocks), tuple(columns)


def fit(y: Floats, terms: Mapping[str, Labels]) -> Fit:
    """Fit `y` (n) on an intercept and `terms`, each a label for every observation.

    Works whatever cells are missing. Where the terms are confounded (X'X singular) a generalised inverse is taken
    and `estimable` tells which combinations still mean something.

    Raises ValueError when `y` is empty, not finite, or of another length than a term.
    """
    n = len(y)
    if n == 0:
        raise ValueError("there is no observation to fit")
    if not np.isfinite(y).all():
        raise ValueError("every observation must be a finite number; leave missing ones out")
    if any(len(labels) != n for labels in terms.values()):
        raise ValueError("every term needs one label for each observation")
    x, columns = design_matrix(terms, n)
    shift = float(y.mean())  # centring keeps figures exact when the mean is large beside the differences
    centred = y - shift
    inverse, row_space, rank = _inverse(x.T @ x)
    coefficients = inverse @ (x.T @ centred)
    residuals = centred - x @ coefficients
    correction = inverse @ (x.T @ residuals)  # one step of iterative refinement
    coefficients = coefficients + correction
    residuals = residuals - x @ correction
    coefficients[0] += shift
    df_error = n - rank
    rss = float(residuals @ residuals)
    noise_floor = 1e-24 * max(1.0, float(centred @ centred))  # all values equal: rounding is not variation
    if df_error == 0 or rss < noise_floor:
        rss = 0.0
    return Fit(columns, coefficients, inverse, residuals, rank, rss, df_error, row_space)


def _inverse(xtx: Floats) -> tuple[Floats, Floats | None, int]:
    """(X'X)⁻, the projector on the row space (None at full rank) and the rank."""
    size = len(xtx)
    values, vectors = np.linalg.eigh(xtx)
    kept = values > RANK_TOLERANCE * values[-1]
    rank = int(kept.sum())
    if rank == size:
        root = np.linalg.inv(np.linalg.cholesky(xtx))
        return root.T @ root, None, rank
    basis = vectors[:, kept]
    return (basis / values[kept]) @ basis.T, basis @ basis.T, rank
