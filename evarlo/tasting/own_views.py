"""The ballot on a judge's own phone: opened by the code of a seat, one dish after the other, no account and no name."""

from __future__ import annotations

from urllib.parse import urlencode

from django import forms
from django.contrib.auth.decorators import login_not_required
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_POST

from evarlo.tasting.results import ballot_of_seat
from evarlo.tasting.services import HIGHEST, LOWEST, keep_own, seat_of
from evarlo.tasting.words import TO_JUDGES, cautions_of
from evarlo.ui.fields import Words
from evarlo.ui.refused import Refused, said_beside


class CodeForm(forms.Form):
    code = Words(
        label="The letters of your seat", most=20, error_messages={"required": "Nothing was typed. Expected eight letters."}
    )


@login_not_required
def by_code(request: HttpRequest) -> HttpResponse:
    """Where a judge types the code of their seat."""
    typed = request.POST if request.method == "POST" else request.GET if "code" in request.GET else None
    form = CodeForm(typed)
    if form.is_bound and form.is_valid():
        with said_beside(form):
            return redirect("own-ballot", seat_of(form.cleaned_data["code"], timezone.localdate()).code)
    return render(request, "tasting/code.html", {"form": form}, status=422 if form.is_bound else 200)


@login_not_required
def own_ballot(request: HttpRequest, code: str) -> HttpResponse:
    try:
        seat = seat_of(code, timezone.localdate())
    except Refused:
        return redirect(f"{reverse('own-ballot-code')}?{urlencode({'code': code[:20]})}")  # where it is said beside the field
    ballot = ballot_of_seat(seat)
    dishes = ([ballot.warm_up] if ballot.warm_up else []) + list(ballot.dishes)
    context = {
        "seat": seat,
        "panel": seat.panel,
        "dishes": [(d, ballot.scores.get(d.pk)) for d in dishes],
        "count": len(ballot.dishes),
        "scores": range(LOWEST, HIGHEST + 1),
        "to_judges": cautions_of(seat.panel.trial.crop, TO_JUDGES),
    }
    return render(request, "tasting/own.html", context)


@login_not_required
@require_POST
def own_score(request: HttpRequest, code: str) -> HttpResponse:
    """One score. The page sends it in the background and asks for JSON; a browser without script gets its page again."""
    try:
        seat = seat_of(code, timezone.localdate())
        keep_own(seat, _number(request.POST.get("dish")), _number(request.POST.get("score")))
    except Refused as refusal:
        if request.headers.get("Accept") == "application/json":
            return JsonResponse({"said": str(refusal)}, status=422)
        return render(request, "tasting/code.html", {"form": CodeForm({"code": code[:20]}), "said": str(refusal)}, status=422)
    if request.headers.get("Accept") == "application/json":
        return JsonResponse({"kept": True})
    return redirect("own-ballot", seat.code)


def _number(text: str | None) -> int:
    if not text or not text.isascii() or not text.isdigit() or len(text) > 4:
        raise Refused(f"Found “{(text or '')[:20]}”. Expected a whole number.", "scores")
    return int(text)
