"""Counted units and plain counts over blocks: models whose spread follows their mean, with plots that may vary more than chance.

Tests are likelihood-ratio F with Pearson's dispersion pooled over plots and held at one or above: by simulation (docs/exactness.md)
they keep their level near nought as in the middle, where tests on standard errors find nothing at all.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from trialcore.analyses.linear import Floats, Labels, levels_of
from trialcore.analyses.mixed import incidence
from trialcore.inference import distributions
from trialcore.inference.comparisons import AgainstCheck, differences_of

Family = Literal["binomial", "poisson"]
MOST_STEPS = 200
SETTLED = 1e-10
MANY = 150  # entries beyond which each is tested by its standard error, not by a fit of its own


@dataclass(frozen=True)
class GeneralisedMean:
    """One entry: its plots, units counted and what they were counted among (None for plain counts); `link` and `se_link` on the
    logit or log scale, averaged over blocks there; `mean` is the share (0 to 1) or the count a plot, with a 95 % interval that
    stays within what can be."""

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
    """An entry against the check: `link` is the log odds ratio or the log ratio, `difference` that of the means; `t` is the signed
    root of the likelihood-ratio F on 1 and `df` degrees of freedom, `p` its two-sided probability."""

    entry: str
    link: float
    se_link: float
    difference: float
    t: float
    df: int
    p: float


@dataclass(frozen=True, eq=False)
class Generalised:
    """What `analyse_generalised` found. `dispersion` is Pearson's chi-square by its degrees of freedom, held at one or above; plots
    of `bare` entries, of which every unit or none was counted, are in neither. What is told of these comes from a likelihood that
    is penalised (Firth 1993) so that it stays finite; everything else from the plain one."""

    family: Family
    blocking: tuple[str, ...]
    means: tuple[GeneralisedMean, ...]
    covariance: Floats
    """Of the entries' `link`, widened by the dispersion."""
    df: int
    pearson: float
    dispersion: float
    deviance: float
    f_entry: float | None
    p_entry: float | None
    """Whether the entries that are not bare differ."""
    bare: tuple[str, ...]
    _plain: Fit | None
    _penalised: Fit | None

    @property
    def fitted(self) -> Fit | None:
        """The plain fit, of the entries that are not bare; None where all are."""
        return self._plain

    @property
    def penalised(self) -> Fit | None:
        """The penalised fit of every entry; None where none is bare."""
        return self._penalised

    def against(self, check: str) -> tuple[GeneralisedContrast, ...]:
        """Every entry against `check`. Raises KeyError when it has no count."""
        place = {m.entry: i for i, m in enumerate(self.means)}
        c = place[check]
        return tuple(self.contrast(i, c) for i in range(len(self.means)) if i != c)

    def contrast(self, i: int, c: int) -> GeneralisedContrast:
        """The entry at place `i` of `means` against that at `c`."""
        one, other = self.means[i], self.means[c]
        bare = one.entry in self.bare or other.entry in self.bare
        fit = self._penalised if bare else self._plain
        assert fit
        a, b = fit.entries.index(one.entry), fit.entries.index(other.entry)
        link = float(fit.beta[a] - fit.beta[b])
        v = fit.covariance * self.dispersion
        se = float(np.sqrt(max(v[a, a] + v[b, b] - 2 * v[a, b], 1e-300)))
        t = link / se
        if len(self.means) <= MANY and self.df > 0:
            t = float(np.sign(link) * np.sqrt(max(0.0, 2 * (fit.value - fit.alike(a, b))) / self.dispersion))
        p = float(distributions.t_two_sided(t, max(1, self.df)))
        return GeneralisedContrast(one.entry, link, se, one.mean - other.mean, t, self.df, p)

    def versus(self, check: str, scale: float = 1.0) -> AgainstCheck | None:
        """The same as differences of means times `scale`, each with the standard error that its test speaks for; None without
        degrees of freedom or another entry. Raises KeyError when the check has no count."""
        rows = self.against(check)
        if not rows or self.df < 1:
            return None
        names = [m.entry for m in self.means]
        c = names.index(check)
        others = np.array([i for i in range(len(names)) if i != c])
        estimate = np.array([r.difference for r in rows]) * scale
        t = np.array([r.t for r in rows])
        slope = np.array([_slope(self.family, m.mean) for m in self.means])
        delta = np.array([abs(slope[i] + slope[c]) / 2 * r.se_link for i, r in zip(others, rows, strict=True)]) * scale
        plain = np.abs(t) > 1e-6
        sed = np.where(plain, np.abs(estimate) / np.where(plain, np.abs(t), 1.0), np.maximum(delta, 1e-12))
        contrast = np.zeros((len(others), len(names)))
        contrast[np.arange(len(others)), others] = 1
        contrast[:, c] = -1
        v = contrast @ self.covariance @ contrast.T
        spread = np.sqrt(np.diag(v))
        correlation = v / np.outer(spread, spread)
        found = differences_of(names, others, np.full(len(others), c), estimate, sed, self.df)
        return AgainstCheck(check, found, distributions.t_quantile(0.975, self.df), correlation, self.df)


