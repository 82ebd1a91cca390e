"""What another season would tell: how likely a retest is to settle an entry, and what the choice would gain by it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cache
from math import sqrt

import numpy as np

from trialcore.analyses.linear import Floats
from trialcore.inference import distributions
from trialcore.inference.season_means import SeasonMeans
from trialcore.inference.shrunken import Shrunken, promised
from trialcore.inference.verdict import Rule

MORE = 1e-9
PLACES = 100
DRAWS = 2400  # of which a share is known within 2 points


@dataclass(frozen=True)
class Retest:
    """A season to come: plots of each retested entry, and of the check, at each of some sites; the variance of a plot. An entry
    behaves as much its own way at another site as in another season."""

    blocks: int
    plot_variance: float
    check_plots: int = 1
    sites: int = 1

    @property
    def of_mean(self) -> float:
        """Error variance of an entry's mean at one site."""
        return self.plot_variance / self.blocks

    def of_difference(self, seasonal: float) -> float:
        """Error variance of a difference from the check over all sites, where each entry has the variance `seasonal` of its own at
        each."""
        return (self.of_mean + self.plot_variance / (self.blocks * self.check_plots) + 2 * seasonal) / self.sites


@dataclass(frozen=True)
class Must:
    """What an entry must have: how far its mean stands on the right side of it, with the variance of that and the error variance of
    another season's mean."""

    above: float
    variance: float
    error: float


@dataclass(frozen=True)
class Further:
    """A further criterion of an entry: its lead over the check with its variance, the error variance of another season's
    difference, and what matters."""

    kept: float
    variance: float
    error: float
    matters: float


@dataclass(frozen=True)
class Outlook:
    """What a retest would make of an entry: the chances that it is recommended or dropped then, and by how much the expected choice
    between it and the check would gain, in the trait's unit."""

    entry: str
    recommend: float
    drop: float
    gain: float

    @property
    def settled(self) -> float:
        """The chance of either."""
        return self.recommend + self.drop

    @property
    def still_open(self) -> float:
        """The chance of neither."""
        return max(0.0, 1 - self.settled)


def another_season(
    found: Shrunken,
    seasons: Sequence[SeasonMeans],
    entries: Sequence[str],
    retest: Retest,
    matters: float,
    rule: Rule | None = None,
    further: Mapping[str, Sequence[Further]] | None = None,
    musts: Mapping[str, Sequence[Must]] | None = None,
    seed: int = 1,
) -> tuple[Outlook, ...]:
    """The outlook of some `entries` of a fit over `seasons`, for the leading criterion; where an entry has `further` criteria or
    `musts` the rule is applied to draws of all of them, each as if it moved by itself.

    In closed form (preposterior normal analysis, Raiffa and Schlaifer 1961): what is expected of a lead after the retest is
    normal around what is expected now. Recommended when it will stand above both what `matters` and the bar of the rule; dropped
    when it will promise less than a fresh entry, to which only its own part of what is learnt counts, since the check and the
    season are shared with the fresh one. Chances are averaged over what the fit leaves open (spread of entries, entry × season).

    Raises KeyError for an entry that is not in the fit, ValueError for a retest without a block or a site.
    """
    if retest.blocks < 1 or retest.sites < 1 or retest.check_plots < 1:
        raise ValueError("a retest needs a block, a plot of the check and a site")
    rule = rule or Rule()
    rng = np.random.default_rng(seed)
    told = _informations(found, seasons)
    bar = distributions.t_quantile(rule.allowed_better, found.df)
    made = []
    for name in entries:
        i = found.place(name)
        a = found.advantages[i]
        error = retest.of_difference(found.seasonal)
        later = a.variance - a.variance**2 / (a.variance + error)
        gain = promised(a.kept, a.variance, error) - max(a.kept, 0.0)
        up = _above(found, i, retest, max(matters, bar * sqrt(later)))
        fresh = _leaving(found, retest, later, error, rule)
        down = _below(found, i, retest, told[:, i], fresh, matters, distributions.t_quantile(rule.may_matter, found.df))
        others, asked = (further or {}).get(name, ()), (musts or {}).get(name, ())
        if others or asked:
            up, down, left = _with_others(up, down, others, asked, found.df, rule, rng)
            gain *= left
        made.append(Outlook(name, up, min(down, 1 - up), gain))
    return tuple(made)


def _with_others(
    up: float, down: float, others: Sequence[Further], musts: Sequence[Must], df: float, rule: Rule, rng: np.random.Generator
) -> tuple[float, float, float]:
    """The chances of the leading criterion, once further ones may hold a recommendation back or have the entry dropped, and the
    chance that none of those drops it: what is ruled out otherwise gains nothing by its lead."""
    draw = rng.random(DRAWS)
    falls, rises = np.zeros(DRAWS, bool), draw > 1 - up
    for c in others:
        worse = 1 - _later(c.kept + c.matters, c.variance, c.error, df, rng)
        falls |= worse >= rule.sure_of_more
        rises &= worse <= rule.spoils
    for m in musts:
        fails = 1 - _later(m.above, m.variance, m.error, df, rng)
        falls |= fails >= rule.sure_of_more
        rises &= fails < rule.spoils
    left = float(1 - falls.mean())
    falls |= draw < down
    return float((rises & ~falls).mean()), float(falls.mean()), left


def _later(expected: float, variance: float, error: float, df: float, rng: np.random.Generator) -> Floats:
    """Draws of the chance, after the retest, that something lies above nought."""
    moved = variance / sqrt(variance + error)
    left = sqrt(variance - moved**2)
    return distributions.t_below((expected + rng.normal(0, moved, DRAWS)) / left, df)


