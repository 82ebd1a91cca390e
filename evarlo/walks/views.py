"""Walk: choose a trait, then go plot by plot."""

from __future__ import annotations

import uuid
from typing import Any

from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_POST

from evarlo.catalogue.models import Trait
from evarlo.people.permissions import may
from evarlo.people.requests import PersonRequest
from evarlo.trials.forms import offered_traits
from evarlo.trials.frame import Scoring, frame
from evarlo.trials.models import Plot, Trial
from evarlo.trials.services import Refused
from evarlo.trials.views import trial_or_404
from evarlo.ui.fields import NUMBER, read_day
from evarlo.ui.notice import say, warn
from evarlo.walks.models import Observation, Rival, Round
from evarlo.walks.queries import current, round_lines
from evarlo.walks.score import Score, days_offered, score
from evarlo.walks.services import Seen, Unlikely, close_round, keep_observation, open_round, withdraw


@may("see")
def walk(request: PersonRequest, slug: str) -> HttpResponse:
    """The rounds of a trial and what can be walked next."""
    trial = trial_or_404(slug)
    first = trial.rounds.select_related("trait").first()
    plots = trial.plots.exclude(exclusions__isnull=False, exclusions__lifted_at__isnull=True).count()
    offered = {c.trait.key: c.trait for c in trial.criteria.select_related("trait")}
    offered |= {t.key: t for t in offered_traits()}
    context = frame(request, trial, "walk", layer=first.trait.key if first else "") | {
        "lines": round_lines(trial, plots),
        "to_settle": Rival.objects.filter(round__trial=trial, settled_at__isnull=True).count(),
        "offered": [t for t in offered.values() if t.source == Trait.Source.WALK],
        "chosen": request.GET.get("trait", ""),
        "today": timezone.localdate(),
    }
    return render(request, "walks/walk.html", context)


@may("observe")
@require_POST
def open_act(request: PersonRequest, slug: str) -> HttpResponse:
    trial = trial_or_404(slug)
    trait = get_object_or_404(Trait, key=request.POST.get("trait", ""))
    try:
        opened = open_round(trial, trait, timezone.localdate(), request.user)
    except Refused as refusal:
        warn(request, str(refusal))
        return redirect("walks:walk", slug)
    return redirect("walks:field" if "field" in request.POST else "walks:round", slug, opened.pk)


def round_or_404(trial: Trial, pk: int) -> Round:
    return get_object_or_404(Round.objects.select_related("trait", "trial"), trial=trial, pk=pk)


@may("observe")
def round_page(request: PersonRequest, slug: str, pk: int) -> HttpResponse:
    trial = trial_or_404(slug)
    asked = round_or_404(trial, pk)
    question = score(asked, number=request.GET.get("at", ""))
    if request.htmx and request.htmx.target == "score":
        return render(request, "walks/round.html#score", _score_context(request, trial, question))
    context = frame(request, trial, "round", scoring=_scoring(asked)) | _score_context(request, trial, question)
    return render(request, "walks/round.html", context)


@may("observe")
def round_ground(request: PersonRequest, slug: str, pk: int) -> HttpResponse:
    """The ground of a round, drawn anew after an answer."""
    trial = trial_or_404(slug)
    context = frame(request, trial, "round", scoring=_scoring(round_or_404(trial, pk)))
    return render(request, "trials/frame.html#ground", context)


def _scoring(asked: Round) -> Scoring:
    done = set(current(asked).order_by().values_list("plot_id", flat=True))
    return Scoring(done, reverse("walks:ground", args=[asked.trial.slug, asked.pk]))


def _score_context(request: PersonRequest, trial: Trial, question: Score | None, **more: Any) -> dict[str, Any]:
    return {
        "trial": trial,
        "q": question,
        "days": days_offered(timezone.localdate()),
        "today": timezone.localdate(),
        "typed": "",
        "error": "",
        "ask": "",
        "last": None,
        **more,
    }


@may("observe")
@require_POST
def keep(request: PersonRequest, slug: str, pk: int) -> HttpResponse:
    """Keep one answer and ask the next question. What cannot be kept comes back with what was typed."""
    trial = trial_or_404(slug)
    asked = round_or_404(trial, pk)
    plot = get_object_or_404(Plot, trial=trial, pk=request.POST.get("plot", "0") if request.POST.get("plot", "").isdecimal() else 0)
    typed = request.POST.get("value", "").strip()[:40]
    note = " ".join(request.POST.get("note", "").split())[:300]

    def again(status: int, **more: Any) -> HttpResponse:
        question = score(asked, number=plot.number)
        context = _score_context(request, trial, question, typed=typed, note=note, cause=request.POST.get("cause", ""), **more)
        return render(request, "walks/round.html#score", context, status=status)

    try:
        key = uuid.UUID(request.POST.get("key", ""))
        seen = _read(asked.trait, typed, request.POST.get("cause", ""), note)
        kept = keep_observation(
            asked, plot, seen, request.user, timezone.localdate(), key, timezone.localdate(), bool(request.POST.get("sure"))
        )
    except Refused as refusal:
        return again(422, error=str(refusal))
    except Unlikely as doubt:
        return again(422, ask=str(doubt))
    except ValueError:
        return again(422, error="The page lost the name of this answer. Keep it once more.")
    if not request.htmx:
        return redirect(f"{reverse('walks:round', args=[slug, pk])}?at=")
    question = score(asked, after=plot)
    response = render(request, "walks/round.html#score", _score_context(request, trial, question, last=kept))
    response["HX-Trigger-After-Swap"] = "ground-changed"
    return response


def _read(trait: Trait, typed: str, cause: str, note: str) -> Seen:
    """What was typed, as an answer. Raises Refused when it cannot be read."""
    if cause:
        return Seen(cause=cause, note=note)
    if not typed:
        raise Refused("Type a value, or choose why there is none.")
    if trait.kind == Trait.Kind.DATE:
        day = read_day(typed, timezone.localdate().year)
        if day is None:
            raise Refused(f"Found “{typed}”. Expected a day such as 14 Jul or 2026-07-14.")
        return Seen(day=day, note=note)
    plain = typed.replace("−", "-").removesuffix(trait.unit).strip() if trait.unit else typed
    if not NUMBER.fullmatch(plain):
        raise Refused(f"Found “{typed}”. Expected a number{' in ' + trait.unit if trait.unit else ''}.")
    return Seen(number=float(plain.replace(",", ".")), note=note)


@may("observe")
@require_POST
def undo(request: PersonRequest, slug: str, pk: int, key: uuid.UUID) -> HttpResponse:
    """Take the last answer back and ask that plot again."""
    trial = trial_or_404(slug)
    asked = round_or_404(trial, pk)
    kept = get_object_or_404(Observation.objects.select_related("plot", "round"), pk=key, round=asked)
    try:
        withdraw(kept, request.user)
    except Refused as refusal:
        warn(request, str(refusal))
    if not request.htmx:
        return redirect(f"{reverse('walks:round', args=[slug, pk])}?at={kept.plot.number}")
    response = render(request, "walks/round.html#score", _score_context(request, trial, score(asked, number=kept.plot.number)))
    response["HX-Trigger-After-Swap"] = "ground-changed"
    return response


@may("observe")
@require_POST
def close(request: PersonRequest, slug: str, pk: int) -> HttpResponse:
    trial = trial_or_404(slug)
    asked = round_or_404(trial, pk)
    close_round(asked)
    last = score(asked)
    left = last.total - last.done if last else 0
    say(request, f"{asked} is closed" + (f"; {left} plots have no value in it." if left else "."))
    return redirect("walks:walk", slug)
