"""What every design gives: plots in order, with replicate, block and place in the field's own grid."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from trialcore.layout import plot_number


@dataclass(frozen=True)
class LaidPlot:
    """One plot. `rep`, `block` and `place` (within the block) count from 1; `line` and `position` give its place within the
    replicate for designs that fix it (rows of a Latin square, plots of an incomplete block), both from 1."""

    rep: int
    block: int
    place: int
    entry: str
    line: int
    position: int
    factor2: str | None = None


@dataclass(frozen=True)
class Layout:
    """A layout. `lines` × `length` is the shape of a replicate where the design fixes one (nought where any will do);
    `efficiency` the average efficiency factor of incomplete blocks. The same `seed` gives the same layout."""

    design: str
    seed: int
    plots: tuple[LaidPlot, ...]
    lines: int = 0
    length: int = 0
    efficiency: float | None = None
    notes: tuple[str, ...] = ()

    @property
    def reps(self) -> int:
        return max(p.rep for p in self.plots)

    def numbered(self) -> list[tuple[int, LaidPlot]]:
        """Each plot with the number on its stake: the replicate, then the order in it."""
        count: dict[int, int] = {}
        most = max(sum(p.rep == r for p in self.plots) for r in range(1, self.reps + 1))
        rows = []
        for p in self.plots:
            count[p.rep] = count.get(p.rep, 0) + 1
            rows.append((plot_number(p.rep, count[p.rep], most), p))
        return rows


def checked(entries: Sequence[str], least: int = 2) -> list[str]:
    """The entries as a list. Raises ValueError for fewer than `least`, or one named twice."""
    names = list(entries)
    if len(names) < least:
        raise ValueError(f"a trial needs at least {least} entries")
    if len(set(names)) != len(names):
        raise ValueError("an entry is named twice")
    return names


def best_of(
    draw: Callable[[int], Layout], count_faults: Callable[[Layout], int], seed: int, tries: int = 100
) -> tuple[Layout, int, int]:
    """The first of up to `tries` layouts, each drawn from its own child of `seed`, that has no fault, else the one with
    fewest: the layout, its faults, and how many were drawn.

    Drawing again until the conditions hold leaves every layout that meets them equally likely (Bailey 1987).
    """
    import numpy as np

    best: tuple[Layout, int] | None = None
    for n, child in enumerate(np.random.SeedSequence(seed).generate_state(tries, dtype=np.uint32), start=1):
        layout = draw(int(child) if n > 1 else seed)
        faults = count_faults(layout)
        if best is None or faults < best[1]:
            best = (layout, faults)
        if faults == 0:
            return layout, 0, n
    assert best is not None
    return best[0], best[1], tries
