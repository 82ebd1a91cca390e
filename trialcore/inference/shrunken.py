"""Honest advantages: with many entries the best looks better than it is. What each is expected to keep of its lead, and the chance
that it truly beats the check, allow for that."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from math import log

import numpy as np

from trialcore.analyses.entries import EntryComparison
from trialcore.analyses.linear import Floats
from trialcore.analyses.printing import figures, lined, page
from trialcore.inference import distributions

RATIOS = np.geomspace(0.1, 3.2, 16)  # spread of entries in standard deviations of a plot
SEASONAL = ((0.0, 0.25), (0.25, 0.45), (0.75, 0.30))  # entry × season variance by that of entries, and how likely each is
LEAST_WEIGHT = 2e-4
FEWEST = 3  # entries besides the check, below which there is no spread to learn from


@dataclass(frozen=True)
class Prior:
    """What is taken of the check before anything is known: `ahead` spreads of entries better than their mean, with a standard
    deviation of `width` such spreads. A check that was not chosen for being good has `ahead` 0."""

    ahead: float = 0.75
    width: float = 1.0


@dataclass(frozen=True)
class SeasonMeans:
    """The means of one season (or trial), turned so that more is better: by entry, with the error variance of each; the check's;
    the variance of a plot and its degrees of freedom. `entries` that also stood in other seasons go by the same name."""

    entries: Sequence[str]
    means: Sequence[float]
    variances: Sequence[float]
    check: float
    check_variance: float
    plot_variance: float
    df: float


@dataclass(frozen=True)
class Advantage:
    """An entry against the check: what it is expected to keep of its lead, the variance of that, the chance that it is better."""

    entry: str
    kept: float
    variance: float
    chance: float


@dataclass(frozen=True, eq=False)
class Shrunken:
    """What `shrink` found: every entry of any season, the check's lead over the mean entry with its variance, the variance of
    entries, and the parts of the mixture by which other chances are reckoned."""

    advantages: tuple[Advantage, ...]
    check_lead: float
    check_lead_variance: float
    entry_variance: float
    df: float
    weights: Floats
    leads: Floats  # parts × entries
    variances: Floats  # parts × entries
    seasonal: float  # entry × season variance

    def place(self, entry: str) -> int:
        """Where an entry stands among `advantages`. Raises KeyError for one that is not there."""
        for i, a in enumerate(self.advantages):
            if a.entry == entry:
                return i
        raise KeyError(entry)

    def promise(self, entry: str, error: float) -> float:
        """What an entry may be expected to give over the check after one more season whose difference has the variance `error`: the
        mean of the better of nought and what would then be expected of it."""
        a = self.advantages[self.place(entry)]
        return _promise(a.kept, a.variance, error + 2 * self.seasonal)

    def promise_of_a_fresh_one(self, error: float) -> float:
        """The same of an entry that nothing is known of."""
        return _promise(-self.check_lead, self.entry_variance + self.check_lead_variance, error + 2 * self.seasonal)

    @property
    def best_bet(self) -> Advantage | None:
        """Whom to take if one must choose today: the entry expected to keep most over the check; None where that is nobody."""
        best = max(self.advantages, key=lambda a: a.kept)
        return best if best.kept > 0 else None

    def chance_above(self, by: float) -> Floats:
        """The chance that each entry beats the check by more than `by`."""
        below = distributions.t_below((self.leads - by) / np.sqrt(self.variances), self.df)
        return np.asarray(self.weights @ below)

    def __str__(self) -> str:
        rows = [[a.entry, f"{a.kept:.4g}", f"{a.chance:.3f}"] for a in self.advantages]
        return page(
            lined("Expected advantages over the check", ["entry", "kept", "chance"], rows),
            figures(spread_of_entries=float(np.sqrt(self.entry_variance)), check_above_mean_entry=self.check_lead),
        )


def _promise(kept: float, variance: float, error: float) -> float:
    """E[max(0, m)] of the expectation m after another season: normal around what is kept now, its spread what that season would
    move."""
    spread = variance / float(np.sqrt(variance + error))
    z = kept / spread
    return spread * float(np.exp(-z * z / 2) / np.sqrt(2 * np.pi)) + kept * float(distributions.t_below(z, float("inf")))


def own_variances(covariance: Floats) -> Floats:
    """Error variances of single means that give back the standard errors of all differences, from the `covariance` (n × n) of
    means: with S the sum of squared standard errors of a mean's differences and D = ΣS / (2(n − 1)), (S − D) / (n − 2). Exact for
    complete blocks, where all means share a part that no difference holds; near it elsewhere. Raises ValueError for fewer than
    three means."""
    n = len(covariance)
    if n < 3:
        raise ValueError("expected three means or more")
    own = np.diag(covariance)
    squared = own[:, None] + own[None, :] - 2 * covariance
    sums = squared.sum(axis=1)
    return np.asarray((sums - sums.sum() / (2 * (n - 1))) / (n - 2))


def shrink(seasons: Sequence[SeasonMeans], prior: Prior | None = None) -> Shrunken | None:
    """Entries as drawn around a mean of their own, the check presumed somewhat better than that mean, unknown variances averaged
    over; all seasons in one fit.

    For each spread of entries and each entry × season variance of a grid the model is solved exactly (entries eliminated, seasons
    and the check's lead by Cholesky) and weighted by its likelihood and prior (half-normal on the spread, scale one plot's standard
    deviation). What is dropped or recommended has to stay among the seasons, else selection comes back in.

    None with fewer than `FEWEST` entries, or without an error to judge by. Raises ValueError for lengths that differ.
    """
    prior = prior or Prior()
    if any(not len(s.entries) == len(s.means) == len(s.variances) for s in seasons):
        raise ValueError("every season needs one mean and one variance for each of its entries")
    names = list(dict.fromkeys(e for s in seasons for e in s.entries))
    df = float(sum(s.df for s in seasons))
    if len(names) < FEWEST or df < 1:
        return None
    plot = sum(s.plot_variance * s.df for s in seasons) / df
    if plot <= 0 or any(v <= 0 for s in seasons for v in (*s.variances, s.check_variance)):
        return None
    v, k = len(names), len(seasons)
    y, d = np.zeros((k, v)), np.full((k, v), np.inf)
    y0, d0 = np.zeros(k), np.array([s.check_variance for s in seasons])
    for i, s in enumerate(seasons):
        at = [names.index(e) for e in s.entries]
        middle = float(np.mean([*s.means, s.check]))
        y[i, at], d[i, at], y0[i] = np.asarray(s.means) - middle, s.variances, s.check - middle
    parts = []
    for ratio in RATIOS:
        for phi, likely in SEASONAL:
            weight, lead, variance, c, c_variance = _solve(y, d, y0, d0, ratio**2 * plot, phi, prior)
            parts.append((log(ratio) - ratio**2 / 2 + log(likely) + weight, lead, variance, c, c_variance, ratio**2 * plot, phi))
    logs = np.array([p[0] for p in parts])
    weights = np.exp(logs - logs.max())
    weights[weights / weights.sum() < LEAST_WEIGHT] = 0.0
    weights = weights / weights.sum()
    kept = np.flatnonzero(weights)
    w = weights[kept]
    leads, variances = (np.array([parts[i][j] for i in kept]) for j in (1, 2))
    below = distributions.t_below(leads / np.sqrt(variances), df)
    mean, chance = w @ leads, w @ below
    spread = w @ (variances + leads**2) - mean**2
    lead = np.array([parts[i][3] for i in kept])
    check_lead = float(w @ lead)
    check_variance = float(w @ (np.array([parts[i][4] for i in kept]) + lead**2)) - check_lead**2
    entry_variance = float(w @ np.array([parts[i][5] for i in kept]))
    seasonal = float(w @ np.array([parts[i][5] * parts[i][6] for i in kept]))
    found = tuple(Advantage(e, float(mean[i]), float(spread[i]), float(chance[i])) for i, e in enumerate(names))
    return Shrunken(found, check_lead, check_variance, entry_variance, df, w, leads, variances, seasonal)


def _solve(
    y: Floats, d: Floats, y0: Floats, d0: Floats, between: float, phi: float, prior: Prior
) -> tuple[float, Floats, Floats, float, float]:
    """One point of the grid: the log of its marginal likelihood, each entry's lead over the check with its variance, and the
    check's own lead over the mean entry with its variance. `y` and `d` are seasons × entries, not grown where `d` is infinite."""
    k = len(y0)
    p, p0 = 1 / (d + phi * between), 1 / (d0 + phi * between)
    whole = 1 / between + p.sum(axis=0)
    m = np.zeros((k + 1, k + 1))
    m[:k, :k] = np.diag(p.sum(axis=1) + p0) - (p / whole) @ p.T
    m[:k, k] = m[k, :k] = p0
    told, width = prior.ahead * np.sqrt(between), prior.width**2 * between
    m[k, k] = p0.sum() + 1 / width
    own = (p * y).sum(axis=0)
    b = np.append((p * (y - own / whole)).sum(axis=1) + p0 * y0, (p0 * y0).sum() + told / width)
    root = np.linalg.cholesky(m)
    inverse = np.linalg.inv(m)
    at = inverse @ b
    q = float((p * y**2).sum() - (own**2 / whole).sum() + (p0 * y0**2).sum() + told**2 / width - b @ at)
    logs = float(np.log(p[p > 0]).sum() + np.log(p0).sum() - np.log(whole * between).sum() - np.log(width))
    weight = 0.5 * (logs - 2 * float(np.log(np.diag(root)).sum()) - q)
    lead = (own - p.T @ at[:k]) / whole - at[k]
    h = np.vstack([-p / whole, -np.ones(p.shape[1])])
    variance = 1 / whole + np.einsum("se,st,te->e", h, inverse, h)
    return weight, lead, variance, float(at[k]), float(inverse[k, k])


