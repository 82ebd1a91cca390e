"""A tasting panel: judges as blocks, ranks within judges, and what the judges' palates are worth.

Two tastings of one sample by one judge (a doubled sample) are averaged for the comparison of entries; their difference tells how
consistent the judge is.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import sqrt

import numpy as np

from trialcore.analyses.blocks import BlockAnalysis, analyse_blocks
from trialcore.analyses.ranks import Concordance, average_ranks, kendall_w
from trialcore.inference import distributions


@dataclass(frozen=True)
class JudgeFigures:
    """One judge. `agreement` is the correlation of their values with the mean of the other judges on the same entries (None
    below three entries, or where either does not vary). From doubled samples, `pairs` of them: the mean of first minus second,
    the mean size of that difference, `sd_within` = √(Σd² / 2 pairs) in units of the score (Dahlberg 1940), and the share of
    pairs that are exactly alike."""

    judge: str
    entries: int
    mean: float
    sd: float | None
    agreement: float | None
    pairs: int
    mean_difference: float | None = None
    mean_absolute_difference: float | None = None
    sd_within: float | None = None
    exact: float | None = None


@dataclass(frozen=True)
class RankTest:
    """Whether ranks within judges differ by entry more than chance gives them: chi-square on `df`. `mean_rank` is centred: nought
    where an entry is neither above nor below the others that the same judges tasted."""

    statistic: float
    df: int
    p: float
    mean_rank: tuple[tuple[str, float], ...]


@dataclass(frozen=True, eq=False)
class Panel:
    """Entries by scores (`blocks`: judges as blocks) and by ranks; Kendall's W where every judge tasted every entry."""

    blocks: BlockAnalysis
    ranks: RankTest | None
    concordance: Concordance | None
    judges: tuple[JudgeFigures, ...]
    pairs: int
    sd_within: float | None
    pearson: float | None
    """Correlation of the first and second tastings of a sample by a judge."""
    cells: dict[tuple[str, str], float]
    """The value of each (judge, entry), the mean where it was tasted twice."""


def analyse_panel(judge: Sequence[str], entry: Sequence[str], value: Sequence[float], rep: Sequence[str] | None = None) -> Panel:
    """Compare entries over judges. `rep` tells the tastings of one sample by one judge apart, in their order.

    Raises ValueError for lists of different lengths, no score, one judge, or a sample tasted twice under one `rep`.
    """
    reps = list(rep) if rep is not None else ["1"] * len(value)
    if not len(judge) == len(entry) == len(value) == len(reps):
        raise ValueError("judge, entry and value need one element for each tasting")
    tasted: dict[tuple[str, str], dict[str, float]] = {}
    for j, e, v, r in zip(judge, entry, value, reps, strict=True):
        cell = tasted.setdefault((j, e), {})
        if r in cell:
            raise ValueError(f"judge {j} tasted {e} twice without a rep that tells them apart")
        cell[r] = float(v)
    means = {key: float(np.mean(list(cell.values()))) for key, cell in tasted.items()}
    judges = list(dict.fromkeys(judge))
    if len(judges) < 2:
        raise ValueError("a panel needs two judges or more")
    found = analyse_blocks([e for _, e in means], list(means.values()), {"judge": [j for j, _ in means]})
    pairs = {j: [tuple(c.values())[:2] for (k, _), c in tasted.items() if k == j and len(c) > 1] for j in judges}
    every = [p for some in pairs.values() for p in some]
    entries = sorted({e for _, e in means})
    complete = len(means) == len(judges) * len(entries) and len(entries) > 1
    try:
        agreed = kendall_w([[means[j, e] for e in entries] for j in judges]) if complete else None
    except ValueError:
        agreed = None
    figures = tuple(_judge(j, means, pairs[j]) for j in judges)
    return Panel(found, _rank_test(means, judges, entries), agreed, figures, len(every), _within(every), _correlation(every), means)


Pair = tuple[float, ...]


def _within(pairs: Sequence[Pair]) -> float | None:
    return sqrt(sum((a - b) ** 2 for a, b in pairs) / (2 * len(pairs))) if pairs else None


def _correlation(pairs: Sequence[Pair]) -> float | None:
    if len(pairs) < 3:
        return None
    first, second = np.array(pairs).T
    return float(np.corrcoef(first, second)[0, 1]) if np.ptp(first) > 0 and np.ptp(second) > 0 else None


def _judge(judge: str, means: dict[tuple[str, str], float], pairs: Sequence[Pair]) -> JudgeFigures:
    own = {e: v for (j, e), v in means.items() if j == judge}
    others = {e: [v for (j, other), v in means.items() if other == e and j != judge] for e in own}
    x = np.array([v for e, v in own.items() if others[e]])
    y = np.array([np.mean(others[e]) for e in own if others[e]])
    varies = len(x) > 2 and np.ptp(x) > 0 and np.ptp(y) > 0
    values = list(own.values())
    sd = float(np.std(values, ddof=1)) if len(values) > 1 else None
    agreement = float(np.corrcoef(x, y)[0, 1]) if varies else None
    if not pairs:
        return JudgeFigures(judge, len(own), float(np.mean(values)), sd, agreement, 0)
    apart = np.array([a - b for a, b in pairs])
    return JudgeFigures(
        judge,
        len(own),
        float(np.mean(values)),
        sd,
        agreement,
        len(pairs),
        float(apart.mean()),
        float(np.abs(apart).mean()),
        _within(pairs),
        float((apart == 0).mean()),
    )


def _rank_test(means: dict[tuple[str, str], float], judges: Sequence[str], entries: Sequence[str]) -> RankTest | None:
    """Ranks within each judge against what drawing them anew within the judge would give, for any pattern of who tasted what:
    Friedman's test with ties where all tasted all (Benard and van Elteren 1953; Prentice 1979)."""
    place = {e: i for i, e in enumerate(entries)}
    total, covariance, times = np.zeros(len(entries)), np.zeros((len(entries), len(entries))), np.zeros(len(entries))
    for judge in judges:
        own = [e for e in entries if (judge, e) in means]
        if len(own) < 2:
            continue
        at = [place[e] for e in own]
        ranks = average_ranks([means[judge, e] for e in own])
        centred = ranks - ranks.mean()
        total[at] += centred
        times[at] += 1
        n = len(own)
        covariance[np.ix_(at, at)] += float((centred**2).sum()) / (n - 1) * (np.eye(n) - 1 / n)
    df = int(np.linalg.matrix_rank(covariance))
    if not df:
        return None
    statistic = float(total @ np.linalg.pinv(covariance, hermitian=True) @ total)
    mean = tuple((e, float(total[place[e]] / times[place[e]])) for e in entries if times[place[e]])
    return RankTest(statistic, df, distributions.chi_square_above(statistic, df), mean)
