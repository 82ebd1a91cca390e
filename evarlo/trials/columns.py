"""How a trial's design is named in the core, and the labels of its plots that the design is analysed by."""

from __future__ import annotations

from collections.abc import Sequence

from evarlo.trials.models import Plot, Trial
from trialcore.analyses.choice import choose

DESIGNS: dict[str, str] = {
    Trial.Design.BLOCKS: "rcbd",
    Trial.Design.NO_BLOCKS: "crd",
    Trial.Design.PLANTS: "crd",
    Trial.Design.INCOMPLETE: "alpha",
    Trial.Design.LATIN: "latin",
    Trial.Design.AUGMENTED: "augmented",
    Trial.Design.SPLIT: "split-plot",
    Trial.Design.STRIP: "strip-plot",
    Trial.Design.FACTORIAL: "factorial",
    Trial.Design.PAIRS: "paired-strips",
}


def columns_of(trial: Trial, plots: Sequence[Plot]) -> dict[str, list[str]]:
    """The labels of each plot by which the trial's design is analysed."""
    columns = {"entry": [p.entry.code for p in plots]}
    match trial.design:
        case Trial.Design.LATIN:
            columns |= {"row": [str(p.row) for p in plots], "col": [str(p.col) for p in plots]}
        case Trial.Design.INCOMPLETE | Trial.Design.PAIRS:
            columns |= {"rep": [p.block for p in plots], "block": [p.inner for p in plots]}
        case Trial.Design.AUGMENTED:
            columns["block"] = [p.block for p in plots]
        case _:
            columns["rep"] = [p.block for p in plots]
    if trial.two_factors:
        columns["factor2"] = [p.level for p in plots]
    return columns


def analysis_of(trial: Trial, labels: dict[str, list[str]]) -> str:
    """The analysis that the core gives the design with these labels."""
    return choose(DESIGNS[trial.design], "days", labels, counted=True).analysis
