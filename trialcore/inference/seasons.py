"""Recommend, retest or drop over several seasons, and how often such a rule is wrong."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from trialcore.inference.comparisons import chance_above
from trialcore.inference.verdict import Verdict


@dataclass(frozen=True)
class SeasonResult:
    """One season: how much better than the check (positive is better), its standard error and degrees of freedom."""

    season: str
    better_by: float
    se: float
    df: float


@dataclass(frozen=True)
class Pooled:
    """Several seasons as one figure. `between` is the standard deviation of the true difference from season to season."""

    better_by: float
    se: float
    df: float
    between: float
    seasons: int


@dataclass(frozen=True)
class SeasonRule:
    """The bars a verdict over seasons has to clear. Recommend needs `recommend_after` seasons and a chance `sure_better` of
    being better; drop needs `drop_after` and a chance `sure_worse` of being worse; after `decide_by` seasons an entry that
    is still open is dropped, since ground is scarce. The defaults are set from simulated error rates (docs/exactness)."""

    recommend_after: int = 2
    drop_after: int = 1
    sure_better: float = 0.95
    sure_worse: float = 0.95
    decide_by: int = 4


def pool(results: Sequence[SeasonResult], between: float | None = None) -> Pooled:
    """Combine seasons by inverse variances that hold a between-season part.

    `between` is that part's standard deviation where it is known from other trials; otherwise it is found from these
    results after Paule and Mandel (1982), the standard error is not taken below what the seasons' own errors give, and the
    degrees of freedom are seasons − 1 where it is above nought (Hartung and Knapp 2001), else those of the errors summed.

    Raises ValueError without a result or with a standard error that is not above nought.
    """
    if not results or any(r.se <= 0 or r.df <= 0 for r in results):
        raise ValueError("each season needs a difference with a standard error above nought")
    d = np.array([r.better_by for r in results])
    v = np.array([r.se**2 for r in results])
    k = len(d)
    tau2 = between**2 if between is not None else _paule_mandel(d, v)
    w = 1 / (v + tau2)
    mean = float((w * d).sum() / w.sum())
    se = float(np.sqrt(1 / w.sum()))
    inner = float(sum(r.df for r in results))
    if between is not None or k == 1 or tau2 == 0:
        return Pooled(mean, se, inner, float(np.sqrt(tau2)), k)
    spread = float((w * (d - mean) ** 2).sum()) / (k - 1)
    return Pooled(mean, se * float(np.sqrt(max(1.0, spread))), float(k - 1), float(np.sqrt(tau2)), k)


def _paule_mandel(d: np.ndarray, v: np.ndarray) -> float:
    def excess(tau2: float) -> float:
        w = 1 / (v + tau2)
        return float((w * (d - (w * d).sum() / w.sum()) ** 2).sum()) - (len(d) - 1)

    if len(d) < 2 or excess(0.0) <= 0:
        return 0.0
    low, high = 0.0, float(v.max())
    while excess(high) > 0:
        low, high = high, high * 2
    for _ in range(80):
        middle = (low + high) / 2
        low, high = (middle, high) if excess(middle) > 0 else (low, middle)
    return (low + high) / 2


def suggest_over_seasons(results: Sequence[SeasonResult], rule: SeasonRule | None = None, between: float | None = None) -> Verdict:
    """The verdict the rule comes to after these seasons on the leading criterion; retest while nothing is decided."""
    rule = rule or SeasonRule()
    if not results:
        return Verdict.RETEST
    pooled = pool(results, between)
    better = chance_above(pooled.better_by, pooled.se, pooled.df)
    if pooled.seasons >= rule.recommend_after and better >= rule.sure_better:
        return Verdict.RECOMMEND
    if pooled.seasons >= rule.drop_after and 1 - better >= rule.sure_worse:
        return Verdict.DROP
    return Verdict.DROP if pooled.seasons >= rule.decide_by else Verdict.RETEST


@dataclass(frozen=True)
class ErrorRates:
    """How a rule does on entries of known worth: how often it recommends one that is no better than the check, drops one
    that is better by at least what matters, and how many seasons it takes."""

    recommends_no_better: float
    drops_better: float
    mean_seasons: float
    entries: int


def rule_error_rates(
    rule: SeasonRule, true_sd: float, between_sd: float, se: float, df: float, matters: float, seed: int, entries: int = 2000
) -> ErrorRates:
    """Try a rule on simulated entries: true differences from the check normal with mean nought and `true_sd`, moved each
    season by `between_sd` and measured with `se` on `df`. All in the trait's unit."""
    rng = np.random.default_rng(seed)
    true = rng.normal(0, true_sd, entries)
    wrong_up = wrong_down = seasons = 0
    for worth in true:
        seen: list[SeasonResult] = []
        verdict = Verdict.RETEST
        while verdict == Verdict.RETEST:
            measured = worth + rng.normal(0, between_sd) + rng.normal(0, se)
            own = se * float(np.sqrt(rng.chisquare(df) / df))
            seen.append(SeasonResult(str(len(seen) + 1), float(measured), own, df))
            verdict = suggest_over_seasons(seen, rule, between_sd if between_sd > 0 else None)
        seasons += len(seen)
        wrong_up += verdict == Verdict.RECOMMEND and worth <= 0
        wrong_down += verdict == Verdict.DROP and worth >= matters
    poor, good = int((true <= 0).sum()), int((true >= matters).sum())
    return ErrorRates(wrong_up / max(1, poor), wrong_down / max(1, good), seasons / entries, entries)


def seasons_needed(
    difference: float, se: float, between_sd: float, chance: float = 0.8, alpha: float = 0.05, most: int = 50
) -> int | None:
    """The fewest seasons in which a true difference is found with probability `chance`, testing two-sided at `alpha` on
    seasons − 1 degrees of freedom; None beyond `most`. `se` is that of the difference within one season."""
    from trialcore.inference import distributions

    if difference <= 0 or se <= 0 or between_sd < 0:
        raise ValueError("the difference and its standard error must be above nought, the spread of seasons not below it")
    sd = float(np.sqrt(se**2 + between_sd**2))
    for n in range(2, most + 1):
        bound = distributions.t_quantile(1 - alpha / 2, n - 1)
        if distributions.noncentral_t_beyond(bound, n - 1, difference / (sd / np.sqrt(n))) >= chance:
            return n
    return None
