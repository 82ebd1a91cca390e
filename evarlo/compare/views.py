"""Compare: the plain sentence, the chart of entries, the table and how it was worked out."""

from __future__ import annotations

from collections.abc import Callable
from math import sqrt
from typing import Any
from urllib.parse import urlencode

from django.http import HttpResponse
from django.shortcuts import render

from evarlo.catalogue.models import Trait
from evarlo.compare.analysis import Comparison, EntryResult
from evarlo.compare.flow import flow_of, standing_ability, weeks_of
from evarlo.compare.places import depends_on_place, slopes
from evarlo.compare.queries import compare, guard_of, over_years, said_of
from evarlo.compare.scored import scored
from evarlo.compare.words import (
    bars_in_words,
    depends_in_words,
    elsewhere_in_words,
    first_where_in_words,
    flow_in_words,
    honest_in_words,
    levels_in_words,
    misled_in_words,
    model_in_words,
    sentence,
    source_in_words,
    why_in_words,
)
from evarlo.nursery.audit import besides_of
from evarlo.people.given_again import given_again
from evarlo.people.permissions import allowed, may
from evarlo.people.requests import PersonRequest
from evarlo.trials.frame import frame
from evarlo.trials.ground import strip
from evarlo.trials.models import Trial
from evarlo.trials.protocol import marks_of
from evarlo.trials.queries import recorded_traits, traits_with_records
from evarlo.trials.views import trial_or_404
from evarlo.ui.draw.comparison import Axis, EntryBar, axis_for, axis_labels, row
from evarlo.ui.draw.progress import ProgressLine, progress
from evarlo.ui.units import unit_shown, value_shown
from trialcore.formats.figures import block_figures
from trialcore.formats.figures.blocks import versus_figures
from trialcore.inference.comparisons import Guard

SORTED: dict[str, Callable[[EntryResult, int], Any]] = {
    "code": lambda r, _: r.entry.code,
    "mean": lambda r, sign: (r.mean.lsmean is None, -sign * (r.mean.lsmean or 0.0)),
}


def chosen_trait(request: PersonRequest, trial: Trial, traits: list[Trait]) -> Trait | None:
    """The trait asked for; else the first of which anything is recorded, since there is nothing to read in the others."""
    wanted = request.GET.get("trait", "")
    recorded = recorded_traits(trial)
    first = next((t for t in traits if t.pk in recorded), traits[0] if traits else None)
    return next((t for t in traits if t.key == wanted), first)


def compared(request: PersonRequest, slug: str) -> tuple[Trial, list[Trait], Comparison | None]:
    """The trial, its traits, and the comparison of the one that was asked for."""
    trial = trial_or_404(slug)
    traits = [t for t in traits_with_records(trial) if t.compared]
    trait = chosen_trait(request, trial, traits)
    asked = request.GET.get("guard")
    guard: Guard = guard_of(trial) if asked not in ("family", "each") else "family" if asked == "family" else "each"
    plain = request.GET.get("model") == "plain"
    against = request.GET.get("against", "")
    return trial, traits, compare(trial, trait, request.user, guard, plain, against) if trait else None


def framed(request: PersonRequest, trial: Trial, found: Comparison | None) -> dict[str, Any]:
    """The frame of a page of Compare, the trait that is looked at on the ground."""
    return frame(request, trial, "compare", layer=found.trait.key if found else "")


def asked_again(found: Comparison) -> str:
    """What was asked, to be asked again of another page: the trait, the guard and the model."""
    asked = {"trait": found.trait.key, "guard": found.guard}
    if found.check and not found.check.is_check:
        asked["against"] = found.check.code
    return urlencode(asked | ({"model": "plain"} if found.plain else {}))


@may("compare")
@given_again
def compare_page(request: PersonRequest, slug: str) -> HttpResponse:
    trial, traits, found = compared(request, slug)
    context: dict[str, Any] = {"traits": traits, "c": found}
    if found and found.analysis.n_observed:  # else there is no line for it to stand at
        context["besides"] = besides_of(trial, allowed(request.user, "see_names"))
    if found:
        context |= chart(found) | {
            "sentence": sentence(found),
            "levels": levels_in_words(found),
            "misled": [misled_in_words(s, found) for s in found.misled],
            "bars": bars_in_words(found),
            "why": why_in_words(found),
            "honest": honest_in_words(found),
            "two": second_factor(found),
            "marks": marks_of(trial),
            "said": said_of(trial),
            "fewer": found.fewer,
            "elsewhere": elsewhere_in_words(depends_on_place(found)),
            "sort": request.GET.get("sort") if request.GET.get("sort") in SORTED else "",
            "again": asked_again(found),
        }
        if context["sort"]:
            context["rows"] = sorted(context["rows"], key=lambda r: SORTED[context["sort"]](r[0], found.sign))
    if request.htmx and request.htmx.target == "compare-bench":
        return render(request, "compare/compare.html#bench", context | {"trial": trial})
    return render(request, "compare/compare.html", context | framed(request, trial, found))


def chart(found: Comparison) -> dict[str, Any]:
    """The rows of the chart of entries and its axis, for the page and the report."""
    axis = chart_axis(found)
    if axis is None:
        return {"rows": [(s, None) for s in found.results], "axis": None}
    return {"rows": [(s, row(axis, bar_of(s))) for s in found.results], "axis": axis_labels(axis, found.trait.shown_unit)}


