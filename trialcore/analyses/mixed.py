"""Linear mixed models with independent random terms, by restricted maximum likelihood (REML).

y = Xβ + Σ Z_k u_k + e with u_k ~ N(0, σ²_k I) and e ~ N(0, σ² I). Only cross-products of X, Z and y are kept, so the work
grows with the number of effects, not with the number of plots.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise

import numpy as np

from trialcore.analyses.linear import Coded, Floats
from trialcore.analyses.printing import figures, lined, page
from trialcore.inference import distributions

RESIDUAL = "residual"
MOST_STEPS = 200
CLOSE = 1e-12
ENDLESS = 1e9  # degrees of freedom beyond which F no longer changes


@dataclass(frozen=True)
class Contrast:
    """An estimate l'β: its plain standard error, the Kenward–Roger one and its degrees of freedom."""

    estimate: float
    se_model: float
    se_kr: float
    df_kr: float


@dataclass(frozen=True, eq=False)
class Contrasts:
    """Several estimates at once, each array with one element a contrast."""

    estimate: Floats
    se_model: Floats
    se_kr: Floats
    df_kr: Floats

    def __getitem__(self, i: int) -> Contrast:
        return Contrast(float(self.estimate[i]), float(self.se_model[i]), float(self.se_kr[i]), float(self.df_kr[i]))


@dataclass(frozen=True)
class JointTest:
    """An F test of several contrasts at once. `f` is scaled, so it goes with (`num_df`, `den_df`)."""

    num_df: int
    den_df: float
    f: float
    p: float


