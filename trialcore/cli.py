"""The command line: files in, JSON or text out; the only module of the core that reads a file."""

from __future__ import annotations

import argparse
import csv
import json
import math
import sys
from collections.abc import Sequence
from typing import Any

from trialcore.layout import complete_blocks, plot_number
from trialcore.sheet import Problem, decode

WRONG = 2


def main(arguments: Sequence[str]) -> int:
    """Run one verb; 0 when it went well, 2 when the input could not be used."""
    parser = argparse.ArgumentParser(prog="python -m trialcore", description="The science of a trial garden.")
    verbs = parser.add_subparsers(dest="verb", required=True)
    analyse = verbs.add_parser("analyse", help="analyse a trial from a CSV of plots")
    analyse.add_argument("file", help="columns plot, rep, block, row, col, site, season, entry and the value; blank is missing")
    analyse.add_argument(
        "--design", help="crd, rcbd, latin, alpha, augmented, blocks or environments; else worked out from the columns"
    )
    analyse.add_argument("--trait", default="value", help="the value column (default: value)")
    analyse.add_argument("--check", help="the entry that the others are set against")
    analyse.add_argument("--format", choices=("json", "text"), default="text")
    layout = verbs.add_parser("layout", help="lay out randomised complete blocks as CSV")
    layout.add_argument("--entries", required=True, help="names with commas, or a number of entries")
    layout.add_argument("--blocks", type=int, required=True)
    layout.add_argument("--seed", type=int, required=True, help="the same seed gives the same layout")
    given = parser.parse_args(arguments)
    return _analyse(given) if given.verb == "analyse" else _layout(given)


def _analyse(given: argparse.Namespace) -> int:
    from trialcore.designs import analyse, design_of
    from trialcore.plots import read_plots

    try:
        with open(given.file, "rb") as file:
            text = decode(file.read())
    except OSError as error:
        return _refuse(given.file, [Problem(0, "", str(error.strerror), "a file that can be read")])
    except ValueError as error:
        return _refuse(given.file, [Problem(0, "", str(error), "a CSV of plots")])
    plots = read_plots(text, given.trait)
    if plots.problems:
        return _refuse(given.file, plots.problems)
    try:
        design = given.design or design_of(plots)
        figures = analyse(plots, design, given.check)
    except ValueError as error:
        return _refuse(given.file, [Problem(0, "", str(error), "a design and columns that go together")])
    if not given.design:
        print(f"{given.file}: taken as {design}, from its columns", file=sys.stderr)
    print(json.dumps(_plain(figures), indent=1, ensure_ascii=False) if given.format == "json" else as_text(figures))
    return 0


def _refuse(file: str, problems: Sequence[Problem]) -> int:
    for p in problems:
        place = f"line {p.line}" if p.line else "file"
        column = f", column {p.column}" if p.column else ""
        print(f"{file}: {place}{column}: found {p.found}; expected {p.expected}", file=sys.stderr)
    return WRONG


def _plain(value: Any) -> Any:
    """JSON knows no NaN: what is not a number is null."""
    if isinstance(value, dict):
        return {k: _plain(v) for k, v in value.items()}
    if isinstance(value, list | tuple):
        return [_plain(v) for v in value]
    return None if isinstance(value, float) and not math.isfinite(value) else value


def as_text(figures: dict[str, Any]) -> str:
    """What a person reads first: the means in order, the error and what cannot be said."""
    intra = figures.get("intra_block", figures)
    rows = intra.get("entry_means") or []
    key = "adjusted_mean" if rows and "adjusted_mean" in rows[0] else "lsmean"
    lines = [f"{figures['design']}: {figures.get('n_observed', figures.get('n_plots', len(rows)))} values, {len(rows)} entries"]
    for row in sorted(rows, key=lambda r: (r[key] is None, -(r[key] or 0.0))):
        mean = "no mean" if row[key] is None else f"{row[key]:.4g}"
        se = "" if row.get("se") is None else f"  SE {row['se']:.3g}"
        lines.append(f"  {row['entry']:<12} {mean:>10}{se}  n {row['n']}")
    if intra.get("mse") is not None:
        lines.append(f"error mean square {intra['mse']:.4g} on {intra['df_error']} df")
    if intra.get("lsd5", {}).get("average"):
        lines.append(f"a difference under {intra['lsd5']['average']:.4g} could be luck (5 %, one comparison at a time)")
    lines += figures.get("cannot_say", [])
    return "\n".join(lines)


def _layout(given: argparse.Namespace) -> int:
    names = given.entries.split(",")
    if len(names) == 1 and names[0].isdecimal():
        names = [f"E{i:0{len(names[0])}d}" for i in range(1, int(names[0]) + 1)]
    try:
        blocks = complete_blocks([n.strip() for n in names], given.blocks, given.seed)
    except ValueError as error:
        return _refuse("layout", [Problem(0, "", str(error), "two or more different entries and at least one block")])
    writer = csv.writer(sys.stdout, lineterminator="\n")
    writer.writerow(["plot", "rep", "entry"])
    for rep, block in enumerate(blocks, start=1):
        for place, entry in enumerate(block, start=1):
            writer.writerow([plot_number(rep, place, len(block)), rep, entry])
    return 0
