"""The trainer: drawn leaves and plots, one at a time, and what a rater's figures are over time."""

from __future__ import annotations

import secrets
from typing import Any

from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_POST

from evarlo.people.models import User
from evarlo.people.permissions import allowed, may
from evarlo.people.requests import PersonRequest
from evarlo.practice.agreement import pairs_of, raters_of
from evarlo.practice.models import Practice
from evarlo.practice.trainer import answer, begin, figures_of, item_of, newest_figures, runs_of
from evarlo.trials.frame import frame
from evarlo.trials.views import trial_or_404
from evarlo.ui.draw.scatter import said_and_true
from evarlo.ui.fields import NUMBER
from evarlo.ui.notice import warn
from evarlo.ui.refused import Refused
from evarlo.walks.models import Round


@may("observe")
def practice_page(request: PersonRequest) -> HttpResponse:
    """What can be practised, one's own figures over time, and for those who compare everybody's newest."""
    own = runs_of(request.user)
    context: dict[str, Any] = {"runs": list(reversed(own))[:20], "subjects": Practice.Subject.choices}
    if own:
        last = own[-1][0]
        context["drawing"] = said_and_true(last.said, last.truth)
    if allowed(request.user, "exclude"):
        people = {u.pk: u for u in User.objects.filter(is_active=True)}
        found = newest_figures(list(people))
        words = dict(Practice.Subject.choices)
        rows = [(people[pk], words[subject], f) for (pk, subject), f in found.items()]
        context["raters"] = sorted(rows, key=lambda row: (str(row[0]), row[1]))
    return render(request, "practice/practice.html", context)


@may("observe")
@require_POST
def begin_act(request: PersonRequest) -> HttpResponse:
    back = request.POST.get("round", "")
    back_to = Round.objects.filter(pk=int(back)).first() if back.isdecimal() and len(back) < 15 else None
    try:
        subject, mode = request.POST.get("subject", ""), request.POST.get("mode", "")
        run = begin(request.user, subject, mode, secrets.randbits(62), timezone.now(), back_to)
    except Refused as refusal:
        warn(request, str(refusal))
        return redirect("practice:home")
    return redirect("practice:run", run.pk)


def _run(request: PersonRequest, pk: int) -> Practice:
    return get_object_or_404(Practice.objects.select_related("back_to__trial"), pk=pk, by=request.user)


@may("observe")
def run_page(request: PersonRequest, pk: int, wrong: str = "", typed: str = "") -> HttpResponse:
    """The next drawing, what the last one was (in practice), or the end."""
    run = _run(request, pk)
    n = len(run.said)
    tells = run.mode != Practice.Mode.TEST
    context: dict[str, Any] = {"run": run, "n": n, "number": n + 1, "wrong": wrong, "typed": typed, "tells": tells}
    if n and tells:
        last = item_of(run, n - 1)
        context["before"] = (last.drawing, run.said[-1], run.truth[-1], run.said[-1] - run.truth[-1])
    if run.ended_at:
        context |= {"figures": figures_of(run.said, run.truth), "drawing": said_and_true(run.said, run.truth)}
    else:
        context["drawing"] = item_of(run, n).drawing
    template = "practice/run.html#run" if request.htmx else "practice/run.html"
    return render(request, template, context, status=422 if wrong else 200)


@may("observe")
@require_POST
def answer_act(request: PersonRequest, pk: int) -> HttpResponse:
    run, typed = _run(request, pk), request.POST.get("said", "").strip().removesuffix("%").strip()
    n = request.POST.get("n", "")
    if not NUMBER.fullmatch(typed) or len(typed) > 20:
        found = f"Found “{typed[:20]}”. Expected a number from 0 to 100." if typed else "Type the share affected, from 0 to 100 %."
        return run_page(request, pk, wrong=found, typed=typed)
    try:
        answer(run, int(n) if n.isdecimal() and len(n) < 5 else -1, float(typed.replace(",", ".")), timezone.now())
    except Refused as refusal:
        return run_page(request, pk, wrong=str(refusal), typed=typed)
    return run_page(request, pk) if request.htmx else redirect("practice:run", pk)


@may("compare")
def agreement_page(request: PersonRequest, slug: str) -> HttpResponse:
    trial = trial_or_404(slug)
    context = {"pairs": pairs_of(trial), "raters": raters_of(trial)} | frame(request, trial, "walk")
    return render(request, "practice/agreement.html", context)
