"""Days known only to lie between two looks, by entry over blocks of any design: normal between plots, blocks fixed or random.

The spread between plots is averaged over what the data leave open, so that it exists also where every plot of an entry changed in
the same gap between two walks; an entry is then known to that gap.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from trialcore.analyses.linear import Floats, Labels, Whole, levels_of
from trialcore.analyses.mixed import incidence
from trialcore.analyses.own_likelihood import OwnLikelihood

SPREADS, FINER, BETWEEN = 14, 20, (0.0, 0.4, 0.8, 1.6, 3.2)
UNLIKELY = 12.0  # by how much a log-likelihood is lower where it no longer counts
"""Points of the grid of spreads between plots, and of the spread between random blocks relative to it."""
LEAST = 1 / 8  # of the usual gap between walks: a smaller spread than that says the same
STEPS, CLOSE = 60, 1e-8
WEAK = 1e-6  # precision that keeps blocks in place where nothing is known of them
FINE = 161  # points over which an entry's likelihood is averaged


@dataclass(frozen=True)
class BetweenLooks:
    """Plots whose day lies after `y` and by `n` (either end may be infinite), around `eta` with the spread `sd`."""

    sd: float

    def mean(self, eta: Floats) -> tuple[Floats, Floats, Floats]:
        """The day itself, its slope, the slope of that."""
        return eta, np.ones_like(eta), np.zeros_like(eta)

    def terms(self, y: Floats, n: Floats, eta: Floats) -> tuple[Floats, Floats, Floats]:
        """Log-likelihood of each plot, slope, slope of that."""
        from scipy.special import log_ndtr

        a, b = (y - eta) / self.sd, (n - eta) / self.sd
        flip = a > 0  # the upper tail is worked out in the lower one, where it keeps its digits
        a, b = np.where(flip, -b, a), np.where(flip, -a, b)
        high, low = log_ndtr(b), log_ndtr(a)
        log_mass = high + np.log1p(-np.exp(np.minimum(low - high, -1e-15)))
        log_mass = np.where(np.isfinite(log_mass), log_mass, -1e6 - np.minimum(np.abs(b), 1e3) ** 2)
        safe_a, safe_b = np.clip(a, -1e3, 1e3), np.clip(b, -1e3, 1e3)
        at_a = np.where(np.isfinite(a), np.exp(np.clip(-(safe_a**2) / 2 - log_mass, -745, 300)), 0.0) / np.sqrt(2 * np.pi)
        at_b = np.where(np.isfinite(b), np.exp(np.clip(-(safe_b**2) / 2 - log_mass, -745, 300)), 0.0) / np.sqrt(2 * np.pi)
        shift = at_a - at_b
        bend = safe_a * at_a - safe_b * at_b - shift**2
        return log_mass, np.where(flip, -shift, shift) / self.sd, np.clip(bend, -1.0, 0.0) / self.sd**2


@dataclass(frozen=True, eq=False)
class IntervalDates:
    """What `fit_interval_dates` found: the entries, the days of each, their covariance, the spread between plots `sd` and between
    random blocks, and the degrees of freedom that allow for not knowing these. `own` is the likelihood of each entry's plots."""

    entries: tuple[str, ...]
    days: Floats
    covariance: Floats
    sd: float
    between: float
    df: float
    own: OwnLikelihood
    gaps: Floats  # entries × 2: ends of the gap that all plots of an entry share, NaN where they share none

    def _widening(self, first: Whole, second: Whole | None = None) -> Floats:
        v = self.covariance
        if second is None:
            return np.asarray(np.maximum(1.0, np.diag(v)[first] / self.posterior[first]))
        whole = v[first, first] + v[second, second] - 2 * v[first, second]
        return np.asarray(np.maximum(1.0, whole / (self.posterior[first] + self.posterior[second])))

    @property
    def posterior(self) -> Floats:
        """Variance of each entry's day over its own likelihood."""
        return self._posterior

    _posterior: Floats

    def interval(self, critical: float) -> tuple[Floats, Floats]:
        """Ends of each entry's days at a critical t: those of the gap where all its plots lie in one."""
        every = np.arange(len(self.entries))
        low, high = self.own.interval(critical**2 * self._widening(every))
        shared = np.isfinite(self.gaps[:, 0])
        return np.maximum(0.0, np.where(shared, self.gaps[:, 0], low)), np.where(shared, self.gaps[:, 1], high)

    def difference_interval(self, first: Whole, second: Whole, critical: float) -> tuple[Floats, Floats]:
        """Ends of the differences `first` minus `second` (pairs) at a critical t."""
        return self.own.difference_interval(first, second, critical**2 * self._widening(first, second))

    def t_values(self, first: Whole, second: Whole) -> Floats:
        """Signed roots of what the likelihood loses when two entries come on the same day."""
        lost = self.own.drop(first, second) / self._widening(first, second)
        return np.asarray(np.sign(self.days[first] - self.days[second]) * np.sqrt(lost))


