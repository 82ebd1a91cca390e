"""Designs whose blocks do not hold every entry: alpha layouts and augmented blocks."""

from __future__ import annotations

from collections.abc import Sequence
from math import ceil

import numpy as np

from trialcore.analyses.incomplete import efficiency_factors
from trialcore.layouts.plan import LaidPlot, Layout, checked

Whole = np.ndarray


def alpha(entries: Sequence[str], replicates: int, block_size: int, seed: int) -> Layout:
    """Resolvable incomplete blocks (Patterson and Williams 1976): each replicate is cut into blocks of at most
    `block_size`, and two entries share a block as seldom and as evenly as a search over generating arrays finds.

    Where the entries do not divide, blocks of one plot fewer are made. `block` numbers the blocks of a replicate;
    `efficiency` is the average efficiency factor. Raises ValueError unless 2 ≤ block size < entries and there are at least
    two replicates.
    """
    names, blocks, size = _cut(entries, replicates, block_size)
    rng = np.random.default_rng(seed)
    array = _generating_array(blocks, size, replicates, len(names), rng)
    order = rng.permutation(len(names))
    plots = []
    for rep, column in enumerate(rng.permutation(replicates), start=1):
        for b, j in enumerate(rng.permutation(blocks), start=1):
            inside = [k * blocks + (j + array[k, column]) % blocks for k in range(size)]
            members = [order[t] for t in inside if t < len(names)]
            for n, i in enumerate(rng.permutation(len(members)), start=1):
                plots.append(LaidPlot(rep, b, n, names[members[i]], b, n))
    found = efficiency_factors([p.entry for p in plots], [f"{p.rep}/{p.block}" for p in plots])
    notes = _uneven(len(names), blocks, size)
    if found.rank < len(names) - 1:
        notes.insert(0, "These blocks do not tie all entries together; more replicates or larger blocks are needed.")
    return Layout("alpha", seed, tuple(plots), lines=blocks, length=size, efficiency=found.average, notes=tuple(notes))


def alpha_shape(entries: Sequence[str], replicates: int, block_size: int) -> Layout:
    """How `alpha` would lie, entries in their order: for a plan to be drawn at once, since the search takes seconds for
    hundreds of plots. Not a layout to sow. Raises ValueError as `alpha`."""
    names, blocks, size = _cut(entries, replicates, block_size)
    plots = tuple(
        LaidPlot(rep, b, n, names[t], b, n)
        for rep in range(1, replicates + 1)
        for b in range(1, blocks + 1)
        for n, t in enumerate(range(b - 1, len(names), blocks), start=1)
    )
    return Layout("alpha", 0, plots, lines=blocks, length=size, notes=tuple(_uneven(len(names), blocks, size)))


def _cut(entries: Sequence[str], replicates: int, block_size: int) -> tuple[list[str], int, int]:
    """The entries, the blocks of a replicate and the plots of the largest."""
    names = checked(entries, least=3)
    if not 2 <= block_size < len(names):
        raise ValueError(f"the block size must lie from 2 to {len(names) - 1}, one fewer than the entries")
    if replicates < 2:
        raise ValueError("incomplete blocks need at least two replicates")
    blocks = ceil(len(names) / block_size)
    return names, blocks, ceil(len(names) / blocks)


def _uneven(entries: int, blocks: int, size: int) -> list[str]:
    if entries % blocks == 0:
        return []
    return [f"{entries} entries do not divide into {blocks} blocks: some blocks have {size - 1} plots instead of {size}."]


def _generating_array(blocks: int, size: int, replicates: int, entries: int, rng: np.random.Generator) -> Whole:
    """The best of several arrays, each improved element by element until two rows meet as seldom as they can."""
    best, best_key = None, (np.inf, np.inf)
    for _ in range(12 if entries <= 120 else 4):
        array = rng.integers(blocks, size=(size, replicates))
        array[:, 0] = 0
        array[0, :] = 0
        cost = _meetings(array, blocks)
        for _ in range(6):
            before = cost
            for k in range(1, size):
                for i in range(1, replicates):
                    cost = _improve(array, blocks, k, i)
            if cost == before:
                break
        key = (cost, -_efficiency(array, blocks, entries) if entries <= 400 else 0.0)
        if key < best_key:
            best, best_key = array.copy(), key
        if cost == 0 and entries > 400:
            break
    assert best is not None
    return best


def _differences(array: Whole, blocks: int, k: int) -> Whole:
    """Row k minus every other row, modulo the blocks (rows × replicates)."""
    return np.asarray((array[k] - np.delete(array, k, axis=0)) % blocks)


def _row_meetings(differences: Whole) -> int:
    """How many pairs of replicates give the same difference, summed over rows: each makes entries meet again."""
    same = differences[:, :, None] == differences[:, None, :]
    return int((same.sum() - differences.size) // 2)


def _meetings(array: Whole, blocks: int) -> int:
    return sum(_row_meetings(_differences(array, blocks, k)) for k in range(len(array))) // 2


def _improve(array: Whole, blocks: int, k: int, i: int) -> int:
    others = np.delete(array, k, axis=0)
    fixed = (np.delete(array[k], i) - np.delete(others, i, axis=1)) % blocks  # rows × other replicates
    values = np.arange(blocks)
    trial = (values[:, None] - others[None, :, i]) % blocks  # value × rows
    again = (trial[:, :, None] == fixed[None, :, :]).sum(axis=(1, 2))
    array[k, i] = int(np.argmin(again)) if again.min() < again[array[k, i]] else array[k, i]
    return _meetings(array, blocks)


def _efficiency(array: Whole, blocks: int, entries: int) -> float:
    size, replicates = array.shape
    names, where = [], []
    for i in range(replicates):
        for j in range(blocks):
            for k in range(size):
                t = k * blocks + (j + int(array[k, i])) % blocks
                if t < entries:
                    names.append(str(t))
                    where.append(f"{i}/{j}")
    found = efficiency_factors(names, where)
    return found.average if found.rank == entries - 1 else 0.0


def augmented(checks: Sequence[str], new: Sequence[str], blocks: int, seed: int) -> Layout:
    """Every check once in every block, each new entry once in one block, blocks as equal as they can be, all in random
    order (Federer 1956). Raises ValueError unless there are checks, at least one new entry a block and two blocks."""
    repeated, single = checked(checks, least=1), checked(new, least=1)
    if set(repeated) & set(single):
        raise ValueError("a check cannot be a new entry as well")
    if blocks < 2:
        raise ValueError("checks have to be repeated in at least two blocks")
    if len(single) < blocks:
        raise ValueError("every block needs at least one new entry")
    rng = np.random.default_rng(seed)
    shares = np.array_split(rng.permutation(len(single)), blocks)
    plots = []
    for b, j in enumerate(rng.permutation(blocks), start=1):
        members = [*repeated, *(single[i] for i in shares[j])]
        plots += [LaidPlot(1, b, n, members[i], b, n) for n, i in enumerate(rng.permutation(len(members)), start=1)]
    df = (blocks - 1) * (len(repeated) - 1)
    notes = () if df >= 10 else (f"Only {df} degrees of freedom are left for error; more checks or blocks would give at least 10.",)
    return Layout("augmented", seed, tuple(plots), lines=blocks, length=max(len(repeated) + len(s) for s in shares), notes=notes)
