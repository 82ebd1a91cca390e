"""Neighbouring plots alike, AR1 along rows times AR1 along columns, with a nugget: restricted likelihood by a banded factor.

All cells of the grid, also those without a value, are the latent field. Its precision is a product of two tridiagonal ones, so what
has to be factored is banded along the shorter side of the ground, and a field of five thousand plots takes a tenth of a second."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from trialcore.analyses.linear import Floats

Whole = npt.NDArray[np.int64]
LEAST_SHARE = 1e-7  # of the nugget, beyond which digits are lost
LARGEST = 0.99995  # correlation of neighbours
START = (0.6, 0.6, 0.4)


@dataclass(frozen=True, eq=False)
class Correlated:
    """What `fit_correlated` found: the correlations of neighbours along rows and columns, the share of the nugget in the variance,
    the variance itself, the coefficients of the fixed part with their covariance, and the trend at each value."""

    rho_row: float
    rho_col: float
    share: float
    variance: float
    loglik: float
    beta: Floats
    covariance: Floats
    trend: Floats
    evaluations: int


@dataclass(frozen=True, eq=False)
class _Grid:
    """The cells of the ground, the shorter side running fastest: how long each side is, and the cell of each value."""

    long: int
    short: int
    cell: Whole
    turned: bool  # rows are the longer side

    @staticmethod
    def of(rows: Whole, cols: Whole) -> _Grid:
        r, c = rows - rows.min(), cols - cols.min()
        height, width = int(r.max()) + 1, int(c.max()) + 1
        if height >= width:
            return _Grid(height, width, r * width + c, True)
        return _Grid(width, height, c * height + r, False)

    def precision(self, rho_long: float, rho_short: float) -> Floats:
        """The precision of the field, as the lower diagonals of a banded matrix (bands × cells)."""
        a, b = _ar1(self.long, rho_long), _ar1(self.short, rho_short)
        cells = self.long * self.short
        bands = np.zeros((self.short + 2, cells))
        main = np.repeat(a[0], self.short).reshape(self.long, self.short)
        bands[0] = (main * b[0]).ravel()
        inside = np.append(b[1], 0.0) if self.short > 1 else np.zeros(1)
        bands[1] += (main * inside).ravel()
        step = np.repeat(np.append(a[1], 0.0), self.short).reshape(self.long, self.short)
        bands[self.short] += (step * b[0]).ravel()
        if self.short > 1:
            bands[self.short + 1] += (step * inside).ravel()
            bands[self.short - 1] += (step * np.concatenate([[0.0], b[1]])).ravel()
        return bands


def _ar1(n: int, rho: float) -> tuple[Floats, Floats]:
    """The diagonal and the first off-diagonal of the inverse of ρ^|i − j| (n × n)."""
    if n == 1:
        return np.ones(1), np.empty(0)
    square = 1 - rho**2
    main = np.full(n, (1 + rho**2) / square)
    main[[0, -1]] = 1 / square
    return main, np.full(n - 1, -rho / square)


def _log_det(grid: _Grid, rho_long: float, rho_short: float) -> float:
    """log |Q| of the field's precision."""
    own = [-(n - 1) * float(np.log1p(-(rho**2))) for n, rho in ((grid.long, rho_long), (grid.short, rho_short))]
    return grid.short * own[0] + grid.long * own[1]


@dataclass(frozen=True, eq=False)
class _At:
    """The restricted likelihood at one set of parameters, the variance at its best."""

    loglik: float
    variance: float
    beta: Floats
    inverse: Floats
    band: Floats | None  # None without a nugget: the field is all there is


