"""Tail probabilities that trials need: t, F, the studentized range and the largest of several |t|.

`scipy.special` is loaded on first use. Everything is deterministic: the same figures give the same probabilities.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache

import numpy as np
import numpy.typing as npt

Floats = npt.NDArray[np.float64]

GRID = 40  # probabilities beyond which the rest lie on a spline between these
MANY = 100  # comparisons from which on the nearest product form of their correlations stands alone


def t_two_sided(t: Floats | float, df: Floats | float) -> Floats:
    """P(|T| > |t|) for Student's t with `df` degrees of freedom."""
    from scipy.special import stdtr

    return np.asarray(2.0 * stdtr(df, -np.abs(t)))


def t_below(t: Floats | float, df: float) -> Floats:
    """P(T ≤ t) for Student's t."""
    from scipy.special import stdtr

    return np.asarray(stdtr(df, t))


def t_quantile(p: float, df: float) -> float:
    """The t below which a share `p` of Student's t lies."""
    from scipy.special import stdtrit

    return float(stdtrit(df, p))


def f_above(f: float, df1: float, df2: float) -> float:
    """P(F > f) for the F distribution."""
    from scipy.special import fdtrc

    return float(fdtrc(df1, df2, f))


def chi_square_above(x: float, df: float) -> float:
    """P(X > x) for chi-square."""
    from scipy.special import chdtrc

    return float(chdtrc(df, x))


@lru_cache(maxsize=32)
def _legendre(n: int, low: float, high: float) -> tuple[Floats, Floats]:
    nodes, weights = np.polynomial.legendre.leggauss(n)
    return low + (nodes + 1) * (high - low) / 2, weights * (high - low) / 2


@lru_cache(maxsize=64)
def scale_nodes(df: float, count: int = 0) -> tuple[Floats, Floats]:
    """Nodes and weights for integrals over s = sqrt(chi²/df), its density included; without limit of df s is one."""
    if df == np.inf:
        return np.ones(1), np.ones(1)
    s, weight = _scale_nodes_each(np.array([df]), count or (240 if df <= 5 else 96))
    return s[0], weight[0]


def _scale_nodes_each(df: Floats, count: int) -> tuple[Floats, Floats]:
    """The same for several degrees of freedom at once, a row each."""
    from scipy.special import gammainccinv, gammaincinv, gammaln

    v = df[:, None]
    low = np.sqrt(2 * gammaincinv(v / 2, 1e-16) / v)
    high = np.sqrt(2 * gammainccinv(v / 2, 1e-16) / v)
    nodes, weights = _legendre(count, -1.0, 1.0)
    s = low + (nodes + 1) * (high - low) / 2
    log_density = np.log(2) + v / 2 * np.log(v / 2) - gammaln(v / 2) + (v - 1) * np.log(s) - v * s**2 / 2
    return s, weights * (high - low) / 2 * np.exp(log_density)


@lru_cache(maxsize=64)
def _range_table(k: int) -> Callable[[Floats], Floats]:
    """P(range of k standard normals > w) as a cubic spline over 0 ≤ w ≤ 18, nought beyond."""
    from scipy.interpolate import CubicSpline
    from scipy.special import ndtr

    z, weight = _legendre(200, -9.0, 9.0)
    density = weight * np.exp(-(z**2) / 2) / np.sqrt(2 * np.pi)
    w = np.linspace(0.0, 18.0, 721)
    below = ndtr(z)[:, None] - ndtr(z[:, None] - w[None, :])
    inside = k * (density[:, None] * below ** (k - 1)).sum(axis=0)
    spline = CubicSpline(w, 1.0 - inside)
    return lambda width: np.where(width >= 18.0, 0.0, spline(np.minimum(width, 18.0)))


