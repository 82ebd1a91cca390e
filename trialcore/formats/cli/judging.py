"""`shares`, `ranks`, `letters`, `index`, `seasons`, `keeping`, `outliers`, `selection` and `simulate`."""

from __future__ import annotations

import argparse
from dataclasses import asdict
from typing import Any

from trialcore.formats.cli import kinds
from trialcore.formats.cli.files import Unusable, guarded, read_file, refusing, show
from trialcore.formats.cli.reckoning import add_verb, number_in, p_text, read_columns, whole_in
from trialcore.formats.plots import Plots, read_plots
from trialcore.formats.sheet import Problem, lines_of


def add_judgements(verbs: Any) -> None:
    """Put the verbs of this module on the command line."""
    shares = add_verb(verbs, "shares", "shares of counted units, by entry", "columns entry, count, of; block", _shares)
    shares.add_argument("--check", help="the entry that the others are set against")
    add_verb(verbs, "ranks", "entries by ranks within blocks, for scores", "columns rep, entry and value", _ranks)
    add_verb(verbs, "letters", "letters beside means: all pairs, held together (Tukey)", "columns rep, entry and value", _letters)
    index = add_verb(verbs, "index", "several traits together, against the check", "columns rep, entry and the traits", _index)
    index.add_argument("--check", required=True, help="the entry that the others are set against")
    index.add_argument(
        "--trait",
        action="append",
        required=True,
        metavar="NAME:MATTERS[:WEIGHT]",
        help="a column, the smallest difference that matters (below zero where less is better), its weight",
    )
    add_verb(verbs, "seasons", "one verdict over several seasons", "columns entry, season, better_by, se, df", _seasons)
    kept = add_verb(
        verbs, "keeping", "how long stored lots stay sound", "columns lot, day, sound, of; or with entry, lost", _keeping
    )
    kept.add_argument("--check", help="the entry that the others are set against, for a file with entries")
    add_verb(verbs, "outliers", "values to ask about again", "columns entry and value", _outliers)
    selection = verbs.add_parser("selection", help="how many plants to grow to find one that has everything")
    selection.add_argument("--loci", type=int, required=True, help="recessive loci, unlinked")
    selection.add_argument("--generation", type=int, default=2, help="n of Fn under selfing (default: 2)")
    selection.add_argument("--chance", type=float, default=0.95, help="of finding them (default: 0.95)")
    selection.add_argument("--plants", type=int, default=1, help="wanted (default: 1)")
    selection.add_argument("--format", choices=("json", "text"), default="text")
    selection.set_defaults(run=guarded(_selection))
    simulate = add_verb(verbs, "simulate", "a season whose truth is known, on a layout", "the CSV that `layout` gives", _simulate)
    simulate.add_argument("--truth", required=True, help="a CSV with columns entry and kg (marketable, a plot)")
    simulate.add_argument("--seed", type=int, required=True)


def _shares(given: argparse.Namespace) -> int:
    from trialcore.analyses.generalised import analyse_generalised

    table = read_columns(given.file, ("entry", "block"), ("count", "of"), optional=("block",))
    count, of = ([whole_in(given.file, table, name, i) for i in range(len(table.lines))] for name in ("count", "of"))
    blocks = {"block": table.labels["block"]} if "block" in table.labels else {}

    def reckon() -> dict[str, Any]:
        found = analyse_generalised("binomial", table.labels["entry"], count, of, blocks)
        if given.check and given.check not in found.place:
            raise ValueError(f"no line has the entry “{given.check}”")
        versus = found.against(given.check) if given.check else ()
        kept = {n: getattr(found, n) for n in ("dispersion", "f_entry", "p_entry")}
        return {"entries": [asdict(m) for m in found.means], "vs_check": [asdict(d) for d in versus], **kept}

    return show(refusing(given.file, reckon, "counts out of a known number"), given.format, _shares_text)


