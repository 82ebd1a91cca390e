"""The planning bench: a plan stands from the first word, and everything that was not typed is proposed."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping
from typing import Any

from django.db import transaction
from django.http import HttpResponse, QueryDict
from django.shortcuts import redirect, render
from django.utils import timezone

from evarlo.catalogue.models import Crop, Trait
from evarlo.catalogue.services import crop_named
from evarlo.grounds.models import Bed
from evarlo.people.permissions import may
from evarlo.people.requests import PersonRequest
from evarlo.trials.advice import DESIGNS
from evarlo.trials.forecast import Forecast, forecast, room_of
from evarlo.trials.forms import NewTrial, as_typed, copy_as_typed
from evarlo.trials.models import TWO_FACTORS, Trial
from evarlo.trials.planning import change_plan, plan_trial
from evarlo.trials.proposing import Proposal, likely_twins, propose, typed_names, wanted_count
from evarlo.trials.views import trial_or_404
from evarlo.ui.notice import warn
from evarlo.ui.refused import Refused
from evarlo.ui.units import value_shown

EVERYTHING = "*"  # what is touched where a trial's own plan is changed: nothing is proposed over it
FACTORS = ("Sowing date", "Spacing", "Cover", "Pruning", "Bed system", "Place")
LIES = (
    "path_m",
    "guard_m",
    "border",
    "per_station",
    "bed_length_m",
    "bed_width_m",
    "bearing",
    "cv_percent",
    "own_spacing",
    "staggered",
)


@may("plan")
def new(request: PersonRequest) -> HttpResponse:
    """A new trial. Its crop can come with the address."""
    if request.method == "POST":
        given, _ = _filled(request.POST, shown=True)
        form = NewTrial(given)
        return _planned(request, form, lambda: plan_trial(form.plan(), request.user))
    like = Trial.objects.filter(slug=request.GET.get("like", "")).select_related("crop", "bed__site").first()
    if like is not None:
        return _planned(request, NewTrial(initial=copy_as_typed(like, timezone.localdate())), lambda: None, copied=True)
    crop = request.GET.get("crop", "")
    typed = {"crop": crop, "blind": "on"} if crop else {}
    initial = propose(typed, {"crop"} if crop else set(), timezone.localdate()).values | typed
    return _planned(request, NewTrial(initial={"season": timezone.localdate().year, **initial}), lambda: None)


@may("plan")
def change(request: PersonRequest, slug: str) -> HttpResponse:
    """The same bench for a trial whose layout is not fixed yet: anything of its plan can still be changed."""
    trial = trial_or_404(slug)
    if trial.is_fixed:
        warn(request, "The layout is fixed: stakes may be in the ground. Its plan can no longer be changed.")
        return redirect(trial)
    form = NewTrial(request.POST if request.method == "POST" else None, initial=as_typed(trial))
    return _planned(request, form, lambda: change_plan(trial, form.plan(), request.user), trial)


def _planned(
    request: PersonRequest, form: NewTrial, act: Callable[[], Trial | None], trial: Trial | None = None, copied: bool = False
) -> HttpResponse:
    if request.method == "POST" and form.is_valid():
        _check_plants(form)
    if request.method == "POST" and not form.errors:
        try:
            with transaction.atomic():
                made = act()
                if made is not None and (why_not := room_of(made)):
                    raise Refused(why_not, "bed")
        except Refused as refusal:
            form.add_error(None if refusal.field in ("", "criteria") else refusal.field, str(refusal))
        else:
            assert made is not None
            return redirect(made)
    return render(request, "trials/new.html", _bench(form, trial, copied), status=422 if form.errors else 200)


def _check_plants(form: NewTrial) -> None:
    """Plots that hold no plant are not drawn."""
    if forecast(form.cleaned_data, _count(form)).plants_a_plot == 0:
        form.add_error("plot_length_m", "No plant fits a plot at this spacing. Expected larger plots or closer plants.")


@may("plan")
def new_forecast(request: PersonRequest) -> HttpResponse:
    """What the plan amounts to as it is being typed, and what is proposed for all that was not."""
    given, proposal = _filled(request.POST, shown=False)
    form = NewTrial(given)
    form.is_valid()
    return render(request, "trials/new.html#forecast", _forecast(form, given, proposal))


def _filled(posted: QueryDict, *, shown: bool) -> tuple[QueryDict, Proposal]:
    """What was typed with proposals for all else. What was `shown` to the person stands as they saw it; only what is empty then
    takes a proposal. A form that does not say what was touched was typed as it is."""
    touched = set(posted.get("touched", EVERYTHING).split(",")) - {""}
    given = posted.copy()
    if EVERYTHING in touched:
        return given, Proposal()
    proposal = propose({k: str(v) for k, v in posted.items() if k in touched}, touched, timezone.localdate())
    if "entries" in touched and "count" not in touched:
        given["count"] = ""  # their number follows the names
    for name, value in proposal.values.items():
        if not (shown and given.get(name)):
            given[name] = value
    return given, proposal


def _count(form: NewTrial) -> int:
    """How many entries the plan holds: those named, or more that are still to be named."""
    named = len(form.cleaned_data.get("entries") or ())
    return max(named, form.cleaned_data.get("count") or 0)


def _forecast(form: NewTrial, given: Mapping[str, str], proposal: Proposal) -> dict[str, Any]:
    names = typed_names(given.get("entries", ""))
    crop = crop_named(given.get("crop", ""))
    proposed = {
        "values": proposal.values,
        "going_on": proposal.going_on,
        "alike": [] if given.get("treatments") else likely_twins(crop, names),
        "count": max(len(names), wanted_count(given) or 0),
        "listed": list(crop.cultivars.filter(stands_in=False).values_list("name", flat=True)) if crop else [],
    }
    return {"forecast": forecast(form.cleaned_data, _count(form)), "proposed": json.dumps(proposed), "why": proposal.why}


def _bench(form: NewTrial, trial: Trial | None, copied: bool = False) -> dict[str, object]:
    typed = str(form.data.get("entries", form.initial.get("entries", "")))[:20_000]
    wrong = set(form.errors)
    folds = {
        "lies": bool(wrong & set(LIES)),
        "criteria": any(name.startswith(("must_", "weight_")) or name[-2:] in ("_2", "_3", "_4") for name in wrong),
        "names": bool(wrong & {"blind", "saves_seed"}),
    }
    crops = list(Crop.objects.all())
    return {
        "form": form,
        "trial": trial,
        "touched": form.data.get("touched", EVERYTHING if trial or copied else "crop" if form.initial.get("crop") else ""),
        "begun": bool(trial or copied or form.data or form.initial.get("crop")),
        "forecast": forecast(getattr(form, "cleaned_data", {}), _count(form)) if form.errors else Forecast(),
        "proposed": "{}",
        "typed": typed,
        "check": str(form.data.get("check", form.initial.get("check", ""))),
        "folds": folds,
        "designs": {d.key: {"said": d.said, "two": d.key in TWO_FACTORS} for d in DESIGNS},
        "factors": FACTORS,
        "crop_names": [
            name for c in crops for name in (c.name, *(n.strip() for n in str(c.profile.get("also", "")).split(",") if n))
        ],
        "sites": [_bed_told(b) for b in Bed.objects.select_related("site")],
        "traits": {t.key: {"direction": t.direction, "matters": t.matters, "unit": t.shown_unit} for t in Trait.objects.all()},
    }


def _bed_told(bed: Bed) -> dict[str, object]:
    def shown(value: float) -> float:
        return round(value_shown(value, "m"), 3)

    sizes = {"length": shown(bed.length_m), "width": shown(bed.width_m)}
    return {"site": bed.site.name, "name": bed.name, "bearing": bed.bearing, **sizes}
