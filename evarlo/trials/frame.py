"""What stands around the bench on every trial page: the season rail above, the ground beside it."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import date, timedelta
from typing import Any

from django.urls import reverse
from django.utils import timezone
from django.utils.safestring import SafeString

from evarlo.people.permissions import opens
from evarlo.people.requests import PersonRequest
from evarlo.trials.ground import Ground, ground_of, legend, scoring_ground
from evarlo.trials.models import Exclusion, Plot, Trial
from evarlo.trials.queries import frost_of_trial, names_are_hidden, without_names
from evarlo.trials.registry import Span, registry
from evarlo.ui.draw.rail import Chip, Frost, Mark, rail
from evarlo.ui.unchanged import each_told, kept

PHASES = (
    ("plan", "Plan", "trials:plan"),
    ("sow", "Sow", "nursery:sow"),
    ("plant", "Plant", "nursery:plant"),
    ("walk", "Walk", "walks:walk"),
    ("pick", "Pick", "harvest:pick"),
    ("compare", "Compare", "compare:compare"),
    ("decide", "Decide", "verdicts:decide"),
)


@dataclass(frozen=True)
class PhaseLink:
    key: str
    name: str
    url: str
    current: bool


@dataclass(frozen=True)
class Scoring:
    """A round that is being walked: the plots that have an answer, and where its ground is drawn anew."""

    done: set[int]
    url: str


@dataclass(frozen=True)
class Frame:
    trial: Trial
    phase: str
    phases: tuple[PhaseLink, ...]
    rail: SafeString | None
    ground: Ground
    ground_url: str
    legend: tuple[str, ...]
    chosen: Plot | None


def frame(request: PersonRequest, trial: Trial, phase: str, layer: str = "", scoring: Scoring | None = None) -> dict[str, Any]:
    """Context for a page that extends `trials/frame.html`. While `scoring` the ground tells no name and no score."""
    wanted = request.GET.get("layer", layer)
    chosen = request.GET.get("plot", "")
    plot = trial.plots.filter(number=chosen).first() if chosen else None
    every = (PhaseLink(key, name, reverse(view, args=[trial.slug]), key == phase) for key, name, view in PHASES)
    links = tuple(link for link in every if link.current or opens(request.user, link.url))
    who, today = request.user.role, timezone.localdate()
    ground = (
        scoring_ground(trial, scoring.done)
        if scoring
        else kept(("ground", trial.pk, who, wanted, today), lambda: ground_of(trial, request.user, wanted), of=[trial])
    )
    drawn = kept(("rail", trial.pk, who, phase, today), lambda: _rail(trial, links, request.user), of=[trial])
    url = scoring.url if scoring else reverse("trials:ground", args=[trial.slug])
    made = Frame(trial, phase, links, drawn, ground, url, legend(), plot)
    return {"trial": trial, "frame": made, "masked": names_are_hidden(trial, request.user)}


def _rail(trial: Trial, links: tuple[PhaseLink, ...], user: Any) -> SafeString | None:
    spans = stage_spans(trial)
    if spans is None:
        return None
    chips = [Chip(x.name, x.url, spans[x.key].start, spans[x.key].end, spans[x.key].planned, x.current) for x in links]
    marks = [Mark(p.on, p.text, p.hurts) for told in each_told(registry.pins, trial) for p in told]
    lost = Exclusion.objects.in_force().filter(plot__trial=trial).select_related("plot")
    by_day: dict[date, list[Exclusion]] = {}
    for e in lost:
        by_day.setdefault(e.on, []).append(e)
    for on, some in by_day.items():
        text = "; ".join(f"plot {e.plot.number}: {e.note}" for e in some)
        marks.append(Mark(on, text, hurts=True, label=f"lost {', '.join(e.plot.number for e in some[:3])}"))
    marks = [replace(mark, text=without_names(trial, mark.text, user)) for mark in marks]
    start, end = min(c.start for c in chips), max(c.end for c in chips)
    return rail(chips, marks, frosts_of(trial, start, end), timezone.localdate())


def stage_spans(trial: Trial) -> dict[str, Span] | None:
    """When each phase was or is to be; None for a trial without any date. What has no date follows what has one."""
    known = {span.phase: span for told in each_told(registry.spans, trial) for span in told}
    if not known.keys() & {"sow", "plant", "pick"}:
        return None
    first = min(span.start for span in known.values())
    spans = {"plan": Span("plan", min(first, trial.made_at.date()) - timedelta(days=21), first)}
    before = first
    for key, _, _ in PHASES[1:]:
        if key in known:
            spans[key] = known[key]
        else:
            spans[key] = Span(key, before, before + timedelta(days=14), planned=before >= timezone.localdate())
        before = max(before, spans[key].end)
    later = next((spans[k].start for k in ("plant", "walk") if k in known), None)
    sow = spans["sow"]
    if later and later > sow.end:
        spans["sow"] = Span("sow", sow.start, later, sow.planned)
    return spans


def frosts_of(trial: Trial, start: date, end: date) -> list[Frost]:
    """The parts of the season in which frost is likely in half of the years or more."""
    frost = frost_of_trial(trial)
    if frost is None:
        return []
    frosts = []
    for year in range(start.year - 1, end.year + 2):
        comes = date.fromisoformat(f"{year}-{frost.first[0.5]}")
        goes = next(d for d in (date.fromisoformat(f"{y}-{frost.last[0.5]}") for y in (year, year + 1)) if d > comes)
        frosts.append(Frost(comes, goes))
    return frosts
