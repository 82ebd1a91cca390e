"""Which analysis goes with which design, from plots and their labels to figures."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from trialcore.augmented import analyse_augmented
from trialcore.blocks import analyse_blocks
from trialcore.environment_plots import analyse_environment_plots
from trialcore.environments import analyse_environments
from trialcore.figures.augmented import augmented_figures
from trialcore.figures.blocks import Json, block_figures
from trialcore.figures.environment_plots import environment_plot_figures
from trialcore.figures.environments import environment_figures
from trialcore.figures.incomplete import alpha_figures, general_block_figures
from trialcore.figures.spatial import spatial_figures
from trialcore.figures.strata import split_plot_figures, strip_plot_figures
from trialcore.incomplete import analyse_incomplete
from trialcore.linear import Labels
from trialcore.plots import Plots
from trialcore.spatial import analyse_spatial
from trialcore.strata import analyse_split_plot, analyse_strip_plot

NEEDS: dict[str, tuple[str, ...]] = {
    "crd": (),
    "rcbd": ("rep",),
    "latin": ("row", "col"),
    "alpha": ("rep", "block"),
    "augmented": ("block",),
    "blocks": ("block",),
    "split-plot": ("rep", "factor2"),
    "strip-plot": ("rep", "factor2"),
    "spatial": ("row", "col"),
    "environments": ("site", "season"),
    "environment-plots": ("site", "season", "rep"),
}


def design_of(plots: Plots) -> str:
    """The design that the columns speak for. Raises ValueError for columns whose analysis is not offered."""
    has = plots.labels.keys()
    if "factor2" in has:
        raise ValueError("a second factor is not analysed yet")
    if {"site", "season"} <= has:
        cells = list(zip(*(plots.labels[c] for c in ("site", "season", "entry")), strict=True))
        if len(set(cells)) < len(cells):
            raise ValueError("several plots of an entry in one environment are not analysed yet; give one mean a cell")
        return "environments"
    if {"rep", "block"} <= has:
        return "alpha"
    if "block" in has:
        single = _entries_in_one_block(plots)
        return "augmented" if 0 < single < len(set(plots.labels["entry"])) and not _disconnected(plots) else "blocks"
    if "rep" in has:
        return "rcbd"
    entries = len(set(plots.labels["entry"]))
    if {"row", "col"} <= has and entries == len(set(plots.labels["row"])) == len(set(plots.labels["col"])):
        return "latin"
    return "crd"


def _entries_in_one_block(plots: Plots) -> int:
    blocks: dict[str, set[str]] = {}
    for entry, block in zip(plots.labels["entry"], plots.labels["block"], strict=True):
        blocks.setdefault(entry, set()).add(block)
    return sum(len(b) == 1 for b in blocks.values())


def _disconnected(plots: Plots) -> bool:
    value = [float(i % 7) for i in range(len(plots.value))]
    found = analyse_blocks(plots.labels["entry"], value, {"block": plots.labels["block"]})
    return len(set(found.connected_set)) > 1


def analyse(plots: Plots, design: str, check: str | None = None) -> Json:
    """Every figure of `design` for these plots, with comparisons against `check` where there is one.

    Raises ValueError when a column that the design needs is absent, the check is not among the entries, or the design
    is not known.
    """
    if design not in NEEDS:
        raise ValueError(f"“{design}” is not a design that is analysed; expected one of {', '.join(NEEDS)}")
    absent = [name for name in NEEDS[design] if name not in plots.labels]
    if absent:
        raise ValueError(f"{design} needs the column {' and '.join(absent)}")
    if check is not None and check not in plots.labels["entry"]:
        raise ValueError(f"no plot has the entry “{check}”")
    return {"design": design} | ANALYSES[design](plots, check)


def _fixed(plots: Plots, check: str | None, *blocking: str) -> Json:
    terms = {name: plots.labels[name] for name in blocking}
    return block_figures(analyse_blocks(plots.labels["entry"], plots.value, terms), check)


def _alpha(plots: Plots, check: str | None) -> Json:
    entry, block, rep = (plots.labels[name] for name in ("entry", "block", "rep"))
    within = len(set(zip(rep, block, strict=True)))
    reps = len(set(rep))
    return alpha_figures(analyse_incomplete(entry, plots.value, block, rep), check, reps, within // reps)


def _augmented(plots: Plots, check: str | None) -> Json:
    return augmented_figures(analyse_augmented(plots.labels["entry"], plots.value, plots.labels["block"]), len(plots.value))


def _blocks(plots: Plots, check: str | None) -> Json:
    found = analyse_incomplete(plots.labels["entry"], plots.value, plots.labels["block"], mixed=False)
    return general_block_figures(found)


def _two_factors(plots: Plots) -> tuple[Labels, Labels, Sequence[float | None], Labels]:
    return plots.labels["entry"], plots.labels["factor2"], plots.value, plots.labels["rep"]


def _spatial(plots: Plots, check: str | None) -> Json:
    places = []
    for name in ("row", "col"):
        try:
            places.append([int(p) for p in plots.labels[name]])
        except ValueError:
            raise ValueError(f"every {name} must be a whole number for a spatial analysis") from None
    found = analyse_spatial(plots.labels["entry"], plots.value, places[0], places[1], plots.labels.get("rep"))
    return spatial_figures(found, check)


def _environments(plots: Plots, check: str | None) -> Json:
    entry, site, season = (plots.labels[name] for name in ("entry", "site", "season"))
    return environment_figures(analyse_environments(entry, plots.value, site, season), check)


def _environment_plots(plots: Plots, check: str | None) -> Json:
    entry, site, season, rep = (plots.labels[name] for name in ("entry", "site", "season", "rep"))
    return environment_plot_figures(analyse_environment_plots(entry, plots.value, site, season, rep), check)


ANALYSES: dict[str, Callable[[Plots, str | None], Json]] = {
    "crd": lambda plots, check: _fixed(plots, check),
    "rcbd": lambda plots, check: _fixed(plots, check, "rep"),
    "latin": lambda plots, check: _fixed(plots, check, "row", "col"),
    "alpha": _alpha,
    "augmented": _augmented,
    "blocks": _blocks,
    "split-plot": lambda plots, check: split_plot_figures(analyse_split_plot(*_two_factors(plots)), check),
    "strip-plot": lambda plots, check: strip_plot_figures(analyse_strip_plot(*_two_factors(plots)), check),
    "spatial": _spatial,
    "environments": _environments,
    "environment-plots": _environment_plots,
}
