"""Ranks: correlation, agreement of several judges, and the comparison of scores within blocks."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from trialcore.analyses.linear import Coded, Floats, Labels
from trialcore.analyses.printing import figures, lined, page
from trialcore.inference import distributions


def average_ranks(values: Sequence[float] | Floats) -> Floats:
    """Ranks from 1, lowest first; ties share the mean of their ranks."""
    x = np.asarray(values, dtype=float)
    _, inverse, counts = np.unique(x, return_inverse=True, return_counts=True)
    ends = np.cumsum(counts)
    return np.asarray((ends - (counts - 1) / 2)[inverse])


@dataclass(frozen=True)
class RankCorrelation:
    """Spearman's ρ with its t approximation on n − 2 df, and Kendall's τ-b (both with ties)."""

    rho: float
    t: float | None
    df: int
    p: float | None
    tau_b: float


def rank_correlation(x: Sequence[float], y: Sequence[float]) -> RankCorrelation | None:
    """Rank correlation of two lists of one length; None with fewer than three pairs or one list all equal.

    Raises ValueError when the lengths differ. Spearman (1904); Kendall (1945).
    """
    if len(x) != len(y):
        raise ValueError("both lists need one value for each item")
    if len(x) < 3 or len(set(x)) < 2 or len(set(y)) < 2:
        return None
    rho = float(np.corrcoef(average_ranks(x), average_ranks(y))[0, 1])
    first, second = np.triu_indices(len(x), k=1)
    a, b = np.asarray(x, dtype=float), np.asarray(y, dtype=float)
    sx, sy = np.sign(a[first] - a[second]), np.sign(b[first] - b[second])
    tau = float((sx * sy).sum() / np.sqrt((sx != 0).sum() * (sy != 0).sum()))
    df = len(x) - 2
    if 1 - rho**2 < 1e-15:
        return RankCorrelation(rho, None, df, 0.0, tau)
    t = rho * float(np.sqrt(df / (1 - rho**2)))
    return RankCorrelation(rho, t, df, float(distributions.t_two_sided(t, df)), tau)


@dataclass(frozen=True, eq=False)
class Concordance:
    """Kendall's W: 0 when judges have nothing in common, 1 when they agree wholly."""

    rank_sums: Floats
    w_uncorrected: float
    w: float
    chi_square: float
    df: int
    p: float
    mean_spearman: float

    def __str__(self) -> str:
        return figures(W=self.w, chi_square=self.chi_square, df=self.df, p=self.p, mean_Spearman=self.mean_spearman)


def kendall_w(scores: Sequence[Sequence[float]]) -> Concordance:
    """Agreement of m judges (rows) on n items (columns), corrected for ties (Kendall and Babington Smith 1939).

    Raises ValueError for fewer than two judges or items, rows of unequal length, or judges who all gave one score to
    everything.
    """
    table = np.array([average_ranks(row) for row in scores])
    if table.ndim != 2 or min(table.shape) < 2:
        raise ValueError("agreement needs at least two judges who scored the same two or more items")
    m, n = table.shape
    sums = table.sum(axis=0)
    s = float(((sums - sums.mean()) ** 2).sum())
    ties = sum(float((c**3 - c).sum()) for c in (np.unique(row, return_counts=True)[1].astype(float) for row in table))
    if m**2 * (n**3 - n) - m * ties <= 0:
        raise ValueError("every judge gave one score to everything, so there is nothing to agree on")
    w = 12 * s / (m**2 * (n**3 - n) - m * ties)
    pairs = [rank_correlation(a.tolist(), b.tolist()) for i, a in enumerate(table) for b in table[i + 1 :]]
    known = [p.rho for p in pairs if p is not None]
    statistic = m * (n - 1) * w
    return Concordance(
        sums,
        12 * s / (m**2 * (n**3 - n)),
        w,
        statistic,
        n - 1,
        distributions.chi_square_above(statistic, n - 1),
        float(np.mean(known)) if known else float("nan"),
    )


