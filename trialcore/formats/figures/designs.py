"""Every figure of a design, from plots and their labels: what the command line prints."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from trialcore.analyses.augmented import analyse_augmented
from trialcore.analyses.blocks import analyse_blocks
from trialcore.analyses.choice import choose
from trialcore.analyses.environment_plots import analyse_environment_plots
from trialcore.analyses.environments import analyse_environments
from trialcore.analyses.factorial import analyse_factorial
from trialcore.analyses.incomplete import analyse_incomplete
from trialcore.analyses.linear import Labels
from trialcore.analyses.paired import analyse_paired_strips
from trialcore.analyses.places import analyse_places
from trialcore.analyses.spatial import analyse_spatial
from trialcore.analyses.strata import analyse_split_plot, analyse_strip_plot
from trialcore.formats.figures.augmented import augmented_figures
from trialcore.formats.figures.blocks import Json, block_figures
from trialcore.formats.figures.environment_plots import environment_plot_figures
from trialcore.formats.figures.environments import environment_figures
from trialcore.formats.figures.factors import factorial_figures, paired_figures
from trialcore.formats.figures.incomplete import alpha_figures, general_block_figures
from trialcore.formats.figures.places import places_shown
from trialcore.formats.figures.shown import COMPARED_ALONE, shown_in
from trialcore.formats.figures.spatial import spatial_figures
from trialcore.formats.figures.strata import ON_SUB_PLOTS, split_plot_figures, strip_plot_figures
from trialcore.formats.plots import Plots


def analyse(plots: Plots, design: str, check: str | None = None, entries: str = "whole") -> Json:
    """Every figure of `design` for these plots, with comparisons against `check` where there is one. `entries` says whether those
    of a split-plot are on its `whole` plots or on the `sub` plots within them.

    Raises ValueError when a column that the design needs is absent, the check is not among the entries, or the design
    is not known.
    """
    if check is not None and check not in plots.labels["entry"]:
        raise ValueError(f"no plot has the entry “{check}”")
    chosen = choose(design, "measure", plots.labels)
    if chosen.analysis == "latin" and len(set(zip(plots.labels["row"], plots.labels["col"], strict=True))) < len(plots.value):
        raise ValueError("two plots of the Latin square have the same row and column")
    if chosen.analysis == "split-plot" and entries == "sub":
        first, second, value, rep = _two_factors(plots)
        return {"design": chosen.analysis} | split_plot_figures(analyse_split_plot(second, first, value, rep), check, ON_SUB_PLOTS)
    return {"design": chosen.analysis} | FIGURES[chosen.analysis](plots, check)


def plots_shown(plots: Plots, design: str, check: str | None, entries: str, figures: Json, sign: int) -> list[Json]:
    """What pages show of these plots; of designs that are not compared within one trial, the means of `figures` and what they have
    against the check."""
    analysis = choose(design, "measure", plots.labels).analysis
    if analysis in COMPARED_ALONE:
        return shown_in(design, "measure", plots.labels, plots.value, check, entries == "whole", sign=sign)
    if analysis in ("environments", "environment-plots"):
        where = [f"{a}-{b}" for a, b in zip(plots.labels["site"], plots.labels["season"], strict=True)]
        if analysis == "environments":
            return shown_in("rcbd", "plain", {"entry": plots.labels["entry"], "rep": where}, plots.value, check, sign=sign)
        return places_shown(analyse_places(plots.labels["entry"], plots.value, where, plots.labels.get("rep")), check)
    whole = figures.get("spatial", {}).get("models", {}).get(figures.get("spatial", {}).get("chosen"), figures)
    lists = [whole.get(k) for k in ("entries", "entry_means")] + [
        part.get("entry_means") for part in figures.values() if isinstance(part, dict)
    ]
    rows = next((some for some in lists if some), whole.get("vs_check", []))
    against = {r.get("entry", r.get("a")): r for r in whole.get("vs_check", figures.get("vs_check", []))}
    made = []
    for r in rows:
        d = against.get(r["entry"], {})
        mean = next((r[k] for k in ("mean", "lsmean", "adjusted_mean") if k in r), None)
        made.append(
            {
                "entry": r["entry"],
                "n": r.get("n"),
                "mean": mean,
                "mean_lower95": r.get("lower95"),
                "mean_upper95": r.get("upper95"),
                "difference": d.get("estimate", 0.0 if r["entry"] == check else None),
                "lower95": d.get("lower95"),
                "upper95": d.get("upper95"),
                "expected_advantage": None,
                "chance": None,
            }
        )
    return made


def _fixed(plots: Plots, check: str | None, *blocking: str) -> Json:
    terms = {name: plots.labels[name] for name in blocking}
    return block_figures(analyse_blocks(plots.labels["entry"], plots.value, terms), check)


def _alpha(plots: Plots, check: str | None) -> Json:
    entry, block, rep = (plots.labels[name] for name in ("entry", "block", "rep"))
    within = len(set(zip(rep, block, strict=True)))
    reps = len(set(rep))
    return alpha_figures(analyse_incomplete(entry, plots.value, block, rep), check, reps, within // reps)


def _augmented(plots: Plots, _check: str | None) -> Json:
    return augmented_figures(analyse_augmented(plots.labels["entry"], plots.value, plots.labels["block"]), len(plots.value))


def _blocks(plots: Plots, _check: str | None) -> Json:
    found = analyse_incomplete(plots.labels["entry"], plots.value, plots.labels["block"], mixed=False)
    return general_block_figures(found)


def _two_factors(plots: Plots) -> tuple[Labels, Labels, Sequence[float | None], Labels]:
    return plots.labels["entry"], plots.labels["factor2"], plots.value, plots.labels["rep"]


def _factorial(plots: Plots, check: str | None) -> Json:
    entry, second = plots.labels["entry"], plots.labels["factor2"]
    return factorial_figures(analyse_factorial(entry, second, plots.value, plots.labels.get("rep")), check)


def _spatial(plots: Plots, check: str | None) -> Json:
    rows, cols = plots.whole("row"), plots.whole("col")
    return spatial_figures(analyse_spatial(plots.labels["entry"], plots.value, rows, cols, plots.labels.get("rep")), check)


def _environments(plots: Plots, check: str | None) -> Json:
    entry, site, season = (plots.labels[name] for name in ("entry", "site", "season"))
    return environment_figures(analyse_environments(entry, plots.value, site, season), check)


def _environment_plots(plots: Plots, check: str | None) -> Json:
    entry, site, season, rep = (plots.labels[name] for name in ("entry", "site", "season", "rep"))
    return environment_plot_figures(analyse_environment_plots(entry, plots.value, site, season, rep), check)


def _paired_strips(plots: Plots, check: str | None) -> Json:
    if check is None:
        raise ValueError("paired strips need the check that every entry stood beside")
    season = plots.labels["season"]
    if "site" in plots.labels:
        season = tuple(f"{s}-{y}" for s, y in zip(plots.labels["site"], season, strict=True))
    strip = plots.labels.get("block") or plots.labels.get("rep")
    return paired_figures(analyse_paired_strips(plots.labels["entry"], plots.value, season, check, strip))


FIGURES: dict[str, Callable[[Plots, str | None], Json]] = {
    "crd": lambda plots, check: _fixed(plots, check),
    "rcbd": lambda plots, check: _fixed(plots, check, "rep"),
    "latin": lambda plots, check: _fixed(plots, check, "row", "col"),
    "alpha": _alpha,
    "augmented": _augmented,
    "blocks": _blocks,
    "split-plot": lambda plots, check: split_plot_figures(analyse_split_plot(*_two_factors(plots)), check),
    "strip-plot": lambda plots, check: strip_plot_figures(analyse_strip_plot(*_two_factors(plots)), check),
    "factorial": _factorial,
    "spatial": _spatial,
    "environments": _environments,
    "environment-plots": _environment_plots,
    "paired-strips": _paired_strips,
}