@dataclass(frozen=True, eq=False)
class MixedFit:
    """A REML fit. `variances` holds σ²_k by term and that of the residual, in squared units of y.

    `loglik` is −½[(n−p) log 2π + log|V| + log|X'V⁻¹X| + y'Py] (Patterson and Thompson 1971). `covariance` is
    (X'V⁻¹X)⁻¹; `adjusted` the Kenward–Roger (1997) covariance of β. `effects` and `effect_covariance` are the best
    linear unbiased predictions of each random term and the variance of prediction minus truth. Of the moments, `slopes`
    holds P_k = −X'V⁻¹V_kV⁻¹X and `spread` the covariance of the variance estimates: the inverse of the expected information,
    that of the observed one in `observed_spread`.
    """

    variances: Mapping[str, float]
    loglik: float
    beta: Floats
    covariance: Floats
    adjusted: Floats
    effects: Mapping[str, Floats]
    effect_covariance: Mapping[str, Floats]
    slopes: tuple[Floats, ...]
    spread: Floats
    observed_spread: Floats

    def contrasts(self, rows: Floats) -> Contrasts:
        """Estimates for each row of `rows` (m × p) with Kenward–Roger standard errors and degrees of freedom."""
        turned = rows @ self.covariance
        plain = np.einsum("ij,ij->i", turned, rows)
        adjusted = np.einsum("ij,ij->i", rows @ self.adjusted, rows)
        slopes = [np.einsum("ij,ij->i", turned @ p, turned) for p in self.slopes]
        return Contrasts(rows @ self.beta, np.sqrt(plain), _root_of(adjusted, plain), self._df(slopes, plain, self.spread))

    def differences(self, rows: Floats) -> Contrasts:
        """All pairs i < j of the means `rows` (k × p), row i minus row j, in the order of `numpy.triu_indices`."""
        first, second = np.triu_indices(len(rows), k=1)

        def over_pairs(matrix: Floats) -> Floats:
            of = rows @ matrix @ rows.T
            return of[first, first] + of[second, second] - of[first, second] - of[second, first]

        means, plain = rows @ self.beta, over_pairs(self.covariance)
        slopes = [over_pairs(self.covariance @ p @ self.covariance) for p in self.slopes]
        se_kr = _root_of(over_pairs(self.adjusted), plain)
        return Contrasts(means[first] - means[second], np.sqrt(plain), se_kr, self._df(slopes, plain, self.spread))

    @staticmethod
    def _df(slopes: Sequence[Floats], plain: Floats, spread: Floats) -> Floats:
        """For one contrast the Kenward–Roger degrees of freedom are 2 / (t'Wt) with t_k the relative slopes."""
        t = np.array(slopes) / plain
        wobble = np.einsum("km,kl,lm->m", t, spread, t)
        return np.asarray(np.where(wobble > 0, 2 / np.where(wobble > 0, wobble, 1.0), np.inf))

    def contrast(self, row: Floats) -> Contrast:
        """One estimate with its Kenward–Roger standard error and degrees of freedom."""
        return self.contrasts(row[None, :])[0]

    def test(self, rows: Floats) -> JointTest:
        """All rows at once against nought, after Kenward and Roger (1997); by Satterthwaite's degrees of freedom where the data
        say so little that their approximation breaks down."""
        den_df, scale = self._moments(rows)
        estimate = rows @ self.beta
        f = scale * float(estimate @ np.linalg.solve(rows @ self.adjusted @ rows.T, estimate)) / len(rows)
        if not (den_df > 0 and f >= 0):
            return self.test_satterthwaite(rows)
        return JointTest(len(rows), den_df, f, distributions.f_above(f, len(rows), min(den_df, ENDLESS)))

    def test_satterthwaite(self, rows: Floats) -> JointTest:
        """All rows at once against nought with Satterthwaite's degrees of freedom (Fai and Cornelius 1996), the variances of
        the variance estimates from the observed information."""
        estimate = rows @ self.beta
        covariance = rows @ self.covariance @ rows.T
        values, vectors = np.linalg.eigh(covariance)
        turned = vectors.T @ rows @ self.covariance
        slopes = [np.einsum("ij,ij->i", turned @ p, turned) for p in self.slopes]
        single = self._df(slopes, values, self.observed_spread)
        f = float(((vectors.T @ estimate) ** 2 / values).sum()) / len(rows)
        if len(rows) == 1:
            den = float(single[0])
        else:
            total = float((single / (single - 2)).sum()) if single.min() > 2 else 0.0
            den = 2 * total / (total - len(rows)) if total > len(rows) else 2.0
        return JointTest(len(rows), den, f, distributions.f_above(f, len(rows), min(den, ENDLESS)))

    def _moments(self, rows: Floats) -> tuple[float, float]:
        """Denominator degrees of freedom and the scale of F for the contrasts `rows` (Kenward and Roger 1997); not a number where
        their approximation divides by nought."""
        count = len(rows)
        theta = rows.T @ np.linalg.solve(rows @ self.covariance @ rows.T, rows)
        products = [theta @ self.covariance @ p @ self.covariance for p in self.slopes]
        traces = np.array([np.trace(m) for m in products])
        a1 = float(traces @ self.spread @ traces)
        cross = np.array([[np.sum(m * n.T) for n in products] for m in products])
        a2 = float(np.sum(self.spread * cross))
        if a2 <= 0:
            return float("inf"), 1.0
        b = (a1 + 6 * a2) / (2 * count)
        g = ((count + 1) * a1 - (count + 4) * a2) / ((count + 2) * a2)
        base = 3 * count + 2 * (1 - g)
        c1, c2, c3 = g / base, (count - g) / base, (count + 2 - g) / base
        try:
            mean = 1 / (1 - a2 / count)
            variance = 2 / count * (1 + c1 * b) / ((1 - c2 * b) ** 2 * (1 - c3 * b))
            rho = variance / (2 * mean**2)
            df = 4 + (count + 2) / (count * rho - 1)
            return float(df), float(df / (mean * (df - 2)))
        except ZeroDivisionError:
            return float("nan"), float("nan")

    def __str__(self) -> str:
        rows = [[name, f"{value:.5g}"] for name, value in self.variances.items()]
        return page(lined("Variances (REML)", ["term", "variance"], rows), figures(log_likelihood=self.loglik))


def _root_of(adjusted: Floats, plain: Floats) -> Floats:
    """Standard errors from adjusted variances; the plain one where the data say so little that the adjustment, itself an
    approximation, leaves none."""
    return np.sqrt(np.where(adjusted > 0, adjusted, plain))


def incidence(labels: Sequence[str], levels: Sequence[str]) -> Floats:
    """The 0/1 matrix (n × levels) that says which observation has which level."""
    place = {level: i for i, level in enumerate(levels)}
    matrix = np.zeros((len(labels), len(levels)))
    matrix[np.arange(len(labels)), [place[label] for label in labels]] = 1.0
    return matrix


Term = Coded | Floats
"""A random term: labels, or any matrix (n × effects) that its effects are multiplied by."""