@dataclass(frozen=True, eq=False)
class RankedBlocks:
    """Entries compared by ranks within blocks. `mean_rank` is on the scale of a full block (1 is lowest), `se_difference`
    that of two mean ranks; `method` names the test."""

    entries: tuple[str, ...]
    mean_rank: Floats
    statistic: float
    df: int
    p: float
    se_difference: float | None
    df_error: int
    method: str

    def __str__(self) -> str:
        rows = [[entry, f"{rank:.3f}"] for entry, rank in zip(self.entries, self.mean_rank, strict=True)]
        tested = figures(statistic=self.statistic, df=self.df, p=self.p, se_of_a_difference=self.se_difference)
        return page(self.method, lined("Mean ranks within blocks", ["entry", "mean rank"], rows), tested)


def compare_ranks(entry: Labels, value: Sequence[float | None], block: Labels) -> RankedBlocks:
    """Compare entries by ranks within blocks, for scores on which an average says little.

    Friedman's test (1937) with ties where every block holds every entry once, with the differences of mean ranks after
    Conover (1999, sec. 5.8); the test of Skillings and Mack (1981) where plots are missing. A missing value is None.

    Raises ValueError when the lengths differ, an entry stands twice in a block, or fewer than two blocks can be ranked.
    """
    if not len(entry) == len(value) == len(block):
        raise ValueError("entry, value and block must have one element for each plot")
    kept = [i for i, v in enumerate(value) if v is not None]
    names, blocks = Coded.of([entry[i] for i in kept]), Coded.of([block[i] for i in kept])
    y = np.array([value[i] for i in kept], dtype=float)
    counts = names.cross(blocks)
    if counts.max(initial=0) > 1:
        raise ValueError("an entry stands twice in a block; ranks need it once")
    k, b = counts.shape
    use = [j for j in range(b) if counts[:, j].sum() > 1]
    if len(use) < 2 or k < 2:
        raise ValueError("ranks need at least two blocks with two or more values each")
    ranks = np.full((k, b), np.nan)
    for j in use:
        here = np.flatnonzero(blocks.codes == j)
        ranks[names.codes[here], j] = average_ranks(y[here])
    ranks = ranks[:, use]
    if not np.isnan(ranks).any():
        return _friedman(names.levels, ranks)
    return _skillings_mack(names.levels, ranks)


def _friedman(names: tuple[str, ...], ranks: Floats) -> RankedBlocks:
    k, b = ranks.shape
    sums = ranks.sum(axis=1)
    squares = float((ranks**2).sum())
    correction = b * k * (k + 1) ** 2 / 4
    if squares - correction <= 1e-12:
        return RankedBlocks(names, sums / b, 0.0, k - 1, 1.0, None, (b - 1) * (k - 1), "Friedman: every score is tied")
    statistic = (k - 1) * (float((sums**2).sum()) - b * correction) / (squares - correction)
    df = (b - 1) * (k - 1)
    spread = 2 * (b * squares - float((sums**2).sum())) / df
    se = float(np.sqrt(max(0.0, spread))) / b
    p = distributions.chi_square_above(statistic, k - 1)
    return RankedBlocks(names, sums / b, float(statistic), k - 1, p, se, df, "Friedman")


def _skillings_mack(names: tuple[str, ...], ranks: Floats) -> RankedBlocks:
    k, _ = ranks.shape
    present = ~np.isnan(ranks)
    size = present.sum(axis=0)
    centred = np.where(present, ranks - (size + 1) / 2, 0.0) * np.sqrt(12 / (size + 1))
    adjusted = centred.sum(axis=1)
    shared = present.astype(float) @ present.T
    sigma = -shared
    np.fill_diagonal(sigma, 0.0)
    np.fill_diagonal(sigma, -sigma.sum(axis=1))
    values, vectors = np.linalg.eigh(sigma)
    positive = values > 1e-9 * values[-1]
    statistic = float(((vectors[:, positive].T @ adjusted) ** 2 / values[positive]).sum())
    df = int(positive.sum())
    full = np.where(present, ranks / (size + 1) * (k + 1), np.nan)
    p = distributions.chi_square_above(statistic, df)
    return RankedBlocks(names, np.nanmean(full, axis=1), statistic, df, p, None, 0, "Skillings and Mack")