def _shares_text(figures: dict[str, Any]) -> str:
    lines = [
        f"{m['entry']}: {100 * m['mean']:.0f} % ({100 * m['lower95']:.0f}–{100 * m['upper95']:.0f} %) of {m['among']}"
        for m in figures["entries"]
    ]
    lines += [
        f"{d['entry']} against the check: {100 * d['difference']:+.0f} points, "
        f"likely {100 * d['lower95']:+.0f} to {100 * d['upper95']:+.0f} ({p_text(d['p'])})"
        for d in figures["vs_check"]
    ]
    times = figures["dispersion"]
    wide = f" Plots vary {times:.1f} times as much as chance alone would have it." if times > 1.05 else ""
    return "\n".join([*lines, f"By a model of counted units, as pages have it.{wide}"])


def _plots(file: str, trait: str = "value") -> Plots:
    plots = read_plots(read_file(file), trait)
    if plots.problems:
        raise Unusable(file, plots.problems)
    return plots


def _block_of(plots: Plots, file: str) -> tuple[str, ...]:
    if "rep" not in plots.labels:
        raise Unusable(file, [Problem(1, "rep", "no such column", "the complete block of each plot")])
    return plots.labels["rep"]


def _ranks(given: argparse.Namespace) -> int:
    from trialcore.analyses.ranks import compare_ranks

    plots = _plots(given.file)
    block = _block_of(plots, given.file)
    found = refusing(
        given.file, lambda: compare_ranks(plots.labels["entry"], plots.value, block), "two entries or more in blocks of two or more"
    )
    means = [{"entry": e, "mean_rank": float(r)} for e, r in zip(found.entries, found.mean_rank, strict=True)]
    kept = {n: getattr(found, n) for n in ("statistic", "df", "p", "se_difference", "df_error", "method")}
    return show({"entries": means, **kept}, given.format, _ranks_text)


def _ranks_text(figures: dict[str, Any]) -> str:
    ordered = sorted(figures["entries"], key=lambda r: -r["mean_rank"])
    lines = [f"{r['entry']}: mean rank {r['mean_rank']:.2f}" for r in ordered]
    return "\n".join([*lines, f"{figures['method']}: {figures['statistic']:.3f} on {figures['df']} df, {p_text(figures['p'])}"])


def _letters(given: argparse.Namespace) -> int:
    from trialcore.analyses.blocks import analyse_blocks
    from trialcore.inference.comparisons import all_pairs
    from trialcore.inference.letters import letter_display

    plots = _plots(given.file)
    blocking = {"rep": plots.labels["rep"]} if "rep" in plots.labels else None

    def reckon() -> dict[str, Any]:
        found = analyse_blocks(plots.labels["entry"], plots.value, blocking)
        known = [m for m in found.means if m.lsmean is not None]
        order = [m.entry for m in sorted(known, key=lambda m: -(m.lsmean or 0.0))]
        apart = {(d.a, d.b) for d in all_pairs(found) if (d.p_family or 0.0) < 0.05}
        letters, mean = letter_display(order, apart), {m.entry: m.lsmean for m in known}
        return {"entries": [{"entry": e, "lsmean": mean[e], "letters": letters[e]} for e in order]}

    figures = refusing(given.file, reckon, "two entries or more with values")
    return show(figures, given.format, lambda f: "\n".join(f"{r['entry']}: {r['lsmean']:.4g} {r['letters']}" for r in f["entries"]))


def _index(given: argparse.Namespace) -> int:
    import numpy as np

    from trialcore.analyses.blocks import analyse_blocks
    from trialcore.inference.index import weigh
    from trialcore.inference.joint import TraitEvidence

    def evidence(wanted: str) -> tuple[list[str], TraitEvidence]:
        name, matters, weight = _trait_wanted(wanted)
        plots = _plots(given.file, name)
        blocking = {"rep": plots.labels["rep"]} if "rep" in plots.labels else None
        found = analyse_blocks(plots.labels["entry"], plots.value, blocking)
        if found.mse is None or any(m.lsmean is None for m in found.means):
            raise ValueError(f"{name} has no mean and error for every entry")
        means = np.array([m.lsmean for m in found.means], dtype=float)
        direction = 1 if matters > 0 else -1
        return [m.entry for m in found.means], TraitEvidence(
            name, means, found.mse * found.covariance, found.df_error, direction, weight, abs(matters)
        )

    def reckon() -> dict[str, Any]:
        parts = [evidence(wanted) for wanted in given.trait]
        found = weigh(parts[0][0], [e for _, e in parts], given.check)
        return {"draws": found.draws, "entries": [asdict(r) for r in found.ranked]}

    return show(refusing(given.file, reckon, "traits with a mean for every entry, and a check"), given.format, _index_text)


