"""What a comparison gives to take along: entries and plots as tables, the drawing, every figure."""

from __future__ import annotations

from typing import Any

from django.http import Http404, HttpResponse, JsonResponse

from evarlo.compare.analysis import Comparison, EntryResult
from evarlo.compare.views import bar_of, chart_axis, compared
from evarlo.people.permissions import may
from evarlo.people.requests import PersonRequest
from evarlo.ui.draw.comparison import whole_drawing
from evarlo.ui.tables import as_csv, as_workbook, attached
from trialcore.analyses.entries import between
from trialcore.formats.figures import block_figures
from trialcore.formats.figures.blocks import Json, plain
from trialcore.formats.figures.dates import dates_figures
from trialcore.formats.figures.generalised import generalised_figures
from trialcore.formats.figures.incomplete import alpha_figures
from trialcore.formats.figures.shown import shown_figures
from trialcore.formats.figures.two_factors import two_factor_figures


@may("compare")
def figures(request: PersonRequest, slug: str) -> HttpResponse:
    """Every figure of the comparison as JSON."""
    trial, _, found = compared(request, slug)
    if found is None:
        return JsonResponse({"cannot_say": ["No trait has a record yet."]})
    return JsonResponse({"trial": trial.name, "trait": found.trait.name, "unit": found.trait.shown_unit} | figures_of(found))


def figures_of(found: Comparison) -> Json:
    """The figures in the shape of the model that the page goes by, and under `shown` what stands on the page; of a comparison on
    the root or the logarithm also the whole of it there."""
    worked = found.worked
    lines = sorted((_line(r, found.check_code) for r in found.results), key=lambda line: str(line["entry"]))
    made: Json = {"shown": shown_figures(worked) | {"entries": lines}}
    made |= _in_shape(found)
    if worked.rescaled is not None:
        there = worked.rescaled.found
        made["on_scale"] = {"scale": worked.rescaled.scale, "shown": shown_figures(there)}
        made["on_scale"] |= block_figures(there.analysis, found.check_code)
    return made


def _line(r: EntryResult, check: str | None) -> Json:
    """An entry as the page shows it, under the names that the command line has for it."""
    return {
        "entry": r.entry.code,
        "n": r.mean.n,
        "mean": r.mean.lsmean,
        "mean_lower95": r.mean.lower95,
        "mean_upper95": r.mean.upper95,
        "difference": r.difference.estimate if r.difference else 0.0 if r.entry.code == check else None,
        "lower95": r.lower,
        "upper95": r.upper,
        "expected_advantage": r.kept,
        "chance": r.chance,
    }


def _in_shape(found: Comparison) -> Json:
    trial = found.trial
    if found.worked.generalised is not None:
        return generalised_figures(found.worked.generalised, found.check_code, found.analysis.n_plots)
    if found.worked.dates is not None:
        plots = [p for p in found.plots if p.value is not None or p.after is not None]
        bounds = [between(p.value, p.after) for p in plots]
        blocks = [p.plot.block for p in plots] if found.worked.choice.analysis == "rcbd" else None
        since, by = [b[0] for b in bounds], [b[1] for b in bounds]
        try:
            return dict(plain(dates_figures([p.plot.entry.code for p in plots], since, by, blocks, found.check_code)))
        except ValueError as said:  # a check that nobody looked at, or too few dates for one of the shapes
            return {"kind": "dates seen between two walks", "cannot_say": [str(said)]}
    if found.worked.incomplete is not None:
        inner = len({(p.plot.block, p.plot.inner) for p in found.plots})
        made: Json = plain(alpha_figures(found.worked.incomplete, found.check_code, trial.blocks, inner // max(1, trial.blocks)))
        return made
    if found.worked.two is not None:
        return two_factor_figures(found.worked.two)
    return block_figures(found.analysis, found.check_code)


@may("compare")
def plots_csv(request: PersonRequest, slug: str) -> HttpResponse:
    """The data the comparison used, plot by plot, with what was left out and why."""
    trial, _, found = compared(request, slug)
    return as_csv(f"{trial.slug}-plots", plot_rows(found))


def plot_rows(found: Comparison | None) -> list[list[Any]]:
    """A line for each plot; the first names the columns and the unit."""
    inner = found is not None and found.worked.incomplete is not None
    named = _with_unit(found, found.trait.name) if found else "value"
    rows: list[list[Any]] = [["plot", "rep", *(["block"] if inner else []), "row", "col", "entry", named, "left out because"]]
    for p in found.plots if found else ():
        place = [p.plot.number, p.plot.block, *([p.plot.inner] if inner else []), p.plot.row, p.plot.col, p.plot.entry.code]
        rows.append([*place, "" if p.value is None else p.value, p.left_out])
    return rows


@may("compare")
def entries(request: PersonRequest, slug: str, form: str) -> HttpResponse:
    """The comparison as a table, a line for each entry, as CSV or as a workbook."""
    trial, _, found = compared(request, slug)
    name = f"{trial.slug}-{found.trait.key}" if found else trial.slug
    return (as_workbook if form == "xlsx" else as_csv)(name, entry_rows(found))


def entry_rows(found: Comparison | None) -> list[list[Any]]:
    """A line for each entry, the best first; the first line names the columns and their units."""
    if found is None:
        return [["entry"]]
    measured = (
        "mean",
        "standard error",
        "95 % from",
        "95 % to",
        "difference from check",
        "difference 95 % from",
        "difference 95 % to",
    )
    columns = ["entry", "name", "plots", *(_with_unit(found, m) for m in measured)]
    columns += ["% of check", "chance it is better (%)", "the same, flat (%)"]
    columns += [_with_unit(found, "expected to keep of the difference"), "stands", "no figure because"]
    rows: list[list[Any]] = [columns]
    for s in found.results:
        m, d = s.mean, s.difference
        chance = None if s.chance is None or s.entry.any_check else 100 * s.chance
        cells = [s.entry.code, s.name, m.n, m.lsmean, m.se, m.lower95, m.upper95]
        flat = None if s.flat is None or s.entry.any_check else 100 * s.flat
        kept = None if s.kept is None else found.sign * s.kept
        cells += [d.estimate if d else None, s.lower, s.upper, s.percent, chance, flat, kept]
        cells += ["check" if s.entry.any_check else s.word, m.why]
        rows.append(["" if c is None else c for c in cells])
    return rows


@may("compare")
def drawing(request: PersonRequest, slug: str) -> HttpResponse:
    """The chart of entries as a file."""
    trial, _, found = compared(request, slug)
    axis = chart_axis(found) if found else None
    if found is None or axis is None:
        raise Http404("No entry has a mean yet, so there is nothing to draw.")
    bars = [bar_of(s) for s in found.results]
    legend = "Thick: one standard error. Thin: 95 %. Shaded: could be luck. Dotted: the check."
    drawn = whole_drawing(axis, bars, f"{trial.name}: {found.trait.name}", found.trait.shown_unit, legend)
    return attached(f"{trial.slug}-{found.trait.key}.svg", drawn, "image/svg+xml")


def _with_unit(found: Comparison, what: str) -> str:
    return f"{what} ({found.trait.shown_unit})" if found.trait.shown_unit else what
