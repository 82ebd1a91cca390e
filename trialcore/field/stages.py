"""Time between what was done and what was seen, when a stage was seen only on the walk after it came."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

import numpy as np

from trialcore.analyses.linear import Floats, Labels, levels_of
from trialcore.analyses.mixed import incidence
from trialcore.analyses.printing import figures, page, table
from trialcore.inference import distributions


def days_between(start: date | None, end: date | None) -> int | None:
    """Whole days from `start` to `end`, None when either is unknown.

    Raises ValueError when `end` lies before `start`.
    """
    if start is None or end is None:
        return None
    if end < start:
        raise ValueError(f"{end:%-d %b %Y} lies before {start:%-d %b %Y}")
    return (end - start).days


@dataclass(frozen=True)
class StageMean:
    """Days to a stage of one entry, averaged over blocks, with a 95 % interval. `seen` of its `n` plots reached it while
    they were walked."""

    entry: str
    n: int
    seen: int
    days: float | None
    se: float | None
    lower95: float | None
    upper95: float | None


@dataclass(frozen=True, eq=False)
class StageDates:
    """What `analyse_stage` found. `sd` is the spread between plots in days, `covariance` that of the entry means."""

    means: tuple[StageMean, ...]
    covariance: Floats
    sd: float | None
    df: int
    method: str
    cannot_say: tuple[str, ...]

    def against(self, check: str) -> list[tuple[str, float, float, float]]:
        """Each entry minus `check`: name, days, standard error, two-sided p. Raises KeyError when it has no mean."""
        known = [i for i, m in enumerate(self.means) if m.days is not None]
        base = next((i for i in known if self.means[i].entry == check), None)
        if base is None:
            raise KeyError(check)
        rows = []
        for i in known:
            if i == base:
                continue
            d = (self.means[i].days or 0.0) - (self.means[base].days or 0.0)
            se = float(np.sqrt(self.covariance[i, i] + self.covariance[base, base] - 2 * self.covariance[i, base]))
            rows.append((self.means[i].entry, d, se, float(distributions.t_two_sided(d / se, max(1, self.df)))))
        return rows

    def __str__(self) -> str:
        columns = {"entry": "entry", "n": "n", "seen": "seen", "days": "days", "se": "se", "lower": "lower95", "upper": "upper95"}
        return page(
            self.method, table("Days to the stage", self.means, **columns), figures(sd=self.sd, df=self.df), *self.cannot_say
        )


def analyse_stage(
    entry: Labels, after: Sequence[float | None], by: Sequence[float | None], block: Labels | None = None
) -> StageDates:
    """Days to a stage, each plot known only to have reached it between two walks.

    `after` is the last walk (in days) at which it was not seen, `by` the first at which it was; `by` None means it was not
    seen while the plot was walked, `after` None not looked at before. Both None is a missing plot. The model is normal
    with block and entry fixed and interval-censored values, by maximum likelihood (EM from the means of truncated normals;
    Dempster, Laird and Rubin 1977, sec. 4.2; standard errors from the observed information, Louis 1982), the variance
    with error degrees of freedom as the divisor of what is left of the means. An entry of which no plot was seen to reach the stage
    has no mean.

    Raises ValueError when the lengths differ or `by` does not lie after `after`.
    """
    if not len(entry) == len(after) == len(by) or (block is not None and len(block) != len(entry)):
        raise ValueError("entry, both walks and block must have one element for each plot")
    if any(a is not None and b is not None and b <= a for a, b in zip(after, by, strict=True)):
        raise ValueError("a stage must be seen after the last walk without it")
    everyone = levels_of(entry)
    looked = [i for i in range(len(entry)) if after[i] is not None or by[i] is not None]
    reached = {entry[i] for i in looked if by[i] is not None}
    kept = [i for i in looked if entry[i] in reached]
    never = [e for e in everyone if e not in reached]
    cannot = [f"{e} was never seen to reach the stage, so it has no date; it is later than every walk." for e in never]
    names = levels_of([entry[i] for i in kept])
    x = incidence([entry[i] for i in kept], names)
    if block is not None and kept:
        blocks = [block[i] for i in kept]
        levels = levels_of(blocks)
        x = np.hstack([x, incidence(blocks, levels)[:, 1:] - 1 / len(levels)])
    df = len(kept) - x.shape[1]
    counts = {e: (sum(entry[i] == e for i in looked), sum(entry[i] == e and by[i] is not None for i in looked)) for e in everyone}
    if df < 1 or np.linalg.matrix_rank(x) < x.shape[1]:
        none = tuple(StageMean(e, *counts[e], None, None, None, None) for e in everyone)
        return StageDates(none, np.empty((0, 0)), None, max(df, 0), "", (*cannot, "Too few plots were seen to judge the error."))
    low = np.array([-np.inf if after[i] is None else float(after[i] or 0.0) for i in kept])
    high = np.array([np.inf if by[i] is None else float(by[i] or 0.0) for i in kept])
    beta, sd, covariance = _censored_normal(low, high, x, df)
    half = distributions.t_quantile(0.975, df)
    size = len(everyone)
    wide = np.full((size, size), np.nan)
    at = [everyone.index(n) for n in names]
    wide[np.ix_(at, at)] = covariance[: len(names), : len(names)]
    rows = []
    for e in everyone:
        if e in never:
            rows.append(StageMean(e, *counts[e], None, None, None, None))
            continue
        days, se = float(beta[names.index(e)]), float(np.sqrt(covariance[names.index(e), names.index(e)]))
        rows.append(StageMean(e, *counts[e], days, se, days - half * se, days + half * se))
    method = "Normal model with interval-censored dates: each plot reached the stage between two walks."
    return StageDates(tuple(rows), wide, sd, df, method, tuple(cannot))


def _censored_normal(low: Floats, high: Floats, x: Floats, df: int) -> tuple[Floats, float, Floats]:
    """Coefficients, spread and covariance of the coefficients."""
    finite = np.where(np.isfinite(high), high, low + 7.0)
    middle = np.where(np.isfinite(low), (low + finite) / 2, finite)
    inverse = np.linalg.inv(x.T @ x)
    beta = inverse @ x.T @ middle
    variance = max(float(((middle - x @ beta) ** 2).sum()) / df, 0.25)
    for _ in range(2000):
        mean, spread = _truncated(low, high, x @ beta, float(np.sqrt(variance)))
        new = inverse @ x.T @ mean
        new_variance = max(float(((mean - x @ new) ** 2).sum()) / df + float(spread.mean()), 1e-10)
        moved = max(float(np.abs(new - beta).max()), abs(new_variance - variance))
        beta, variance = new, new_variance
        if moved < 1e-9:
            break
    _, spread = _truncated(low, high, x @ beta, float(np.sqrt(variance)))
    weight = np.clip(1 - spread / variance, 1e-6, 1.0)  # what an exact date would tell, less what censoring hides
    return beta, float(np.sqrt(variance)), np.asarray(np.linalg.inv(x.T @ (weight[:, None] * x)) * variance, dtype=float)


def _truncated(low: Floats, high: Floats, mean: Floats, sd: float) -> tuple[Floats, Floats]:
    """Mean and variance of normal values known to lie between `low` and `high`."""
    from scipy.special import log_ndtr, ndtr

    a, b = (low - mean) / sd, (high - mean) / sd
    flip = a > 0  # the upper tail is reckoned in the lower one, where it keeps its digits
    a, b = np.where(flip, -b, a), np.where(flip, -a, b)
    log_mass = log_ndtr(b) + np.log1p(-np.minimum(np.exp(np.minimum(log_ndtr(a) - log_ndtr(b), 0.0)), 1 - 1e-15))
    pa = np.where(np.isfinite(a), np.exp(-(np.nan_to_num(a, posinf=0, neginf=0) ** 2) / 2 - log_mass) / np.sqrt(2 * np.pi), 0.0)
    pb = np.where(np.isfinite(b), np.exp(-(np.nan_to_num(b, posinf=0, neginf=0) ** 2) / 2 - log_mass) / np.sqrt(2 * np.pi), 0.0)
    shift = pa - pb
    spread = 1 + np.nan_to_num(a, neginf=0) * pa - np.nan_to_num(b, posinf=0) * pb - shift**2
    thin = ndtr(b) - ndtr(a) < 1e-12  # an interval far out or very narrow: its middle, and hardly any spread
    inside = np.where(np.isfinite(a) & np.isfinite(b), (np.nan_to_num(a) + np.nan_to_num(b)) / 2, np.where(np.isfinite(a), a, b))
    shift = np.where(thin, inside, shift)
    spread = np.where(thin, 0.0, np.clip(spread, 0.0, 1.0))
    return mean + sd * np.where(flip, -shift, shift), spread * sd**2


def stage_forecast(first: Sequence[float], later: Sequence[float]) -> tuple[float, float, float, int] | None:
    """Forecast of a later stage from an earlier one: mean days between them, the standard deviation of those days, half
    of the 95 % prediction interval, and the number of plots. None with fewer than three plots that have both."""
    gaps = np.array([b - a for a, b in zip(first, later, strict=True)], dtype=float)
    n = len(gaps)
    if n < 3:
        return None
    sd = float(gaps.std(ddof=1))
    return float(gaps.mean()), sd, distributions.t_quantile(0.975, n - 1) * sd * float(np.sqrt(1 + 1 / n)), n
