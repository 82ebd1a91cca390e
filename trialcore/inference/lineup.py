"""The small set of entries to grow: classes covered and a bad year spread, found by search over joint draws."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations

import numpy as np

from trialcore.analyses.linear import Floats
from trialcore.inference.shrunken import Shrunken

WORST = 0.2  # of the seasons to come: the share by whose mean a bad year is judged
MOST_CANDIDATES = 16  # that are searched; of more the most promising
MOST_OF_A_SET = 5


@dataclass(frozen=True)
class Candidate:
    """An entry that may be grown, with the classes it belongs to (maturity, use, size, …), each written `kind: class`."""

    entry: str
    classes: frozenset[str]


@dataclass(frozen=True)
class LineUp:
    """A set grown in equal parts: its expected lead over the check, that of the worst fifth of seasons, the chance that a season of
    it falls behind the check, and the classes it covers. Leads in the trait's unit."""

    entries: tuple[str, ...]
    expected: float
    in_bad_years: float
    behind: float
    covered: frozenset[str]


def season_draws(found: Shrunken, entries: Sequence[str], seed: int, draws: int = 2000) -> Floats:
    """What each of some entries leads the check by in a season to come: draws × entries, with what is not known of the leads, the
    check's share in common, and each entry's own entry × season part. Raises KeyError for an entry that is not in the fit."""
    rng = np.random.default_rng(seed)
    at = [found.place(e) for e in entries]
    part = rng.choice(len(found.weights), draws, p=found.weights)
    variance = found.variances[part][:, at]
    own = np.maximum(variance - found.check_variances[part][:, None], variance / 10)
    true = found.leads[part][:, at] + rng.normal(size=own.shape) * np.sqrt(own)
    true += rng.normal(size=(draws, 1)) * np.sqrt(variance - own)
    seasonal = np.sqrt(found.seasonals[part])[:, None]
    return true + seasonal * rng.normal(size=own.shape) - seasonal * rng.normal(size=(draws, 1))


def judge(entries: Sequence[str], which: Sequence[int], drawn: Floats, candidates: Sequence[Candidate]) -> LineUp:
    """One set, from the draws of its entries."""
    grown = drawn[:, list(which)].mean(axis=1)
    worst = np.sort(grown)[: max(1, round(WORST * len(grown)))]
    covered = frozenset().union(*(candidates[i].classes for i in which))
    return LineUp(tuple(entries[i] for i in which), float(grown.mean()), float(worst.mean()), float((grown < 0).mean()), covered)


def line_ups(candidates: Sequence[Candidate], drawn: Floats, most: int = 4, covering: bool = True) -> tuple[LineUp, ...]:
    """The best set of every size up to `most`: of those that cover most classes (of all, where not `covering`), the one that gives
    most in bad years.

    `drawn` has a column for each candidate. Raises ValueError without a candidate or for columns that differ.
    """
    if not candidates or drawn.shape[1] != len(candidates):
        raise ValueError("a line-up needs candidates, and draws of each")
    order = np.argsort(-drawn.mean(axis=0), kind="stable")[:MOST_CANDIDATES]
    some = [candidates[i] for i in order]
    part = drawn[:, order]
    names = [c.entry for c in some]
    best = []
    for size in range(1, min(most, MOST_OF_A_SET, len(some)) + 1):
        sets = [judge(names, which, part, some) for which in combinations(range(len(some)), size)]
        widest = max(len(s.covered) for s in sets) if size > 1 and covering else 0
        best.append(max((s for s in sets if len(s.covered) >= widest), key=lambda s: s.in_bad_years))
    return tuple(best)
