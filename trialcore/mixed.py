"""Linear mixed models with independent random terms, by restricted maximum likelihood (REML).

y = Xβ + Σ Z_k u_k + e with u_k ~ N(0, σ²_k I) and e ~ N(0, σ² I). Matrices are dense: meant for trials of some
hundreds of plots.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from trialcore import distributions
from trialcore.linear import Floats

RESIDUAL = "residual"
MOST_STEPS = 200
CLOSE = 1e-12


@dataclass(frozen=True)
class Contrast:
    """An estimate l'β: its plain standard error, the Kenward–Roger one and its degrees of freedom."""

    estimate: float
    se_model: float
    se_kr: float
    df_kr: float


@dataclass(frozen=True)
class JointTest:
    """A Kenward–Roger F test of several contrasts at once. `f` is scaled, so it goes with (`num_df`, `den_df`)."""

    num_df: int
    den_df: float
    f: float
    p: float


@dataclass(frozen=True)
class MixedFit:
    """A REML fit. `variances` holds σ²_k by term and that of the residual, in squared units of y.

    `loglik` is −½[(n−p) log 2π + log|V| + log|X'V⁻¹X| + y'Py] (Patterson and Thompson 1971). `covariance` is
    (X'V⁻¹X)⁻¹; `adjusted` the Kenward–Roger (1997) covariance of β. `effects` and `effect_covariance` are the best
    linear unbiased predictions of each random term and the variance of prediction minus truth.
    """

    variances: Mapping[str, float]
    loglik: float
    beta: Floats
    covariance: Floats
    adjusted: Floats
    effects: Mapping[str, Floats]
    effect_covariance: Mapping[str, Floats]
    parts: _KenwardRoger

    def contrast(self, row: Floats) -> Contrast:
        """One estimate with its Kenward–Roger standard error and degrees of freedom."""
        estimate = float(row @ self.beta)
        plain = float(np.sqrt(row @ self.covariance @ row))
        adjusted = float(np.sqrt(row @ self.adjusted @ row))
        return Contrast(estimate, plain, adjusted, self.parts.moments(row[None, :])[0])

    def test(self, rows: Floats) -> JointTest:
        """All rows at once against nought."""
        den_df, scale = self.parts.moments(rows)
        estimate = rows @ self.beta
        wald = float(estimate @ np.linalg.solve(rows @ self.adjusted @ rows.T, estimate)) / len(rows)
        return JointTest(len(rows), den_df, scale * wald, distributions.f_above(scale * wald, len(rows), den_df))


@dataclass(frozen=True)
class _KenwardRoger:
    """What the Kenward–Roger moments need: Φ, P_k = −X'V⁻¹V_kV⁻¹X and W, the covariance of the variance estimates."""

    phi: Floats
    p: tuple[Floats, ...]
    w: Floats

    def moments(self, rows: Floats) -> tuple[float, float]:
        """Denominator degrees of freedom and the scale of F for the contrasts `rows` (Kenward and Roger 1997)."""
        count = len(rows)
        theta = rows.T @ np.linalg.solve(rows @ self.phi @ rows.T, rows)
        products = [theta @ self.phi @ p @ self.phi for p in self.p]
        traces = np.array([np.trace(m) for m in products])
        a1 = float(traces @ self.w @ traces)
        cross = np.array([[np.sum(m * n.T) for n in products] for m in products])
        a2 = float(np.sum(self.w * cross))
        if a2 <= 0:
            return float("inf"), 1.0
        b = (a1 + 6 * a2) / (2 * count)
        g = ((count + 1) * a1 - (count + 4) * a2) / ((count + 2) * a2)
        base = 3 * count + 2 * (1 - g)
        c1, c2, c3 = g / base, (count - g) / base, (count + 2 - g) / base
        mean = 1 / (1 - a2 / count)
        variance = 2 / count * (1 + c1 * b) / ((1 - c2 * b) ** 2 * (1 - c3 * b))
        rho = variance / (2 * mean**2)
        df = 4 + (count + 2) / (count * rho - 1)
        return float(df), float(df / (mean * (df - 2)))


def incidence(labels: Sequence[str], levels: Sequence[str]) -> Floats:
    """The 0/1 matrix (n × levels) that says which observation has which level."""
    place = {level: i for i, level in enumerate(levels)}
    matrix = np.zeros((len(labels), len(levels)))
    matrix[np.arange(len(labels)), [place[label] for label in labels]] = 1.0
    return matrix


