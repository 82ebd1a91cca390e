"""Identity of a plot: raising a doubt, what could tell, settling it."""

from __future__ import annotations

from typing import Any

from django import forms
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_POST

from evarlo.identity.doubts import likeness_of, raise_doubt, settle_doubt
from evarlo.identity.models import Doubt
from evarlo.nursery.names import called
from evarlo.people.permissions import allowed, may
from evarlo.people.requests import PersonRequest
from evarlo.trials.models import Entry, Plot, Trial
from evarlo.trials.views import trial_or_404
from evarlo.ui.fields import OwnIds, Words
from evarlo.ui.notice import say
from evarlo.ui.refused import Refused, said_beside


class DoubtForm(OwnIds):
    unmarked = ("why", "candidates", "tells")
    why = Words(label="What looks wrong", most=200, required=False)
    candidates = forms.MultipleChoiceField(label="It could be", required=False, widget=forms.CheckboxSelectMultiple)
    tells = Words(label="What would tell them apart", most=200, required=False)

    def __init__(self, names: dict[int, str], *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.choose_from("candidates", [(str(pk), name) for pk, name in names.items()])


class SettleForm(OwnIds):
    unmarked = ("entry", "how")
    outcome = forms.ChoiceField(label="It turned out", choices=Doubt.Outcome.choices)
    entry = forms.ChoiceField(label="Which entry", required=False)
    how = Words(label="How it was settled", most=200, required=False)

    def __init__(self, names: dict[int, str], *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.choose_from("entry", [("", "—"), *((str(pk), name) for pk, name in names.items())])


def _plot(trial: Trial, pk: int) -> Plot:
    return get_object_or_404(Plot.objects.select_related("entry", "trial"), trial=trial, pk=pk)


@may("see")
def identity_page(
    request: PersonRequest, slug: str, pk: int, form: DoubtForm | None = None, settle: SettleForm | None = None
) -> HttpResponse:
    trial = trial_or_404(slug)
    plot, names = _plot(trial, pk), called(trial, request.user)
    plot.trial = trial
    doubt = plot.identity_doubts.filter(outcome="").select_related("by").prefetch_related("candidates").first()
    context: dict[str, Any] = {
        "trial": trial,
        "plot": plot,
        "names": names,
        "doubt": doubt,
        "form": form or DoubtForm(names),
        "settle": settle or SettleForm(names),
        "past": plot.identity_doubts.exclude(outcome="").select_related("settled_by", "entry"),
    }
    if doubt and allowed(request.user, "compare"):
        some = list(doubt.candidates.all())
        every = [*some, plot.entry] if some else list(trial.entries.all())
        context["candidates"] = likeness_of(plot, {e.pk: e for e in every}.values())
    return render(request, "identity/identity.html", context, status=422 if form or settle else 200)


@may("observe")
@require_POST
def doubt_act(request: PersonRequest, slug: str, pk: int) -> HttpResponse:
    trial = trial_or_404(slug)
    form = DoubtForm(called(trial, request.user), request.POST)
    if form.is_valid():
        d = form.cleaned_data
        entries = list(Entry.objects.filter(trial=trial, pk__in=d["candidates"]))
        with said_beside(form):
            raise_doubt(_plot(trial, pk), d["why"], entries, d["tells"], timezone.localdate(), request.user)
            say(request, "The doubt is kept; the plot is left out of every comparison until it is settled.")
            return redirect("identity:identity", slug, pk)
    return identity_page(request, slug, pk, form)


@may("exclude")
@require_POST
def settle_identity(request: PersonRequest, slug: str, pk: int) -> HttpResponse:
    trial = trial_or_404(slug)
    plot = _plot(trial, pk)
    form = SettleForm(called(trial, request.user), request.POST)
    doubt = plot.identity_doubts.filter(outcome="").first()
    if form.is_valid():
        d = form.cleaned_data
        entry = Entry.objects.filter(trial=trial, pk=d["entry"]).first() if d["entry"] else None
        with said_beside(form):
            if doubt is None:
                raise Refused("It was settled already.")
            settle_doubt(doubt, d["outcome"], entry, d["how"], timezone.localdate(), request.user)
            say(request, f"Plot {plot.number}: {Doubt.Outcome(d['outcome']).label}.")
            return redirect("identity:identity", slug, pk)
    return identity_page(request, slug, pk, settle=form)
