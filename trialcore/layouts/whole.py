"""Designs in which every replicate holds everything: none, complete blocks, Latin squares, factorials and strips."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from trialcore.layouts.paths import complete_blocks
from trialcore.layouts.plan import LaidPlot, Layout, checked


def completely_random(entries: Sequence[str], replicates: int | Sequence[int], seed: int) -> Layout:
    """Each entry on as many plots as asked, all in one random order (Fisher 1935). `replicates` is one number or one for
    each entry. Raises ValueError for fewer than two entries or a count below one."""
    names = checked(entries)
    counts = [replicates] * len(names) if isinstance(replicates, int) else list(replicates)
    if len(counts) != len(names) or min(counts) < 1:
        raise ValueError("every entry needs at least one plot")
    everything = [name for name, count in zip(names, counts, strict=True) for _ in range(count)]
    order = np.random.default_rng(seed).permutation(len(everything))
    return Layout("crd", seed, tuple(LaidPlot(1, 1, n, everything[i], 1, n) for n, i in enumerate(order, start=1)))


def randomised_blocks(entries: Sequence[str], blocks: int, seed: int) -> Layout:
    """Randomised complete blocks. Raises ValueError as `trialcore.layouts.paths.complete_blocks`."""
    drawn = complete_blocks(entries, blocks, seed)
    plots = tuple(LaidPlot(b, b, n, e, 1, n) for b, block in enumerate(drawn, start=1) for n, e in enumerate(block, start=1))
    return Layout("rcbd", seed, plots)


def latin_square(entries: Sequence[str], seed: int) -> Layout:
    """Every entry once in every row and every column: the cyclic square with its rows, columns and letters each in random
    order, which makes the analysis valid (Yates 1933). `block` is the row, `place` the column.

    Raises ValueError for fewer than three entries.
    """
    names = checked(entries, least=3)
    n = len(names)
    rng = np.random.default_rng(seed)
    rows, columns, letters = rng.permutation(n), rng.permutation(n), rng.permutation(n)
    plots = tuple(
        LaidPlot(1, r + 1, c + 1, names[letters[(rows[r] + columns[c]) % n]], r + 1, c + 1) for r in range(n) for c in range(n)
    )
    return Layout("latin", seed, plots, lines=n, length=n)


def factorial_blocks(entries: Sequence[str], levels: Sequence[str], blocks: int, seed: int) -> Layout:
    """Every combination of entry and second factor once in every complete block."""
    names, seconds = checked(entries), checked(levels)
    combined = [f"{a}\t{b}" for a in names for b in seconds]
    plots = []
    for b, block in enumerate(complete_blocks(combined, blocks, seed), start=1):
        for n, both in enumerate(block, start=1):
            entry, second = both.split("\t")
            plots.append(LaidPlot(b, b, n, entry, 1, n, second))
    return Layout("factorial", seed, tuple(plots))


def split_plot(whole: Sequence[str], sub: Sequence[str], blocks: int, seed: int) -> Layout:
    """Whole plots of one factor in random order in each block, the other in random order within each (Yates 1935). `block`
    numbers the whole plots over the trial. Raises ValueError for fewer than two levels or no block."""
    large, small = checked(whole), checked(sub)
    if blocks < 1:
        raise ValueError("a trial needs at least one block")
    rng = np.random.default_rng(seed)
    plots = []
    for b in range(1, blocks + 1):
        for line, i in enumerate(rng.permutation(len(large)), start=1):
            for n, j in enumerate(rng.permutation(len(small)), start=1):
                plots.append(LaidPlot(b, (b - 1) * len(large) + line, n, large[i], line, n, small[j]))
    return Layout("split-plot", seed, tuple(plots), lines=len(large), length=len(small))


def strip_plot(rows: Sequence[str], columns: Sequence[str], blocks: int, seed: int) -> Layout:
    """One factor in strips along each block, the other in strips across it, each in random order. `block` is the row strip
    over the trial. Raises ValueError for fewer than two levels or no block."""
    along, across = checked(rows), checked(columns)
    if blocks < 1:
        raise ValueError("a trial needs at least one block")
    rng = np.random.default_rng(seed)
    plots = []
    for b in range(1, blocks + 1):
        a_order, b_order = rng.permutation(len(along)), rng.permutation(len(across))
        for line, i in enumerate(a_order, start=1):
            for n, j in enumerate(b_order, start=1):
                plots.append(LaidPlot(b, (b - 1) * len(along) + line, n, along[i], line, n, across[j]))
    return Layout("strip-plot", seed, tuple(plots), lines=len(along), length=len(across))


def paired_strips(entries: Sequence[str], check: str, seasons: int, seed: int) -> Layout:
    """Every entry beside a strip of the check, in each season: pairs in random order and each pair's sides drawn by lot.
    `rep` is the season, `block` the pair. Raises ValueError when the check is among the entries or nothing is left."""
    names = checked(entries, least=1)
    if check in names:
        raise ValueError("the check stands beside every entry and is not one of them")
    if seasons < 1:
        raise ValueError("at least one season is needed")
    rng = np.random.default_rng(seed)
    plots = []
    for season in range(1, seasons + 1):
        for pair, i in enumerate(rng.permutation(len(names)), start=1):
            sides = [names[i], check] if rng.random() < 0.5 else [check, names[i]]
            plots += [LaidPlot(season, (season - 1) * len(names) + pair, n, e, pair, n) for n, e in enumerate(sides, start=1)]
    return Layout("paired-strips", seed, tuple(plots), lines=len(names), length=2)
