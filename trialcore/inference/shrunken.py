"""Honest advantages: with many entries the best looks better than it is. What each is expected to keep of its lead, and the chance
that it truly beats the check, allow for that."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, NamedTuple

import numpy as np

from trialcore.analyses.linear import Floats
from trialcore.analyses.printing import figures, lined, page
from trialcore.inference import distributions
from trialcore.inference.priors import LIBRARY, RATIOS, SEASONALS, STANDINGS, WIDTH, Prior
from trialcore.inference.season_means import SeasonMeans

LEAST_WEIGHT = 2e-4
MOST_JOINTLY = 300  # entries, beyond which the covariance of means is left for their own variances
OUTLYING = 0.0124
"""Two-sided chance of an entry as far from the middle of the others, in robust standard deviations (2.5 of them among many
entries, more among few), below which it no longer sets their spread."""
MAD_TO_SD = 1.4826


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
    betweens: Floats  # variance of entries, by part
    seasonals: Floats  # entry × season variance, by part
    check_leads: Floats  # by part
    check_variances: Floats  # by part
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
        return promised(a.kept, a.variance, error + 2 * self.seasonal)

    def promise_of_a_fresh_one(self, error: float) -> float:
        """The same of an entry that nothing is known of."""
        return promised(-self.check_lead, self.entry_variance + self.check_lead_variance, error + 2 * self.seasonal)

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


def promised(kept: float, variance: float, error: float) -> float:
    """E[max(0, m)] of the expectation m after another season: normal around what is kept now, its spread what that season would
    move."""
    spread = variance / float(np.sqrt(variance + error))
    z = kept / spread
    return spread * float(np.exp(-z * z / 2) / np.sqrt(2 * np.pi)) + kept * float(distributions.t_below(z, float("inf")))


def shrink(seasons: Sequence[SeasonMeans], prior: Prior | None = None) -> Shrunken | None:
    """Entries as drawn around a mean of their own, the check presumed somewhat better than that mean, unknown variances averaged
    over; all seasons in one fit, at any number of entries.

    For each spread of entries and each entry × season variance of a grid the model is solved exactly (entries eliminated, seasons
    and the check's lead by their joint normal equations) and weighted by its likelihood and by the `prior`: the library's where
    nothing is known, else what `learn` took from other programmes. What is dropped or recommended has to stay among the seasons,
    else selection comes back in.

    An entry far from all others has a wider prior of its own, so that neither an awful nor an excellent one sets the spread of the
    rest. None without an error to judge by. Raises ValueError for lengths that differ.
    """
    found = _fit(seasons, prior or LIBRARY)
    if found is None:
        return None
    names, df, fit, logs = found
    chances = np.exp(logs - logs.max())
    chances /= chances.sum()
    point = np.flatnonzero(chances.sum(axis=1) >= LEAST_WEIGHT)
    chances = chances[point] / chances[point].sum()
    w = chances.sum(axis=1)
    leads, variances, lead, own = fit.given_standings(point, chances / w[:, None])
    between = fit.between[point]
    seasonals = between * fit.seasonal[point]
    below = distributions.t_below(leads / np.sqrt(variances), df)
    mean, chance = w @ leads, w @ below
    spread = w @ (variances + leads**2) - mean**2
    check_lead = float(w @ lead)
    check_variance = float(w @ (own + lead**2)) - check_lead**2
    advantages = tuple(Advantage(e, float(mean[i]), float(spread[i]), float(chance[i])) for i, e in enumerate(names))
    return Shrunken(
        advantages,
        check_lead,
        check_variance,
        float(w @ between),
        df,
        w,
        leads,
        variances,
        between,
        seasonals,
        lead,
        own,
        float(w @ seasonals),
    )


def log_likelihoods(seasons: Sequence[SeasonMeans]) -> Floats | None:
    """How well the seasons of one programme go with each spread of entries, share of it that differs by season, and standing of the
    check: logs, `RATIOS` × `SEASONALS` × `STANDINGS`, up to one constant. None without an error to judge by. Raises ValueError as
    `shrink`."""
    found = _fit(seasons, None)
    return None if found is None else found[-1].reshape(len(RATIOS), len(SEASONALS), len(STANDINGS))


def _fit(seasons: Sequence[SeasonMeans], prior: Prior | None) -> tuple[list[str], float, _Solved, Floats] | None:
    """Names of the entries, df of the variance of a plot, the model solved at each point of the grid, and the logs of the weights
    (points × standings): posterior with a `prior`, likelihood without. Raises ValueError for lengths that differ."""
    if any(not len(s.entries) == len(s.means) == len(s.variances) for s in seasons):
        raise ValueError("every season needs one mean and one variance for each of its entries")
    names = list(dict.fromkeys(e for s in seasons for e in s.entries))
    df = float(sum(s.df for s in seasons))
    if not names or df < 1:
        return None
    plot = sum(s.plot_variance * s.df for s in seasons) / df
    if plot <= 0 or any(v <= 0 for s in seasons for v in (*s.variances, s.check_variance)):
        return None
    between = np.repeat(RATIOS**2 * plot, len(SEASONALS))
    seasonal = np.tile(SEASONALS, len(RATIOS))
    solve = _jointly if _share_more(seasons, len(names)) else _apart
    fit = solve(seasons, names, between, seasonal, _own_spread(seasons, names))
    logs = fit.weights[:, None] + fit.log_likelihood_of(STANDINGS, WIDTH)
    return names, df, fit, logs if prior is None else logs + prior.logs.reshape(logs.shape)


class _Solved(NamedTuple):
    """The model at each point of the grid, with nothing taken of the check beforehand: variance of entries, entry × season variance
    by that, the log of its marginal likelihood, each entry's lead over the check, the variance of that and its covariance with the
    check's own lead (points × entries), and the check's lead over the mean entry with its variance."""

    between: Floats
    seasonal: Floats
    weights: Floats
    leads: Floats
    variances: Floats
    with_check: Floats
    check: Floats
    check_variance: Floats

    def log_likelihood_of(self, standings: Floats, width: float) -> Floats:
        """By how much each standing of the check, known within `width` (both in spreads of entries), changes the log of the
        likelihood: points × standings."""
        variance = self.check_variance + width**2 * self.between
        gap = self.check[:, None] - standings * np.sqrt(self.between)[:, None]
        return np.asarray(-0.5 * (np.log(variance)[:, None] + gap**2 / variance[:, None]))

    def given_standings(self, point: Any, chances: Floats) -> tuple[Floats, Floats, Floats, Floats]:
        """Leads of entries with their variances, the check's lead with its own, at some points of the grid, over standings of the
        check with these chances (points × `STANDINGS`)."""
        between, flat, seen = self.between[point], self.check_variance[point], self.check[point]
        within = 1 / (1 / flat + 1 / (WIDTH**2 * between))
        each = within[:, None] * (seen / flat)[:, None] + STANDINGS * (within / (WIDTH**2 * np.sqrt(between)))[:, None]
        check = (chances * each).sum(axis=1)
        own = within + (chances * (each - check[:, None]) ** 2).sum(axis=1)
        slope = self.with_check[point] / flat[:, None]
        leads = self.leads[point] + slope * (check - seen)[:, None]
        return leads, self.variances[point] - slope**2 * (flat - own)[:, None], check, own


def _share_more(seasons: Sequence[SeasonMeans], entries: int) -> bool:
    """Whether means share more than their season's level, so that no entry can be eliminated by itself: their covariance is known,
    or an entry stands twice in a season. So many entries that this would take long go by their own variances."""
    return entries <= MOST_JOINTLY and any(s.covariance is not None or len(set(s.entries)) < len(s.entries) for s in seasons)


def _own_spread(seasons: Sequence[SeasonMeans], names: Sequence[str]) -> Floats:
    """By how much the variance of each entry's prior is more than that of the others (1 for all but those far out): as much as
    takes it back to where others may stand, by `OUTLYING`, in robust standard deviations from the median of its seasons (Huber
    1981, sec. 6.2)."""
    far = np.zeros(len(names))
    times = np.zeros(len(names))
    place = {e: i for i, e in enumerate(names)}
    for s in seasons:
        if len(s.means) < 2:
            continue
        means = np.asarray(s.means, dtype=float)
        apart = means - np.median(means)
        scale = max(float(np.median(np.abs(apart))) * MAD_TO_SD, float(np.sqrt(np.median(s.variances))))
        at = [place[e] for e in s.entries]
        usual = distributions.t_quantile(1 - OUTLYING / 2, len(means) - 1)
        np.add.at(far, at, apart / scale / usual)
        np.add.at(times, at, 1.0)
    mean = np.abs(far) / np.maximum(times, 1.0)
    return np.asarray(np.maximum(1.0, mean**2))


def _jointly(seasons: Sequence[SeasonMeans], names: Sequence[str], between: Floats, seasonal: Floats, wider: Floats) -> _Solved:
    """By one system of all entries, season levels and the check, from the whole covariance of the means of each season."""
    v, k = len(names), len(seasons)
    place = {e: i for i, e in enumerate(names)}
    rows, seen = [], []
    for j, s in enumerate(seasons):
        x = np.zeros((len(s.entries) + 1, v + k + 1))
        x[np.arange(len(s.entries)), [place[e] for e in s.entries]] = 1
        x[-1, v + k] = x[:, v + j] = 1
        means = np.array([*s.means, s.check])
        rows.append(x)
        seen.append(means - means.mean())

    def point(spread: float, share: float) -> tuple[float, Floats, Floats, Floats, float, float]:
        whole = np.diag([*(1 / (spread * wider)), *[0.0] * (k + 1)])
        b = np.zeros(v + k + 1)
        q, logs = 0.0, -float(np.log(spread * wider).sum())
        for s, x, y in zip(seasons, rows, seen, strict=True):
            w = s.precision(share * spread)
            wx = w @ x
            whole += x.T @ wx
            b += wx.T @ y
            q += float(y @ w @ y)
            logs += float(np.linalg.slogdet(w)[1])
        inverse = np.linalg.inv(whole)
        at = inverse @ b
        weight = 0.5 * (logs - float(np.linalg.slogdet(whole)[1]) - (q - float(b @ at)))
        own, shared = np.diag(inverse), inverse[:v, -1]
        return weight, at[:v] - at[-1], own[:v] + own[-1] - 2 * shared, shared - own[-1], float(at[-1]), float(own[-1])

    points = [point(float(spread), float(share)) for spread, share in zip(between, seasonal, strict=True)]
    return _Solved(between, seasonal, *(np.array(part) for part in zip(*points, strict=True)))


def _apart(seasons: Sequence[SeasonMeans], names: Sequence[str], between: Floats, seasonal: Floats, wider: Floats) -> _Solved:
    """With entries eliminated one by one, since each mean has an error of its own; all points of the grid at once."""
    v, k = len(names), len(seasons)
    y, d = np.zeros((k, v)), np.full((k, v), np.inf)
    y0, d0 = np.zeros(k), np.array([s.check_variance for s in seasons])
    place = {e: i for i, e in enumerate(names)}
    for i, s in enumerate(seasons):
        at = [place[e] for e in s.entries]
        middle = float(np.mean([*s.means, s.check]))
        y[i, at], d[i, at], y0[i] = np.asarray(s.means) - middle, s.variances, s.check - middle
    besides = (seasonal * between)[:, None, None]
    p, p0 = 1 / (d + besides), 1 / (d0 + besides[:, 0])  # points × seasons × entries, points × seasons; 0 where not grown
    own_between = between[:, None] * wider[None, :]
    whole = 1 / own_between + p.sum(axis=1)
    shared = p / whole[:, None]
    m = np.zeros((len(between), k + 1, k + 1))
    m[:, :k, :k] = -shared @ p.transpose(0, 2, 1)
    m[:, range(k), range(k)] += p.sum(axis=2) + p0
    m[:, :k, k] = m[:, k, :k] = p0
    m[:, k, k] = p0.sum(axis=1)
    own = (p * y).sum(axis=1)
    b = np.empty((len(between), k + 1))
    b[:, :k] = (p * (y - (own / whole)[:, None])).sum(axis=2) + p0 * y0
    b[:, k] = (p0 * y0).sum(axis=1)
    inverse = np.linalg.inv(m)
    at = np.einsum("gst,gt->gs", inverse, b)
    q = (p * y**2).sum(axis=(1, 2)) - (own**2 / whole).sum(axis=1) + (p0 * y0**2).sum(axis=1) - (b * at).sum(axis=1)
    logs = np.log(np.where(p > 0, p, 1.0)).sum(axis=(1, 2)) + np.log(p0).sum(axis=1) - np.log(whole * own_between).sum(axis=1)
    weights = 0.5 * (logs - np.linalg.slogdet(m)[1] - q)
    leads = (own - np.einsum("gse,gs->ge", p, at[:, :k])) / whole - at[:, k:]
    h = np.concatenate([-shared, -np.ones((len(between), 1, v))], axis=1)
    moved = inverse @ h
    variances = 1 / whole + (h * moved).sum(axis=1)
    return _Solved(between, seasonal, weights, leads, variances, moved[:, k], at[:, k], np.asarray(inverse[:, k, k]))