def fit_interval_dates(
    entry: Labels,
    after: Sequence[float | None],
    by: Sequence[float | None],
    fixed: Sequence[Labels] = (),
    random: Sequence[Labels] = (),
) -> IntervalDates | None:
    """Days of each entry from plots that changed after `after` (None: before the first walk, so since 0) and by `by` (None: not
    yet). Both None is a missing plot. `fixed` and `random` are columns of blocks.

    Spreads are integrated over a grid under a prior flat in their log, each point by the Laplace approximation around its most
    likely days (Tierney and Kadane 1986); with narrow gaps that is residual maximum likelihood. Days are the means of each entry's
    own likelihood, later than the most likely day where some plots have not come yet. An entry without a plot that came, or all of
    whose plots had come before the first walk, is left out. None where fewer than one degree of freedom is left.
    """
    seen = [i for i in range(len(entry)) if after[i] is not None or by[i] is not None]
    told = {entry[i] for i in seen if by[i] is not None} & {entry[i] for i in seen if after[i] is not None}
    kept = [i for i in seen if entry[i] in told]
    names = levels_of([entry[i] for i in kept])
    x = incidence([entry[i] for i in kept], names)
    for column in fixed:
        labels = [column[i] for i in kept]
        levels = levels_of(labels)
        x = np.hstack([x, incidence(labels, levels)[:, 1:] - 1 / len(levels)])
    x = x[:, _independent(x, len(names))]
    if not kept or len(kept) - x.shape[1] < 1:
        return None
    blocks = [incidence(labels, levels_of(labels)) for labels in ([column[i] for i in kept] for column in random)]
    z = np.hstack(blocks) if blocks else np.zeros((len(kept), 0))
    low = np.array([0.0 if after[i] is None else float(after[i] or 0.0) for i in kept])
    high = np.array([np.inf if by[i] is None else float(by[i] or 0.0) for i in kept])
    fitted = _fit(low, high, x, z, len(names))
    return _by_entry([entry[i] for i in kept], names, low, high, x, z, fitted)


@dataclass(frozen=True, eq=False)
class _Fitted:
    effects: Floats
    covariance: Floats  # of the entries
    sd: float
    between: float
    df: float


