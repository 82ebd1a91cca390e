"""Differences between entries: against the check, all pairs, and what a difference is worth."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Literal

import numpy as np

from trialcore.analyses.blocks import BlockAnalysis
from trialcore.analyses.linear import Floats, Whole
from trialcore.analyses.printing import table
from trialcore.inference import distributions

Guard = Literal["each", "family"]
"""Against which error a difference is guarded: each comparison at 5 %, or the whole family of them at 5 %."""


@dataclass(frozen=True)
class Difference:
    """`a` minus `b` in the trait's unit with its standard error, t and probabilities (two-sided)."""

    a: str
    b: str
    estimate: float
    se: float
    df: float
    t: float
    p_unadjusted: float
    p_bonferroni: float
    p_holm: float
    p_family: float | None
    """Tukey–Kramer among all pairs, Dunnett against the check; None where that was not asked for."""
    p_sidak: float


@dataclass(frozen=True)
class SedRange:
    """Standard errors of all differences between two means, in the trait's unit."""

    average: float
    root_mean_square: float
    smallest: float
    largest: float
    n_pairs: int


@dataclass(frozen=True, eq=False)
class AgainstCheck:
    """Every entry minus the check. `critical_each` and `critical_family` are the t at 5 % for one and for all, `df` what they stand
    on. The joint probability of all takes long with many entries, so it is reckoned when it is asked for."""

    check: str
    differences: tuple[Difference, ...]
    """Each by itself."""
    critical_each: float
    correlation: Floats
    df: float
    ends: Callable[[float], tuple[Floats, Floats]] | None = None
    """Lower and upper ends of the differences at a critical t, where they are not the estimate ± so many standard errors."""

    def interval(self, critical: float) -> tuple[Floats, Floats]:
        """Lower and upper ends of every difference, at a critical t: `critical_each` or `critical_family`."""
        if self.ends is not None:
            return self.ends(critical)
        estimate = np.array([d.estimate for d in self.differences])
        half = critical * np.array([d.se for d in self.differences])
        return estimate - half, estimate + half

    @cached_property
    def held(self) -> tuple[Difference, ...]:
        """The same with Dunnett's probability over all of them."""
        family = distributions.largest_t_above(np.array([d.t for d in self.differences]), self.correlation, self.df)
        return tuple(replace(d, p_family=float(p)) for d, p in zip(self.differences, np.atleast_1d(family), strict=True))

    @cached_property
    def critical_family(self) -> float:
        """The t that the largest of all passes in 5 of 100 such trials without any difference."""
        return distributions.largest_t_quantile(0.05, self.correlation, self.df)

    def __str__(self) -> str:
        columns = {
            "entry": "a",
            "difference": "estimate",
            "se": "se",
            "df": "df",
            "t": "t",
            "p": "p_unadjusted",
            "p Dunnett": "p_family",
        }
        return table(f"Minus {self.check}", self.held, **columns)


def sed_of_differences(analysis: BlockAnalysis) -> SedRange | None:
    """The standard error of a difference over all pairs of entries that can be compared; None when there is none."""
    pairs = _comparable_pairs(analysis)
    if pairs is None:
        return None
    _, _, se = pairs
    return SedRange(float(se.mean()), float(np.sqrt((se**2).mean())), float(se.min()), float(se.max()), len(se))


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
    names = [m.entry for m in analysis.means]
    return differences_of(names, first, second, estimate, se, analysis.df_error, family)


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
    names = [m.entry for m in analysis.means]
    return against(names, base, others, analysis.level, analysis.mse * analysis.covariance, analysis.df_error)


def against(names: Sequence[str], base: int, others: Whole, level: Floats, covariance: Floats, df: float) -> AgainstCheck:
    """Each of `others` minus `base` among means with a common error: `level` and `covariance` are those of all means, in the
    trait's unit and its square; `df` those of the error. Dunnett's probability over all of them."""
    v = covariance
    joint = v[np.ix_(others, others)] - v[others, base][:, None] - v[base, others][None, :] + v[base, base]
    return against_joint(names, base, others, level[others] - level[base], joint, np.full(len(others), df))


def against_joint(
    names: Sequence[str], base: int, others: Whole, estimate: Floats, joint: Floats, df: Floats, se: Floats | None = None
) -> AgainstCheck:
    """Differences from `base` with their `joint` covariance and each its own `df` (`se` where it is not that of `joint`).
    Dunnett's probability and both critical values stand on the mean of `df`."""
    scale = np.sqrt(np.diag(joint))
    own = scale if se is None else se
    common = float(np.mean(df))
    correlation = np.clip(joint / np.outer(scale, scale), -1.0, 1.0)
    rows = differences_of(names, others, np.full(len(others), base), estimate, own, df)
    return AgainstCheck(names[base], rows, distributions.t_quantile(0.975, common), correlation, common)


