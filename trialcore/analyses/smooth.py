"""A smooth surface over the ground: tensor products of P-splines, smoothed as much as REML says."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from trialcore.analyses.linear import Floats

KNOTS = 8


@dataclass(frozen=True, eq=False)
class Surface:
    """A fitted surface. `beta` are the coefficients of the fixed part, `covariance` their Bayesian and `frequentist` their
    sampling covariance, `edf` the effective degrees of freedom of the surface, `scale` the error variance."""

    beta: Floats
    covariance: Floats
    frequentist: Floats
    surface: Floats
    residuals: Floats
    edf: float
    scale: float
    reml_score: float
    smoothing: tuple[float, float]


def fit_surface(y: Floats, x: Floats, along: Floats, across: Floats, knots: int = KNOTS) -> Surface:
    """Fit y = xβ + f(along, across) + error, f a centred tensor product of cubic P-splines with second differences.

    `y` (n), `x` (n × p, one column an entry and so on), positions in any unit. Each direction has its own penalty on
    coefficients that are values of the function at even places (Eilers and Marx 2003; Wood 2006), both chosen by REML with
    the error variance profiled out (Wood 2011). Raises ValueError with too few distinct places or values.
    """
    sizes = [min(knots, max(4, len(np.unique(c)))) for c in (along, across)]
    if min(len(np.unique(c)) for c in (along, across)) < 3:
        raise ValueError("a surface needs three rows and three columns at the least")
    (bx, sx), (by, sy) = (_margin(c, k) for c, k in zip((along, across), sizes, strict=True))
    tensor = (bx[:, :, None] * by[:, None, :]).reshape(len(y), -1)
    penalties = [np.kron(sx, np.eye(sizes[1])), np.kron(np.eye(sizes[0]), sy)]
    q, _ = np.linalg.qr(tensor.sum(axis=0)[:, None], mode="complete")
    centred, z = tensor @ q[:, 1:], q[:, 1:]
    problem = _Problem.of(y, np.hstack([x, centred]), [z.T @ s @ z for s in penalties], x.shape[1])
    if problem.spare < 2:
        raise ValueError("there are too few values for a surface")
    return problem.solve()


def _margin(places: Floats, k: int) -> tuple[Floats, Floats]:
    """Cubic B-splines on even knots with a second-difference penalty, turned so that coefficients are function values at
    `k` even places; the penalty is scaled to a largest eigenvalue of one."""
    from scipy.interpolate import BSpline

    low, high = float(places.min()), float(places.max())
    edge = 0.001 * (high - low)
    low, high = low - edge, high + edge
    step = (high - low) / (k - 3)
    knots = np.linspace(low - 3 * step, high + 3 * step, k + 4)

    def basis(at: Floats) -> Floats:
        return np.asarray(BSpline.design_matrix(at, knots, 3).toarray())

    turn = np.linalg.inv(basis(np.linspace(places.min(), places.max(), k)))
    differences = np.diff(np.eye(k), n=2, axis=0) @ turn
    penalty = differences.T @ differences
    return basis(places) @ turn, penalty / np.linalg.eigvalsh(penalty)[-1]


@dataclass(frozen=True, eq=False)
class _Problem:
    """Penalised least squares with two penalties on the columns after the first `fixed`."""

    y: Floats
    x: Floats
    xx: Floats
    xy: Floats
    fixed: int
    penalties: tuple[Floats, Floats]
    ranged: tuple[Floats, Floats]
    unpenalised: int

    @staticmethod
    def of(y: Floats, x: Floats, own: list[Floats], fixed: int) -> _Problem:
        values, vectors = np.linalg.eigh(own[0] + own[1])
        basis = vectors[:, values > 1e-9 * values[-1]]
        wide = []
        for s in own:
            padded = np.zeros((x.shape[1], x.shape[1]))
            padded[fixed:, fixed:] = s
            wide.append(padded)
        ranged = (basis.T @ own[0] @ basis, basis.T @ own[1] @ basis)
        return _Problem(y, x, x.T @ x, x.T @ y, fixed, (wide[0], wide[1]), ranged, x.shape[1] - basis.shape[1])

    @property
    def spare(self) -> int:
        return len(self.y) - self.unpenalised

    def at(self, log_smoothing: Floats) -> tuple[float, Floats, Floats, float]:
        """Negative REML log-likelihood, coefficients, inverse of X'X + S and the error variance."""
        a, b = np.exp(log_smoothing)
        whole = self.xx + a * self.penalties[0] + b * self.penalties[1]
        inverse = np.linalg.inv(whole)
        beta = inverse @ self.xy
        residual = self.y - self.x @ beta
        penalty = float(beta @ (a * self.penalties[0] + b * self.penalties[1]) @ beta)
        scale = (float(residual @ residual) + penalty) / self.spare
        log_whole = float(np.linalg.slogdet(whole)[1])
        log_penalty = float(np.linalg.slogdet(a * self.ranged[0] + b * self.ranged[1])[1])
        score = 0.5 * (self.spare * (1 + np.log(2 * np.pi * scale)) + log_whole - log_penalty)
        return float(score), beta, inverse, scale

    def solve(self) -> Surface:
        from scipy.optimize import minimize

        coarse = [(float(a), float(b)) for a in (-4, 0, 4, 8, 14) for b in (-4, 0, 4, 8, 14)]
        starts = sorted(coarse, key=lambda g: self.at(np.array(g))[0])[:2]
        runs = [
            minimize(lambda g: self.at(g)[0], s, method="L-BFGS-B", bounds=[(-12, 18)] * 2, options={"ftol": 1e-12}) for s in starts
        ]
        best = min(runs, key=lambda run: float(run.fun)).x
        score, beta, inverse, scale = self.at(best)
        degrees = np.einsum("ij,ji->i", inverse, self.xx)
        fitted = self.x @ beta
        return Surface(
            beta=beta[: self.fixed],
            covariance=inverse[: self.fixed, : self.fixed] * scale,
            frequentist=(inverse @ self.xx @ inverse)[: self.fixed, : self.fixed] * scale,
            surface=self.x[:, self.fixed :] @ beta[self.fixed :],
            residuals=self.y - fitted,
            edf=float(degrees[self.fixed :].sum()),
            scale=scale,
            reml_score=score,
            smoothing=(float(np.exp(best[0])), float(np.exp(best[1]))),
        )
