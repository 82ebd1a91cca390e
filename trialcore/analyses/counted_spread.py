"""Counts that vary more than a Poisson: in proportion to their mean, with clumps (negative binomial), or with extra zeros."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from trialcore.analyses.counted_families import NegativeBinomial, ZeroInflated
from trialcore.analyses.counted_fit import Fit
from trialcore.analyses.linear import Floats

STEPS = 100
EM_STEPS = 2000
CLEARLY = 5.0
"""By how much the log-likelihood has to rise for extra zeros: taken for granted wrongly, they make intervals too narrow."""
LARGEST_SIZE = 1e4


@dataclass(frozen=True, eq=False)
class Clumped:
    """A fit of counts: the family, its parameters with their covariance (the share of extra zeros last, where there are any), the
    log-likelihood, what twice that loses where entries are made alike, and the degrees of freedom of a t."""

    name: Literal["negative binomial", "zero-inflated Poisson"]
    family: NegativeBinomial | ZeroInflated
    beta: Floats
    covariance: Floats
    loglik: float
    lost_without_entries: float
    t_df: float


LEAST_KNOWN = 2.0
"""Degrees of freedom below which no t is told, however clumped the counts are."""


def clumped_spread(y: Floats, filled: Floats, x: Floats, base: Fit, df: int) -> Clumped | None:
    """The model of counts `y` whose likelihood is clearly higher than that of a variance in proportion to the mean; None where none
    is. `filled` are the counts with what a penalty adds to them, `x` the matrix of the model. Extra zeros are only looked for where
    every entry and block has been counted, since else one explains all of its zeros."""
    proportional = _negative_binomial_loglik(y, base.mean, base.mean / max(1e-6, base.pearson / df - 1))
    clumps = negative_binomial(y, filled, x, base, df)
    zeros = None if base.penalised or not _more_zeros(y, x, clumps) else zero_inflated(y, x, base, df)
    level = max(proportional, clumps.loglik if clumps else proportional)
    if zeros and zeros.loglik > level + CLEARLY:
        return zeros
    return clumps if clumps and clumps.loglik > proportional else None


def _more_zeros(y: Floats, x: Floats, clumps: Clumped | None) -> bool:
    """Whether there are more zeros than clumped counts have: else none of them is an extra one."""
    if clumps is None or not isinstance(clumps.family, NegativeBinomial):
        return bool((y == 0).any())
    size = clumps.family.size
    expected = float(((size / (size + np.exp(np.clip(x @ clumps.beta, -35, 35)))) ** size).sum())
    return float((y == 0).sum()) > expected + 1


def zero_inflated(y: Floats, x: Floats, base: Fit, df: int) -> Clumped | None:
    """By maximum likelihood: Poisson counts of which one share for all plots is 0 for another reason (Lambert 1992, by EM). None
    where no plot has 0 or no share is left over."""
    full = _zero_inflated_fit(y, x, base.beta)
    if full is None:
        return None
    beta, extra = full
    family = ZeroInflated(extra)
    value = family.terms(y, y, np.clip(x @ beta, -35, 35))[0].sum()
    entries = len(base.entries)
    less = np.hstack([np.ones((len(y), 1)), x[:, entries:]])
    smaller = _zero_inflated_fit(y, less, np.asarray(np.linalg.lstsq(less, x @ beta, rcond=None)[0], dtype=float))
    if smaller is None:
        return None
    value_less = ZeroInflated(smaller[1]).terms(y, y, np.clip(less @ smaller[0], -35, 35))[0].sum()
    information = _zero_inflated_information(y, x, beta, extra)
    if float(np.linalg.eigvalsh(information).min()) <= 0:
        return None
    from scipy.special import gammaln

    loglik = float(value - gammaln(y + 1).sum())
    lost = 2 * max(0.0, float(value - value_less))
    return Clumped(
        "zero-inflated Poisson", family, beta, np.asarray(np.linalg.inv(information), dtype=float), loglik, lost, float(df)
    )


def _zero_inflated_fit(y: Floats, x: Floats, beta: Floats) -> tuple[Floats, float] | None:
    none = y == 0
    extra = 0.5 * float(none.mean())
    for _ in range(EM_STEPS):
        if extra < 1e-6 or extra > 1 - 1e-6:
            return None
        m = np.exp(np.clip(x @ beta, -35, 35))
        other = np.where(none, extra / (extra + (1 - extra) * np.exp(-m)), 0.0)  # chance that a 0 is one of the extra ones
        following = beta
        for _ in range(3):
            m = np.exp(np.clip(x @ following, -35, 35))
            weight = np.maximum((1 - other) * m, 1e-10)
            step = np.linalg.lstsq(x.T @ (weight[:, None] * x), x.T @ ((1 - other) * (y - m)), rcond=None)[0]
            following = following + step * min(1.0, 2.0 / max(1e-12, float(np.abs(step).max())))
        moved = max(float(np.abs(following - beta).max()), abs(float(other.mean()) - extra))
        beta, extra = following, float(other.mean())
        if moved < 1e-9:
            return beta, extra
    return (beta, extra) if moved < 1e-4 else None


def _zero_inflated_information(y: Floats, x: Floats, beta: Floats, extra: float) -> Floats:
    """Observed information of the parameters and, last, of the share of extra zeros."""
    eta = np.clip(x @ beta, -35, 35)
    m, none = np.exp(eta), y == 0
    _, _, bend = ZeroInflated(extra).terms(y, y, eta)
    empty = extra + (1 - extra) * np.exp(-m)
    by_extra = np.where(none, -(((1 - np.exp(-m)) / empty) ** 2), -1 / (1 - extra) ** 2).sum()
    both = x.T @ np.where(none, m * np.exp(-m) / empty**2, 0.0)
    return -np.block([[x.T @ (bend[:, None] * x), both[:, None]], [both[None, :], np.array([[by_extra]])]])


def negative_binomial(y: Floats, filled: Floats, x: Floats, base: Fit, df: int) -> Clumped | None:
    """By quasi-likelihood with the variance m + m²/size, the size such that Pearson's chi-square equals its degrees of freedom
    (Breslow 1984). None where plots vary no more than a Poisson."""
    beta, size = base.beta.copy(), 1.0
    for _ in range(STEPS):
        size = _size(y, np.exp(np.clip(x @ beta, -35, 35)), df)
        following = _scored(filled, x, beta, size)
        moved = float(np.abs(following - beta).max())
        beta = following
        if moved < 1e-9:
            break
    if size >= LARGEST_SIZE:
        return None
    m = np.exp(np.clip(x @ beta, -35, 35))
    information = x.T @ ((m * size / (size + m))[:, None] * x)
    family = NegativeBinomial(size)
    entries = len(base.entries)
    less = np.hstack([np.ones((len(y), 1)), x[:, entries:]])
    smaller = _settled(filled, less, np.asarray(np.linalg.lstsq(less, x @ beta, rcond=None)[0], dtype=float), size)
    value = float(family.terms(filled, filled, np.clip(x @ beta, -35, 35))[0].sum())
    value_less = float(family.terms(filled, filled, np.clip(less @ smaller, -35, 35))[0].sum())
    lost = 2 * max(0.0, value - value_less)
    loglik = _negative_binomial_loglik(y, m, np.full(len(y), size))
    sure = 2.0 * df / (2 + 6 / size)  # the fourth cumulant of clumped counts leaves their spread less sure than that of others
    known = max(sure, min(float(df), LEAST_KNOWN))
    return Clumped("negative binomial", family, beta, np.asarray(np.linalg.inv(information), dtype=float), loglik, lost, known)


def _settled(y: Floats, x: Floats, beta: Floats, size: float) -> Floats:
    for _ in range(STEPS):
        following = _scored(y, x, beta, size)
        if float(np.abs(following - beta).max()) < 1e-9:
            return following
        beta = following
    return beta


def _scored(y: Floats, x: Floats, beta: Floats, size: float) -> Floats:
    """One step of Fisher scoring, no longer than 2 on the log."""
    m = np.exp(np.clip(x @ beta, -35, 35))
    weight = np.maximum(m * size / (size + m), 1e-10)
    step = np.linalg.lstsq(x.T @ (weight[:, None] * x), x.T @ ((y - m) * size / (size + m)), rcond=None)[0]
    return np.asarray(beta + step * min(1.0, 2.0 / max(1e-12, float(np.abs(step).max()))))


def _size(y: Floats, m: Floats, df: int) -> float:
    """The size with which Pearson's chi-square equals its degrees of freedom, by bisection on the log."""

    def over(size: float) -> float:
        return float(((y - m) ** 2 / np.maximum(m + m * m / size, 1e-12)).sum()) - df

    low, high = 1e-3, LARGEST_SIZE
    if over(high) < 0:
        return LARGEST_SIZE
    if over(low) > 0:
        return low
    for _ in range(60):
        middle = float(np.sqrt(low * high))
        low, high = (low, middle) if over(middle) > 0 else (middle, high)
    return float(np.sqrt(low * high))


def _negative_binomial_loglik(y: Floats, m: Floats, size: Floats) -> float:
    from scipy.special import gammaln

    m = np.maximum(m, 1e-12)
    parts = gammaln(y + size) - gammaln(size) - gammaln(y + 1) + size * np.log(size / (size + m)) + y * np.log(m / (size + m))
    return float(parts.sum())
