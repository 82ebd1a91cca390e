"""From a design to plots in the beds: the one place where a plan becomes ground."""

from __future__ import annotations

import secrets
import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace

from evarlo.trials.models import Trial
from trialcore.inference.power import Precision, precision
from trialcore.layouts.bed import Bed, PlotSize, Spot
from trialcore.layouts.incomplete import alpha, alpha_shape, augmented
from trialcore.layouts.neighbours import Fault, PlotInGround, Rules, faults_of
from trialcore.layouts.paths import plot_number, serpentine
from trialcore.layouts.placing import BlockPlace, Placed, lacking, place_in_beds
from trialcore.layouts.plan import LaidPlot, Layout
from trialcore.layouts.whole import (
    completely_random,
    factorial_blocks,
    latin_square,
    paired_strips,
    randomised_blocks,
    split_plot,
    strip_plot,
)

Design = Trial.Design
MOST_DRAWS = 1000
SEVERAL_OF_THE_CHECK = (Design.BLOCKS, Design.NO_BLOCKS)  # designs in which a block can hold the check more than once
AGAIN = "\t"  # between the check's code and the number of a further plot of it, while a layout is drawn
SKETCHED = 1  # the seed of a sketch, which shows how plots lie and not what stands where
LONG_ENOUGH = 1.0  # seconds after which the best of a few draws has to do


@dataclass(frozen=True)
class Wanted:
    """What is to be laid out: the design with the codes of its entries, and what only some designs ask for. `checks` are the
    codes that an augmented design repeats, or the one that stands beside every entry of pairs; `levels` those of the second
    factor, which lies on the whole plots of a split-plot unless `entries_whole`."""

    design: str
    codes: tuple[str, ...]
    blocks: int
    block_size: int | None = None
    levels: tuple[str, ...] = ()
    entries_whole: bool = False
    checks: tuple[str, ...] = ()
    check_plots: int = 1  # of the first check in a block, where the design can hold several
    per_bed: int = 0  # blocks in each bed where every bed holds as many; else they go on from bed to bed

    @property
    def only_observed(self) -> bool:
        """Whether each entry has one plot, so that nothing tells luck from cultivar."""
        return self.blocks == 1 and self.design in SEVERAL_OF_THE_CHECK

    @property
    def further(self) -> int:
        """Plots of the check in a block besides its first."""
        return self.check_plots - 1 if self.design in SEVERAL_OF_THE_CHECK and self.checks else 0

    @property
    def new(self) -> tuple[str, ...]:
        """The entries that are no checks."""
        return tuple(c for c in self.codes if c not in self.checks)

    @property
    def plots(self) -> int:
        """How many plots the design takes."""
        v, b = len(self.codes), self.blocks
        if self.design == Design.LATIN:
            return v * v
        if self.design == Design.AUGMENTED:
            return len(self.new) + b * len(self.checks)
        if self.design == Design.PAIRS:
            return 2 * b * len(self.new)
        return (v + self.further) * b * max(1, len(self.levels))

    @property
    def plots_each(self) -> tuple[int, ...]:
        """How many plots each entry gets, in the order of the codes."""
        other = self.blocks * (len(self.new) if self.design == Design.PAIRS else 1)
        repeated = self.checks if self.design in (Design.AUGMENTED, Design.PAIRS) else ()
        more = dict.fromkeys(self.checks[:1], self.blocks * self.further)
        return tuple((other if code in repeated else self.stands) + more.get(code, 0) for code in self.codes)

    @property
    def stands(self) -> int:
        """On how many plots an entry stands."""
        if self.design == Design.LATIN:
            return len(self.codes)
        return 1 if self.design == Design.AUGMENTED else self.blocks * max(1, len(self.levels))


@dataclass(frozen=True)
class DraftPlot:
    """One plot along the walking path; lengths in metres in its bed, which is counted from nought."""

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
    level: str = ""
    bed: int = 0


@dataclass(frozen=True)
class Draft:
    """Plots in walking order, and how they lie in the beds. `shape` says in words how a block is laid; `box` is a block's
    length and width in metres, `blocks` where each lies."""

    plots: tuple[DraftPlot, ...]
    used_length: float
    used_width: float
    fits: bool
    short_by: tuple[float, float]
    shape: str
    efficiency: float | None = None
    notes: tuple[str, ...] = ()
    blocks: Mapping[int, BlockPlace] = field(default_factory=dict)
    box: tuple[float, float] = (0.0, 0.0)


def draft(wanted: Wanted, size: PlotSize, beds: Sequence[Bed], seed: int, moved: Mapping[int, BlockPlace] | None = None) -> Draft:
    """Draw a layout from `seed` and lay it into the beds. Raises ValueError, in words, when the design cannot be drawn."""
    return _laid(wanted, drawn(wanted, seed), size, beds, moved or {})


