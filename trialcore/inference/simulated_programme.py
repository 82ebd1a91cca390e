"""Programmes of some seasons with a known truth: how often a rule would have been wrong, what it finds and what it costs."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np
import numpy.typing as npt

from trialcore.analyses.linear import Floats
from trialcore.inference.another_season import Retest, another_season
from trialcore.inference.distributions import t_below, t_quantile
from trialcore.inference.priors import Prior
from trialcore.inference.season_means import SeasonMeans
from trialcore.inference.shrunken import Shrunken, shrink
from trialcore.inference.verdict import Dropping, Rule, leading_verdicts

Bools = npt.NDArray[np.bool_]
OPEN, RECOMMENDED = 0, 1


@dataclass(frozen=True)
class Station:
    """What is grown and what is true of it, in standard deviations of a plot: places for entries in a season, blocks, plots of the
    check in a block, seasons; the `spread` of entries' true values, the entry × season variance as a share `phi` of theirs, and how
    far the check stands above the mean entry (None: drawn like an entry), what difference matters. `history` are seasons of the
    check among other entries of the kind before the first. Entries are normal, or with `tails` from a t distribution of so many
    degrees of freedom and the same spread."""

    places: int = 12
    blocks: int = 4
    check_plots: int = 2
    seasons: int = 3
    spread: float = 0.6
    phi: float = 0.25
    check: float | None = None
    matters: float = 0.15
    history: int = 0
    tails: int | None = None

    @property
    def df(self) -> int:
        """Of the error in complete blocks."""
        return self.blocks * (self.places + self.check_plots - 1) - self.places


Grown = Callable[[Floats, float, list[int], Station, np.random.Generator], SeasonMeans]
"""A season of entries (by number) whose values in it, and the check's, are given: the means that its analysis finds."""


def complete_blocks(values: Floats, check: float, entries: list[int], at: Station, rng: np.random.Generator) -> SeasonMeans:
    """A season in complete blocks, plots of standard deviation 1: the means and the error as the analysis would find them."""
    df = at.df
    square = float(rng.chisquare(df)) / df
    own, base = 1 / at.blocks, 1 / (at.blocks * at.check_plots)
    means = values + rng.normal(0, np.sqrt(own), len(values))
    names = tuple(str(e) for e in entries)
    seen = check + float(rng.normal(0, np.sqrt(base)))
    return SeasonMeans(names, tuple(means.tolist()), (square * own,) * len(names), seen, square * base, square, df)


@dataclass
class Played:
    """A programme as it went: the true lead of every candidate over the check, and of those that were grown the verdict they left
    with; whom the rule would grow at the end (−1: the check), by its best bet and by its verdicts alone; and as many figures for
    always taking the highest mean. `foretold` are chances said before a season and what came of them."""

    true: Floats
    verdict: npt.NDArray[np.int_]
    grown: Bools
    made_room: Bools
    best_bet: int = -1
    recommended_best: int = -1
    ranked: list[int] = field(default_factory=list)
    ranked_best: int = -1
    stated: list[tuple[float, bool, int]] = field(default_factory=list)  # chance that it is better, whether it is, in which season
    foretold: list[tuple[float, float, int]] = field(default_factory=list)  # recommended, dropped, and what happened
    seasons: list[SeasonMeans] = field(default_factory=list)
    top_held: bool = True  # whether the 95 % interval of the entry on top held its true lead

    def regret(self, chosen: int) -> float:
        """How far what is grown lies below the best that could have been tried."""
        return float(max(self.true.max(), 0.0) - (self.true[chosen] if chosen >= 0 else 0.0))