@dataclass(frozen=True, eq=False)
class _Products:
    """Cross-products of X (p), Z (all random terms side by side, q) and y."""

    n: int
    xx: Floats
    xy: Floats
    yy: float
    zx: Floats
    zy: Floats
    zz: Floats
    parts: tuple[slice, ...]

    @staticmethod
    def of(y: Floats, x: Floats, terms: Sequence[Term]) -> _Products:
        ends = np.cumsum([0, *(_width(t) for t in terms)])
        zx = np.vstack([np.empty((0, x.shape[1])), *(_turned(t, x) for t in terms)])
        zy = np.concatenate([np.empty(0), *(_turned(t, y[:, None])[:, 0] for t in terms)])
        zz = np.block([[_between(a, b) for b in terms] for a in terms]) if terms else np.empty((0, 0))
        parts = tuple(slice(int(a), int(b)) for a, b in pairwise(ends))
        return _Products(len(y), x.T @ x, x.T @ y, float(y @ y), zx, zy, zz, parts)


def _width(term: Term) -> int:
    return len(term.levels) if isinstance(term, Coded) else term.shape[1]


def _turned(term: Term, matrix: Floats) -> Floats:
    """Z' times a matrix (n × m)."""
    if not isinstance(term, Coded):
        return np.asarray(term.T @ matrix)
    return np.column_stack([term.sums(column) for column in matrix.T])


def _between(a: Term, b: Term) -> Floats:
    if isinstance(a, Coded):
        return a.cross(b) if isinstance(b, Coded) else _turned(a, b)
    return _turned(b, a).T if isinstance(b, Coded) else np.asarray(a.T @ b)


def fit_reml(y: Floats, x: Floats, random: Mapping[str, Term]) -> MixedFit:
    """Fit by REML: `y` (n), full-rank `x` (n × p), and the random terms by name.

    Fisher scoring on the variances with halved steps (Searle, Casella and McCulloch 1992, ch. 8); a variance that
    would fall below nought is held at nought. Raises ValueError when `x` is not of full column rank, leaves no
    degree of freedom, or the values do not vary about it.
    """
    n, p = x.shape
    if n <= p:
        raise ValueError("there are no more values than fixed effects to estimate")
    ones = x.sum(axis=0)
    has_mean = n - float(ones @ np.linalg.lstsq(x.T @ x, ones, rcond=None)[0]) < 1e-9 * n
    middle = float(y.mean()) if has_mean else 0.0  # centring keeps figures exact when the mean is large
    raw = _Products.of(y - middle, x, list(random.values()))
    if not _full_rank(raw.xx):
        raise ValueError("the fixed terms are confounded with each other")
    spread = (raw.yy - float(raw.xy @ np.linalg.solve(raw.xx, raw.xy))) / (n - p)
    if spread <= 1e-14 * (raw.yy / n + middle**2):
        raise ValueError("the values do not vary about the fixed effects")
    unit = float(np.sqrt(spread))
    scaled = _Products(n, raw.xx, raw.xy / unit, raw.yy / spread, raw.zx, raw.zy / unit, raw.zz, raw.parts)
    state = _State.at(np.full(len(random) + 1, 1.0 / (len(random) + 1)), scaled)
    for _ in range(MOST_STEPS):
        before = state
        state = _better(state, scaled)
        moved = np.abs(state.variances - before.variances).max()
        if state is before or (state.loglik - before.loglik < CLOSE * (1 + abs(before.loglik)) and moved < 1e-6):
            break
    level = np.linalg.solve(raw.xx, ones) * middle
    return _finished(state, scaled, tuple(random), unit, level)


def _full_rank(information: Floats) -> bool:
    try:
        pivots = np.linalg.cholesky(information).diagonal() ** 2
    except np.linalg.LinAlgError:
        return False
    return float((pivots / information.diagonal()).min()) > 1e-10