def sketch(wanted: Wanted, size: PlotSize, beds: Sequence[Bed]) -> Draft:
    """How a design would lie, at once and not drawn by lot: for a plan that is still being typed. Raises ValueError as
    `draft`."""
    return _laid(wanted, _shape_of(wanted), size, beds, {})


def room_lacking(wanted: Wanted, size: PlotSize, beds: Sequence[Bed]) -> tuple[float, float]:
    """How much longer and wider the last bed would have to be, in metres; nothing where the design fits. Raises ValueError as
    `draft`."""
    return lacking(_shape_of(wanted), size, beds, wanted.per_bed)


def _shape_of(wanted: Wanted) -> Layout:
    if wanted.design == Design.INCOMPLETE:
        return alpha_shape(wanted.codes, wanted.blocks, wanted.block_size or 0)
    return drawn(wanted, SKETCHED)


def _laid(wanted: Wanted, layout: Layout, size: PlotSize, beds: Sequence[Bed], moved: Mapping[int, BlockPlace]) -> Draft:
    there = place_in_beds(layout, size, beds, moved, guard_m=size.guard, per_bed=wanted.per_bed)
    plots = _numbered(wanted, layout, there)
    length, width = there.cols * size.length, there.rows * size.width
    return Draft(
        tuple(plots),
        there.used_length,
        there.used_width,
        there.fits,
        there.short_by,
        _shape(wanted, layout, there),
        layout.efficiency,
        layout.notes,
        there.blocks,
        (length, width),
    )


def drawn(wanted: Wanted, seed: int) -> Layout:
    """Which entry stands where in the design. Raises ValueError, in words, when it cannot be drawn."""
    codes, levels, blocks = wanted.codes, wanted.levels, wanted.blocks
    match wanted.design:
        case Design.NO_BLOCKS:
            return completely_random(codes, list(wanted.plots_each), seed)
        case Design.LATIN:
            return latin_square(codes, seed)
        case Design.INCOMPLETE:
            return alpha(codes, blocks, wanted.block_size or 0, seed)
        case Design.AUGMENTED:
            return _blocks_as_replicates(augmented(wanted.checks, wanted.new, blocks, seed))
        case Design.PAIRS:
            return paired_strips(wanted.new, wanted.checks[0] if wanted.checks else "", blocks, seed)
        case Design.FACTORIAL:
            return factorial_blocks(codes, levels, blocks, seed)
        case Design.SPLIT:
            return (
                split_plot(codes, levels, blocks, seed)
                if wanted.entries_whole
                else _swapped(split_plot(levels, codes, blocks, seed))
            )
        case Design.STRIP:
            return (
                strip_plot(codes, levels, blocks, seed)
                if wanted.entries_whole
                else _swapped(strip_plot(levels, codes, blocks, seed))
            )
    return _as_one(randomised_blocks((*codes, *(f"{wanted.checks[0]}{AGAIN}{n}" for n in range(wanted.further))), blocks, seed))


def _as_one(layout: Layout) -> Layout:
    """The same with the further plots of the check under its own code."""
    return replace(layout, plots=tuple(replace(p, entry=p.entry.partition(AGAIN)[0]) for p in layout.plots))


def _swapped(layout: Layout) -> Layout:
    """The same with the first factor as the second: entries lie within plots of a level."""
    return replace(layout, plots=tuple(replace(p, entry=p.factor2 or "", factor2=p.entry) for p in layout.plots))


def _blocks_as_replicates(layout: Layout) -> Layout:
    """An augmented layout whose blocks can lie apart, each as compact as it can be."""
    return replace(layout, plots=tuple(replace(p, rep=p.block, line=1) for p in layout.plots), lines=0, length=0)


def _numbered(wanted: Wanted, layout: Layout, there: Placed) -> list[DraftPlot]:
    """Plots in walking order, block after block, with the numbers on their stakes."""
    members: dict[int, list[int]] = {}
    for i, plot in enumerate(layout.plots):
        members.setdefault(plot.rep, []).append(i)
    largest = max(len(m) for m in members.values())
    made = []
    for rep, here in members.items():
        walked = here
        if layout.lines:
            spots = [there.spots[i] for i in here]
            walked = [here[k] for k in serpentine([s.row for s in spots], [s.col for s in spots])]
        for position, i in enumerate(walked, start=1):
            made.append(_plot(wanted, layout.plots[i], there.spots[i], str(plot_number(rep, position, largest))))
    return made


