"""Identity of a plot: raising a doubt, what could tell, settling it."""

from __future__ import annotations

from typing import Any

from django import forms
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_POST

from evarlo.catalogue.services import cultivar_of
from evarlo.identity.boundaries import ENDS, lose_boundary, neighbours_of, settle_boundary
from evarlo.identity.doubts import IDENTITIES, open_doubt, past_of, raise_doubt, settle_doubt
from evarlo.identity.likeness import likeness_of
from evarlo.identity.models import Doubt
from evarlo.nursery.names import called
from evarlo.people.permissions import allowed, may
from evarlo.people.requests import PersonRequest
from evarlo.trials.models import Entry, Plot, Trial
from evarlo.trials.queries import names_shown
from evarlo.trials.views import trial_or_404
from evarlo.ui.fields import Number, OwnIds, Words
from evarlo.ui.notice import say
from evarlo.ui.refused import Refused, said_beside
from evarlo.ui.words import counted


class DoubtForm(OwnIds):
    unmarked = ("why", "candidates", "outside", "tells")
    why = Words(label="What looks wrong", most=200, required=False)
    candidates = forms.MultipleChoiceField(label="It could be", required=False, widget=forms.CheckboxSelectMultiple)
    outside = Words(
        label="Or a cultivar that is not in this trial",
        most=60,
        required=False,
        widget=forms.TextInput(attrs={"list": "cultivars-listed"}),
    )
    tells = Words(label="What would tell them apart", most=200, required=False)

    def __init__(self, names: dict[int, str], *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.choose_from("candidates", [(str(pk), name) for pk, name in names.items()])


class SettleForm(OwnIds):
    unmarked = ("entry", "how")
    outcome = forms.ChoiceField(label="It turned out", choices=[(o.value, o.label) for o in IDENTITIES])
    entry = forms.ChoiceField(label="Which entry", required=False)
    how = Words(label="How it was settled", most=200, required=False)

    def __init__(self, names: dict[int, str], *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.choose_from("entry", [("", "—"), *((str(pk), name) for pk, name in names.items())])


class BoundaryForm(OwnIds):
    unmarked = ("why",)
    neighbour = forms.ChoiceField(label="Between this plot and")
    why = Words(label="What happened", most=200, required=False)

    def __init__(self, plot: Plot, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.choose_from("neighbour", [(str(p.pk), p.number) for p in neighbours_of(plot)])


class SettleBoundaryForm(OwnIds):
    unmarked = ("how",)
    outcome = forms.ChoiceField(label="What became of it", choices=[(o.value, o.label) for o in ENDS])
    deep = Number(label="Lines of plants on either side", low=1, high=50, whole=True, required=False, unmarked=True)
    how = Words(label="How it was settled", most=200, required=False)


def _plot(trial: Trial, pk: int) -> Plot:
    return get_object_or_404(Plot.objects.select_related("entry", "trial"), trial=trial, pk=pk)


@may("see")
def identity_page(request: PersonRequest, slug: str, pk: int) -> HttpResponse:
    return _page(request, slug, pk)


def _page(request: PersonRequest, slug: str, pk: int, **given: forms.Form) -> HttpResponse:
    """What is known and in doubt of a plot; `given` is the form that was sent with something wrong in it."""
    trial = trial_or_404(slug)
    plot, names = _plot(trial, pk), called(trial, request.user)
    plot.trial = trial
    doubt = open_doubt(plot)
    boundary = doubt is not None and doubt.neighbour is not None
    context: dict[str, Any] = {
        "trial": trial,
        "plot": plot,
        "names": names,
        "doubt": doubt,
        "form": DoubtForm(names),
        "lost": BoundaryForm(plot),
        "settle": SettleBoundaryForm() if boundary else SettleForm(names),
        "neighbours": neighbours_of(plot),
        "listed": trial.crop.cultivars.all() if names_shown(trial, request.user) else (),
        "past": past_of(plot),
    }
    if doubt and not boundary and allowed(request.user, "compare"):
        some = list(doubt.candidates.all())
        every = [*some, plot.entry] if some else list(trial.entries.all())
        found = likeness_of(plot, {e.pk: e for e in every}.values(), doubt.outside)
        context["candidates"] = [(c, names[c.entry.pk] if c.entry else str(c.outside)) for c in found]
    return render(request, "identity/identity.html", context | given, status=422 if given else 200)


@may("observe")
@require_POST
def doubt_act(request: PersonRequest, slug: str, pk: int) -> HttpResponse:
    trial = trial_or_404(slug)
    form = DoubtForm(called(trial, request.user), request.POST)
    if form.is_valid():
        d = form.cleaned_data
        entries = list(Entry.objects.filter(trial=trial, pk__in=d["candidates"]))
        with said_beside(form):
            outside = None
            if d["outside"]:
                outside = cultivar_of(trial.crop, d["outside"])
                if outside is None:
                    raise Refused(f"Found “{d['outside']}”. Expected a cultivar that is on the list of {trial.crop}.", "outside")
            raise_doubt(_plot(trial, pk), d["why"], entries, d["tells"], timezone.localdate(), request.user, outside)
            say(request, "The doubt is kept; the plot is left out of every comparison until it is settled.")
            return redirect("identity:identity", slug, pk)
    return _page(request, slug, pk, form=form)


@may("observe")
@require_POST
def boundary_act(request: PersonRequest, slug: str, pk: int) -> HttpResponse:
    """It cannot be told where this plot ends and the next one begins."""
    trial = trial_or_404(slug)
    plot = _plot(trial, pk)
    plot.trial = trial
    form = BoundaryForm(plot, request.POST)
    if form.is_valid():
        d = form.cleaned_data
        neighbour = _plot(trial, int(d["neighbour"]))
        with said_beside(form):
            lose_boundary(plot, neighbour, d["why"], timezone.localdate(), request.user)
            say(request, f"Plots {plot.number} and {neighbour.number} are left out of every comparison until it is settled.")
            return redirect("identity:identity", slug, pk)
    return _page(request, slug, pk, lost=form)


@may("exclude")
@require_POST
def settle_identity(request: PersonRequest, slug: str, pk: int) -> HttpResponse:
    trial = trial_or_404(slug)
    plot = _plot(trial, pk)
    doubt = open_doubt(plot)
    if doubt and doubt.neighbour:
        return _settle_boundary(request, slug, pk, doubt)
    form = SettleForm(called(trial, request.user), request.POST)
    if form.is_valid():
        d = form.cleaned_data
        entry = Entry.objects.filter(trial=trial, pk=d["entry"]).first() if d["entry"] else None
        with said_beside(form):
            if doubt is None:
                raise Refused("It was settled already.")
            settle_doubt(doubt, d["outcome"], entry, d["how"], timezone.localdate(), request.user)
            say(request, f"Plot {plot.number}: {Doubt.Outcome(d['outcome']).label}.")
            return redirect("identity:identity", slug, pk)
    return _page(request, slug, pk, settle=form)


def _settle_boundary(request: PersonRequest, slug: str, pk: int, doubt: Doubt) -> HttpResponse:
    form = SettleBoundaryForm(request.POST)
    if form.is_valid():
        d = form.cleaned_data
        with said_beside(form):
            count = settle_boundary(doubt, d["outcome"], d["deep"], d["how"], timezone.localdate(), request.user)
            aside = f", {counted(count, 'plant')} in all; leave them when you pick" if count else ""
            say(request, f"Plots {doubt.plot.number} and {doubt.neighbour}: {Doubt.Outcome(d['outcome']).label}{aside}.")
            return redirect("identity:identity", slug, pk)
    return _page(request, slug, pk, settle=form)