def _above(found: Shrunken, i: int, retest: Retest, bar: float) -> float:
    """The chance that what is expected after the retest lies above the bar."""
    lead, variance = found.leads[:, i], found.variances[:, i]
    error = retest.of_difference(0.0) + 2 * found.seasonals / retest.sites
    moved = variance / np.sqrt(variance + error)
    return float(found.weights @ distributions.t_below((lead - bar) / moved, float("inf")))


def _below(found: Shrunken, i: int, retest: Retest, told: Floats, fresh: float, matters: float, bar: float) -> float:
    """The chance that it lies below that of a `fresh` entry, moved by the entry's own part alone, and is unlikely (`bar` standard
    errors) to reach what `matters`, moved by all that is learnt: the own part at equally likely places, the rest normal."""
    own, variance, lead = 1 / (1 / found.betweens + told), found.variances[:, i], found.leads[:, i]
    error = (retest.of_mean + found.seasonals) / retest.sites
    moved = own / np.sqrt(own + error)
    told_of_lead = retest.of_difference(0.0) + 2 * found.seasonals / retest.sites
    whole = variance / np.sqrt(variance + told_of_lead)
    unlikely = matters + bar * np.sqrt(variance * told_of_lead / (variance + told_of_lead))
    rest = np.sqrt(np.maximum(whole**2 - moved**2, 1e-12 * variance))
    at = lead[:, None] + moved[:, None] * _places()
    low = distributions.t_below((unlikely[:, None] - at) / rest[:, None], float("inf"))
    return float(found.weights @ (low * (at < fresh)).mean(axis=1))


@cache
def _places() -> Floats:
    """Equally likely places of a standard normal variable."""
    return np.array([distributions.t_quantile(float(p), float("inf")) for p in (np.arange(PLACES) + 0.5) / PLACES])


def _leaving(found: Shrunken, retest: Retest, variance: float, error: float, rule: Rule) -> float:
    """The lead below which an entry known that well promises less than a fresh one, once the check is known better too."""
    check = found.check_lead_variance
    told = (retest.plot_variance / (retest.blocks * retest.check_plots) + found.seasonal) / retest.sites
    known = check - check**2 / (check + told + (found.entry_variance + error) / len(found.advantages))
    fresh = rule.fresh * promised(-found.check_lead, found.entry_variance + known, error)
    low, high = -20 * sqrt(variance + error + found.entry_variance), 20 * sqrt(variance + error + found.entry_variance)
    while high - low > MORE * max(1.0, abs(high)):
        middle = (low + high) / 2
        low, high = (middle, high) if promised(middle, variance, error) < fresh else (low, middle)
    return high


def _informations(found: Shrunken, seasons: Sequence[SeasonMeans]) -> Floats:
    """What the seasons told of each entry by itself: parts × entries."""
    place = {a.entry: i for i, a in enumerate(found.advantages)}
    told = np.zeros(found.leads.shape)
    for s in seasons:
        for e, d in zip(s.entries, s.variances, strict=True):
            told[:, place[e]] += 1 / (d + found.seasonals)
    return told


def best_share(entries: Sequence[str], found: Shrunken) -> list[str]:
    """To whom the plots of a retest go by default: the best quarter by what they are expected to keep, the best eighth of more than
    fifty, one at least; alike for each."""
    kept = {a.entry: a.kept for a in found.advantages}
    some = sorted(entries, key=lambda e: -kept[e])
    return some[: max(1, round(len(some) / (8 if len(some) > 50 else 4)))]


def left_over(found: Shrunken, plots: Mapping[str, int], retest: Retest, seed: int, draws: int = 4000) -> float:
    """How far the best of check and entries is expected to lie above the one that would be chosen after a retest in which each
    entry has so many `plots` (none: not grown), in the trait's unit.

    Leads are taken as normal with a share in common, that of the check; what will be expected of them after the retest is then
    normal too, so that its best is drawn directly and more plots never leave more (Raiffa and Schlaifer 1961). Raises KeyError for
    an entry that is not in the fit.
    """
    rng = np.random.default_rng(seed)
    kept = np.array([a.kept for a in found.advantages])
    variance = np.array([a.variance for a in found.advantages])
    common = np.sqrt(np.minimum(found.check_lead_variance, 0.9 * variance))
    prior = np.diag(variance - common**2) + np.outer(common, common)
    z = rng.normal(size=(draws, len(kept)))
    best = _best(kept, prior, z)
    grown = [(found.place(name), n) for name, n in plots.items() if n > 0]
    if not grown:
        return max(0.0, best - max(0.0, float(kept.max())))
    at = [i for i, _ in grown]
    check = retest.plot_variance / (max(n for _, n in grown) * retest.check_plots) + found.seasonal
    error = np.diag([retest.plot_variance / n + found.seasonal for _, n in grown]) + check
    gain = np.linalg.solve(prior[np.ix_(at, at)] + error, prior[at])
    return max(0.0, best - _best(kept, prior[:, at] @ gain, z))


def _best(mean: Floats, covariance: Floats, z: Floats) -> float:
    """The expected best of some normal variables and nought, from standard normal draws."""
    values, vectors = np.linalg.eigh(covariance)
    drawn = mean + z @ (vectors * np.sqrt(np.maximum(values, 0.0))).T
    return float(np.maximum(drawn.max(axis=1), 0.0).mean())
