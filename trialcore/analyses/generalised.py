"""Counted units and plain counts over blocks: models whose spread follows their mean, with plots that may vary more than chance.

Means are on the scale recorded: the average over blocks of what the model predicts. Intervals and tests come from the likelihood of
each entry's own plots (`own_likelihood`), so they stay within what can be and are lopsided near 0. What plots vary beyond chance is
estimated from all of them (`dispersion`). By simulation (docs/exactness.md) they keep their level near 0 as in the middle.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import product
from math import isfinite, log

import numpy as np

from trialcore.analyses.counted_families import Binomial, NegativeBinomial, Poisson, ZeroInflated
from trialcore.analyses.counted_fit import Family, Fit
from trialcore.analyses.counted_spread import Clumped, clumped_spread
from trialcore.analyses.dispersion import Dispersion, counts_clump, dispersion_of, shares_clump
from trialcore.analyses.linear import Floats, Labels, Whole, levels_of
from trialcore.analyses.mixed import incidence
from trialcore.analyses.own_likelihood import FARTHEST, OwnLikelihood
from trialcore.inference import distributions
from trialcore.inference.comparisons import AgainstCheck, Difference, differences_of

MOST_TIMES = 1000.0  # the largest count, beyond which no end of an interval of counts is told
MANY_DF = 1e9  # as good as knowing the spread


@dataclass(frozen=True)
class GeneralisedMean:
    """One entry: its plots, units counted and what they were counted among (None for plain counts). `mean` is the share (0 to 1) or
    the count a plot, averaged over blocks, with a 95 % interval that stays within what can be; `link` and `se_link` are the logit
    or log of the mean, penalised where an entry or block has none or all, and the standard error of that."""

    entry: str
    plots: int
    counted: int
    among: int | None
    link: float
    se_link: float
    mean: float
    lower95: float
    upper95: float


@dataclass(frozen=True)
class GeneralisedContrast:
    """An entry against the check: `link` is the log odds ratio or the log ratio of the means, `difference` that of the means with
    its 95 % interval; `t` is the signed root of the likelihood ratio over the dispersion, on `df` degrees of freedom, `p` its
    two-sided probability."""

    entry: str
    link: float
    se_link: float
    difference: float
    lower95: float
    upper95: float
    t: float
    df: float
    p: float


@dataclass(frozen=True, eq=False)
class Generalised:
    """What `analyse_generalised` found. `pearson` and `df` are chi-square and degrees of freedom of the model with chance alone;
    `spread` is by how much more plots vary, `clumped` the model of counts where another than the Poisson fits better. `bare` are
    entries, `bare_blocks` blocks of which every unit or none was counted: where there are any, block effects and standard errors
    come from a penalised likelihood (Firth 1993), which keeps them finite; means and intervals from the entries' own plots."""

    family: Family
    blocking: tuple[str, ...]
    means: tuple[GeneralisedMean, ...]
    covariance: Floats
    """Of the entries' `link`, widened by the dispersion."""
    df: int
    pearson: float
    spread: Dispersion
    deviance: float
    f_entry: float | None
    p_entry: float | None
    """Whether entries differ."""
    bare: tuple[str, ...]
    bare_blocks: tuple[str, ...]
    clumped: Clumped | None
    _plain: Fit | None
    _penalised: Fit | None
    _own: OwnLikelihood
    _variance: Floats  # of the means without dispersion, entries × entries

    @property
    def dispersion(self) -> float:
        """By how much plots vary more than chance alone would have it, never below 1."""
        return self.spread.value

    @property
    def fitted(self) -> Fit | None:
        """The plain fit of the entries and blocks that are not bare; None where all are."""
        return self._plain

    @property
    def penalised(self) -> Fit | None:
        """The penalised fit of every entry; None where nothing is bare."""
        return self._penalised

    @property
    def t_df(self) -> float:
        """Degrees of freedom of every t."""
        return min(self.spread.df, MANY_DF)

    @cached_property
    def place(self) -> dict[str, int]:
        """The place of each entry in `means`."""
        return {m.entry: i for i, m in enumerate(self.means)}

    def se_of_mean(self, mean: GeneralisedMean) -> float:
        """The standard error of a mean on the scale recorded."""
        i = self.place[mean.entry]
        return float(np.sqrt(max(0.0, self._variance[i, i] * self.dispersion)))

    def against(self, check: str) -> tuple[GeneralisedContrast, ...]:
        """Every entry against `check`. Raises KeyError when it has no count."""
        c = self.place[check]
        others = np.array([i for i in range(len(self.means)) if i != c], dtype=np.int64)
        return self.contrasts(others, np.full(len(others), c))

    def contrasts(self, first: Whole, second: Whole) -> tuple[GeneralisedContrast, ...]:
        """The entries at places `first` of `means` each against the one at the same place of `second`."""
        if not len(first):
            return ()
        t = self.t_values(first, second)
        p = distributions.t_two_sided(t, self.t_df)
        low, high = self.interval(first, second, distributions.t_quantile(0.975, self.t_df))
        v = self.covariance
        se = np.sqrt(np.maximum(v[first, first] + v[second, second] - 2 * v[first, second], 1e-300))
        made = []
        for k, (i, j) in enumerate(zip(first.tolist(), second.tolist(), strict=True)):
            one, other = self.means[i], self.means[j]
            ends = (float(low[k]), float(high[k]), float(t[k]), self.t_df, float(p[k]))
            made.append(GeneralisedContrast(one.entry, one.link - other.link, float(se[k]), one.mean - other.mean, *ends))
        return tuple(made)

    def t_values(self, first: Whole, second: Whole) -> Floats:
        """Signed roots of the likelihood ratios over the dispersion."""
        gap = self._own.means[first] - self._own.means[second]
        lost = self._own.drop(first, second) / self._widening(first, second)
        return np.asarray(np.sign(gap) * np.sqrt(lost / self.dispersion))

    def interval(self, first: Whole, second: Whole, critical: float) -> tuple[Floats, Floats]:
        """Lower and upper ends of the differences of means, at a `critical` t."""
        cut = critical**2 * self.dispersion * self._widening(first, second)
        return self._own.difference_interval(first, second, cut)

    def _widening(self, first: Whole, second: Whole) -> Floats:
        """By how much the variance of a difference is more than that of both entries' own plots, because blocks are estimated."""
        v, own = self._variance, self._own
        whole = v[first, first] + v[second, second] - 2 * v[first, second]
        return np.asarray(np.maximum(1.0, whole / np.maximum(own.variance(first) + own.variance(second), 1e-300)))

    def differences(self, first: Whole, second: Whole, scale: float, family: Floats | None = None) -> tuple[Difference, ...]:
        """The same as differences times `scale`, each with the standard error that its test speaks for."""
        means = self._own.means
        estimate, t = scale * (means[first] - means[second]), self.t_values(first, second)
        v = self._variance * self.dispersion
        wald = scale * np.sqrt(np.maximum(v[first, first] + v[second, second] - 2 * v[first, second], 1e-300))
        told = np.abs(t) > 1e-4
        se = np.where(told, np.abs(estimate) / np.where(told, np.abs(t), 1.0), np.maximum(wald, 1e-12))
        return differences_of([m.entry for m in self.means], first, second, estimate, se, self.t_df, family)

    def versus(self, check: str, scale: float = 1.0) -> AgainstCheck | None:
        """The same against the check; None without degrees of freedom or another entry. Raises KeyError when the check has no
        count."""
        c = self.place[check]
        others = np.array([i for i in range(len(self.means)) if i != c], dtype=np.int64)
        if not len(others) or self.df < 1:
            return None
        base = np.full(len(others), c)
        contrast = np.zeros((len(others), len(self.means)))
        contrast[np.arange(len(others)), others] = 1
        contrast[:, c] = -1
        v = contrast @ self.covariance @ contrast.T
        spread = np.sqrt(np.diag(v))

        def ends(critical: float) -> tuple[Floats, Floats]:
            low, high = self.interval(others, base, critical)
            return scale * low, scale * high

        critical = distributions.t_quantile(0.975, self.t_df)
        found = self.differences(others, base, scale)
        return AgainstCheck(check, found, critical, v / np.outer(spread, spread), self.t_df, ends)


