"""Stages: when each entry reached one, how sure that is, and when the next is to come."""

from __future__ import annotations

from typing import Any

from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_POST

from evarlo.nursery.names import called
from evarlo.people.given_again import given_again
from evarlo.people.permissions import may
from evarlo.people.requests import PersonRequest
from evarlo.trials.frame import frame
from evarlo.trials.models import Trial
from evarlo.trials.task_services import add_task
from evarlo.trials.views import trial_or_404
from evarlo.ui.draw.stages import StageRow, stage_rows
from evarlo.ui.notice import say
from evarlo.ui.refused import Refused, said_on_top
from evarlo.walks.stages import Stage, stage_of, stages_seen


def _chosen(trial: Trial, key: str) -> tuple[list[Any], Stage | None]:
    seen = stages_seen(trial)
    trait = next((t for t in seen if t.key == key), seen[-1] if seen else None)
    return seen, stage_of(trial, trait) if trait else None


@may("compare")
@given_again
def stages_page(request: PersonRequest, slug: str) -> HttpResponse:
    trial = trial_or_404(slug)
    seen, stage = _chosen(trial, request.GET.get("trait", ""))
    context: dict[str, Any] = {"seen": seen, "stage": stage}
    if stage:
        names = called(trial, request.user)
        context |= {"rows": [(e, names[e.entry_id]) for e in stage.entries], "drawing": _drawn(stage, names)}
        context["first"] = min((e.forecast.earliest for e in stage.entries if e.forecast), default=None)
    layer = stage.trait.key if stage else ""
    return render(request, "walks/stages.html", context | frame(request, trial, "walk", layer=layer))


def _drawn(stage: Stage, names: dict[int, str]) -> str:
    def days(day: Any) -> float:
        return float((day - stage.sown).days)

    rows = [
        StageRow(
            names[e.entry_id],
            [(days(w.after), days(w.by) if w.by else None) for w in e.windows if w.after],
            e.mean.days,
            e.mean.lower95,
            e.mean.upper95,
        )
        for e in stage.entries
    ]
    return stage_rows(rows, f"{stage.trait.name}, days from sowing, by entry")


@may("plan")
@require_POST
def expect(request: PersonRequest, slug: str) -> HttpResponse:
    """Put the next stage on the calendar, on the day on which the first entry may reach it."""
    trial = trial_or_404(slug)
    _, stage = _chosen(trial, request.POST.get("trait", ""))
    coming = [e.forecast for e in stage.entries if e.forecast] if stage else []
    with said_on_top(request):
        if not stage or not stage.later or not coming:
            raise Refused("Nothing tells when the next stage is to come.")
        first, last = min(f.earliest for f in coming), max(f.latest for f in coming)
        add_task(trial, f"Look for {stage.later.name.lower()} (until {last:%-d %b})"[:80], first, "", 0, "", request.user)
        say(request, f"{stage.later.name} is on the calendar from {first:%-d %b} on.")
    return redirect("walks:stages", slug)
