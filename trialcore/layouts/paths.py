"""Which entry goes where, and the path that is walked."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np


def complete_blocks(entries: Sequence[str], blocks: int, seed: int) -> tuple[tuple[str, ...], ...]:
    """Randomised complete blocks: every entry once in every block, each block in its own random order.

    The same `seed` gives the same layout on every machine (numpy's PCG64). Returns `blocks` tuples of entries in the
    order in which the plots of a block are numbered. Source: Fisher (1935), The Design of Experiments, ch. 4.

    Raises ValueError with fewer than two entries, an entry named twice, or no block.
    """
    if len(entries) < 2:
        raise ValueError("a trial needs at least two entries")
    if len(set(entries)) != len(entries):
        raise ValueError("an entry is named twice")
    if blocks < 1:
        raise ValueError("a trial needs at least one block")
    rng = np.random.default_rng(seed)
    return tuple(tuple(entries[i] for i in rng.permutation(len(entries))) for _ in range(blocks))


def serpentine(rows: Sequence[int], cols: Sequence[int]) -> list[int]:
    """The order in which plots at (row, col) are walked: along one row, back along the next, no step wasted.

    Returns indices into `rows`. The walk starts at the lowest row and column.
    """
    rank = {row: i for i, row in enumerate(sorted(set(rows)))}

    def step(i: int) -> tuple[int, int]:
        lane = rank[rows[i]]
        return lane, cols[i] if lane % 2 == 0 else -cols[i]

    return sorted(range(len(rows)), key=step)


def plot_number(block: int, position: int, per_block: int) -> int:
    """The number on the stake: the block, then the place along the path (both from 1), as in 207 or 3012."""
    return block * (100 if per_block < 100 else 10 ** len(str(per_block))) + position