def analyse_generalised(
    family: Family,
    entry: Labels,
    count: Sequence[int | None],
    among: Sequence[int | None] | None = None,
    blocking: Mapping[str, Labels] | None = None,
) -> Generalised:
    """Compare entries by counted units: `count` of `among` in each plot (binomial, logit), or plain counts (log; Poisson, negative
    binomial or with extra zeros, whichever fits).

    One element a plot; a count of None, or units of None or 0, is a missing plot. `blocking` are columns of fixed blocks.

    Raises ValueError when the lengths differ, a count is negative, above its units or not whole, nothing was counted, the blocks
    fall into sets that share no entry, or the model cannot be fitted.
    """
    columns = dict(blocking or {})
    if len(entry) != len(count) or any(len(c) != len(entry) for c in columns.values()) or (among and len(among) != len(entry)):
        raise ValueError("entry, counts and blocks must have one element for each plot")
    if family == "binomial" and among is None:
        raise ValueError("shares need the units they were counted among")
    seen = [i for i in range(len(entry)) if count[i] is not None and (among is None or among[i])]
    if not seen:
        raise ValueError("nothing was counted")
    y = np.array([count[i] for i in seen], dtype=float)
    n = np.array([among[i] for i in seen], dtype=float) if among is not None else np.ones(len(seen))
    if (y < 0).any() or (y != np.floor(y)).any() or (among is not None and (y > n).any()):
        raise ValueError("a count must be a whole number from 0 to the units it was counted among")
    kept = [entry[i] for i in seen]
    own_columns = {name: [column[i] for i in seen] for name, column in columns.items()}
    try:
        found = _analyse(family, kept, y, n, own_columns)
    except np.linalg.LinAlgError as error:
        raise ValueError("the model of the counts has no solution") from error
    if not all(isfinite(x) for m in found.means for x in (m.link, m.se_link, m.mean, m.lower95, m.upper95)):
        raise ValueError("the model of the counts has no finite solution")
    return found