def _trait_wanted(wanted: str) -> tuple[str, float, float]:
    name, *rest = wanted.split(":")
    try:
        matters, weight = float(rest[0]), float(rest[1]) if len(rest) > 1 else 1.0
    except (IndexError, ValueError):
        raise Unusable(wanted, [Problem(0, "", wanted, "NAME:MATTERS or NAME:MATTERS:WEIGHT, such as yield:0.5:2")]) from None
    return name, matters, weight


def _index_text(figures: dict[str, Any]) -> str:
    ordered = sorted(figures["entries"], key=lambda r: -r["index"])
    return "\n".join(
        f"{r['entry']}: {r['index']:+.2f}, likely {r['lower95']:+.2f} to {r['upper95']:+.2f}; "
        f"best in {round(100 * r['chance_best'])} of 100"
        for r in ordered
    )


def _seasons(given: argparse.Namespace) -> int:
    from trialcore.inference.seasons import SeasonResult, pool, verdicts_over_seasons

    table = read_columns(given.file, ("entry", "season"), ("better_by", "se", "df"))
    by_entry: dict[str, list[SeasonResult]] = {}
    for i, entry in enumerate(table.labels["entry"]):
        found = SeasonResult(table.labels["season"][i], *(number_in(table, name, i) for name in ("better_by", "se", "df")))
        by_entry.setdefault(entry, []).append(found)

    def reckon() -> dict[str, Any]:
        verdicts = verdicts_over_seasons(by_entry)
        return {"entries": [{"entry": e, **asdict(pool(own)), "verdict": verdicts[e].verdict.value} for e, own in by_entry.items()]}

    return show(refusing(given.file, reckon, "differences with standard errors and df above zero"), given.format, _seasons_text)


def _seasons_text(figures: dict[str, Any]) -> str:
    return "\n".join(
        f"{r['entry']}: better by {r['better_by']:.3g} (SE {r['se']:.2g}) "
        f"over {r['seasons']} season{'s' * (r['seasons'] > 1)}: {r['verdict']}"
        for r in figures["entries"]
    )


def _keeping(given: argparse.Namespace) -> int:
    from trialcore.field.storage import keeping_curve

    head = lines_of(read_file(given.file))
    if not isinstance(head, Problem) and "entry" in (name.casefold() for name in head.header):
        found = refusing(given.file, lambda: kinds.keeping(given.file, given.check), "looks at lots from day 0 on")
        return show(found, given.format, kept_text)
    table = read_columns(given.file, ("lot",), ("day", "sound", "of"))
    lots: dict[str, list[tuple[float, int, int]]] = {}
    for i, lot in enumerate(table.labels["lot"]):
        sound, of = (whole_in(given.file, table, name, i) for name in ("sound", "of"))
        lots.setdefault(lot, []).append((number_in(table, "day", i), sound, of))

    def curve(checks: list[tuple[float, int, int]]) -> dict[str, Any]:
        if len({of for _, _, of in checks}) > 1:
            raise ValueError("a lot has one size, the pieces that were put away")
        return asdict(keeping_curve([d for d, _, _ in sorted(checks)], [s for _, s, _ in sorted(checks)], checks[0][2]))

    figures = refusing(given.file, lambda: {"lots": [{"lot": k, **curve(v)} for k, v in lots.items()]}, "sound pieces by day")
    return show(figures, given.format, _keeping_text)


def _keeping_text(figures: dict[str, Any]) -> str:
    def passed(days: float | None) -> str:
        return "not yet" if days is None else f"after {days:.0f} days"

    return "\n".join(
        f"{r['lot']}: below 90 % sound {passed(r['days_to_90'])}, below half {passed(r['days_to_50'])}" for r in figures["lots"]
    )


