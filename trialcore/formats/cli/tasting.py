"""`serving` and `panel`: who tastes what in which order, and what the scores say."""

from __future__ import annotations

import argparse
import csv
import sys
from typing import Any

from trialcore.formats.cli import kinds
from trialcore.formats.cli.files import guarded, refusing, show
from trialcore.formats.cli.reckoning import add_verb, p_text
from trialcore.formats.figures.blocks import Json


def add_tasting(verbs: Any) -> None:
    """Put the verbs of this module on the command line."""
    serving = verbs.add_parser("serving", help="orders and codes of a tasting panel, as CSV")
    serving.add_argument("--samples", required=True, help="names with commas; one that stands twice is tasted twice")
    serving.add_argument("--judges", type=int, required=True)
    serving.add_argument("--seed", type=int, required=True, help="the same seed gives the same plan")
    serving.set_defaults(run=guarded(_serving))
    panel = add_verb(verbs, "panel", "what a tasting panel found", "columns judge, entry, value; rep where tasted twice", _panel)
    panel.add_argument("--check", help="the entry that the others are set against")


def _serving(given: argparse.Namespace) -> int:
    from trialcore.layouts.serving import serving_plan

    names = [n.strip() for n in given.samples.split(",") if n.strip()]
    plan = refusing("serving", lambda: serving_plan(names, given.judges, given.seed), "a panel that can be served")
    out = csv.writer(sys.stdout, lineterminator="\n")
    out.writerow(("judge", "position", "code", "sample"))
    out.writerows((s.judge, s.position, s.code, s.sample) for s in plan)
    return 0


def _panel(given: argparse.Namespace) -> int:
    figures = refusing(given.file, lambda: kinds.panel(given.file, given.check), "scores of two judges or more")
    return show(figures, given.format, panel_text)


def panel_text(figures: Json) -> str:
    """What a person reads first of a tasting."""
    scores, ranks, agreed = figures["anova_judge_as_block"], figures["rank_test_any_pattern"], figures["kendall_w"]
    lines = [f"{m['entry']}: {m['lsmean']:.2f}" for m in scores["entry_means"] if m["lsmean"] is not None]
    lines += [
        f"{d['entry']} against {figures['check']}: {d['estimate']:+.2f}, {p_text(d['p_dunnett'])} (Dunnett)"
        for d in scores["vs_check"]
    ]
    if scores["p_entry"] is not None:
        lines.append(f"Entries differ by scores, judges as blocks: {p_text(scores['p_entry'])}")
    if ranks:
        lines.append(f"Entries differ by ranks within judges: {p_text(ranks['p'])}")
    if agreed:
        lines.append(f"Judges agree with W = {agreed['w_ties']:.2f} of 1, {p_text(agreed['p'])}")
    if figures["consistency_all"]["sd_within"] is not None:
        spread, pairs = figures["consistency_all"]["sd_within"], figures["consistency_all"]["pairs"]
        lines.append(f"Two tastings of one sample by one judge differ by {spread:.2f} (SD within, {pairs} pairs)")
    return "\n".join(lines)
