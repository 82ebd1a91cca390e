"""Weights from a sheet, on their pages: chosen, looked at, brought in, taken back."""

from __future__ import annotations

from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_POST

from evarlo.harvest.models import WeightsFile
from evarlo.harvest.sheets import bring_in, keep_file, take_back, understood
from evarlo.harvest.words import weights_in_words
from evarlo.people.permissions import may
from evarlo.people.requests import PersonRequest
from evarlo.trials.frame import frame
from evarlo.trials.models import Trial
from evarlo.trials.views import trial_or_404
from evarlo.ui.notice import say
from evarlo.ui.refused import said_beside, said_on_top
from evarlo.ui.uploads import Upload
from evarlo.ui.words import counted

SHOWN = 40


@may("pick")
def weights(request: PersonRequest, slug: str) -> HttpResponse:
    trial = trial_or_404(slug)
    if request.method != "POST":
        return _page(request, trial, Upload())
    form = Upload(request.POST, request.FILES)
    if form.is_valid():
        with said_beside(form, form.used):
            made = keep_file(trial, *form.taken(), request.user)
            return redirect("harvest:weights-file", slug, made.pk)
    return _page(request, trial, form)


def _page(request: PersonRequest, trial: Trial, form: Upload) -> HttpResponse:
    files = trial.weights_files.in_force().filter(brought_at__isnull=False).select_related("by")
    context = {"form": form, "files": files} | frame(request, trial, "pick", layer="marketable-yield")
    return render(request, "harvest/weights.html", context, status=422 if form.is_bound else 200)


@may("pick")
def weights_file(request: PersonRequest, slug: str, pk: int) -> HttpResponse:
    """What was understood of a sheet. Nothing is kept before the person says so."""
    trial = trial_or_404(slug)
    file = get_object_or_404(WeightsFile.objects.in_force(), trial=trial, pk=pk)
    if file.brought_at:
        return redirect("harvest:weights", slug)
    found = understood(file, timezone.localdate())
    context = {
        "file": file,
        "found": found,
        "lead": weights_in_words(found),
        "shown": found.problems[:SHOWN],
        "more": max(0, len(found.problems) - SHOWN),
        "first": sorted(found.weighed.items(), key=lambda row: (row[0][1], row[0][0].place))[:SHOWN],
        "rest": max(0, len(found.weighed) - SHOWN),
        "far": found.far[:SHOWN],
    }
    context |= frame(request, trial, "pick", layer="marketable-yield")
    return render(request, "harvest/weights_file.html", context, status=422 if found.problems else 200)


@may("pick")
@require_POST
def bring(request: PersonRequest, slug: str, pk: int) -> HttpResponse:
    file = get_object_or_404(WeightsFile.objects.in_force(), trial__slug=slug, pk=pk)
    with said_on_top(request):
        many = bring_in(file, request.user, timezone.localdate())
        say(request, f"{counted(many, 'weigh-in')} from {file.name} are in.")
        return redirect("harvest:pick", slug)
    return redirect("harvest:weights-file", slug, pk)


@may("plan")
@require_POST
def back(request: PersonRequest, slug: str, pk: int) -> HttpResponse:
    file = get_object_or_404(WeightsFile.objects.in_force().filter(brought_at__isnull=False), trial__slug=slug, pk=pk)
    with said_on_top(request):
        many = take_back(file, request.user)
        say(request, f"{counted(many, 'weigh-in')} of {file.name} are taken back.")
    return redirect("harvest:weights", slug)
