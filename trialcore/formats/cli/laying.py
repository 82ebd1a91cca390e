"""`layout`: a design, entries and a seed in, plots as CSV (and a plan as SVG) out."""

from __future__ import annotations

import argparse
import csv
import sys
from typing import Any

from trialcore.formats.cli.files import Unusable, guarded, refusing
from trialcore.formats.sheet import Problem
from trialcore.layouts.bed import Bed, PlotSize
from trialcore.layouts.neighbours import Rules, faults_of, mendable_faults
from trialcore.layouts.placing import Placed, place
from trialcore.layouts.plan import Layout, best_of

DESIGNS = ("crd", "rcbd", "latin", "alpha", "augmented", "split-plot", "strip-plot", "factorial", "paired-strips")


def add_layout(verbs: Any) -> None:
    """Put the verb `layout` on the command line."""
    parser = verbs.add_parser("layout", help="lay out a design as CSV, and as a plan in SVG")
    parser.add_argument("--design", choices=DESIGNS, default="rcbd")
    parser.add_argument("--entries", required=True, help="names with commas, or a number of entries")
    parser.add_argument("--checks", default="", help="names with commas: repeated in augmented blocks, beside all in paired strips")
    parser.add_argument("--reps", type=int, default=3, help="replicates, blocks or seasons (default: 3)")
    parser.add_argument("--block-size", type=int, default=0, help="plots in an incomplete block (alpha)")
    parser.add_argument("--levels", default="", help="levels of the second factor, with commas")
    parser.add_argument("--seed", type=int, required=True, help="the same seed gives the same layout")
    parser.add_argument("--plot", default="2x1.5", help="plot length × width in metres (default: 2x1.5)")
    parser.add_argument("--path", type=float, default=0.5, help="metres between replicates (default: 0.5)")
    parser.add_argument("--bed", default="", help="bed length × width in metres, such as 40x12; else as compact as it goes")
    parser.add_argument("--gradient", choices=("along", "across"), help="the way the ground changes; blocks are laid across it")
    parser.add_argument("--svg", help="file for the plan")
    parser.set_defaults(run=guarded(_layout))


def _layout(given: argparse.Namespace) -> int:
    names = _names(given.entries)
    checks = [n.strip() for n in given.checks.split(",") if n.strip()]
    levels = [n.strip() for n in given.levels.split(",") if n.strip()]
    size = PlotSize(*_size(given.plot, "plot"), given.path)
    bed = Bed(*_size(given.bed, "bed")) if given.bed else Bed(1e4, 1e4)
    along = None if given.gradient is None else given.gradient == "along"

    def draw(seed: int) -> Layout:
        return drawn(given.design, names, given.reps, seed, checks=checks, levels=levels, block_size=given.block_size)

    def placed(layout: Layout) -> Placed:
        return place(layout, size, bed, along)

    rules = Rules(checks=frozenset(checks) if given.design == "augmented" else frozenset())
    layout, _, tried = refusing(
        "layout",
        lambda: best_of(draw, lambda x: mendable_faults(placed(x).in_ground(), rules), given.seed),
        "a design that can be laid out",
    )
    there = placed(layout)
    _write(there)
    for said in _notes(there, layout, rules, tried, bool(given.bed)):
        print(said, file=sys.stderr)
    if given.svg:
        from trialcore.formats.cli.drawing import plan_svg

        try:
            with open(given.svg, "w", encoding="utf-8") as file:
                file.write(plan_svg(there))
        except OSError as error:
            raise Unusable(given.svg, [Problem(0, "", str(error.strerror), "a file that can be written")]) from None
    return 0


def drawn(design: str, names: list[str], reps: int, seed: int, *, checks: list[str], levels: list[str], block_size: int) -> Layout:
    """One layout of the named design. Raises ValueError with the reason when it cannot be."""
    from trialcore.layouts import incomplete, whole

    if design in ("split-plot", "strip-plot", "factorial") and len(levels) < 2:
        raise ValueError(f"{design} needs at least two levels of its second factor")
    if design in ("augmented", "paired-strips") and not checks:
        raise ValueError(f"{design} needs a check")
    made = {
        "crd": lambda: whole.completely_random(names, reps, seed),
        "rcbd": lambda: whole.randomised_blocks(names, reps, seed),
        "latin": lambda: whole.latin_square(names, seed),
        "alpha": lambda: incomplete.alpha(names, reps, block_size, seed),
        "augmented": lambda: incomplete.augmented(checks, names, reps, seed),
        "split-plot": lambda: whole.split_plot(names, levels, reps, seed),
        "strip-plot": lambda: whole.strip_plot(names, levels, reps, seed),
        "factorial": lambda: whole.factorial_blocks(names, levels, reps, seed),
        "paired-strips": lambda: whole.paired_strips(names, checks[0], reps, seed),
    }
    return made[design]()


def _names(text: str) -> list[str]:
    names = [n.strip() for n in text.split(",")]
    if len(names) == 1 and names[0].isdecimal():
        count = int(names[0])
        if count > 5000:
            raise Unusable("layout", [Problem(0, "entries", names[0], "at most 5000 entries")])
        return [f"E{i:0{len(names[0])}d}" for i in range(1, count + 1)]
    return [n for n in names if n]


def _size(text: str, what: str) -> tuple[float, float]:
    parts = text.replace("×", "x").lower().split("x")
    try:
        length, width = (float(p.strip().replace(",", ".")) for p in parts)
    except ValueError:
        raise Unusable("layout", [Problem(0, what, text, "length × width in metres, such as 2x1.5")]) from None
    if not (0 < length < 1e5 and 0 < width < 1e5):
        raise Unusable("layout", [Problem(0, what, text, "lengths above nought, in metres")])
    return length, width


def _write(there: Placed) -> None:
    layout = there.layout
    writer = csv.writer(sys.stdout, lineterminator="\n")
    has_second = any(p.factor2 is not None for p in layout.plots)
    # An incomplete block, whole plot or pair has a name of its own; a complete block is its replicate.
    has_block = layout.design in ("alpha", "augmented", "split-plot", "strip-plot", "paired-strips")
    has_rep = layout.design not in ("crd", "latin", "augmented")
    replicate = "season" if layout.design == "paired-strips" else "rep"
    order = ["plot", *([replicate] if has_rep else []), *(["block"] if has_block else []), "row", "col", "entry"]
    writer.writerow([*order, *(["factor2"] if has_second else []), "x_m", "y_m"])
    for (number, p), s in zip(layout.numbered(), there.spots, strict=True):
        cells = [number, *([p.rep] if has_rep else []), *([p.block] if has_block else []), s.row, s.col, p.entry]
        writer.writerow([*cells, *([p.factor2] if has_second else []), f"{s.x:g}", f"{s.y:g}"])


def _notes(there: Placed, layout: Layout, rules: Rules, tried: int, in_bed: bool) -> list[str]:
    said = [f"seed {layout.seed}: {len(layout.plots)} plots on {there.used_length:.1f} × {there.used_width:.1f} m"]
    if tried > 1:
        said.append(f"drawn {tried} times until no entry stood beside itself, or the fewest did")
    if layout.efficiency is not None:
        said.append(f"average efficiency factor {layout.efficiency:.4f}")
    if in_bed and not there.fits:
        said.append(f"does not fit: the bed lacks {there.short_by[0]:.1f} m of length and {there.short_by[1]:.1f} m of width")
    return [*said, *layout.notes, *(f.said for f in faults_of(there.in_ground(), rules))]