class _Likelihood:
    """The restricted likelihood of values `y` (n) with a fixed part `x` (n × p) on a grid."""

    def __init__(self, y: Floats, x: Floats, rows: Whole, cols: Whole) -> None:
        self.grid = _Grid.of(rows, cols)
        self.n, self.p = x.shape
        self.both = np.column_stack([x, y])
        self.inside = self.both.T @ self.both
        cells = self.grid.long * self.grid.short
        self.field = np.zeros((cells, self.p + 1), order="F")
        np.add.at(self.field, self.grid.cell, self.both)
        self.seen = np.bincount(self.grid.cell, minlength=cells).astype(float)
        self.evaluations = 0

    def at(self, rho_row: float, rho_col: float, share: float | None) -> _At:
        """At these correlations and this share of the nugget; None for no nugget."""
        self.evaluations += 1
        along = (rho_row, rho_col) if self.grid.turned else (rho_col, rho_row)
        return self._without(along) if share is None else self._with(along, share)

    def _without(self, along: tuple[float, float]) -> _At:
        """The precision of the field itself; cells without a value are taken out of it by their own part of it."""
        from scipy.sparse import diags, kron

        long, short = (
            diags([off, main, off], [-1, 0, 1])
            for main, off in (_ar1(n, r) for n, r in zip((self.grid.long, self.grid.short), along, strict=True))
        )
        q = kron(long, short, format="csr")
        own = q @ self.field
        whole, log_v = self.field.T @ own, -_log_det(self.grid, *along)
        missing = np.flatnonzero(self.seen == 0)
        if len(missing):
            root = np.linalg.cholesky(q[missing][:, missing].toarray())
            half = np.linalg.solve(root, own[missing])
            whole = whole - half.T @ half
            log_v += 2 * float(np.log(np.diag(root)).sum())
        return self._at(whole, log_v, None)

    def _with(self, along: tuple[float, float], share: float) -> _At:
        from scipy.linalg import cholesky_banded, lapack

        g, ratio = self.grid, share / (1 - share)
        bands = ratio * g.precision(*along)
        bands[0] += self.seen
        band = cholesky_banded(bands, lower=True, check_finite=False, overwrite_ab=True)
        side, _ = lapack.dtbtrs(band, self.field, uplo="L")
        cells = g.long * g.short
        log_v = self.n * np.log(share) + 2 * float(np.log(band[0]).sum()) - cells * np.log(ratio) - _log_det(g, *along)
        return self._at((self.inside - side.T @ side) / share, log_v, band)

    def _at(self, whole: Floats, log_v: float, band: Floats | None) -> _At:
        """From [X y]'V⁻¹[X y] and log |V|, both with a variance of one."""
        xvx, xvy, yvy = whole[: self.p, : self.p], whole[: self.p, self.p], float(whole[self.p, self.p])
        root = np.linalg.cholesky(xvx)
        half = np.linalg.inv(root)
        inverse = half.T @ half
        beta = inverse @ xvy
        variance = (yvy - float(xvy @ beta)) / (self.n - self.p)
        if variance <= 0:
            raise np.linalg.LinAlgError
        log_x = 2 * float(np.log(np.diag(root)).sum())
        loglik = -0.5 * ((self.n - self.p) * (np.log(2 * np.pi * variance) + 1) + log_v + log_x)
        return _At(float(loglik), float(variance), beta, inverse, band)

    def trend(self, found: _At) -> Floats:
        """The field at each value, as far as the values tell: A⁻¹ Z'(y − xβ)."""
        from scipy.linalg import cho_solve_banded

        if found.band is None:
            return np.asarray(self.both[:, self.p] - self.both[:, : self.p] @ found.beta)
        left = self.field[:, self.p] - self.field[:, : self.p] @ found.beta
        return np.asarray(cho_solve_banded((found.band, True), left, check_finite=False)[self.grid.cell])


def fit_correlated(y: Floats, x: Floats, rows: Whole, cols: Whole, nugget: bool = True) -> Correlated:
    """Fit y = xβ + field + error by REML, the field AR1 along rows × AR1 along columns (Gilmour, Cullis and Verbyla 1997), the
    error independent from plot to plot; without a `nugget` the field is all there is.

    `y` (n) in any unit, `x` (n × p) of full column rank, `rows` and `cols` whole numbers, at most one value a cell. A search
    without slopes over both correlations and the share of the nugget, from two starts. Raises ValueError where no degree of freedom
    is left or the likelihood cannot be reckoned."""
    from scipy.optimize import minimize

    if len(y) <= x.shape[1]:
        raise ValueError("there are no more values than fixed effects to estimate")
    likelihood = _Likelihood(y, x, rows, cols)

    def parts(given: Floats) -> tuple[float, float, float | None]:
        rho = np.tanh(given[:2])
        share = float(np.clip(1 / (1 + np.exp(-given[2])), LEAST_SHARE, 1 - LEAST_SHARE)) if nugget else None
        return float(rho[0]), float(rho[1]), share

    def cost(given: Floats) -> float:
        try:
            return -likelihood.at(*parts(given)).loglik
        except np.linalg.LinAlgError:
            return 1e10

    far = float(np.arctanh(LARGEST))
    bounds = [(-1.5, far), (-1.5, far), (-16.0, 16.0)][: 3 if nugget else 2]
    starts = [(a, b, c)[: len(bounds)] for a, b in ((0.3, 0.3), (1.0, 1.0), (1.0, 0.2), (0.2, 1.0)) for c in (-0.7, 0.7)]
    ordered = sorted(dict.fromkeys(starts), key=lambda s: cost(np.array(s)))
    runs = [
        minimize(cost, s, method="COBYQA", bounds=bounds, options={"final_tr_radius": 1e-5, "initial_tr_radius": 0.5})
        for s in ordered[:1]
    ]
    best = min(runs, key=lambda run: float(run.fun)).x
    found = likelihood.at(*parts(best))
    rho_row, rho_col, share = parts(best)
    return Correlated(
        rho_row,
        rho_col,
        share or 0.0,
        found.variance,
        found.loglik,
        found.beta,
        found.inverse * found.variance,
        likelihood.trend(found),
        likelihood.evaluations,
    )
