"""Germination tests: how many, how sure, how fast, which lot is better, and whether to wait."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum
from math import comb, lgamma, log

import numpy as np

from trialcore.analyses.linear import Floats
from trialcore.analyses.times import fit_curves
from trialcore.inference import distributions


def normal_quantile(p: float) -> float:
    """The z below which a share `p` of the standard normal lies."""
    from scipy.special import ndtri

    return float(ndtri(p))


def _check(count: float, of: float) -> None:
    if of <= 0 or not 0 <= count <= of * (1 + 1e-12):
        raise ValueError(f"{count:g} of {of:g}: the count must lie between nought and the number sown, which must be at least one")


def wilson_interval(count: float, of: float, confidence: float = 0.95) -> tuple[float, float]:
    """Score interval for a share (Wilson 1927), without continuity correction. Raises ValueError for counts that cannot be."""
    _check(count, of)
    z = normal_quantile(0.5 + confidence / 2)
    p = min(1.0, count / of)
    middle = p + z**2 / (2 * of)
    half = z * np.sqrt(p * (1 - p) / of + z**2 / (4 * of**2))
    scale = 1 + z**2 / of
    low, high = float((middle - half) / scale), float((middle + half) / scale)
    return (0.0 if count == 0 else max(0.0, low)), (1.0 if count == of else min(1.0, high))


def exact_interval(count: int, of: int, confidence: float = 0.95) -> tuple[float, float]:
    """Exact interval for a share (Clopper and Pearson 1934). Raises ValueError for counts that cannot be."""
    from scipy.special import betaincinv

    _check(count, of)
    tail = (1 - confidence) / 2
    low = 0.0 if count == 0 else float(betaincinv(count, of - count + 1, tail))
    high = 1.0 if count == of else float(betaincinv(count + 1, of - count, 1 - tail))
    return low, high


def newcombe_interval(x1: float, n1: float, x2: float, n2: float, confidence: float = 0.95) -> tuple[float, float]:
    """Interval of share 2 − share 1 from the score intervals of both (Newcombe 1998, method 10). Raises ValueError for counts
    that cannot be."""
    low1, high1 = wilson_interval(x1, n1, confidence)
    low2, high2 = wilson_interval(x2, n2, confidence)
    p1, p2 = x1 / n1, x2 / n2
    lower = p2 - p1 - float(np.sqrt((p2 - low2) ** 2 + (high1 - p1) ** 2))
    upper = p2 - p1 + float(np.sqrt((high2 - p2) ** 2 + (p1 - low1) ** 2))
    return lower, upper


@dataclass(frozen=True)
class LotComparison:
    """Lot 1 (x1 of n1) against lot 2. `difference` is share 2 − share 1 with Newcombe's (1998) 95 % interval; odds ratios
    are of lot 1 to lot 2 and None where they are infinite."""

    difference: float
    lower95: float
    upper95: float
    fisher_p: float
    fisher_odds_ratio: float | None
    sample_odds_ratio: float | None
    chi_square: float | None
    chi_square_p: float | None
    chi_square_yates: float | None
    chi_square_yates_p: float | None
    smallest_expected: float


def compare_lots(x1: int, n1: int, x2: int, n2: int) -> LotComparison:
    """Compare two lots: Fisher's exact test (two-sided: all tables no likelier than this one), χ² without and with Yates'
    correction, and the interval of the difference. Raises ValueError for counts that cannot be."""
    _check(x1, n1)
    _check(x2, n2)
    total, n = x1 + x2, n1 + n2
    expected = [n1 * total / n, n1 * (n - total) / n, n2 * total / n, n2 * (n - total) / n]
    chi = yates = None
    if min(expected) > 0:
        seen = [x1, n1 - x1, x2, n2 - x2]
        chi = sum((o - e) ** 2 / e for o, e in zip(seen, expected, strict=True))
        yates = sum((max(0.0, abs(o - e) - 0.5)) ** 2 / e for o, e in zip(seen, expected, strict=True))
    lower, upper = newcombe_interval(x1, n1, x2, n2)
    p1, p2 = x1 / n1, x2 / n2
    bottom = (n1 - x1) * x2
    sample = x1 * (n2 - x2) / bottom if bottom else (None if x1 * (n2 - x2) else float("nan"))
    return LotComparison(
        p2 - p1,
        lower,
        upper,
        _fisher(x1, n1, x2, n2),
        _conditional_odds(x1, n1, x2, n2),
        sample,
        chi,
        None if chi is None else distributions.chi_square_above(chi, 1),
        yates,
        None if yates is None else distributions.chi_square_above(yates, 1),
        min(expected),
    )


def _log_weights(n1: int, n2: int, total: int) -> tuple[int, Floats]:
    low, high = max(0, total - n2), min(n1, total)
    x = np.arange(low, high + 1)
    return low, np.array([_log_comb(n1, int(k)) + _log_comb(n2, total - int(k)) for k in x])


def _log_comb(n: int, k: int) -> float:
    return log(comb(n, k)) if n < 1000 else lgamma(n + 1) - lgamma(k + 1) - lgamma(n - k + 1)


def _fisher(x1: int, n1: int, x2: int, n2: int) -> float:
    low, weights = _log_weights(n1, n2, x1 + x2)
    p = np.exp(weights - weights.max())
    p /= p.sum()
    return float(min(1.0, p[p <= p[x1 - low] * (1 + 1e-7)].sum()))


def _conditional_odds(x1: int, n1: int, x2: int, n2: int) -> float | None:
    """The odds ratio under which the expected count, margins fixed, is the one observed; None when it is infinite."""
    low, weights = _log_weights(n1, n2, x1 + x2)
    x = low + np.arange(len(weights))
    if x1 == x[0]:
        return 0.0 if len(x) > 1 else float("nan")
    if x1 == x[-1]:
        return None

    def mean(log_odds: float) -> float:
        w = weights + x * log_odds
        p = np.exp(w - w.max())
        return float((p * x).sum() / p.sum())

    a, b = -60.0, 60.0
    for _ in range(200):
        middle = (a + b) / 2
        a, b = (middle, b) if mean(middle) < x1 else (a, middle)
    return float(np.exp((a + b) / 2))


@dataclass(frozen=True)
class Speed:
    """How fast a lot germinated, in days. `t50` is the day by which half of those that germinated had (Farooq et al. 2005),
    `t50_coolbear` after Coolbear et al. (1984); `uniformity` the days from a quarter to three quarters of them; `rate`
    1 / mean time; `velocity` 100 times it; `index` Σ n/t."""

    germinated: int
    t50: float | None
    t50_coolbear: float | None
    uniformity: float | None
    mean_time: float
    variance: float | None
    rate: float
    velocity: float
    index: float


def germination_speed(days: Sequence[float], newly: Sequence[int]) -> Speed | None:
    """Speed from counts of newly germinated seeds by day; None when none germinated.

    Raises ValueError when days do not rise from above nought, lengths differ, or a count is negative.
    """
    if len(days) != len(newly) or not len(days):
        raise ValueError("each day needs one count")
    if days[0] <= 0 or any(b <= a for a, b in zip(days, list(days)[1:], strict=False)) or min(newly) < 0:
        raise ValueError("days must rise from above nought and counts must not be negative")
    n, t = np.array(newly, dtype=float), np.array(days, dtype=float)
    total = float(n.sum())
    if total == 0:
        return None
    mean = float((n * t).sum() / total)
    cumulative = np.cumsum(n)

    def reached(count: float) -> float | None:
        j = int(np.searchsorted(cumulative, count - 1e-12))
        if j >= len(t):
            return None
        before, day = (cumulative[j - 1], t[j - 1]) if j else (0.0, 0.0)
        return float(day + (count - before) / (cumulative[j] - before) * (t[j] - day))

    first, third = reached(total / 4), reached(3 * total / 4)
    return Speed(
        int(total),
        reached(total / 2),
        reached((total + 1) / 2),
        None if first is None or third is None else third - first,
        mean,
        float((n * (t - mean) ** 2).sum() / (total - 1)) if total > 1 else None,
        1 / mean,
        100 / mean,
        float((n / t).sum()),
    )


@dataclass(frozen=True)
class Replicates:
    """Whether replicates of one test differ by more than chance: χ² on replicates − 1 df, and its dispersion χ²/df."""

    chi_square: float
    df: int
    p: float
    dispersion: float


def compare_replicates(counts: Sequence[int], sown: Sequence[int]) -> Replicates | None:
    """Homogeneity of replicates; None with fewer than two, or when none or all germinated."""
    for c, s in zip(counts, sown, strict=True):
        _check(c, s)
    total, n = sum(counts), sum(sown)
    if len(counts) < 2 or total in (0, n):
        return None
    p = total / n
    chi = sum((c - s * p) ** 2 / (s * p * (1 - p)) for c, s in zip(counts, sown, strict=True))
    df = len(counts) - 1
    return Replicates(chi, df, distributions.chi_square_above(chi, df), chi / df)


@dataclass(frozen=True)
class MoreToCome:
    """What waiting brings: the share that will germinate in the end, how many more are expected within the wait, and the
    chance of at least one. From log-normal times with a share that never germinates, each count known to the interval
    between two days of counting, fitted by maximum likelihood."""

    final_share: float
    median_days: float
    spread_log: float
    expected_more: float
    chance_of_any: float
    chance_of_needed: float | None


def more_to_come(
    days: Sequence[float], newly: Sequence[int], sown: int, wait: float, needed: int | None = None
) -> MoreToCome | None:
    """Whether `wait` more days bring more seedlings, `needed` of them where a number is asked.

    None when fewer than three seeds or only one counting day speak. Raises ValueError as `fit_curves`, or for a
    wait that is not above nought.
    """
    if wait <= 0:
        raise ValueError("the wait must be above nought")
    curve = fit_curves([days], [newly], [sown])[0]
    if curve is None:
        return None
    last = float(days[-1])
    now, later = curve.by(last), curve.by(last + wait)
    chance = (later - now) / (1 - now) if now < 1 else 0.0
    rest = sown - sum(newly)
    asked = None
    if needed is not None:
        from scipy.special import bdtrc

        asked = 1.0 if needed <= 0 else (0.0 if needed > rest else float(bdtrc(needed - 1, rest, chance)))
    return MoreToCome(curve.share, curve.median_days, curve.spread_log, rest * chance, 1 - (1 - chance) ** rest, asked)


class LotVerdict(StrEnum):
    """What is to be done with a lot."""

    SOW = "sow"
    SOW_THICKER = "sow thicker"
    REJECT = "reject"


@dataclass(frozen=True)
class LotAdvice:
    """What to do with a lot: `factor` is how many times the usual seed it needs."""

    verdict: LotVerdict
    share: float
    lower95: float
    upper95: float
    factor: float


def judge_lot(count: int, of: int, wanted: float = 0.85, least: float = 0.5) -> LotAdvice:
    """Sow when the lot may well reach `wanted` (upper bound of Wilson's interval), reject when it is sure to lie below
    `least`, else sow thicker by wanted / share. Shares run from 0 to 1. Raises ValueError for counts that cannot be."""
    low, high = wilson_interval(count, of)
    share = count / of
    if high < least or count == 0:
        return LotAdvice(LotVerdict.REJECT, share, low, high, float("inf") if count == 0 else wanted / share)
    if high >= wanted:
        return LotAdvice(LotVerdict.SOW, share, low, high, 1.0)
    return LotAdvice(LotVerdict.SOW_THICKER, share, low, high, wanted / share)
