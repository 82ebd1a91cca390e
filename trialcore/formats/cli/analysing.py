"""`analyse`: a CSV of plots in, every figure of its design out."""

from __future__ import annotations

import argparse
import sys
from typing import Any

from trialcore.formats.cli.files import Unusable, guarded, read_file, refusing, show
from trialcore.formats.cli.judging import kept_text
from trialcore.formats.cli.kinds import (
    KINDS,
    SIGN,
    checks_text,
    counted_text,
    covariate_text,
    environments_text,
    figures_of,
    kind_of,
    scores_text,
)
from trialcore.formats.cli.package import is_package, trial_values
from trialcore.formats.cli.tasting import panel_text
from trialcore.formats.figures.blocks import ALL_PAIRS, MOST_PAIRED
from trialcore.formats.figures.dates import dates_text
from trialcore.formats.figures.programme import programme_text
from trialcore.formats.plots import Plots, read_plots
from trialcore.formats.sheet import Problem

SE = ("se_kr", "se_fixed_rep", "se_sub_plot_error", "se")  # of a mean, by the names it goes by


TEXTS = {
    "panel": panel_text,
    "keeping": kept_text,
    "shares": counted_text,
    "counts": counted_text,
    "scores": scores_text,
    "dates": dates_text,
    "covariate": covariate_text,
    "environments": environments_text,
    "checks": checks_text,
    "programme": programme_text,
}  # what a person reads of each kind


def add_analyse(verbs: Any) -> None:
    """Put the verb `analyse` on the command line."""
    parser = verbs.add_parser("analyse", help="analyse a trial from a CSV of plots")
    parser.add_argument(
        "file", help="columns plot, rep, block, row, col, site, season, entry, factor2 and the value; blank is missing"
    )
    parser.add_argument("--kind", help=f"plots, {', '.join(KINDS)}; else worked out from the columns, and said")
    parser.add_argument("--trial", default="", help="of a data package (zip): the trial; its design and check are told there")
    parser.add_argument("--design", help="the design; else worked out from the columns, and said (see docs/command-line.md)")
    parser.add_argument("--trait", default="value", help="the value column (default: value)")
    parser.add_argument("--entries", choices=("whole", "sub"), help="where entries of a split-plot are (default: on whole plots)")
    parser.add_argument(
        "--check", action="append", help="the entry that the others are set against; twice or more for several checks"
    )
    parser.add_argument("--better", choices=("more", "less"), default="more", help="what is better of the value (default: more)")
    parser.add_argument(
        "--all-pairs", action="store_true", help=f"every pair, also of more than {MOST_PAIRED} entries, where they fill megabytes"
    )
    parser.add_argument("--format", choices=("json", "text"), default="text")
    parser.set_defaults(run=guarded(_analyse))


def _analyse(given: argparse.Namespace) -> int:
    SIGN.set(1 if given.better == "more" else -1)
    ALL_PAIRS.set(given.all_pairs)
    if is_package(given.file):
        return _of_package(given)
    checks = [name.strip() for said in given.check or [] for name in said.split(",") if name.strip()]
    kind = given.kind or (None if given.design else "checks" if len(set(checks)) > 1 else kind_of(given.file))
    if kind not in (None, "plots", *KINDS):
        raise Unusable("--kind", [Problem(0, "", str(kind), f"plots, {', '.join(KINDS)}")])
    if kind in KINDS:
        figures = refusing(given.file, lambda: figures_of(kind, given.file, checks), f"records of the kind {kind}")
        return show(figures, given.format, TEXTS[kind])
    from trialcore.analyses.choice import design_of
    from trialcore.formats.figures.designs import analyse, plots_shown

    plots = _plots(given, read_file(given.file))
    fitting = "a design and columns that go together"
    design = given.design or refusing(given.file, lambda: design_of(plots.labels), fitting)
    figures = refusing(
        given.file, lambda: analyse(plots, design, checks[-1] if checks else None, given.entries or "whole"), fitting
    )
    figures["shown"] = plots_shown(plots, design, checks[-1] if checks else None, given.entries or "whole", figures, SIGN.get())
    if not given.design:
        print(f"{given.file}: taken as {design}, from its columns", file=sys.stderr)
    if design == "split-plot" and not given.entries:
        print(f"{given.file}: entries taken as those of the whole plots; say --entries sub where they are within", file=sys.stderr)
    return show(figures, given.format, as_text)