def kept_text(figures: dict[str, Any]) -> str:
    """What a person reads first of a keeping test."""
    shape = figures["likelier"]
    told = {e["entry"]: e for e in figures[shape]["per_entry"]}
    lines = [
        f"{e['entry']}: {e['lost']} of {e['pieces']} lost; "
        + (f"half sound after {told[e['entry']]['median']:.1f} days" if e["entry"] in told else "half sound: cannot be told")
        for e in figures["totals"]
    ]
    return "\n".join(
        [f"Times follow the likelier of two distributions: {shape}.", *lines]
        + [
            f"{d['entry']} against {d['check']}: {d['ratio']:.2f} times as long, {d['ratio_lower95']:.2f} to "
            f"{d['ratio_upper95']:.2f}, {p_text(d['p'])}"
            for d in figures[shape]["vs_check_lots"]
        ]
    )


def _outliers(given: argparse.Namespace) -> int:
    from trialcore.inference.outliers import usual_range

    plots = _plots(given.file)
    rows = []
    for i, value in enumerate(plots.value):
        usual = usual_range([v for j, v in enumerate(plots.value) if j != i and v is not None])
        if value is not None and usual is not None and not usual[0] <= value <= usual[1]:
            plot = plots.labels["plot"][i] if "plot" in plots.labels else str(i + 1)
            rows.append({"plot": plot, "entry": plots.labels["entry"][i], "value": value, "low": usual[0], "high": usual[1]})
    return show({"outliers": rows}, given.format, _outliers_text)


def _outliers_text(figures: dict[str, Any]) -> str:
    lines = [
        f"{r['plot']}, {r['entry']}: {r['value']:g}; the others lie within {r['low']:.3g} to {r['high']:.3g}"
        for r in figures["outliers"]
    ]
    return "\n".join(lines) or "No value lies far from the others."


def _selection(given: argparse.Namespace) -> int:
    from trialcore.reckoning.selection import fixation, plants_to_grow, share_of_recessives

    def reckon() -> dict[str, Any]:
        share = share_of_recessives(given.loci, given.generation)
        plants = plants_to_grow(share, given.plants, given.chance)
        return {"share": share, "plants": plants, "chance": given.chance, "fixation": fixation(given.generation)}

    figures = refusing("selection", reckon, "loci and plants of one or more, a generation from 2, a chance between 0 and 1")
    return show(figures, given.format, _selection_text)


def _selection_text(f: dict[str, Any]) -> str:
    needed = f"{f['plants']} plants for a chance of {f['chance']:g}"
    return f"{needed}: one in {1 / f['share']:.0f} has them all; {100 * f['fixation']:g} % of loci are fixed"


def _simulate(given: argparse.Namespace) -> int:
    import csv
    import sys

    from trialcore.field.simulated_season import Cultivar, World, simulate_season

    table = read_columns(given.file, ("plot", "rep", "row", "col", "entry"), ())
    truth = read_columns(given.truth, ("entry",), ("kg",))
    plots = [
        (
            _counted(given.file, table, "plot", i),
            table.labels["entry"][i],
            _counted(given.file, table, "rep", i),
            _counted(given.file, table, "row", i),
            _counted(given.file, table, "col", i),
        )
        for i in range(len(table.lines))
    ]
    cultivars = [Cultivar(entry, number_in(truth, "kg", i), 90.0) for i, entry in enumerate(truth.labels["entry"])]
    records = refusing(given.file, lambda: simulate_season(plots, cultivars, World(), given.seed), "entries that the truth names")
    if given.format == "json":
        return show([asdict(r) for r in records], "json", str)
    writer = csv.writer(sys.stdout, lineterminator="\n")
    writer.writerow(["plot", "rep", "row", "col", "entry", "value"])
    for r in records:
        writer.writerow([r.plot, r.block, r.row, r.col, r.entry, "" if r.total_kg is None else f"{r.total_kg:.3f}"])
    return 0


def _counted(file: str, table: Any, name: str, i: int) -> int:
    text = table.labels[name][i]
    if not text.isdigit():
        raise Unusable(file, [Problem(table.lines[i], name, text, "a whole number")])
    return int(text)