def _fit(low: Floats, high: Floats, x: Floats, z: Floats, entries: int) -> _Fitted:
    width = np.where(np.isfinite(high), high - low, np.nan)
    gap = float(np.nanmedian(width)) if np.isfinite(width).any() else 1.0
    middle = np.where(np.isfinite(high), (low + np.where(np.isfinite(high), high, 0.0)) / 2, low + gap)
    start = np.linalg.lstsq(x, middle, rcond=None)[0]
    rough = float(np.sqrt(((middle - x @ start) ** 2).sum() / max(1, len(middle) - x.shape[1])))
    least = max(LEAST * gap, 1e-6)
    spreads = np.exp(np.linspace(np.log(least), np.log(max(6 * rough, 4 * gap, 8 * least)), SPREADS))
    ratios = BETWEEN if z.shape[1] else (0.0,)
    begin = np.concatenate([start, np.zeros(z.shape[1])])

    def scanned(grid: Floats, some: Sequence[float]) -> list[tuple[float, float, float, Floats]]:
        found = []
        for ratio in some:
            effects = begin
            for sd in grid[::-1].tolist():
                effects, log_weight, covariance = _most_likely(low, high, x, z, sd, ratio * sd, effects)
                found.append((log_weight, sd, ratio * sd, covariance[:entries, :entries]))
        return found

    coarse = scanned(spreads if not z.shape[1] else spreads[::2], ratios)
    top = max(p[0] for p in coarse)
    likely = [p[1] for p in coarse if p[0] > top - UNLIKELY]
    step = float(coarse[0][1] / coarse[1][1])
    worth = [r for r in ratios if any(p[0] > top - UNLIKELY / 2 for p in coarse if np.isclose(p[2], r * p[1]))]
    ends = max(min(likely) / step, least), max(likely) * step
    fine = FINER if not z.shape[1] else FINER // 2
    points = scanned(np.exp(np.linspace(np.log(ends[0]), np.log(ends[1]), fine)), worth)
    weights = np.exp(np.array([p[0] for p in points]) - max(p[0] for p in points))
    weights /= weights.sum()
    variances = np.array([p[1] ** 2 for p in points])
    of_mean = np.array([np.trace(p[3]) / entries - (p[3].sum() / entries**2 if entries > 1 else 0.0) for p in points])
    mean = float(weights @ of_mean)
    spread = float(weights @ (of_mean - mean) ** 2) / mean**2
    df = min(4 + 2 / max(spread, 1e-9), float(max(1, len(low) - x.shape[1])))
    shrink = max(0.2, (df - 2) / df) if df > 2 else 0.2
    sd = float(np.sqrt(max(weights @ variances * shrink, least**2)))
    between = float(np.sqrt(weights @ np.array([p[2] ** 2 for p in points]) * shrink))
    effects, _, _ = _most_likely(low, high, x, z, sd, between, begin)
    covariance = np.einsum("g,gij->ij", weights, np.array([p[3] for p in points])) * shrink
    return _Fitted(effects, covariance, sd, between, df)


def _most_likely(
    low: Floats, high: Floats, x: Floats, z: Floats, sd: float, between: float, start: Floats
) -> tuple[Floats, float, Floats]:
    """The most likely effects at given spreads, by Newton's method (the likelihood is log-concave), the log of how likely the
    spreads are with the effects integrated out, and the covariance of the effects."""
    family, whole = BetweenLooks(sd), np.hstack([x, z])
    p = x.shape[1]
    prior = np.concatenate([np.full(p, WEAK), np.full(z.shape[1], 1 / max(between, 1e-4 * sd) ** 2)])
    effects = start.copy()

    def value_of(at: Floats) -> float:
        return float(family.terms(low, high, whole @ at)[0].sum() - 0.5 * (prior * at**2).sum())

    value = value_of(effects)
    for _ in range(STEPS):
        _, slope, bend = family.terms(low, high, whole @ effects)
        information = whole.T @ (-bend[:, None] * whole) + np.diag(prior)
        step = np.linalg.solve(information, whole.T @ slope - prior * effects)
        size = min(1.0, 10 * (sd + 5.0) / max(1e-12, float(np.abs(step).max())))
        while size > 1e-6 and (following := value_of(effects + size * step)) < value - 1e-10 * abs(value):
            size /= 2
        if size <= 1e-6:
            break
        effects, value = effects + size * step, following
        if size * float(np.abs(step).max()) < CLOSE * max(1.0, sd):
            break
    _, _, bend = family.terms(low, high, whole @ effects)
    information = whole.T @ (-bend[:, None] * whole) + np.diag(prior)
    sign, logdet = np.linalg.slogdet(information)
    log_weight = value - 0.5 * float(logdet) + 0.5 * float(np.log(prior[p:]).sum()) + 0.5 * p * np.log(2 * np.pi)
    return effects, log_weight if sign > 0 else -np.inf, np.asarray(np.linalg.inv(information))