def fit_reml(y: Floats, x: Floats, random: Mapping[str, Floats]) -> MixedFit:
    """Fit by REML: `y` (n), full-rank `x` (n × p), and for each random term its incidence Z_k (n × q_k).

    Fisher scoring on the variances with halved steps (Searle, Casella and McCulloch 1992, ch. 8); a variance that
    would fall below nought is held at nought. Raises ValueError when `x` is not of full column rank, leaves no
    degree of freedom, or the values do not vary about it.
    """
    n, p = x.shape
    if np.linalg.matrix_rank(x) < p:
        raise ValueError("the fixed terms are confounded with each other")
    if n <= p:
        raise ValueError("there are no more values than fixed effects to estimate")
    residual = y - x @ np.linalg.lstsq(x, y, rcond=None)[0]
    spread = float(residual @ residual) / (n - p)
    if spread <= 1e-24 * max(1.0, float(y @ y)):
        raise ValueError("the values do not vary about the fixed effects")
    scaled = y / np.sqrt(spread)
    kernels = [z @ z.T for z in random.values()] + [np.eye(n)]
    variances = np.full(len(kernels), 1.0 / len(kernels))
    state = _State.at(variances, scaled, x, kernels)
    for _ in range(MOST_STEPS):
        before = state.loglik
        state = _better(state, scaled, x, kernels)
        if abs(state.loglik - before) < CLOSE * (1 + abs(before)):
            break
    return _finished(state, y, x, random, kernels, spread)


@dataclass(frozen=True)
class _State:
    """The likelihood and what hangs on it at one set of variances."""

    variances: Floats
    loglik: float
    inverse: Floats
    projector: Floats
    phi: Floats

    @staticmethod
    def at(variances: Floats, y: Floats, x: Floats, kernels: Sequence[Floats]) -> _State:
        v = sum((s * k for s, k in zip(variances, kernels, strict=True)), np.zeros_like(kernels[0]))
        root = np.linalg.cholesky(v)
        half = np.linalg.inv(root)
        inverse = half.T @ half
        information = x.T @ inverse @ x
        phi = np.linalg.inv(information)
        projector = inverse - inverse @ x @ phi @ x.T @ inverse
        log_v = 2 * float(np.log(np.diag(root)).sum())
        log_x = float(np.linalg.slogdet(information)[1])
        n, p = x.shape
        loglik = -0.5 * ((n - p) * np.log(2 * np.pi) + log_v + log_x + float(y @ projector @ y))
        return _State(variances, float(loglik), inverse, projector, phi)


def _better(state: _State, y: Floats, x: Floats, kernels: Sequence[Floats]) -> _State:
    """One scoring step, halved until the likelihood does not fall."""
    applied = [state.projector @ k for k in kernels]
    weighted = state.projector @ y
    score = np.array([-0.5 * (np.trace(a) - weighted @ k @ weighted) for a, k in zip(applied, kernels, strict=True)])
    information = np.array([[0.5 * np.sum(a * b.T) for b in applied] for a in applied])
    free = ~((state.variances <= 0) & (score <= 0))
    free[-1] = True
    step = np.zeros(len(kernels))
    step[free] = np.linalg.lstsq(information[np.ix_(free, free)], score[free], rcond=None)[0]
    for halving in range(40):
        proposed = np.asarray(np.maximum(state.variances + step / 2**halving, 0.0))
        proposed[-1] = max(proposed[-1], 1e-3 * state.variances[-1])
        if (found := _State.at(proposed, y, x, kernels)).loglik >= state.loglik:
            return found
    return state


def _finished(
    state: _State, y: Floats, x: Floats, random: Mapping[str, Floats], kernels: Sequence[Floats], spread: float
) -> MixedFit:
    n, p = x.shape
    variances = state.variances * spread
    inverse, phi, projector = state.inverse / spread, state.phi * spread, state.projector / spread
    beta = phi @ x.T @ inverse @ y
    residual = inverse @ (y - x @ beta)
    effects, covariance = {}, {}
    for (name, z), variance in zip(random.items(), variances, strict=False):
        effects[name] = variance * z.T @ residual
        covariance[name] = variance * np.eye(z.shape[1]) - variance**2 * z.T @ projector @ z
    parts, adjusted = _kenward_roger(phi, inverse, projector, x, kernels)
    return MixedFit(
        variances=dict(zip([*random, RESIDUAL], map(float, variances), strict=True)),
        loglik=state.loglik - 0.5 * (n - p) * float(np.log(spread)),
        beta=beta,
        covariance=phi,
        adjusted=adjusted,
        effects=effects,
        effect_covariance=covariance,
        parts=parts,
    )


def _kenward_roger(
    phi: Floats, inverse: Floats, projector: Floats, x: Floats, kernels: Sequence[Floats]
) -> tuple[_KenwardRoger, Floats]:
    """The parts of the moments, and Φ + 2Λ: the covariance of β with what estimating the variances adds to it."""
    side = inverse @ x
    p = tuple(-(side.T @ k @ side) for k in kernels)
    applied = [projector @ k for k in kernels]
    w = np.linalg.pinv(np.array([[0.5 * np.sum(a * b.T) for b in applied] for a in applied]))
    total = np.zeros_like(phi)
    for i, ki in enumerate(kernels):
        for j, kj in enumerate(kernels):
            total += w[i, j] * (side.T @ ki @ inverse @ kj @ side - p[i] @ phi @ p[j])
    return _KenwardRoger(phi, p, w), phi + 2 * phi @ total @ phi