def _analyse(family: Family, entry: Labels, y: Floats, n: Floats, columns: Mapping[str, Labels]) -> Generalised:
    names = levels_of(entry)
    design = _Design.of(entry, names, columns)
    bare = tuple(_bare_levels(family, entry, y, n))
    bare_blocks = tuple(f"{name} {level}" for name, column in columns.items() for level in _bare_levels(family, column, y, n))
    plain = _plain_fit(family, entry, y, n, columns)
    penalised = Fit(family, y, n, design.x, design.used, names, penalised=True) if bare or bare_blocks else None
    base = penalised or plain
    assert base
    by_chance = plain or base
    df = len(by_chance.y) - by_chance.x.shape[1]
    spread = _spread_of(by_chance, df)
    clumped = None
    if family == "poisson" and spread.value > CLUMPED and df > 0:
        add = base.leverage / 2 if base.penalised else 0.0  # a penalty counts as so much more in each plot
        clumped = clumped_spread(y, y + add, design.x, base, df)
    solved = clumped or base
    if clumped:
        spread = Dispersion(1.0, clumped.t_df)
    model = Binomial() if family == "binomial" else clumped.family if clumped else Poisson()
    own = _own_likelihood(model, entry, names, y, n, design, solved.beta)
    variance = design.variance_of_means(own, solved.covariance)
    among = n if family == "binomial" else None
    means, covariance = _means(family, entry, names, y, among, own, variance, spread)
    f, p = _whether_entries_differ(by_chance, spread, df, clumped)
    parts = (bare, bare_blocks, clumped, plain, penalised, own, variance)
    return Generalised(
        family, by_chance.blocking, means, covariance, df, by_chance.pearson, spread, by_chance.deviance, f, p, *parts
    )


ROUNDS = 3
CLUMPED = 1.2
"""Dispersion from which other models of counts are tried: below, they say the same."""