def _slope(family: Family, mean: float) -> float:
    return mean * (1 - mean) if family == "binomial" else mean


def analyse_generalised(
    family: Family,
    entry: Labels,
    count: Sequence[int | None],
    among: Sequence[int | None] | None = None,
    blocking: Mapping[str, Labels] | None = None,
) -> Generalised:
    """Compare entries by counted units: `count` of `among` in each plot (binomial, logit), or plain counts (Poisson, log).

    One element a plot; a count of None, or units of None or nought, is a missing plot. `blocking` are columns of fixed blocks. The
    spread of plots beyond chance is Pearson's chi-square by its degrees of freedom (McCullagh and Nelder 1989, sec. 4.5).

    Raises ValueError when the lengths differ, a count is negative, above its units or not whole, nothing was counted, or the blocks
    fall into sets that share no entry.
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
        raise ValueError("a count must be a whole number from nought to the units it was counted among")
    kept = [entry[i] for i in seen]
    names = levels_of(kept)
    x, used = _design(kept, names, _some(columns, seen, np.ones(len(seen))))
    own = np.array([[y[x[:, i] > 0].sum(), n[x[:, i] > 0].sum()] for i in range(len(names))])
    bare = tuple(e for e, (s, t) in zip(names, own, strict=True) if s == 0 or (family == "binomial" and s == t))
    told = [e for e in names if e not in bare]
    inside = np.array([e not in bare for e in kept])
    plain = (
        Fit(family, y[inside], n[inside], *_design([e for e in kept if e not in bare], told, _some(columns, seen, inside)), told)
        if told
        else None
    )
    penalised = Fit(family, y, n, x, used, names, penalised=True) if bare else None
    whole = plain or penalised
    assert whole
    df = len(whole.y) - whole.x.shape[1]
    dispersion = max(1.0, whole.pearson / df) if df > 0 else 1.0
    half = distributions.t_quantile(0.975, df) if df > 0 else 1.959963984540054
    means = []
    for i, name in enumerate(names):
        fit = penalised if name in bare else plain
        assert fit
        at = fit.entries.index(name)
        link, se = float(fit.beta[at]), float(np.sqrt(fit.covariance[at, at] * dispersion))
        low, middle, high = (_inverse(family, link + s * half * se) for s in (-1, 0, 1))
        among_own = int(own[i][1]) if among is not None else None
        means.append(GeneralisedMean(name, sum(e == name for e in kept), int(own[i][0]), among_own, link, se, middle, low, high))
    f = p = None
    if plain and len(told) > 1 and df > 0:
        f = 2 * max(0.0, plain.value - plain.alike_all()) / (len(told) - 1) / dispersion
        p = distributions.f_above(f, len(told) - 1, df)
    covariance = _covariance(names, plain, penalised) * dispersion
    found = (df, whole.pearson, dispersion, whole.deviance, f, p, bare, plain, penalised)
    return Generalised(family, whole.blocking, tuple(means), covariance, *found)


def _some(columns: Mapping[str, Labels], seen: Sequence[int], inside: Floats) -> dict[str, Labels]:
    """The columns of the plots that were seen and lie inside."""
    return {k: [c[i] for i, here in zip(seen, inside, strict=True) if here] for k, c in columns.items()}


def _covariance(names: Sequence[str], plain: Fit | None, penalised: Fit | None) -> Floats:
    """Of the entries' estimates, each from the fit that tells it; that of two fits from the penalised one."""
    base = penalised or plain
    assert base
    k = len(names)
    made = base.covariance[:k, :k].copy()
    if plain and penalised:
        at = [names.index(e) for e in plain.entries]
        made[np.ix_(at, at)] = plain.covariance[: len(at), : len(at)]
    return np.asarray(made)


def _design(entry: Labels, names: Sequence[str], columns: Mapping[str, Labels]) -> tuple[Floats, tuple[str, ...]]:
    """Entries, and blocks centred so that entry columns are averages over them; a block within others goes by both names."""
    x = incidence(entry, names)
    used: list[str] = []
    before: Labels = [""] * len(entry)
    for name, column in columns.items():
        inner = [f"{b}\t{c}" for b, c in zip(before, column, strict=True)] if name == "block" and used else list(column)
        levels = levels_of(inner)
        if len(levels) > 1:
            z = incidence(inner, levels)
            x = np.hstack([x, z[:, 1:] - 1 / len(levels)])
            used.append(name)
        before = inner
    k = len(names)
    blocks = np.hstack([np.ones((len(entry), 1)), x[:, k:]])
    if int(np.linalg.matrix_rank(np.hstack([x[:, :k], blocks]))) - int(np.linalg.matrix_rank(blocks)) < k - 1:
        raise ValueError("the blocks fall into sets that share no entry, so entries cannot be set level with each other")
    return _independent(x, k), tuple(used)


def _independent(x: Floats, entries: int) -> Floats:
    """The entry columns, and those block columns that say something new."""
    if int(np.linalg.matrix_rank(x)) == x.shape[1]:
        return x
    kept = list(range(entries))
    for j in range(entries, x.shape[1]):
        if int(np.linalg.matrix_rank(x[:, [*kept, j]])) == len(kept) + 1:
            kept.append(j)
    return x[:, kept]


