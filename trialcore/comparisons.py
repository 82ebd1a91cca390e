"""Differences between entries: against the check, all pairs, and what a difference is worth."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from trialcore import distributions
from trialcore.blocks import BlockAnalysis
from trialcore.linear import Floats

Guard = Literal["each", "family"]
"""Against which error a difference is guarded: each comparison at 5 %, or the whole family of them at 5 %."""


@dataclass(frozen=True)
class Difference:
    """`a` minus `b` in the trait's unit with its standard error, t and probabilities (two-sided)."""

    a: str
    b: str
    estimate: float
    se: float
    df: int
    t: float
    p_unadjusted: float
    p_bonferroni: float
    p_holm: float
    p_family: float
    """Tukey–Kramer among all pairs, Dunnett against the check."""
    p_sidak: float


@dataclass(frozen=True)
class Spread:
    """Standard errors of all differences between two means, in the trait's unit."""

    average: float
    root_mean_square: float
    smallest: float
    largest: float
    n_pairs: int


@dataclass(frozen=True)
class AgainstCheck:
    """Every entry minus the check. `critical_each` and `critical_family` are the t at 5 % for one and for all."""

    check: str
    differences: tuple[Difference, ...]
    critical_each: float
    critical_family: float
    correlation: Floats


def spread_of_differences(analysis: BlockAnalysis) -> Spread | None:
    """The standard error of a difference over all pairs of entries that can be compared; None when there is none."""
    pairs = _comparable_pairs(analysis)
    if pairs is None:
        return None
    _, _, se = pairs
    return Spread(float(se.mean()), float(np.sqrt((se**2).mean())), float(se.min()), float(se.max()), len(se))


def all_pairs(analysis: BlockAnalysis) -> tuple[Difference, ...]:
    """Every pair of comparable entries, with Bonferroni, Holm and Tukey–Kramer probabilities over all of them."""
    pairs = _comparable_pairs(analysis)
    if pairs is None:
        return ()
    first, second, se = pairs
    means = analysis.level
    estimate = means[first] - means[second]
    t = estimate / se
    k = len(np.unique(np.concatenate([first, second])))
    family = distributions.studentized_range_above(np.sqrt(2) * np.abs(t), k, analysis.df_error)
    return _differences(analysis, first, second, estimate, se, t, family)


def against_check(analysis: BlockAnalysis, check: str) -> AgainstCheck | None:
    """Every comparable entry minus `check`, with Dunnett's probability over all of them.

    None when the check has no value, nothing can be compared with it, or the error cannot be judged.
    Raises KeyError when the trial has no such entry.
    """
    base = analysis.index(check)
    sets = np.array(analysis.connected_set)
    if not analysis.mse or not sets[base]:
        return None
    others = np.flatnonzero((sets == sets[base]) & (np.arange(len(sets)) != base))
    if len(others) == 0:
        return None
    v = analysis.covariance
    joint = v[np.ix_(others, others)] - v[others, base][:, None] - v[base, others][None, :] + v[base, base]
    se = np.sqrt(analysis.mse * np.diag(joint))
    means = analysis.level
    estimate = means[others] - means[base]
    t = estimate / se
    scale = np.sqrt(np.diag(joint))
    correlation = np.clip(joint / np.outer(scale, scale), -1.0, 1.0)
    family = distributions.largest_t_above(t, correlation, analysis.df_error)
    rows = _differences(analysis, others, np.full(len(others), base), estimate, se, t, family)
    each = distributions.t_quantile(0.975, analysis.df_error)
    whole = distributions.largest_t_quantile(0.05, correlation, analysis.df_error)
    return AgainstCheck(check, rows, each, whole, correlation)


def chance_above(estimate: float, se: float, df: float, margin: float = 0.0) -> float:
    """Chance that the true difference is above `margin`, given its estimate and standard error.

    The posterior under a flat prior: the true difference is distributed as estimate + se · t(df)
    (Box and Tiao 1973, sec. 2.5).
    """
    return float(distributions.t_below((estimate - margin) / se, df))


def least_significant_difference(se: float, df: float) -> float:
    """The smallest difference that 5 % luck would not make on its own: t(97.5 %, df) · SE of the difference."""
    return distributions.t_quantile(0.975, df) * se


def _comparable_pairs(analysis: BlockAnalysis) -> tuple[np.ndarray, np.ndarray, Floats] | None:
    if not analysis.mse:
        return None
    first, second = np.triu_indices(len(analysis.means), k=1)
    sets = np.array(analysis.connected_set)
    kept = (sets[first] == sets[second]) & (sets[first] > 0)
    if not kept.any():
        return None
    first, second = first[kept], second[kept]
    v = analysis.covariance
    se = np.sqrt(analysis.mse * (v[first, first] + v[second, second] - 2 * v[first, second]))
    return first, second, se


def _differences(
    analysis: BlockAnalysis, first: np.ndarray, second: np.ndarray, estimate: Floats, se: Floats, t: Floats, family: Floats
) -> tuple[Difference, ...]:
    p = distributions.t_two_sided(t, analysis.df_error)
    m = len(p)
    bonferroni = np.minimum(1.0, m * p)
    holm = holm_adjusted(p)
    sidak = -np.expm1(m * np.log1p(-np.minimum(p, 1 - 1e-16)))
    names = [mean.entry for mean in analysis.means]
    return tuple(
        Difference(
            names[i],
            names[j],
            float(d),
            float(s),
            analysis.df_error,
            float(tt),
            float(pu),
            float(pb),
            float(ph),
            float(pf),
            float(ps),
        )
        for i, j, d, s, tt, pu, pb, ph, pf, ps in zip(
            first, second, estimate, se, t, p, bonferroni, holm, family, sidak, strict=True
        )
    )


def holm_adjusted(p: Floats) -> Floats:
    """Holm's (1979) step-down probabilities for a family of m."""
    order = np.argsort(p)
    stepped = np.maximum.accumulate(p[order] * (len(p) - np.arange(len(p))))
    adjusted = np.empty(len(p))
    adjusted[order] = np.minimum(1.0, stepped)
    return adjusted