def chart_axis(found: Comparison) -> Axis | None:
    """The scale that the bars of all entries share; None where no entry has a mean."""
    lows = [v for s in found.results if (v := s.mean.lower95 if s.mean.lower95 is not None else s.mean.lsmean) is not None]
    highs = [v for s in found.results if (v := s.mean.upper95 if s.mean.upper95 is not None else s.mean.lsmean) is not None]
    return axis_for(lows, highs, found.check_mean, found.band) if lows else None


def bar_of(s: EntryResult) -> EntryBar:
    """The bar of an entry; what colours it is that it is the check, or how it stands to it."""
    kind = "check" if s.entry.any_check else {1: "ahead", 0: "luck", -1: "behind"}[s.beats]
    name = s.entry.code if s.name == s.entry.code else f"{s.entry.code} {s.name}"
    return EntryBar(name, s.mean.lsmean, s.mean.se, s.mean.lower95, s.mean.upper95, kind)


@may("compare")
@given_again
def working(request: PersonRequest, slug: str) -> HttpResponse:
    """How it was worked out: the model, the analysis of variance, every pair and the data used."""
    trial, traits, found = compared(request, slug)
    context: dict[str, Any] = {"traits": traits, "c": found}
    if found:
        context["again"] = asked_again(found)
        plain_blocks = None if found.worked.two else block_figures(found.analysis, found.check_code)
        context |= {"figures": plain_blocks, **_recovered(found), "two": second_factor(found)}
        context["model"] = model_in_words(found)
        context["scored"] = scored(found)
        if found.honest:
            fitted = found.honest.worked
            context |= {"spread": sqrt(fitted.entry_variance), "lead_se": sqrt(fitted.check_lead_variance)}
        context["by_kind"] = versus_figures(found.versus) if found.by_kind and found.versus else None
        context["anova"] = (
            [(source_in_words(row["source"]), row) for row in plain_blocks["anova_sequential"]] if plain_blocks else []
        )
    return render(request, "compare/working.html", context | framed(request, trial, found))


@may("compare")
@given_again
def years(request: PersonRequest, slug: str) -> HttpResponse:
    """What the same plots bore over the years, summed in one unit."""
    trial = trial_or_404(slug)
    context = {"years": over_years(trial, request.user)}
    return render(request, "compare/years.html", context | frame(request, trial, "compare", layer="marketable-yield"))


def second_factor(found: Comparison) -> dict[str, Any] | None:
    """How entries stand at each level of the second factor, and in words whether their order depends on it."""
    two = found.worked.two
    if two is None:
        return None
    cells = {(c.entry, c.level): c for c in two.table}
    rows = [(s, [cells.get((s.entry.code, level)) for level in found.trial.levels]) for s in found.results]
    means = {place: c.mean for place, c in cells.items() if c.mean is not None}
    said = f"{found.trait.name} of each entry by {found.trial.factor.lower()}"
    return {
        "drawing": slopes(found, found.trial.levels, means, set(), said),
        "first": first_where_in_words(found, means),
        "levels": found.trial.levels,
        "rows": rows,
        "said": depends_in_words(found),
        "effects": two.effects,
        "strata": two.strata,
    }


def _recovered(found: Comparison) -> dict[str, Any]:
    """For incomplete blocks: what varies, and each difference as the model with blocks at random has it."""
    incomplete = found.worked.incomplete
    if incomplete is None or incomplete.recovered is None:
        return {}
    fit, test = incomplete.recovered.fit, incomplete.recovered.test
    random = incomplete.random_entries
    return {
        "block_variance": fit.variances["block"],
        "plot_variance": fit.variances["residual"],
        "entry_test": test,
        "repeatability": random.cullis if random else None,
        "efficiency": incomplete.efficiency,
    }


@may("compare")
@given_again
def flow(request: PersonRequest, slug: str) -> HttpResponse:
    """How the harvest came in: curves, and by when half of it was there."""
    trial = trial_or_404(slug)
    found = flow_of(trial, request.user)
    lines = [
        ProgressLine(
            e.name,
            [(r.day, value_shown(r.mean, "kg/m²")) for r in e.curve],
            e.entry.is_check,
            [(value_shown(r.mean - r.half, "kg/m²"), value_shown(r.mean + r.half, "kg/m²")) for r in e.curve]
            if e.entry.is_check
            else (),
            e.entry.pk,
        )
        for e in found.entries
        if e.curve
    ]
    said = f"Cumulative marketable yield of {len(lines)} entries"
    rows_m = trial.between_rows_cm / 100 if trial.between_rows_cm else None
    bed_m2 = trial.bed.length_m * trial.bed.width_m if trial.bed else None
    context = {
        "flow": found,
        "standing": standing_ability(trial, request.user),
        "comes_to": [
            (
                e,
                e.total * rows_m if e.total is not None and rows_m else None,
                e.total * bed_m2 if e.total is not None and bed_m2 else None,
            )
            for e in found.entries
        ],
        "bed_m2": bed_m2,
        "shown": {name: found.has(name) for name in ("side", "dry", "late", "pieces", "grading_se")},
        "weeks": strip(trial, request.user, weeks_of(trial), unit_shown("kg/m²")) if lines else [],
        "sentence": flow_in_words(found) if lines else "",
        "drawing": progress(lines, said, unit=unit_shown("kg/m²")) if lines else "",
    }
    return render(request, "compare/flow.html", context | frame(request, trial, "pick", layer="marketable-yield"))