@dataclass(frozen=True, eq=False)
class _Design:
    """The matrix of the model (plots × entries and blocks), which blocking columns say something, what of it are blocks (plots ×
    their effects), and the same for every combination of blocks that means are averaged over."""

    x: Floats
    used: tuple[str, ...]
    entries: int
    grid: Floats

    @classmethod
    def of(cls, entry: Labels, names: Sequence[str], columns: Mapping[str, Labels]) -> _Design:
        """Blocks are centred, so that entry columns are averages over them; a block within others goes by both names. Raises
        ValueError where blocks fall into sets that share no entry."""
        x = incidence(entry, names)
        used: list[str] = []
        rows: list[Floats] = []  # of each blocking column, the row of each of its levels
        before: Labels = [""] * len(entry)
        for name, column in columns.items():
            inner = [f"{b}\t{c}" for b, c in zip(before, column, strict=True)] if name == "block" and used else list(column)
            levels = levels_of(inner)
            if len(levels) > 1:
                x = np.hstack([x, incidence(inner, levels)[:, 1:] - 1 / len(levels)])
                rows.append(np.eye(len(levels))[:, 1:] - 1 / len(levels))
                used.append(name)
            before = inner
        k = len(names)
        blocks = np.hstack([np.ones((len(entry), 1)), x[:, k:]])
        if int(np.linalg.matrix_rank(np.hstack([x[:, :k], blocks]))) - int(np.linalg.matrix_rank(blocks)) < k - 1:
            raise ValueError("the blocks fall into sets that share no entry, so entries cannot be set level with each other")
        grid = np.array([np.concatenate(each) for each in product(*rows)]) if rows else np.zeros((1, 0))
        kept = _independent(x, k)
        return cls(x[:, kept], tuple(used), k, grid[:, [j - k for j in kept[k:]]])

    def variance_of_means(self, own: OwnLikelihood, covariance: Floats) -> Floats:
        """Of the means of entries (entries × entries) from that of the parameters."""
        _, slope, _ = own.family.mean(own.at[:, None] + own.grid[None, :])
        by_blocks = slope @ self.grid / len(self.grid)
        parts = [np.diag(slope.mean(axis=1)), by_blocks]
        if isinstance(own.family, ZeroInflated):
            parts.append(-own.means[:, None] / (1 - own.family.extra))
        jacobian = np.hstack(parts)
        return np.asarray(jacobian @ covariance @ jacobian.T)


def _independent(x: Floats, entries: int) -> list[int]:
    """The entry columns, and those block columns that say something new."""
    if int(np.linalg.matrix_rank(x)) == x.shape[1]:
        return list(range(x.shape[1]))
    kept = list(range(entries))
    for j in range(entries, x.shape[1]):
        if int(np.linalg.matrix_rank(x[:, [*kept, j]])) == len(kept) + 1:
            kept.append(j)
    return kept


def _bare_levels(family: Family, column: Labels, y: Floats, n: Floats) -> list[str]:
    """Levels of which no unit, or every one, was counted."""
    found = []
    for level in levels_of(column):
        at = np.array([c == level for c in column])
        counted = y[at].sum()
        if counted == 0 or (family == "binomial" and counted == n[at].sum()):
            found.append(level)
    return found


def _plain_fit(family: Family, entry: Labels, y: Floats, n: Floats, columns: Mapping[str, Labels]) -> Fit | None:
    """The fit of the entries that are not bare over the blocks that are not: what is left says all that the likelihood says of
    them. None where nothing is left, or what is left hangs together no more."""
    inside = np.ones(len(y), dtype=bool)
    while inside.any():
        gone = np.zeros(len(y), dtype=bool)
        for column in [entry, *columns.values()]:
            labels = [c for c, here in zip(column, inside, strict=True) if here]
            bare = set(_bare_levels(family, labels, y[inside], n[inside]))
            gone |= inside & np.array([c in bare for c in column])
        if not gone.any():
            break
        inside &= ~gone
    if not inside.any():
        return None
    left = [e for e, here in zip(entry, inside, strict=True) if here]
    some = {name: [c for c, here in zip(column, inside, strict=True) if here] for name, column in columns.items()}
    try:
        design = _Design.of(left, levels_of(left), some)
    except ValueError:
        return None
    return Fit(family, y[inside], n[inside], design.x, design.used, levels_of(left))


def _spread_of(fit: Fit, df: int) -> Dispersion:
    """By how much plots vary beyond chance. How well their chi-square tells that depends on how much they do, so a few rounds."""
    clumping = shares_clump(float(fit.n.mean())) if fit.family == "binomial" else counts_clump(float(fit.y.mean()))
    found = dispersion_of(fit.pearson, df, _variance_of_pearson(fit, df, 0.0), clumping)
    for _ in range(ROUNDS):
        clump = (found.value - 1) / clumping.reach if clumping.reach > 0 else 0.0
        found = dispersion_of(fit.pearson, df, _variance_of_pearson(fit, df, clump), clumping)
    return found


