"""The practice season: begin one, let months pass, decide in the real screens, then see the truth."""

from __future__ import annotations

import secrets

from django import forms
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_POST

from evarlo.people.permissions import may
from evarlo.people.requests import PersonRequest, typed
from evarlo.rehearsal.models import PlayedSeason
from evarlo.rehearsal.services import (
    BLOCKS,
    ENTRIES,
    MONTHS,
    begin_season,
    let_a_month_pass,
    let_it_end,
    look_at_the_truth,
    put_away,
)
from evarlo.rehearsal.truth import often, truth_of
from evarlo.ui.fields import Number
from evarlo.ui.notice import say
from evarlo.ui.refused import said_on_top

PASSED = ("Nothing is sown yet.", "Sown.", "The stand is counted.", "Vigour is scored.", "Everything is weighed.")


class NewSeason(forms.Form):
    """What a practice season is made of."""

    entries = Number(label="Entries beside the check", low=ENTRIES[0], high=ENTRIES[1], whole=True, initial=11)
    blocks = Number(label="Blocks", low=BLOCKS[0], high=BLOCKS[1], whole=True, initial=4)
    check = forms.ChoiceField(label="The check", choices=[("good", "a good one"), ("like", "like the entries")])


def _own(request: PersonRequest, pk: int) -> PlayedSeason:
    return get_object_or_404(PlayedSeason.objects.select_related("trial", "by"), pk=pk, by=request.user)


@may("decide")
def seasons(request: PersonRequest) -> HttpResponse:
    """Begin a practice season, or go on with one."""
    form = NewSeason(typed(request))
    if request.method == "POST" and form.is_valid():
        data = form.cleaned_data
        made = begin_season(
            data["entries"], data["blocks"], data["check"] == "good", request.user, secrets.randbits(31), timezone.localdate()
        )
        return redirect(made)
    own = PlayedSeason.objects.filter(by=request.user, away_at__isnull=True).select_related("trial")
    status = 422 if form.errors else 200
    return render(request, "rehearsal/seasons.html", {"form": form, "seasons": own, "months": MONTHS}, status=status)


@may("decide")
def season(request: PersonRequest, pk: int) -> HttpResponse:
    """How far it has come, and what to do."""
    played = _own(request, pk)
    context = {
        "season": played,
        "trial": played.trial,
        "months": MONTHS,
        "passed": PASSED[played.months],
        "over": played.months >= MONTHS,
    }
    return render(request, "rehearsal/season.html", context)


@may("decide")
@require_POST
def go_on(request: PersonRequest, pk: int) -> HttpResponse:
    """A month passes, or all that are left."""
    played = _own(request, pk)
    with said_on_top(request):
        if request.POST.get("all"):
            let_it_end(played, timezone.localdate())
        else:
            let_a_month_pass(played, timezone.localdate())
    return redirect(played)


@may("decide")
def truth(request: PersonRequest, pk: int) -> HttpResponse:
    """What was true, who was wrong, and how often that is so."""
    played = _own(request, pk)
    with said_on_top(request):
        look_at_the_truth(played)
        reckon = request.GET.get("more") == "1"
        table = often(played, reckon)
        left = sum(f is None for _, row in table for f in row)
        context = {"season": played, "trial": played.trial, "truth": truth_of(played), "table": table, "left": left}
        part = "rehearsal/truth.html#often" if request.htmx else "rehearsal/truth.html"
        return render(request, part, context)
    return redirect(played)


@may("decide")
@require_POST
def away(request: PersonRequest, pk: int) -> HttpResponse:
    """Put a practice season away."""
    played = _own(request, pk)
    put_away(played)
    say(request, f"{played.trial.name} is put away.")
    return redirect("rehearsal:seasons")