@dataclass(frozen=True, eq=False)
class _State:
    """The likelihood and what hangs on it at one set of variances, the residual's last."""

    variances: Floats
    loglik: float
    half: Floats
    xvx: Floats
    xvy: Floats

    @cached_property
    def phi(self) -> Floats:
        return np.asarray(np.linalg.inv(self.xvx), dtype=float)

    @staticmethod
    def at(variances: Floats, w: _Products) -> _State:
        from scipy.linalg import solve_triangular

        residual = variances[-1]
        q, p = len(w.zy), len(w.xy)
        root = np.zeros(q)
        for part, variance in zip(w.parts, variances, strict=False):
            root[part] = np.sqrt(variance)
        inner = w.zz * np.outer(root, root)
        inner[np.diag_indices(q)] += residual
        chol = np.linalg.cholesky(inner) if q else inner
        half = solve_triangular(chol, np.diag(root), lower=True, check_finite=False) if q else inner
        side = half @ np.column_stack([w.zx, w.zy])
        xvx = (w.xx - side[:, :p].T @ side[:, :p]) / residual
        xvy = (w.xy - side[:, :p].T @ side[:, p]) / residual
        yvy = (w.yy - float(side[:, p] @ side[:, p])) / residual
        log_v = (w.n - q) * np.log(residual) + 2 * float(np.log(np.diag(chol)).sum())
        fixed = np.linalg.cholesky(xvx)
        explained = solve_triangular(fixed, xvy, lower=True, check_finite=False)
        log_x = 2 * float(np.log(np.diag(fixed)).sum())
        loglik = -0.5 * ((w.n - p) * np.log(2 * np.pi) + log_v + log_x + yvy - float(explained @ explained))
        return _State(variances, float(loglik), half, xvx, xvy)

    def between(self, w: _Products) -> tuple[Floats, Floats, Floats]:
        """Z'V⁻¹X, Z'V⁻¹Z and Z'PZ."""
        residual = self.variances[-1]
        across = self.half @ w.zz
        zvx = (w.zx - across.T @ (self.half @ w.zx)) / residual
        zvz = (w.zz - across.T @ across) / residual
        return zvx, zvz, zvz - zvx @ self.phi @ zvx.T

    def weighted(self, w: _Products, zvx: Floats) -> Floats:
        """Z'Py."""
        zvy = (w.zy - w.zz @ (self.half.T @ (self.half @ w.zy))) / self.variances[-1]
        return np.asarray(zvy - zvx @ (self.phi @ self.xvy))

    def ypy(self, w: _Products) -> float:
        side = self.half @ w.zy
        return float((w.yy - side @ side) / self.variances[-1] - self.xvy @ self.phi @ self.xvy)


def _information(variances: Floats, traces: Floats, zpz: Floats, parts: Sequence[slice]) -> Floats:
    """½ tr(P V_i P V_j). The residual's row follows from Σ σ²_j P V_j P = P."""
    k = len(parts)
    table = np.zeros((k + 1, k + 1))
    for i, a in enumerate(parts):
        for j, b in enumerate(parts):
            table[i, j] = 0.5 * float((zpz[a, b] ** 2).sum())
    for i in (*range(k), k):
        table[i, k] = table[k, i] = (0.5 * traces[i] - float(variances[:k] @ table[i, :k])) / variances[k]
    return table


def _traces(variances: Floats, zpz: Floats, w: _Products) -> Floats:
    own = [float(np.trace(zpz[part, part])) for part in w.parts]
    return np.array([*own, (w.n - len(w.xy) - float(variances[:-1] @ own)) / variances[-1]])


def _better(state: _State, w: _Products) -> _State:
    """One scoring step, halved until the likelihood does not fall."""
    variances = state.variances
    zvx, _, zpz = state.between(w)
    zpy = state.weighted(w, zvx)
    traces = _traces(variances, zpz, w)
    squares = [float(zpy[part] @ zpy[part]) for part in w.parts]
    squares.append((state.ypy(w) - float(variances[:-1] @ squares)) / variances[-1])
    score = -0.5 * (traces - np.array(squares))
    information = _information(variances, traces, zpz, w.parts)
    free = ~((variances <= 0) & (score <= 0))
    free[-1] = True
    step = np.zeros(len(variances))
    step[free] = np.linalg.lstsq(information[np.ix_(free, free)], score[free], rcond=None)[0]
    for halving in range(40):
        proposed = np.asarray(np.maximum(variances + step / 2**halving, 0.0))
        proposed[-1] = max(proposed[-1], 1e-3 * variances[-1])
        try:
            if (found := _State.at(proposed, w)).loglik >= state.loglik:
                return found
        except np.linalg.LinAlgError:
            continue
    return state