def _by_entry(entry: Labels, names: list[str], low: Floats, high: Floats, x: Floats, z: Floats, fitted: _Fitted) -> IntervalDates:
    k, p = len(names), x.shape[1]
    added = x[:, k:] @ fitted.effects[k:p] + z @ fitted.effects[p:]
    own = _own(BetweenLooks(fitted.sd), entry, names, low, high, added, fitted.effects[:k])
    days, variance = _averaged(own)
    scale = np.sqrt(variance / np.array([_curved(own, i) for i in range(k)]))
    covariance = fitted.covariance * np.outer(scale, scale)
    gaps = np.full((k, 2), np.nan)
    for i, name in enumerate(names):
        ends = {(a, b) for e, a, b in zip(entry, low.tolist(), high.tolist(), strict=True) if e == name}
        if len(ends) == 1 and np.isfinite(next(iter(ends))[1]):
            gaps[i] = next(iter(ends))
    allowed = np.array([(min(low[at]), max(high[at])) for at in ([e == name for e in entry] for name in names)])
    days = np.clip(days, np.maximum(allowed[:, 0], 0.0), allowed[:, 1])  # no entry lies outside what its plots allow
    return IntervalDates(tuple(names), days, covariance, fitted.sd, fitted.between, fitted.df, own, gaps, variance)


def _curved(own: OwnLikelihood, i: int) -> float:
    """The variance that the curvature of an entry's own likelihood says, never more than that of one whole gap."""
    _, _, bend = own.terms(np.array([i]), own.at[[i]])
    return float(1 / max(-bend[0], 1e-6))


def _averaged(own: OwnLikelihood) -> tuple[Floats, Floats]:
    """Mean and variance of each entry's day over its own likelihood."""
    every = np.arange(len(own.at))
    far = np.full(len(every), 5.0)
    low, high = own.fallen(every, -far), own.fallen(every, far)
    at = low[:, None] + (high - low)[:, None] * np.linspace(0, 1, FINE)[None, :]
    value = own.terms(np.repeat(every, FINE), at.ravel())[0].reshape(at.shape)
    weight = np.exp(value - value.max(axis=1, keepdims=True))
    weight /= weight.sum(axis=1, keepdims=True)
    mean = (weight * at).sum(axis=1)
    return mean, (weight * (at - mean[:, None]) ** 2).sum(axis=1)


def _own(
    family: BetweenLooks, entry: Labels, names: list[str], low: Floats, high: Floats, added: Floats, at: Floats
) -> OwnLikelihood:
    place = {e: i for i, e in enumerate(names)}
    of = np.array([place[e] for e in entry])
    order = np.argsort(of, kind="stable")
    number = np.concatenate([np.arange(c) for c in np.bincount(of, minlength=len(names))])
    shape = (len(names), int(number.max()) + 1)
    lows, highs, blocks, there = np.zeros(shape), np.ones(shape), np.zeros(shape), np.zeros(shape)
    cell = (of[order], number)
    lows[cell], highs[cell], blocks[cell], there[cell] = low[order], high[order], added[order], 1.0
    span = float(np.nanmax(np.where(np.isfinite(highs), highs, lows))) + 20 * family.sd + 50
    return OwnLikelihood(family, lows, highs, blocks, there, np.zeros(1), at, (-span, 3 * span))


def _independent(x: Floats, entries: int) -> list[int]:
    """The entry columns, and those block columns that say something new."""
    kept = list(range(entries))
    rank = int(np.linalg.matrix_rank(x[:, :entries]))
    for j in range(entries, x.shape[1]):
        more = int(np.linalg.matrix_rank(x[:, [*kept, j]]))
        if more > rank:
            kept.append(j)
            rank = more
    return kept