def play(at: Station, seed: int, rule: Rule | None = None, grow: Grown = complete_blocks, prior: Prior | None = None) -> Played:
    """One programme: places that verdicts free are filled with fresh candidates, what is open stays, and all seasons with all
    entries, those that left too, stay in the fit. The same seed gives the same truth for every rule.

    Raises ValueError for fewer than three places or no season."""
    if at.places < 3 or at.seasons < 1:
        raise ValueError("a programme needs three places or more, and a season")
    rule = rule or Rule()
    truth, luck = np.random.default_rng([seed, 1]), np.random.default_rng([seed, 2])
    pool = at.places * at.seasons
    value = truth.normal(0, at.spread, pool)
    if at.tails:
        value = at.spread * np.sqrt(1 - 2 / at.tails) * truth.standard_t(at.tails, pool)
    check = float(truth.normal(0, at.spread)) if at.check is None else at.check
    seasonal = truth.normal(0, np.sqrt(at.phi) * at.spread, (at.seasons, pool + 1))
    played = Played(value - check, np.zeros(pool, int), np.zeros(pool, bool), np.zeros(pool, bool))
    seasons = [_before(at, check, luck, n, grow) for n in range(at.history)]
    present: list[int] = []
    said: dict[int, tuple[float, float]] = {}
    behind = np.zeros(pool, int)
    fresh = iter(range(pool))
    for n in range(at.seasons):
        present += [next(fresh) for _ in range(at.places - len(present))]
        played.grown[present] = True
        there = value[present] + seasonal[n, present]
        seasons.append(grow(there, check + float(seasonal[n, -1]), present, at, luck))
        found = shrink(seasons, prior)
        if found is None:
            raise ValueError("a season has no error to judge by")
        retest = Retest(at.blocks, seasons[-1].plot_variance, at.check_plots)
        said = _decide(played, found, seasons, present, at, rule, retest, said, behind)
        present = [i for i in present if played.verdict[i] == OPEN and not played.made_room[i]]
    played.seasons = seasons
    if found is not None:
        _choose(played, found)
    _rank(played, at, value, check, seasonal, seed, grow)
    return played


def _before(at: Station, check: float, luck: np.random.Generator, n: int, grow: Grown) -> SeasonMeans:
    """A season before the first one: other entries of the kind against the same check."""
    others = list(range(-(n + 1) * at.places, -n * at.places))
    own = np.sqrt(at.phi) * at.spread
    values = luck.normal(0, at.spread, at.places) + luck.normal(0, own, at.places)
    return grow(values, check + float(luck.normal(0, own)), others, at, luck)


def _decide(
    played: Played,
    found: Shrunken,
    seasons: list[SeasonMeans],
    present: list[int],
    at: Station,
    rule: Rule,
    retest: Retest,
    said: dict[int, tuple[float, float]],
    behind: npt.NDArray[np.int_],
) -> dict[int, tuple[float, float]]:
    """Give every present entry its verdict, note what was foretold of it, and foretell the next season of what stays open."""
    rows = [found.place(str(i)) for i in present]
    kept = np.array([found.advantages[r].kept for r in rows])
    chance = found.chance_above(0.0)[rows]
    now = seasons[-1]
    measured = np.array(now.means) - now.check
    behind[present] = np.where(measured < 0, behind[present] + 1, 0)
    if rule.flat:
        kept, chance = measured, t_below(measured / np.sqrt(np.array(now.variances) + now.check_variance), now.df)
    error = retest.of_difference(0.0)
    promise = np.array([found.promise(str(i), error) for i in present])
    more, fresh = found.chance_above(at.matters)[rows], found.promise_of_a_fresh_one(error)
    given = leading_verdicts(kept, chance, more, promise, fresh, at.matters, rule, behind[present])
    played.verdict[present] = given
    if rule.dropping == Dropping.PROMISE and not rule.flat:  # a place goes to who promises more
        played.made_room[present] = (given == OPEN) & (promise < rule.fresh * fresh)
    played.stated += [(float(c), bool(played.true[i] > 0), len(seasons)) for i, c in zip(present, chance, strict=True)]
    played.foretold += [(*said[i], int(v)) for i, v in zip(present, given, strict=True) if i in said]
    left = [i for i, v in zip(present, given, strict=True) if v == OPEN]
    ahead = another_season(found, seasons, [str(i) for i in left], retest, at.matters, rule)
    return {i: (o.recommend, o.drop) for i, o in zip(left, ahead, strict=True)}