def chance_above(estimate: float, se: float, df: float, margin: float = 0.0) -> float:
    """Chance that the true difference is above `margin`, given its estimate and standard error.

    The posterior under a flat prior: the true difference is distributed as estimate + se · t(df)
    (Box and Tiao 1973, sec. 2.5).
    """
    return float(distributions.t_below((estimate - margin) / se, df))


@dataclass(frozen=True)
class Equivalence:
    """Whether a difference lies within ± a margin: `p` of the two one-sided tests, the 90 % interval that decides it, and
    the chance that the true difference lies inside."""

    as_good: bool
    p: float
    lower90: float
    upper90: float
    chance_within: float


def as_good_as(estimate: float, se: float, df: float, margin: float, alpha: float = 0.05) -> Equivalence:
    """Test that a true difference is smaller than `margin` either way (two one-sided tests; Schuirmann 1987).

    All in the trait's unit. Raises ValueError unless margin and standard error are above nought.
    """
    if margin <= 0 or se <= 0:
        raise ValueError("the margin and the standard error must be above nought")
    above = float(distributions.t_below((estimate - margin) / se, df))
    below = float(distributions.t_below((-estimate - margin) / se, df))
    p = max(above, below)
    half = distributions.t_quantile(1 - alpha, df) * se
    return Equivalence(p < alpha, p, estimate - half, estimate + half, 1 - _beyond(estimate, se, df, margin))


def _beyond(estimate: float, se: float, df: float, margin: float) -> float:
    return chance_above(estimate, se, df, margin) + chance_above(-estimate, se, df, margin)


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


def differences_of(
    names: Sequence[str],
    first: Whole,
    second: Whole,
    estimate: Floats,
    se: Floats,
    df: Floats | float,
    family: Floats | None = None,
) -> tuple[Difference, ...]:
    """Each `names[first]` minus `names[second]`, with probabilities guarded over all of them; `family` is the joint one where it is
    known, `df` one figure for all or one for each."""
    t = estimate / se
    p = distributions.t_two_sided(t, df)
    m = len(p)
    bonferroni = np.minimum(1.0, m * p)
    sidak = -np.expm1(m * np.log1p(-np.minimum(p, 1 - 1e-16)))
    table = np.column_stack([estimate, se, t, p, bonferroni, holm_adjusted(p), sidak]).tolist()
    each = df.tolist() if isinstance(df, np.ndarray) else [df] * m
    joint = [None] * m if family is None else np.asarray(family).tolist()
    places = zip(first.tolist(), second.tolist(), each, joint, table, strict=True)
    return tuple(
        Difference(names[i], names[j], d, s, own, tt, pu, pb, ph, pf, ps) for i, j, own, pf, (d, s, tt, pu, pb, ph, ps) in places
    )


def pairs_of_equal_means(names: Sequence[str], means: Floats, sed: float, df: int) -> tuple[Difference, ...]:
    """All pairs of means that share one standard error of a difference, with Tukey's probability over them."""
    first, second = np.triu_indices(len(names), k=1)
    estimate = means[first] - means[second]
    family = distributions.studentized_range_above(np.sqrt(2) * np.abs(estimate / sed), len(names), df)
    return differences_of(names, first, second, estimate, np.full(len(first), sed), df, family)


def equal_means_against(names: Sequence[str], means: Floats, sed: float, df: int, check: str) -> AgainstCheck:
    """Every mean minus that of `check`, all with one standard error of a difference; Dunnett's probability over them.

    Raises ValueError when `check` is not among the names.
    """
    base = list(names).index(check)
    others = np.array([i for i in range(len(names)) if i != base], dtype=np.int64)
    correlation = np.full((len(others), len(others)), 0.5)
    np.fill_diagonal(correlation, 1.0)
    estimate = means[others] - means[base]
    rows = differences_of(names, others, np.full(len(others), base), estimate, np.full(len(others), sed), df)
    return AgainstCheck(check, rows, distributions.t_quantile(0.975, df), correlation, df)


def holm_adjusted(p: Floats) -> Floats:
    """Holm's (1979) step-down probabilities for a family of m."""
    order = np.argsort(p)
    stepped = np.maximum.accumulate(p[order] * (len(p) - np.arange(len(p))))
    adjusted = np.empty(len(p))
    adjusted[order] = np.minimum(1.0, stepped)
    return adjusted