def _plot(wanted: Wanted, plot: LaidPlot, spot: Spot, number: str) -> DraftPlot:
    block = "" if wanted.design in (Design.NO_BLOCKS, Design.LATIN) else str(plot.rep)
    inner = str(plot.block) if wanted.design in (Design.INCOMPLETE, Design.SPLIT, Design.STRIP, Design.PAIRS) else ""
    place = (spot.row, spot.col, spot.x, spot.y, spot.length, spot.width)
    return DraftPlot(plot.entry, number, block, inner, *place, plot.factor2 or "", spot.bed)


def _shape(wanted: Wanted, layout: Layout, there: Placed) -> str:
    size = f"{there.rows} by {there.cols} plots"
    match wanted.design:
        case Design.INCOMPLETE:
            return f"each replicate {layout.lines} blocks of up to {layout.length} plots"
        case Design.SPLIT:
            return f"each block {layout.lines} whole plots of {layout.length}"
        case Design.STRIP:
            return f"each block {layout.lines} strips one way and {layout.length} the other"
        case Design.PAIRS:
            return f"each pass {layout.lines} pairs"
        case Design.NO_BLOCKS | Design.LATIN:
            return size
    return f"each block {size}"


@dataclass(frozen=True)
class Place:
    """A bed as the checks of a layout see it: where its length points, along which side its ground changes, its latitude."""

    bearing: float
    gradient_along: bool | None = None
    latitude: float | None = None


@dataclass(frozen=True)
class Conditions:
    """What a good layout has to mind: the code of the check, the beds in their order, heights by code (cm; empty where not
    all are known), the distance of rows and the fewest rows in which the crop sets well."""

    check: str
    places: tuple[Place, ...]
    heights: Mapping[str, float] = field(default_factory=dict)
    row_distance_m: float | None = None
    least_rows: int = 1


def faults_in(plots: Sequence[DraftPlot], given: Conditions) -> list[Fault]:
    """What about plots in the ground does not meet what a good layout does, bed by bed."""
    found: list[Fault] = []
    for bed, place in enumerate(given.places):
        named = [(p, f"{p.code} · {p.level}" if p.level else p.code) for p in plots if p.bed == bed]
        rules = Rules(
            checks=frozenset([given.check]),
            heights_cm={name: given.heights[p.code] for p, name in named if p.code in given.heights},
            bearing=place.bearing,
            latitude=place.latitude,
            row_distance_m=given.row_distance_m,
            least_rows=given.least_rows,
            gradient_along_x=place.gradient_along,
        )
        found += faults_of([PlotInGround(p.number, name, p.block, p.x, p.y, p.length, p.width) for p, name in named], rules)
    return found


def best_seed(draw: Callable[[int], Draft], given: Conditions) -> int:
    """A fresh seed whose layout has no fault that another draw may mend, else the one of several that has the fewest.

    Drawing again until it is so leaves every such layout as likely as any other.
    """
    best, fewest, started = 0, -1, time.thread_time()
    for _ in range(MOST_DRAWS):
        seed = secrets.randbits(31)
        faults = sum(f.mendable for f in faults_in(draw(seed).plots, given))
        if fewest < 0 or faults < fewest:
            best, fewest = seed, faults
        if faults == 0 or time.thread_time() - started > LONG_ENOUGH:
            break
    return best


def precision_of(wanted: Wanted) -> Precision | None:
    """How well a design tells two entries apart; None while it leaves nothing to judge by."""
    v, b, n = len(wanted.codes), wanted.blocks, len(wanted.levels)
    try:
        match wanted.design:
            case Design.NO_BLOCKS:
                return precision("crd", v, b)
            case Design.LATIN:
                return precision("latin", v, v)
            case Design.INCOMPLETE:
                return precision("alpha", v, b, block_size=wanted.block_size or 0)
            case Design.AUGMENTED:
                return precision("augmented", len(wanted.new), b, checks=len(wanted.checks))
            case Design.PAIRS:
                given = precision("paired-strips", len(wanted.new), b)
                return Precision(len(wanted.new) * given.df, 2 * given.factor)  # pairs pool their error; two plots a difference
            case Design.FACTORIAL:
                return precision("factorial", v, b, levels=n)
            case Design.SPLIT | Design.STRIP if wanted.entries_whole:
                return precision(_core_name(wanted.design), v, b, levels=n)
            case Design.SPLIT | Design.STRIP:
                return precision(_core_name(wanted.design), n, b, levels=v, of="factor2")
        return precision("rcbd", v, b)
    except (ValueError, ZeroDivisionError):
        return None


def _core_name(design: str) -> str:
    return "split-plot" if design == Design.SPLIT else "strip-plot"
