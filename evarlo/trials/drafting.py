"""From a design to plots in the bed: the one place where a plan becomes ground."""

from __future__ import annotations

import secrets
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from evarlo.trials.models import Trial
from trialcore.bed import Bed, PlotSize, place_blocks
from trialcore.layout import complete_blocks, plot_number, serpentine
from trialcore.layouts.incomplete import alpha
from trialcore.layouts.neighbours import Fault, Rules, Standing, faults_of
from trialcore.layouts.placing import place
from trialcore.power import Precision, precision

Design = Trial.Design
MOST_DRAWS = 25


@dataclass(frozen=True)
class DraftPlot:
    """One plot along the walking path; lengths in metres in the bed."""

    code: str
    number: str
    block: str
    inner: str
    row: int
    col: int
    x: float
    y: float
    length: float
    width: float


@dataclass(frozen=True)
class Draft:
    """Plots in walking order, and how they lie in the bed. `shape` says in words how a block is laid."""

    plots: tuple[DraftPlot, ...]
    used_length: float
    used_width: float
    fits: bool
    short_by: tuple[float, float]
    shape: str
    efficiency: float | None = None
    notes: tuple[str, ...] = ()


def draft(design: str, codes: Sequence[str], blocks: int, block_size: int | None, size: PlotSize, bed: Bed, seed: int) -> Draft:
    """Draw a layout from `seed` and lay it into the bed. Raises ValueError, in words, when the design cannot be drawn."""
    if design == Design.INCOMPLETE:
        return _incomplete(codes, blocks, block_size or 0, size, bed, seed)
    placement = place_blocks(len(codes), blocks, size, bed)
    order = complete_blocks(codes, blocks, seed)
    plots = tuple(
        DraftPlot(
            order[s.block - 1][s.position - 1], str(plot_number(s.block, s.position, len(codes))), str(s.block), "",
            s.row, s.col, s.x, s.y, s.length, s.width,
        )
        for s in placement.spots
    )  # fmt: skip
    shape = f"each block {placement.block_rows} by {placement.block_cols} plots"
    return Draft(plots, placement.used_length, placement.used_width, placement.fits, placement.short_by, shape)


def _incomplete(codes: Sequence[str], blocks: int, block_size: int, size: PlotSize, bed: Bed, seed: int) -> Draft:
    layout = alpha(codes, blocks, block_size, seed)
    there = place(layout, size, bed)
    by_rep: dict[int, list[int]] = {}
    for i, plot in enumerate(layout.plots):
        by_rep.setdefault(plot.rep, []).append(i)
    made = []
    for rep, members in by_rep.items():
        spots = [there.spots[i] for i in members]
        path = serpentine([s.row for s in spots], [s.col for s in spots])
        for position, k in enumerate(path, start=1):
            plot, spot = layout.plots[members[k]], spots[k]
            number = str(plot_number(rep, position, len(codes)))
            made.append(
                DraftPlot(
                    plot.entry, number, str(rep), str(plot.block), spot.row, spot.col, spot.x, spot.y, spot.length, spot.width
                )
            )
    shape = f"each replicate {layout.lines} blocks of up to {layout.length} plots"
    return Draft(
        tuple(made), there.used_length, there.used_width, there.fits, there.short_by, shape, layout.efficiency, layout.notes
    )  # fmt: skip


def faults_in(plots: Sequence[DraftPlot], check: str, bearing: float) -> list[Fault]:
    """What about plots in the ground does not meet what a good layout does."""
    rules = Rules(checks=frozenset([check]), bearing=bearing)
    return faults_of([Standing(p.number, p.code, p.block, p.x, p.y, p.length, p.width) for p in plots], rules)


def best_seed(draw: Callable[[int], Draft], check: str, bearing: float) -> int:
    """A fresh seed whose layout has no entry beside itself, else the one of several that has the fewest.

    Drawing again until it is so leaves every such layout as likely as any other.
    """
    best, fewest = 0, -1
    for _ in range(MOST_DRAWS):
        seed = secrets.randbits(31)
        faults = sum(f.mendable for f in faults_in(draw(seed).plots, check, bearing))
        if fewest < 0 or faults < fewest:
            best, fewest = seed, faults
        if faults == 0:
            break
    return best


def precision_of(design: str, entries: int, blocks: int, block_size: int | None) -> Precision | None:
    """How well a design tells two entries apart; None while it leaves nothing to judge by."""
    try:
        if design == Design.INCOMPLETE:
            return precision("alpha", entries, blocks, block_size=block_size or 0)
        return precision("rcbd", entries, blocks)
    except (ValueError, ZeroDivisionError):
        return None


def advised_design(entries: int) -> str:
    """Which design a number of entries asks for, in a sentence."""
    if entries <= 16:
        return f"{entries} entries fit complete blocks well: each block stays small enough to lie on one kind of ground."
    size = max(3, round(entries**0.5))
    return (
        f"With {entries} entries a complete block reaches over uneven ground. Incomplete blocks of about {size} plots hold "
        "the ground more alike and take more of its differences out."
    )