def studentized_range_above(q: Floats | float, k: int, df: Floats | float) -> Floats:
    """P(Q > q) for the studentized range of `k` means on `df` degrees of freedom, one for all or one for each q.

    Quadrature of the defining double integral (Hartley 1942; Copenhaver and Holland 1988); absolute error below 1e-8.
    """
    flat = np.atleast_1d(np.asarray(q, dtype=float))
    if np.ndim(df) == 0:
        s, weight = scale_nodes(float(df))
        above = _range_table(k)(flat[:, None] * s[None, :]) @ weight
    else:
        each = np.minimum(np.asarray(df, dtype=float), 1e6)
        above = np.empty(len(flat))
        for few, count in ((each <= 5, 240), (each > 5, 96)):
            for chunk in np.array_split(np.flatnonzero(few), 1 + few.sum() // 4000):
                s, weight = _scale_nodes_each(each[chunk], count)
                above[chunk] = (_range_table(k)(flat[chunk, None] * s) * weight).sum(axis=1)
    return np.clip(above, 0.0, 1.0).reshape(np.shape(q))


def studentized_range_quantile(p_above: float, k: int, df: float) -> float:
    """The q with P(Q > q) = `p_above`."""
    return _solve(lambda q: float(studentized_range_above(q, k, df)), p_above)


def likelihood_ratio(larger: float, smaller: float, df: int) -> tuple[float, int, float]:
    """Twice what the log-likelihood loses from the `larger` model to the `smaller`, as chi-square on `df`: statistic, df, p."""
    chisq = max(0.0, 2 * (larger - smaller))
    return chisq, df, chi_square_above(chisq, df) if df else 1.0


def noncentral_t_beyond(bound: float, df: float, shift: float) -> float:
    """P(|T| > bound) for the noncentral t with noncentrality `shift`, both tails counted.

    Quadrature over s of Φ(shift − bound·s) + Φ(−shift − bound·s), T being (Z + shift)/s (Johnson, Kotz and
    Balakrishnan 1995, ch. 31); absolute error below 1e-10.
    """
    from scipy.special import ndtr

    s, weight = scale_nodes(df)
    return float((ndtr(shift - bound * s) + ndtr(-shift - bound * s)) @ weight)


def largest_t_above(t: Floats | float, correlation: Floats, df: float) -> Floats:
    """P(max |T_j| > t) for a multivariate t with the given m × m correlations: Dunnett's two-sided probability.

    Correlations of product form λᵢλⱼ (every comparison with one check under equal blocks) are integrated exactly
    (Dunnett 1955). Others take the nearest product form exactly and add what a fixed lattice of 2¹⁶ directions (2¹³ beyond 60
    comparisons) finds the true correlations to change, the length being integrated in closed form as an F probability (after Genz
    and Bretz 2009, sec. 4.1); absolute error about 1e-4. From a hundred comparisons on the lattice would add more noise than it
    mends: there the product form stands alone, within about 1e-3 in the tail.
    """
    flat = np.atleast_1d(np.abs(np.asarray(t, dtype=float)))
    loading = _product_form(correlation)
    if loading is None and len(correlation) >= MANY:
        loading = _nearest_product_form(correlation)
    if loading is None:
        near = _nearest_product_form(correlation)
        above = _largest_by_product(flat, near, df) + _change_by_lattice(flat, correlation, near, df)
    elif len(loading) >= MANY and len(flat) > GRID:
        above = _along_a_grid(flat, loading, df)
    else:
        above = _largest_by_product(flat, loading, df)
    return np.clip(above, 0.0, 1.0).reshape(np.shape(t))


def _along_a_grid(t: Floats, loading: Floats, df: float) -> Floats:
    """Many probabilities at once: between some along the way a cubic spline of the probit, which is nearly straight."""
    from scipy.interpolate import CubicSpline
    from scipy.special import ndtr, ndtri

    at = np.linspace(float(t.min()), min(float(t.max()), 9.0), GRID)
    known = np.clip(_largest_by_product(at, loading, df), 1e-15, 1 - 1e-15)
    return np.asarray(ndtr(CubicSpline(at, ndtri(known))(np.minimum(t, at[-1]))))


def largest_t_quantile(p_above: float, correlation: Floats, df: float) -> float:
    """The t with P(max |T_j| > t) = `p_above`."""
    loading = _product_form(correlation)
    near = _nearest_product_form(correlation) if loading is None else loading
    at = _solve(lambda t: float(_largest_by_product(np.array([t]), near, df)[0]), p_above)
    if loading is not None or len(correlation) >= MANY:
        return at
    step = 1e-3  # what the true correlations change is small: one step along the slope makes up for it
    slope = np.diff(_largest_by_product(np.array([at - step, at + step]), near, df))[0] / (2 * step)
    return at - float(_change_by_lattice(np.array([at]), correlation, near, df)[0] / slope)


def _change_by_lattice(t: Floats, correlation: Floats, near: Floats, df: float) -> Floats:
    """What the lattice finds the true correlations to change against those of the product form `near`."""
    product = np.outer(near, near)
    np.fill_diagonal(product, 1.0)
    return _largest_by_lattice(t, correlation, df) - _largest_by_lattice(t, product, df)


def _solve(above: Callable[[float], float], p_above: float) -> float:
    """The x where the falling function `above` meets `p_above`, sought on logarithms."""
    from scipy.optimize import brentq

    low, high = 0.0, 4.0
    while above(high) > p_above and high < 1e5:
        low, high = high, high * 2
    if high >= 1e5 and above(high) > p_above:
        return high
    return float(brentq(lambda x: np.log(max(above(x), 1e-300) / p_above), low, high, xtol=1e-9, rtol=1e-12))


def _product_form(correlation: Floats) -> Floats | None:
    """λ with correlation = λᵢλⱼ off the diagonal, or None when there is none."""
    m = len(correlation)
    if m == 1:
        return np.zeros(1)
    if m == 2:
        r = correlation[0, 1]
        return np.array([np.sqrt(abs(r)), np.sign(r) * np.sqrt(abs(r))])
    off = correlation[~np.eye(m, dtype=bool)]
    if off.min() <= 1e-6:
        return None
    log = np.log(np.where(np.eye(m, dtype=bool), 1.0, correlation))
    total = log.sum() / (2 * (m - 1))
    loading = np.exp((log.sum(axis=1) - total) / (m - 2))
    gap = np.abs(np.outer(loading, loading) - correlation)[~np.eye(m, dtype=bool)].max()
    return loading if gap < 1e-9 and loading.max() < 1 else None


def _nearest_product_form(correlation: Floats) -> Floats:
    """λ whose products λᵢλⱼ come nearest to the correlations off the diagonal, in least squares (alternating)."""
    off = correlation - np.diag(np.diag(correlation))
    loading = np.sqrt(np.clip(off.mean(axis=1), 0.01, 0.98))
    for _ in range(60):
        squares = loading @ loading - loading**2
        loading = np.clip(0.5 * loading + 0.5 * (off @ loading) / np.maximum(squares, 1e-12), -0.9999, 0.9999)
    return np.asarray(loading)


def _largest_by_product(t: Floats, loading: Floats, df: float) -> Floats:
    from scipy.special import ndtr

    few = len(loading) >= MANY  # 1e-5 from the finer rule, loadings to a thousandth
    s, scale_weight = scale_nodes(df, 32) if few else scale_nodes(df)
    nodes = 72 if few else 120
    z, z_weight = _legendre(nodes, -9.0, 9.0)
    z, z_weight = z[nodes // 2 :], 2 * z_weight[nodes // 2 :]  # z and −z give the same
    z_weight = z_weight * np.exp(-(z**2) / 2) / np.sqrt(2 * np.pi)
    if few:
        loading = loading.round(3)
    rest = np.sqrt(1 - loading**2)
    width = np.multiply.outer(t, s)[..., None]  # t × s × 1
    inside = np.ones((len(t), len(s), len(z)))
    distinct, how_many = np.unique(np.column_stack([loading, rest]).round(14), axis=0, return_counts=True)
    for (lam, root), count in zip(distinct, how_many, strict=True):
        inside *= (ndtr((lam * z + width) / root) - ndtr((lam * z - width) / root)) ** count
    return np.asarray(1.0 - np.einsum("tsz,s,z->t", inside, scale_weight, z_weight))


def _largest_by_lattice(t: Floats, correlation: Floats, df: float) -> Floats:
    from scipy.special import chdtrc, fdtrc

    reach = _lattice_reach(correlation.tobytes(), len(correlation), 1 << (16 if len(correlation) <= 60 else 13))
    with np.errstate(divide="ignore"):
        square = (t[:, None] / reach[None, :]) ** 2
    m = len(correlation)
    above = chdtrc(m, square) if df == np.inf else fdtrc(m, df, square / m)
    return np.asarray(above.mean(axis=1))


@lru_cache(maxsize=16)
def _lattice_reach(packed: bytes, m: int, points: int) -> Floats:
    """For evenly spread unit directions u: max |(Lu)_j| with LL' the correlation matrix."""
    root = _root(np.frombuffer(packed).reshape(m, m))
    reach = np.sort(np.abs(_lattice_directions(m, points) @ root.T).max(axis=1))
    return np.asarray(reach.reshape(-1, points >> 12).mean(axis=1))  # neighbours are alike: 4096 of them say the same


@lru_cache(maxsize=4)
def _lattice_directions(m: int, points: int) -> Floats:
    """Unit directions (points × m) from a Richtmyer lattice with the baker's transformation."""
    from scipy.special import ndtri

    primes = _primes(m)
    shift = 0.5 / np.sqrt(primes + 1)
    lattice = np.mod(np.outer(np.arange(1, points + 1), np.sqrt(primes)) + shift, 1.0)
    normal = ndtri(np.clip(np.abs(2 * lattice - 1), 1e-12, 1 - 1e-12))
    return np.asarray(normal / np.sqrt((normal**2).sum(axis=1, keepdims=True)))


def _root(correlation: Floats) -> Floats:
    """L with LL' the correlations: a triangular one, which moves little when they do, where there is one."""
    try:
        return np.asarray(np.linalg.cholesky(correlation), dtype=float)
    except np.linalg.LinAlgError:
        values, vectors = np.linalg.eigh(correlation)
        return np.asarray(vectors * np.sqrt(np.clip(values, 0.0, None)))


def _primes(count: int) -> Floats:
    found: list[int] = []
    candidate = 2
    while len(found) < count:
        if all(candidate % p for p in found):
            found.append(candidate)
        candidate += 1
    return np.array(found, dtype=float)
