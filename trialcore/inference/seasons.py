"""Differences from the check over several seasons: pooled, and the verdict that the boards' rule suggests on them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import partial

import numpy as np

from trialcore.inference.season_means import SeasonMeans
from trialcore.inference.shrunken import Shrunken, shrink
from trialcore.inference.verdict import Evidence, Prospect, Rule, Suggestion, suggest

PLOTS_OF_A_MEAN = 4


@dataclass(frozen=True)
class SeasonResult:
    """One season: how much better than the check (positive is better), its standard error and degrees of freedom."""

    season: str
    better_by: float
    se: float
    df: float


@dataclass(frozen=True)
class Pooled:
    """Several seasons as one figure. `between` is the standard deviation of the true difference from season to season."""

    better_by: float
    se: float
    df: float
    between: float
    seasons: int


def pool(results: Sequence[SeasonResult], between: float | None = None) -> Pooled:
    """Combine seasons by inverse variances that hold a between-season part.

    `between` is that part's standard deviation where it is known from other trials; otherwise it is found from these
    results after Paule and Mandel (1982), the standard error is not taken below what the seasons' own errors give, and the
    degrees of freedom are seasons − 1 where it is above nought (Hartung and Knapp 2001), else those of the errors summed.

    Raises ValueError without a result or with a standard error that is not above nought.
    """
    if not results or any(r.se <= 0 or r.df <= 0 for r in results):
        raise ValueError("each season needs a difference with a standard error above nought")
    d = np.array([r.better_by for r in results])
    v = np.array([r.se**2 for r in results])
    k = len(d)
    tau2 = between**2 if between is not None else _paule_mandel(d, v)
    w = 1 / (v + tau2)
    mean = float((w * d).sum() / w.sum())
    se = float(np.sqrt(1 / w.sum()))
    inner = float(sum(r.df for r in results))
    if between is not None or k == 1 or tau2 == 0:
        return Pooled(mean, se, inner, float(np.sqrt(tau2)), k)
    spread = float((w * (d - mean) ** 2).sum()) / (k - 1)
    return Pooled(mean, se * float(np.sqrt(max(1.0, spread))), float(k - 1), float(np.sqrt(tau2)), k)


def _paule_mandel(d: np.ndarray, v: np.ndarray) -> float:
    def excess(tau2: float) -> float:
        w = 1 / (v + tau2)
        return float((w * (d - (w * d).sum() / w.sum()) ** 2).sum()) - (len(d) - 1)

    if len(d) < 2 or excess(0.0) <= 0:
        return 0.0
    low, high = 0.0, float(v.max())
    while excess(high) > 0:
        low, high = high, high * 2
    for _ in range(80):
        middle = (low + high) / 2
        low, high = (middle, high) if excess(middle) > 0 else (low, middle)
    return (low + high) / 2


def verdicts_over_seasons(results: Mapping[str, Sequence[SeasonResult]], rule: Rule | None = None) -> dict[str, Suggestion]:
    """The suggestion for each entry from its differences from the check over seasons, by the rule of the boards: chances from all
    entries and seasons at once (`shrink`) where there are enough, else from the pooled difference alone. What matters is 0.

    Raises ValueError as `pool`.
    """
    pooled = {entry: pool(own) for entry, own in results.items()}
    found = shrink(_as_means(results))
    made = {}
    for entry, own in pooled.items():
        prospect = None
        if found is not None:
            i, error = found.place(entry), float(np.mean([r.se**2 for r in results[entry]]))
            chance = partial(_chance_of, found, i)
            promise, fresh = found.promise(entry, error), found.promise_of_a_fresh_one(error)
            prospect = Prospect(chance, found.advantages[i].kept, promise, fresh)
        evidence = Evidence("the difference", own.better_by, own.se, own.df, 0.0, prospect=prospect)
        made[entry] = suggest([evidence], rule)
    return made


def _chance_of(found: Shrunken, place: int, by: float) -> float:
    return float(found.chance_above(by)[place])


def _as_means(results: Mapping[str, Sequence[SeasonResult]]) -> list[SeasonMeans]:
    """Each season's differences as means beside a check at 0, the variance of a difference half on either side; a mean is taken
    to be that of `PLOTS_OF_A_MEAN` plots, which differences do not say."""
    by_season: dict[str, list[tuple[str, SeasonResult]]] = {}
    for entry, own in results.items():
        for r in own:
            by_season.setdefault(r.season, []).append((entry, r))
    made = []
    for some in by_season.values():
        own_variance = [r.se**2 / 2 for _, r in some]
        usual, df = float(np.median(own_variance)), float(np.mean([r.df for _, r in some]))
        entries, means = tuple(e for e, _ in some), tuple(r.better_by for _, r in some)
        made.append(SeasonMeans(entries, means, tuple(own_variance), 0.0, usual, PLOTS_OF_A_MEAN * usual, df))
    return made


def seasons_needed(
    difference: float, se: float, between_sd: float, chance: float = 0.8, alpha: float = 0.05, most: int = 50
) -> int | None:
    """The fewest seasons in which a true difference is found with probability `chance`, testing two-sided at `alpha` on
    seasons − 1 degrees of freedom; None beyond `most`. `se` is that of the difference within one season."""
    from trialcore.inference import distributions

    if difference <= 0 or se <= 0 or between_sd < 0:
        raise ValueError("the difference and its standard error must be above nought, the spread of seasons not below it")
    sd = float(np.sqrt(se**2 + between_sd**2))
    for n in range(2, most + 1):
        bound = distributions.t_quantile(1 - alpha / 2, n - 1)
        if distributions.noncentral_t_beyond(bound, n - 1, difference / (sd / np.sqrt(n))) >= chance:
            return n
    return None