def _variance_of_pearson(fit: Fit, df: int, clump: float) -> float:
    """Variance of Pearson's chi-square: 2 · df, more where few units are counted (the fourth cumulants of binomial and Poisson;
    McCullagh and Nelder 1989, sec. 4.4.5), and more where units clump: six times the clumping, as for the negative binomial, of
    which clumped shares near 0 are the like."""
    excess = 1 / np.maximum(fit.weight, 1e-3)
    more = np.full(len(fit.y), 6.0 * clump)
    if fit.family == "binomial":
        excess = excess - 6 / np.maximum(fit.n, 1)
        more = more * (1 - 2 * fit.mean) ** 2 * (1 - fit.mean) / np.maximum(fit.mean, 0.02)
    return float(df * np.maximum(2 + excess + more, 0.1).mean())


def _own_likelihood(
    model: Binomial | Poisson | NegativeBinomial | ZeroInflated,
    entry: Labels,
    names: Sequence[str],
    y: Floats,
    n: Floats,
    design: _Design,
    beta: Floats,
) -> OwnLikelihood:
    """The plots of each entry beside each other, with what their blocks add at the estimates `beta`."""
    k = len(names)
    added = design.x[:, k:] @ beta[k:] if design.x.shape[1] > k else np.zeros(len(y))
    place = {e: i for i, e in enumerate(names)}
    of = np.array([place[e] for e in entry])
    order = np.argsort(of, kind="stable")
    number = np.concatenate([np.arange(c) for c in np.bincount(of, minlength=k)])
    shape = (k, int(number.max()) + 1)
    y_of, n_of, blocks, there = (np.zeros(shape) for _ in range(4))
    at = (of[order], number)
    y_of[at], n_of[at], blocks[at], there[at] = y[order], n[order], added[order], 1.0
    scale = (-FARTHEST, FARTHEST if isinstance(model, Binomial) else log(MOST_TIMES * max(1.0, float(y.max()))))
    return OwnLikelihood(model, y_of, n_of, blocks, there, design.grid @ beta[k:], beta[:k], scale)


def _means(
    family: Family,
    entry: Labels,
    names: Sequence[str],
    y: Floats,
    n: Floats | None,
    own: OwnLikelihood,
    variance: Floats,
    spread: Dispersion,
) -> tuple[tuple[GeneralisedMean, ...], Floats]:
    """The means with their intervals, and the covariance of their links."""
    mean, fitted = own.means, own.mean(own.at)[0]
    slope = fitted * (1 - fitted) if family == "binomial" else fitted
    slope = np.maximum(slope, 1e-300)
    link = np.log(fitted) - (np.log1p(-fitted) if family == "binomial" else 0.0)
    covariance = variance * spread.value / np.outer(slope, slope)
    every = np.arange(len(names))
    widening = np.maximum(1.0, np.diag(variance) / np.maximum(own.variance(every), 1e-300))
    critical = distributions.t_quantile(0.975, min(spread.df, MANY_DF))
    low, high = own.interval(critical**2 * spread.value * widening)
    made = []
    for i, name in enumerate(names):
        at = np.array([e == name for e in entry])
        among = None if n is None else int(n[at].sum())
        se = float(np.sqrt(covariance[i, i]))
        ends = (float(mean[i]), float(low[i]), float(high[i]))
        made.append(GeneralisedMean(name, int(at.sum()), int(y[at].sum()), among, float(link[i]), se, *ends))
    return tuple(made), covariance


def _whether_entries_differ(fit: Fit, spread: Dispersion, df: int, clumped: Clumped | None) -> tuple[float | None, float | None]:
    """F and its probability, of the entries of a fit."""
    k = len(fit.entries)
    if k < 2 or df < 1:
        return None, None
    lost = clumped.lost_without_entries if clumped else 2 * max(0.0, fit.value - fit.alike_all())
    f = lost / (k - 1) / spread.value
    return f, distributions.f_above(f, k - 1, min(spread.df, MANY_DF))