def _choose(played: Played, found: Shrunken) -> None:
    """Whom the rule would grow at the end, and whether the interval of the entry on top holds."""
    candidates = [a for a in found.advantages if int(a.entry) >= 0]
    top = max(candidates, key=lambda a: a.kept)
    if top.kept > 0:
        played.best_bet = int(top.entry)
    named = [a for a in candidates if played.verdict[int(a.entry)] == RECOMMENDED]
    if named:
        played.recommended_best = int(max(named, key=lambda a: a.kept).entry)
    half = t_quantile(0.975, found.df) * np.sqrt(top.variance)
    played.top_held = bool(abs(top.kept - played.true[int(top.entry)]) <= half)


def _rank(played: Played, at: Station, value: Floats, check: float, seasonal: Floats, seed: int, grow: Grown) -> None:
    """The usual way: each season the highest mean, if above the check, is recommended, everything else is new the next season, and
    the highest ever is grown."""
    luck = np.random.default_rng([seed, 3])
    best = 0.0
    fresh = iter(range(len(value)))
    for n in range(at.seasons):
        here = [next(fresh) for _ in range(at.places)]
        season = grow(value[here] + seasonal[n, here], check + float(seasonal[n, -1]), here, at, luck)
        lead = np.array(season.means) - season.check
        top = int(lead.argmax())
        if lead[top] > 0:
            played.ranked.append(here[top])
        if lead[top] > best:
            best, played.ranked_best = float(lead[top]), here[top]


@dataclass(frozen=True)
class Figures:
    """What many programmes came to. `wrong`: the share of recommendations truly worse than the check; `found`: the share of truly
    better entries that were recommended; regrets in spreads of entries; `plots` of the first season. Shares lie from 0 to 1, NaN
    where nothing was recommended."""

    worlds: int
    wrong: float
    wrong_ranked: float
    found: float
    found_ranked: float
    regret: float
    regret_verdicts: float
    regret_ranked: float
    best_bet_worse: float
    top_held: float
    recommended: float
    se_wrong: float
    se_regret: float


def figures_of(worlds: list[Played], spread: float) -> Figures:
    """Sum up programmes; standard errors count worlds, since all entries of one share a check."""
    wrong = np.array([[np.sum(p.true[p.verdict == RECOMMENDED] <= 0), np.sum(p.verdict == RECOMMENDED)] for p in worlds])
    ranked = np.array([[np.sum(p.true[p.ranked] <= 0), len(p.ranked)] for p in worlds])
    good = np.array([[np.sum(p.true[p.verdict == RECOMMENDED] > 0), np.sum(p.true[p.grown] > 0)] for p in worlds])
    good_ranked = np.array([[np.sum(p.true[p.ranked] > 0), np.sum(p.true > 0)] for p in worlds])
    regret, verdicts, usual = (
        np.array([p.regret(chosen) for p, chosen in ((p, getattr(p, name)) for p in worlds)]) / spread
        for name in ("best_bet", "recommended_best", "ranked_best")
    )
    bets = [p.true[p.best_bet] <= 0 for p in worlds if p.best_bet >= 0]
    share = _share(wrong)
    off = wrong[:, 0] - share * wrong[:, 1]
    se = float(np.sqrt((off**2).sum()) / max(1, wrong[:, 1].sum()))
    return Figures(
        len(worlds),
        share,
        _share(ranked),
        _share(good),
        _share(good_ranked),
        float(regret.mean()),
        float(verdicts.mean()),
        float(usual.mean()),
        float(np.mean(bets)) if bets else float("nan"),
        float(np.mean([p.top_held for p in worlds])),
        float(wrong[:, 1].mean()),
        se,
        float(regret.std(ddof=1) / np.sqrt(len(worlds))) if len(worlds) > 1 else float("nan"),
    )


def _share(pairs: npt.NDArray[np.int_]) -> float:
    return float(pairs[:, 0].sum() / pairs[:, 1].sum()) if pairs[:, 1].sum() else float("nan")
