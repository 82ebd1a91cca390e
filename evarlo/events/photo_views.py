"""Pictures of a plot: the page, taking one, and the pictures themselves."""

from __future__ import annotations

import uuid
from datetime import datetime

from django.http import HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_POST

from evarlo.events.models import Photo
from evarlo.events.photos import keep_photo, photos_of, withdraw_photo
from evarlo.people.once import takes_long
from evarlo.people.permissions import may, may_take_back
from evarlo.people.requests import PersonRequest
from evarlo.trials.models import Plot, Trial
from evarlo.trials.views import trial_or_404
from evarlo.ui.notice import say
from evarlo.ui.refused import Refused, said_on_top


def _plot(trial: Trial, pk: int) -> Plot:
    return get_object_or_404(Plot.objects.select_related("entry"), trial=trial, pk=pk)


@may("see")
def photos_page(request: PersonRequest, slug: str, pk: int, wrong: str = "") -> HttpResponse:
    trial = trial_or_404(slug)
    plot = _plot(trial, pk)
    context = {"trial": trial, "plot": plot, "photos": photos_of(plot), "wrong": wrong}
    return render(request, "events/photos.html", context, status=422 if wrong else 200)


@takes_long
@may("observe")
@require_POST
def new_photo(request: PersonRequest, slug: str, pk: int) -> HttpResponse:
    """A picture from the page's form, or from a phone that kept it while there was no signal."""
    trial = trial_or_404(slug)
    plot, sent = _plot(trial, pk), request.FILES.get("photo")
    from_phone = "key" in request.POST
    today = timezone.localdate()
    if from_phone and request.POST.get("who") != str(request.user.pk):
        return JsonResponse({"state": "refused", "said": "It is another person's picture."}, status=409)
    try:
        key = uuid.UUID(request.POST["key"] if from_phone else request.POST.get("act-key") or str(uuid.uuid4()))
        taken = request.POST.get("taken", "")
        on = timezone.localdate(datetime.fromtimestamp(float(taken) / 1000, timezone.get_current_timezone())) if taken else today
    except (ValueError, OverflowError, OSError):
        return JsonResponse({"state": "refused", "said": "That is not what a phone sends."}, status=400)
    try:
        raw = sent.read() if sent else b""
        keep_photo(plot, key, raw, request.POST.get("note", ""), on, request.POST.get("place") == "yes", request.user, today)
    except Refused as refusal:
        if from_phone:
            return JsonResponse({"state": "refused", "said": str(refusal)})
        return photos_page(request, slug, pk, wrong=str(refusal))
    if from_phone:
        return JsonResponse({"state": "kept"})
    say(request, "The picture is in the plot's diary.")
    return redirect("events:photos", slug, pk)


@may("see")
def photo(request: PersonRequest, slug: str, key: uuid.UUID) -> HttpResponse:
    """One picture, small unless the whole is asked for."""
    found = get_object_or_404(Photo.objects.in_force(), pk=key, plot__trial__slug=slug)
    response = HttpResponse(bytes(found.image if "whole" in request.GET else found.small), content_type="image/jpeg")
    response["Cache-Control"] = "private, max-age=86400"
    return response


@may("observe")
@require_POST
def undo_photo(request: PersonRequest, slug: str, key: uuid.UUID) -> HttpResponse:
    found = get_object_or_404(Photo.objects.defer("image", "small"), pk=key, plot__trial__slug=slug)
    with said_on_top(request):
        may_take_back(request.user, found.by_id, found.at)
        withdraw_photo(found)
        say(request, "The picture is taken out of the diary.")
    return redirect("events:photos", slug, found.plot_id)
