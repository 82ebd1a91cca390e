"""Paired strips: an entry beside the check in each of several seasons or places, which serve as replicates."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from math import comb

import numpy as np

from trialcore.analyses.linear import Labels
from trialcore.analyses.printing import page, table
from trialcore.inference import distributions
from trialcore.inference.comparisons import chance_above


@dataclass(frozen=True)
class PairedDifference:
    """An entry minus the check over the seasons in which both stood, in the trait's unit. What one season cannot tell is
    None. `wins` counts seasons in which the entry was ahead; `p_sign` is the exact two-sided sign test on them."""

    entry: str
    seasons: int
    differences: tuple[tuple[str, float], ...]
    mean: float
    se: float | None
    df: int
    t: float | None
    p: float | None
    lower95: float | None
    upper95: float | None
    chance_better: float | None
    wins: int
    p_sign: float


@dataclass(frozen=True)
class PairedStrips:
    """What `analyse_paired_strips` found, an entry a row; `cannot_say` tells what these data do not."""

    check: str
    rows: tuple[PairedDifference, ...]
    cannot_say: tuple[str, ...]

    def __str__(self) -> str:
        columns = {"entry": "entry", "seasons": "seasons", "difference": "mean", "se": "se", "t": "t", "p": "p", "wins": "wins"}
        return page(table(f"Minus {self.check}, seasons being the replicates", self.rows, **columns), *self.cannot_say)


def analyse_paired_strips(
    entry: Labels, value: Sequence[float | None], season: Labels, check: str, strip: Labels | None = None
) -> PairedStrips:
    """Compare every entry with `check` by differences within seasons (Student 1908), seasons being the replicates.

    One element a plot; `season` is the season, or site and season together; `strip` tells pairs within a season apart, and
    their differences are averaged first, since strips of one season share its weather. A missing value is None.

    Raises ValueError when the lengths differ or no plot has the entry `check`.
    """
    if not len(entry) == len(value) == len(season) or (strip is not None and len(strip) != len(entry)):
        raise ValueError("entry, value, season and strip must have one element for each plot")
    if check not in entry:
        raise ValueError(f"no plot has the entry “{check}”")
    strips = strip if strip is not None else [""] * len(entry)
    cells: dict[tuple[str, str, str], list[float]] = defaultdict(list)
    for e, s, k, v in zip(entry, season, strips, value, strict=True):
        if v is not None and np.isfinite(v):
            cells[e, s, k].append(float(v))
    mean = {key: float(np.mean(v)) for key, v in cells.items()}
    rows, cannot = [], []
    for name in sorted(set(entry) - {check}):
        inside: dict[str, list[float]] = defaultdict(list)
        for (e, s, k), v in mean.items():
            if e == name and (check, s, k) in mean:
                inside[s].append(v - mean[check, s, k])
        if not inside:
            cannot.append(f"{name} never stood beside {check} with both weighed, so nothing can be said of it.")
            continue
        rows.append(_paired(name, [(s, float(np.mean(d))) for s, d in sorted(inside.items())]))
        if len(inside) == 1:
            cannot.append(f"{name} stood beside {check} in one season only: how far seasons differ is not known.")
    return PairedStrips(check, tuple(rows), tuple(cannot))


def _paired(name: str, differences: list[tuple[str, float]]) -> PairedDifference:
    d = np.array([v for _, v in differences])
    n, mean = len(d), float(d.mean())
    wins, losses = int((d > 0).sum()), int((d < 0).sum())
    sign = sign_test(wins, losses)
    if n < 2 or float(d.std(ddof=1)) == 0:
        return PairedDifference(name, n, tuple(differences), mean, None, n - 1, None, None, None, None, None, wins, sign)
    se = float(d.std(ddof=1) / np.sqrt(n))
    half = distributions.t_quantile(0.975, n - 1) * se
    p = float(distributions.t_two_sided(mean / se, n - 1))
    return PairedDifference(
        name,
        n,
        tuple(differences),
        mean,
        se,
        n - 1,
        mean / se,
        p,
        mean - half,
        mean + half,
        chance_above(mean, se, n - 1),
        wins,
        sign,
    )


def sign_test(wins: int, losses: int) -> float:
    """Two-sided exact probability of a split at least as uneven as this if both sides were as likely."""
    n = wins + losses
    if n == 0:
        return 1.0
    tail = sum(comb(n, k) for k in range(min(wins, losses) + 1)) / 2**n
    return float(min(1.0, 2 * tail))
