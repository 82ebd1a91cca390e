"""Time between what was done and what was seen, when a stage was seen only on the walk after it came."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

import numpy as np

from trialcore.analyses.interval_dates import IntervalDates, fit_interval_dates
from trialcore.analyses.linear import Floats, Labels, Whole, levels_of
from trialcore.analyses.printing import figures, page, table
from trialcore.inference import distributions
from trialcore.inference.comparisons import Difference, differences_of


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
    """What `analyse_stage` found. `sd` is the spread between plots in days, `covariance` that of the entry means, NaN for entries
    without one; `fitted` the model, None where too few plots were seen."""

    means: tuple[StageMean, ...]
    covariance: Floats
    sd: float | None
    df: float
    method: str
    cannot_say: tuple[str, ...]
    fitted: IntervalDates | None = None

    def against(self, check: str) -> list[tuple[str, float, float, float]]:
        """Each entry minus `check`: name, days, standard error, two-sided p. Raises KeyError when it has no mean."""
        return [(d.a, d.estimate, d.se, d.p_unadjusted) for d in self.differences(*self.pairs_with(check))]

    def pairs_with(self, check: str) -> tuple[Whole, Whole]:
        """Places among the fitted entries of each other entry, and of the check. Raises KeyError when it has no mean."""
        if self.fitted is None or check not in self.fitted.entries:
            raise KeyError(check)
        c = self.fitted.entries.index(check)
        others = np.array([i for i in range(len(self.fitted.entries)) if i != c], dtype=np.int64)
        return others, np.full(len(others), c)

    def differences(self, first: Whole, second: Whole, family: Floats | None = None) -> tuple[Difference, ...]:
        """Of the fitted entries at these places, each with the standard error that its likelihood ratio speaks for."""
        fitted = self.fitted
        assert fitted is not None
        estimate, t = fitted.days[first] - fitted.days[second], fitted.t_values(first, second)
        v = fitted.covariance
        wald = np.sqrt(np.maximum(v[first, first] + v[second, second] - 2 * v[first, second], 1e-12))
        told = (np.abs(t) > 1e-3) & (np.abs(estimate) > 1e-9)
        se = np.where(told, np.abs(estimate) / np.where(told, np.abs(t), 1.0), wald)
        return differences_of(list(fitted.entries), first, second, estimate, se, self.df, family)

    def __str__(self) -> str:
        columns = {"entry": "entry", "n": "n", "seen": "seen", "days": "days", "se": "se", "lower": "lower95", "upper": "upper95"}
        return page(
            self.method, table("Days to the stage", self.means, **columns), figures(sd=self.sd, df=self.df), *self.cannot_say
        )


def analyse_stage(
    entry: Labels,
    after: Sequence[float | None],
    by: Sequence[float | None],
    block: Labels | None = None,
    fixed: Sequence[Labels] = (),
    random: Sequence[Labels] = (),
) -> StageDates:
    """Days to a stage, each plot known only to have reached it between two walks.

    `after` is the last walk (in days) at which it was not seen, `by` the first at which it was; `by` None means it was not seen
    while the plot was walked, so later than that; `after` None not looked at before, so since day 0. Both None is a missing plot.
    Blocks are fixed (`block`, `fixed`) or random. The model is normal with interval-censored values (`fit_interval_dates`); an
    entry whose plots all changed in one gap is known to that gap. An entry of which no plot was seen to reach the stage, or every
    plot had reached it before the first walk, has no mean.

    Raises ValueError when the lengths differ or `by` does not lie after `after`.
    """
    columns = [*([block] if block is not None else []), *fixed, *random]
    if not len(entry) == len(after) == len(by) or any(len(c) != len(entry) for c in columns):
        raise ValueError("entry, both walks and block must have one element for each plot")
    if any(a is not None and b is not None and b <= a for a, b in zip(after, by, strict=True)):
        raise ValueError("a stage must be seen after the last walk without it")
    everyone = levels_of(entry)
    looked = [i for i in range(len(entry)) if after[i] is not None or by[i] is not None]
    counts = {e: (sum(entry[i] == e for i in looked), sum(entry[i] == e and by[i] is not None for i in looked)) for e in everyone}
    before = {e for e in everyone if counts[e][1] and all(after[i] is None for i in looked if entry[i] == e)}
    cannot = [
        f"{e} was never seen to reach the stage, so it has no date; it is later than every walk."
        for e in everyone
        if not counts[e][1]
    ]
    cannot += [f"{e} had reached the stage before the first walk, so it has no date." for e in sorted(before)]
    fitted = fit_interval_dates(entry, after, by, [*([block] if block is not None else []), *fixed], random)
    if fitted is None:
        none = tuple(StageMean(e, *counts[e], None, None, None, None) for e in everyone)
        return StageDates(none, np.empty((0, 0)), None, 0, "", (*cannot, "Too few plots were seen to judge the error."))
    low, high = fitted.interval(distributions.t_quantile(0.975, fitted.df))
    wide = np.full((len(everyone), len(everyone)), np.nan)
    at = [everyone.index(n) for n in fitted.entries]
    wide[np.ix_(at, at)] = fitted.covariance
    rows = []
    for e in everyone:
        if e not in fitted.entries:
            rows.append(StageMean(e, *counts[e], None, None, None, None))
            continue
        i = fitted.entries.index(e)
        figures_ = (float(fitted.days[i]), float(np.sqrt(fitted.covariance[i, i])), float(low[i]), float(high[i]))
        rows.append(StageMean(e, *counts[e], *figures_))
    method = "Normal model with interval-censored dates: each plot reached the stage between two walks."
    return StageDates(tuple(rows), wide, fitted.sd, fitted.df, method, tuple(cannot), fitted)


def stage_forecast(first: Sequence[float], later: Sequence[float]) -> tuple[float, float, float, int] | None:
    """Forecast of a later stage from an earlier one: mean days between them, the standard deviation of those days, half
    of the 95 % prediction interval, and the number of plots. None with fewer than three plots that have both."""
    gaps = np.array([b - a for a, b in zip(first, later, strict=True)], dtype=float)
    n = len(gaps)
    if n < 3:
        return None
    sd = float(gaps.std(ddof=1))
    return float(gaps.mean()), sd, distributions.t_quantile(0.975, n - 1) * sd * float(np.sqrt(1 + 1 / n)), n
