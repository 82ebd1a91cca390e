"""Whether the model of a comparison fits: its residuals, what stands out, and what the comparison says without that."""

from __future__ import annotations

from dataclasses import dataclass

from evarlo.compare.analysis import Comparison, PlotValue, results_of, worked_out
from trialcore.inference.diagnostics import Diagnostics, diagnose


@dataclass(frozen=True, eq=False)
class FitCheck:
    """The diagnostics of a comparison, the plots that stand out, and of each entry that would stand otherwise without them its word
    now and then."""

    seen: Diagnostics
    out: tuple[PlotValue, ...]
    without: tuple[tuple[str, str, str], ...]
    by_plot: dict[int, float]  # the standardised residual of each plot by id


def fit_check(found: Comparison) -> FitCheck | None:
    """Look at the residuals of the plain model; None where too little is there to judge."""
    rescaled = found.worked.rescaled
    analysis = rescaled.found.analysis if rescaled else found.analysis
    if found.worked.two is not None or not len(analysis.residuals):
        return None
    seen = diagnose(analysis.fitted.tolist(), analysis.residuals.tolist(), analysis.df_error)
    if seen is None:
        return None
    out = tuple(found.plots[i] for i in seen.standing_out)
    residual = {found.plots[i].plot.pk: r for i, r in zip(seen.places, seen.residual, strict=True)}
    return FitCheck(seen, out, _without(found, set(seen.standing_out)) if out else (), residual)


def _without(found: Comparison, gone: set[int]) -> tuple[tuple[str, str, str], ...]:
    plots = [v.plot for v in found.plots]
    values = [None if i in gone else v.value for i, v in enumerate(found.plots)]
    names = {r.entry.pk: r.name for r in found.results}
    worked = worked_out(found.trial, found.trait, plots, values, found.check, found.plots, found.plain)
    now = {r.entry.pk: r.word for r in found.results}
    then = results_of(plots, names, worked, found.check, found.sign, found.guard)
    return tuple((r.name, now[r.entry.pk], r.word) for r in then if r.word != now[r.entry.pk])
