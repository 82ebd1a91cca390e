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
    problem = _Problem.of(y, x, centred, [z.T @ s @ z for s in penalties])
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
    """Penalised least squares with two penalties on the columns of the surface, the fixed part absorbed: what is searched for does
    not grow with the number of entries or plots. `x` and `z` are the columns of both parts, `inside` the inverse of x'x, `along`
    that times x'z; `zz` and `zy` are the cross-products of what is left of z and y beside x."""

    y: Floats
    x: Floats
    z: Floats
    inside: Floats
    along: Floats
    zz: Floats
    zy: Floats
    yy: float
    log_fixed: float
    penalties: tuple[Floats, Floats]
    ranged: tuple[Floats, Floats]
    unpenalised: int

    @staticmethod
    def of(y: Floats, x: Floats, z: Floats, own: list[Floats]) -> _Problem:
        values, vectors = np.linalg.eigh(own[0] + own[1])
        basis = vectors[:, values > 1e-9 * values[-1]]
        ranged = (basis.T @ own[0] @ basis, basis.T @ own[1] @ basis)
        xx, xz, xy = x.T @ x, x.T @ z, x.T @ y
        root = np.linalg.cholesky(xx)
        half = np.linalg.inv(root)
        inside = half.T @ half
        along = inside @ xz
        return _Problem(
            y,
            x,
            z,
            inside,
            along,
            z.T @ z - xz.T @ along,
            z.T @ y - along.T @ xy,
            float(y @ y - xy @ inside @ xy),
            2 * float(np.log(np.diag(root)).sum()),
            (own[0], own[1]),
            ranged,
            x.shape[1] + z.shape[1] - basis.shape[1],
        )

    @property
    def spare(self) -> int:
        return len(self.y) - self.unpenalised

    def at(self, log_smoothing: Floats) -> tuple[float, Floats, Floats, float]:
        """Negative REML log-likelihood, coefficients of the surface, inverse of z'z + S beside the fixed part, and the error
        variance."""
        a, b = np.exp(log_smoothing)
        root = np.linalg.cholesky(self.zz + a * self.penalties[0] + b * self.penalties[1])
        half = np.linalg.inv(root)
        inverse = half.T @ half
        gamma = inverse @ self.zy
        scale = (self.yy - float(self.zy @ gamma)) / self.spare
        log_whole = self.log_fixed + 2 * float(np.log(np.diag(root)).sum())
        log_penalty = float(np.linalg.slogdet(a * self.ranged[0] + b * self.ranged[1])[1])
        score = 0.5 * (self.spare * (1 + np.log(2 * np.pi * scale)) + log_whole - log_penalty)
        return float(score), gamma, inverse, scale

    def solve(self) -> Surface:
        from scipy.optimize import minimize

        def cost(at: Floats) -> float:
            try:
                return self.at(at)[0]
            except np.linalg.LinAlgError:
                return 1e10

        coarse = [(float(a), float(b)) for a in (-4, 0, 4, 8, 14) for b in (-4, 0, 4, 8, 14)]
        starts = sorted(coarse, key=lambda g: cost(np.array(g)))[:2]
        runs = [minimize(cost, s, method="L-BFGS-B", bounds=[(-12, 18)] * 2, options={"ftol": 1e-12}) for s in starts]
        best = min(runs, key=lambda run: float(run.fun)).x
        score, gamma, inverse, scale = self.at(best)
        beta = self.inside @ (self.x.T @ self.y) - self.along @ gamma
        surface = self.z @ gamma
        squares = inverse @ self.zz @ inverse
        return Surface(
            beta=beta,
            covariance=(self.inside + self.along @ inverse @ self.along.T) * scale,
            frequentist=(self.inside + self.along @ squares @ self.along.T) * scale,
            surface=surface,
            residuals=self.y - self.x @ beta - surface,
            edf=float(np.sum(inverse * self.zz)),
            scale=scale,
            reml_score=score,
            smoothing=(float(np.exp(best[0])), float(np.exp(best[1]))),
        )