def _inverse(family: Family, link: float) -> float:
    return float(1 / (1 + np.exp(-np.clip(link, -500, 500)))) if family == "binomial" else float(np.exp(np.clip(link, -500, 500)))


class Fit:
    """The fitted model, and what its likelihood loses when entries are alike. With `penalised` the likelihood is penalised by half
    the log determinant of the information (Jeffreys' prior), always that of the full model."""

    def __init__(
        self,
        family: Family,
        y: Floats,
        n: Floats,
        x: Floats,
        blocking: tuple[str, ...],
        entries: Sequence[str],
        penalised: bool = False,
    ) -> None:
        self.family, self.y, self.n, self.x, self.penalised = family, y, n, x, penalised
        self.blocking, self.entries = blocking, list(entries)
        self.beta, self.value = self._climb(np.eye(x.shape[1]))
        mean, weight = self._mean(self.beta)
        self.covariance = np.asarray(np.linalg.inv(x.T @ (weight[:, None] * x)), dtype=float)
        expected = n * mean if family == "binomial" else mean
        self.pearson = float(((y - expected) ** 2 / weight).sum())
        self.deviance = 2 * (self._saturated() - self._likelihood(self.beta))

    def back(self, link: float) -> float:
        """A share or a count from its link."""
        return _inverse(self.family, link)

    def alike(self, a: int, b: int) -> float:
        """The greatest likelihood with two entries alike."""
        join = np.delete(np.eye(self.x.shape[1]), a, axis=1)
        join[a] = join[b]
        return self._climb(join)[1]

    def alike_all(self) -> float:
        """The greatest likelihood with all entries alike."""
        size, entries = self.x.shape[1], len(self.entries)
        join = np.zeros((size, size - entries + 1))
        join[:entries, 0] = 1
        join[entries:, 1:] = np.eye(size - entries)
        return self._climb(join)[1]

    def _climb(self, join: Floats) -> tuple[Floats, float]:
        """The parameters `join` · γ of greatest likelihood, by Fisher scoring with halved steps."""
        units = self.n.sum() if self.family == "binomial" else None
        start = np.log((self.y.sum() + 0.5) / (units - self.y.sum() + 0.5)) if units is not None else np.log(self.y.mean() + 0.1)
        gamma = np.linalg.lstsq(self.x @ join, np.full(len(self.y), float(start)), rcond=None)[0]
        value = self._value(join @ gamma)
        for _ in range(MOST_STEPS):
            beta = join @ gamma
            score, weight = self._score(beta)
            xj = self.x @ join
            information = xj.T @ (weight[:, None] * xj)
            step = np.linalg.lstsq(information, join.T @ score, rcond=None)[0]
            size = min(1.0, 4.0 / max(1e-12, float(np.abs(step).max())))
            while size > 1e-8:
                following = self._value(join @ (gamma + size * step))
                if following >= value - 1e-12 * max(1.0, abs(value)):
                    break
                size /= 2
            gamma, value = gamma + size * step, following
            if size * float(np.abs(step).max()) < SETTLED:
                break
        return join @ gamma, value

    def _mean(self, beta: Floats) -> tuple[Floats, Floats]:
        """Share or count of each plot, and its weight."""
        eta = np.clip(self.x @ beta, -35, 35)
        if self.family == "binomial":
            mean = 1 / (1 + np.exp(-eta))
            return mean, np.maximum(self.n * mean * (1 - mean), 1e-12)
        mean = np.exp(eta)
        return mean, np.maximum(mean, 1e-12)

    def _likelihood(self, beta: Floats) -> float:
        eta = np.clip(self.x @ beta, -35, 35)
        if self.family == "binomial":
            return float((self.y * eta - self.n * np.logaddexp(0, eta)).sum())
        return float((self.y * eta - np.exp(eta)).sum())

    def _saturated(self) -> float:
        y, n = self.y, self.n
        with np.errstate(divide="ignore", invalid="ignore"):
            if self.family == "binomial":
                return float(np.nansum(y * np.log(y / n)) + np.nansum((n - y) * np.log((n - y) / n)))
            return float(np.nansum(y * np.log(y)) - y.sum())

    def _value(self, beta: Floats) -> float:
        value = self._likelihood(beta)
        if self.penalised:
            _, weight = self._mean(beta)
            value += 0.5 * float(np.linalg.slogdet(self.x.T @ (weight[:, None] * self.x))[1])
        return value

    def _score(self, beta: Floats) -> tuple[Floats, Floats]:
        """The gradient by the full model's parameters, and the weights of plots."""
        mean, weight = self._mean(beta)
        left = self.y - (self.n * mean if self.family == "binomial" else mean)
        if self.penalised:
            inverse = np.linalg.pinv(self.x.T @ (weight[:, None] * self.x))
            leverage = weight * np.einsum("ij,jk,ik->i", self.x, inverse, self.x)
            left = left + leverage * ((0.5 - mean) if self.family == "binomial" else 0.5)
        return self.x.T @ left, weight