def _plots(given: argparse.Namespace, text: str) -> Plots:
    plots = read_plots(text, given.trait)
    if plots.problems:
        raise Unusable(given.file, plots.problems)
    return plots


def _of_package(given: argparse.Namespace) -> int:
    """One trait of one trial, by the design and against the check that the package tells, unless others are asked for."""
    from trialcore.formats.figures.designs import analyse, plots_shown

    told = refusing(given.file, lambda: trial_values(given.file, given.trial), "--trial and the name of its folder")
    plots = _plots(given, told.text)
    design, check = given.design or told.design, given.check[-1] if given.check else told.check
    if "," in check:
        raise Unusable("--check", [Problem(0, "", check, "one check")])
    where = given.entries or told.entries
    fitting = "a design and columns that go together"
    figures = refusing(given.file, lambda: analyse(plots, design, check or None, where), fitting)
    figures["shown"] = plots_shown(plots, design, check or None, where, figures, SIGN.get())
    print(f"{told.name}: {design}, against {check or 'no check'}, as the package tells", file=sys.stderr)
    return show(figures, given.format, as_text)


def as_text(figures: dict[str, Any]) -> str:
    """What a person reads first: what it is, the means in order, the error, and what cannot be said."""
    rows = _rows(figures)
    n = figures.get("n_observed", figures.get("n_plots"))
    lines = [f"{figures['design']}: {f'{n} values, ' if n else ''}{len(rows)} entries"]
    for name, mean, se, more in sorted(rows, key=lambda r: (r[1] is None, -(r[1] or 0.0))):
        lines.append(
            f"  {name:<14} {'no mean' if mean is None else f'{mean:.4g}':>9}{'' if se is None else f'  SE {se:.3g}'}{more}"
        )
    lines += _error(figures)
    return "\n".join([*lines, *figures.get("cannot_say", [])])


def _rows(figures: dict[str, Any]) -> list[tuple[str, float | None, float | None, str]]:
    """Name, mean, standard error and anything more, from wherever the design keeps its entries."""
    if figures["design"] == "paired-strips":
        return [
            (r["entry"], r["estimate"], r["se"], f"  ahead in {r['wins']} of {r['n_seasons']} seasons") for r in figures["vs_check"]
        ]
    if figures["design"] == "spatial" and figures["spatial"]["chosen"] in figures["spatial"]["models"]:
        return [(r["entry"], r["mean"], r["se"], "") for r in figures["spatial"]["models"][figures["spatial"]["chosen"]]["entries"]]
    within = figures.get("sub_plot_factor") == "entry"
    for place in ("sub_plot_means",) if within else ("whole_plot_means", "row_means"):
        if place in figures:
            table = figures[place]["table"]
            return [(r.get("level", r.get("entry")), r["mean"], next((r[k] for k in SE if k in r), None), "") for r in table]
    if "reml_entries_fixed" in figures:
        return [(r["entry"], r["mean"], r["se_kr"], "") for r in figures["reml_entries_fixed"]["entry_means"]]
    if "reml_entry_fixed" in figures:
        return [(r["entry"], r["mean"], r["se_kr"], "") for r in figures["reml_entry_fixed"]["entry_means"]]
    table = figures.get("intra_block", figures).get("entry_means") or figures.get("adjusted_means") or []
    key = next((k for k in ("lsmean", "adjusted_mean", "mean") if table and k in table[0]), "lsmean")
    return [(r["entry"], r[key], r.get("se"), f"  n {r['n']}" if "n" in r else "") for r in table]


def _error(figures: dict[str, Any]) -> list[str]:
    intra = figures.get("intra_block", figures.get("fixed_blocks", figures))
    said = []
    if intra.get("mse") is not None:
        said.append(f"error mean square {intra['mse']:.4g} on {intra['df_error']} df")
    strata = [letter for letter in "abc" if figures.get(f"mse_{letter}") is not None]
    said += [f"error ({letter}) {figures[f'mse_{letter}']:.4g} on {figures[f'df_{letter}']} df" for letter in strata]
    if intra.get("lsd5", {}).get("average"):
        said.append(f"a difference under {intra['lsd5']['average']:.4g} could be luck (5 %, one comparison at a time)")
    if "spatial" in figures:
        said.append(figures["spatial"]["why"])
    return said