def variances_of(found: EntryComparison) -> dict[str, float]:
    """The error variance of each entry mean of a comparison, as far as it is its own: what gives back the standard errors of
    differences. Empty where there is no error to judge by."""
    if all(part is None for part in (found.two, found.generalised, found.dates, found.rescaled)):
        recovered = found.incomplete.recovered if found.incomplete else None
        if recovered is not None and len(recovered.names) > 2:
            joint = recovered.rows @ recovered.fit.adjusted @ recovered.rows.T
            return dict(zip(recovered.names, own_variances(joint).tolist(), strict=True))
        known = [i for i, m in enumerate(found.analysis.means) if m.lsmean is not None]
        if not found.analysis.mse or len(known) < 3:
            return {}
        own = own_variances(found.analysis.mse * found.analysis.covariance[np.ix_(known, known)])
        return {found.analysis.means[i].entry: float(d) for i, d in zip(known, own, strict=True)}
    if found.two is not None and found.versus is not None:  # means share more than differences hold
        half = {d.a: d.se**2 / 2 for d in found.versus.differences}
        return half | {found.versus.check: sum(half.values()) / len(half)} if half else {}
    return {m.entry: m.se**2 for m in found.means if m.se}


def season_of(
    found: EntryComparison, check: str, sign: int, names: Mapping[str, str], apart: Collection[str] = ()
) -> SeasonMeans | None:
    """The season that a comparison is, `sign` −1 where less is better; entries go by `names`, those `apart` (further checks) left
    out. None where the check has no mean or the error cannot be judged."""
    own = variances_of(found)
    level = {m.entry: m.lsmean for m in found.means if m.lsmean is not None and own.get(m.entry, 0.0) > 0}
    if check not in level or found.versus is None or not found.versus.df:
        return None
    plots = {m.entry: m.n for m in found.means}
    others = [e for e in level if e != check and e not in apart]
    if not others:
        return None
    plot = float(np.median([own[e] * max(1, plots[e]) for e in others]))
    return SeasonMeans(
        tuple(names[e] for e in others),
        tuple(sign * level[e] for e in others),
        tuple(own[e] for e in others),
        sign * level[check],
        own[check],
        plot,
        found.versus.df,
    )
