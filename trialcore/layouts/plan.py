"""What every design gives: plots in order, with replicate, block and place in the field's own grid."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from trialcore.layouts.paths import plot_number


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
        """How many replicates there are."""
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
    draw: Callable[[int], Layout], count_faults: Callable[[Layout], int], seed: int, tries: int = 60
) -> tuple[Layout, int, int]:
    """A layout without faults if one is found, else one with few: the layout, its faults, and how many were drawn.

    Layouts are drawn, each from its own child of `seed`, until one has no fault, which leaves every good layout equally
    likely (Bailey 1987). When none of `tries` has, plots of the best one change places within their blocks while that
    leaves no more faults than before; the design stays what it is.
    """
    best: tuple[Layout, int] | None = None
    for n, child in enumerate(np.random.SeedSequence(seed).generate_state(tries, dtype=np.uint32), start=1):
        layout = draw(int(child) if n > 1 else seed)
        faults = count_faults(layout)
        if best is None or faults < best[1]:
            best = (replace(layout, seed=seed), faults)
        if faults == 0:
            return best[0], 0, n
    assert best is not None
    return *_exchanged(*best, count_faults, np.random.default_rng(seed)), tries


SETTLED = ("latin", "strip-plot", "paired-strips")  # designs in which no two plots may change places on their own


def _exchanged(layout: Layout, faults: int, count_faults: Callable[[Layout], int], rng: np.random.Generator) -> tuple[Layout, int]:
    if layout.design in SETTLED:
        return layout, faults
    blocks: dict[tuple[int, int], list[int]] = {}
    for i, p in enumerate(layout.plots):
        blocks.setdefault((p.rep, p.block), []).append(i)
    groups = [members for members in blocks.values() if len(members) > 1]
    plots = list(layout.plots)
    for _ in range(300 if groups else 0):
        i, j = rng.choice(groups[int(rng.integers(len(groups)))], size=2, replace=False)
        changed = plots.copy()
        changed[i] = replace(plots[i], entry=plots[j].entry, factor2=plots[j].factor2)
        changed[j] = replace(plots[j], entry=plots[i].entry, factor2=plots[i].factor2)
        now = count_faults(replace(layout, plots=tuple(changed)))
        if now <= faults:
            plots, faults = changed, now
        if faults == 0:
            break
    return replace(layout, plots=tuple(plots)), faults