def _finished(state: _State, w: _Products, names: tuple[str, ...], unit: float, level: Floats) -> MixedFit:
    """Everything in the unit of y. The fit itself was done on y scaled to a spread of one."""
    square = unit**2
    zvx, zvz, zpz = state.between(w)
    zpy = state.weighted(w, zvx)
    effects, covariance = {}, {}
    for name, part, variance in zip(names, w.parts, state.variances, strict=False):
        effects[name] = variance * zpy[part] * unit
        covariance[name] = square * (variance * np.eye(part.stop - part.start) - variance**2 * zpz[part, part])
    information = _information(state.variances, _traces(state.variances, zpz, w), zpz, w.parts)
    spread = np.asarray(np.linalg.pinv(information), dtype=float)
    slopes = _slopes(state, zvx, w.parts)
    adjusted = state.phi + 2 * state.phi @ _adjustment(state, zvx, zvz, slopes, spread, w.parts) @ state.phi
    return MixedFit(
        variances=dict(zip([*names, RESIDUAL], map(float, state.variances * square), strict=True)),
        loglik=state.loglik - 0.5 * (w.n - len(w.xy)) * float(np.log(square)),
        beta=state.phi @ state.xvy * unit + level,
        covariance=state.phi * square,
        adjusted=adjusted * square,
        effects=effects,
        effect_covariance=covariance,
        slopes=tuple(p / square**2 for p in slopes),
        spread=spread * square**2,
        observed_spread=_positive_inverse(_curvature(state, w, zpy, zpz) - information) * square**2,
    )


def _curvature(state: _State, w: _Products, zpy: Floats, zpz: Floats) -> Floats:
    """y'PV_iPV_jPy. The residual's row follows from Σ σ²_j PV_jP = P."""
    k, variances = len(w.parts), state.variances
    squares = [float(zpy[part] @ zpy[part]) for part in w.parts]
    squares.append((state.ypy(w) - float(variances[:k] @ squares)) / variances[k])
    table = np.zeros((k + 1, k + 1))
    for i, a in enumerate(w.parts):
        for j, b in enumerate(w.parts):
            table[i, j] = float(zpy[a] @ zpz[a, b] @ zpy[b])
    for i in (*range(k), k):
        table[i, k] = table[k, i] = (squares[i] - float(variances[:k] @ table[i, :k])) / variances[k]
    return table


def _positive_inverse(matrix: Floats) -> Floats:
    """The inverse on the directions in which the matrix is positive; at a boundary there may be others."""
    values, vectors = np.linalg.eigh(matrix)
    kept = values > 1e-8 * max(float(values.max()), 0.0)
    return np.asarray((vectors[:, kept] / values[kept]) @ vectors[:, kept].T)


def _slopes(state: _State, zvx: Floats, parts: Sequence[slice]) -> list[Floats]:
    """P_k = −X'V⁻¹V_kV⁻¹X. The residual's follows from Σ σ²_k V⁻¹V_kV⁻¹ = V⁻¹."""
    own = [zvx[part].T @ zvx[part] for part in parts]
    rest = state.xvx - sum((v * s for v, s in zip(state.variances, own, strict=False)), np.zeros_like(state.xvx))
    return [-s for s in own] + [-rest / state.variances[-1]]


def _adjustment(
    state: _State, zvx: Floats, zvz: Floats, slopes: Sequence[Floats], spread: Floats, parts: Sequence[slice]
) -> Floats:
    """Σ W_ij (Q_ij − P_i Φ P_j) of Kenward and Roger (1997), Q_ij = X'V⁻¹V_iV⁻¹V_jV⁻¹X."""
    k = len(parts)
    q = [[np.zeros_like(state.phi)] * (k + 1) for _ in range(k + 1)]
    for i, a in enumerate(parts):
        for j, b in enumerate(parts):
            q[i][j] = zvx[a].T @ zvz[a, b] @ zvx[b]
    for i in (*range(k), k):
        known = sum((state.variances[j] * q[i][j] for j in range(k)), np.zeros_like(state.phi))
        q[i][k] = (-slopes[i] - known) / state.variances[k]
        q[k][i] = q[i][k].T
    total = np.zeros_like(state.phi)
    for i in range(k + 1):
        for j in range(k + 1):
            total += spread[i, j] * (q[i][j] - slopes[i] @ state.phi @ slopes[j])
    return total
