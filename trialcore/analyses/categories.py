"""Records that are one of several kinds: how many plots of each entry are of which, and whether entries differ in that."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from trialcore.analyses.linear import Floats, Labels, levels_of
from trialcore.analyses.printing import figures, lined, page

PERMUTATIONS = 4_999
Counts = npt.NDArray[np.int64]


@dataclass(frozen=True, eq=False)
class Categories:
    """What `analyse_categories` found: `counts` of plots (entries × classes), Pearson's chi-square of entries against classes, and
    its probability when kinds are dealt anew within blocks."""

    entries: tuple[str, ...]
    classes: tuple[str, ...]
    counts: Counts
    chi_square: float
    p: float | None

    @property
    def shares(self) -> Floats:
        """Of each entry's plots the share that is of each kind (0 to 1)."""
        return np.asarray(self.counts / self.counts.sum(axis=1, keepdims=True))

    def __str__(self) -> str:
        rows = [[e, *(str(int(n)) for n in row)] for e, row in zip(self.entries, self.counts, strict=True)]
        return page(lined("Plots by kind", ["entry", *self.classes], rows), figures(chi_square=self.chi_square, p=self.p or 1.0))


def analyse_categories(
    entry: Labels, kind: Sequence[str | None], block: Labels | None = None, permutations: int = PERMUTATIONS, seed: int = 1
) -> Categories:
    """Entries by the kinds of their plots; a missing one is None.

    Whether entries differ is told by dealing the kinds anew among the plots of each block and counting how often entries and kinds
    go together as closely (Pearson's chi-square as the measure; exact but for the number of deals, which the same `seed` repeats).
    p is None where only one entry or one kind is there. Raises ValueError for lengths that differ, or without any record."""
    if len(entry) != len(kind) or (block is not None and len(block) != len(entry)):
        raise ValueError("entry, kind and block must have one element for each plot")
    seen = [i for i, k in enumerate(kind) if k is not None]
    if not seen:
        raise ValueError("no plot has a kind yet")
    names, classes = levels_of([entry[i] for i in seen]), levels_of([str(kind[i]) for i in seen])
    rows = np.array([names.index(entry[i]) for i in seen])
    cols = np.array([classes.index(str(kind[i])) for i in seen])
    counts = _table(rows, cols, len(names), len(classes))
    found = _chi_square(counts)
    if len(names) < 2 or len(classes) < 2:
        return Categories(tuple(names), tuple(classes), counts, found, None)
    blocks = [block[i] for i in seen] if block is not None else ["all"] * len(seen)
    members = [np.array([i for i, b in enumerate(blocks) if b == name]) for name in dict.fromkeys(blocks)]
    rng = np.random.default_rng(seed)
    as_far = 1  # the deal that came
    for _ in range(permutations):
        dealt = cols.copy()
        for own in members:
            dealt[own] = rng.permutation(cols[own])
        as_far += _chi_square(_table(rows, dealt, len(names), len(classes))) >= found - 1e-9
    return Categories(tuple(names), tuple(classes), counts, found, as_far / (permutations + 1))


def _table(rows: Counts, cols: Counts, entries: int, classes: int) -> Counts:
    return np.bincount(rows * classes + cols, minlength=entries * classes).reshape(entries, classes)


def _chi_square(counts: Counts) -> float:
    expected = counts.sum(axis=1, keepdims=True) * counts.sum(axis=0, keepdims=True) / counts.sum()
    return float(((counts - expected) ** 2 / expected).sum())
