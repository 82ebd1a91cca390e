"""Tastings of a trial: the table is set, ballots are typed under codes, and what they found is said."""

from __future__ import annotations

from typing import Any

from django import forms
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_POST

from evarlo.people.permissions import allowed, may
from evarlo.people.requests import PersonRequest
from evarlo.tasting.models import Panel
from evarlo.tasting.results import Ballot, ballots_of, found_in
from evarlo.tasting.services import (
    HIGHEST,
    LOWEST,
    MOST_JUDGES,
    MOST_SAMPLES,
    PanelPlan,
    keep_ballot,
    open_now,
    set_table,
    undo_panel,
)
from evarlo.tasting.words import CAUTIONS, cautions_of, found_in_words, judges_in_words, table_in_words
from evarlo.trials.frame import frame
from evarlo.trials.holds import holds_in_words, pick_words
from evarlo.trials.models import Trial
from evarlo.trials.queries import entry_names
from evarlo.trials.views import trial_or_404
from evarlo.ui.draw.code import scannable
from evarlo.ui.fields import Day, Number, OwnIds, Words
from evarlo.ui.notice import say
from evarlo.ui.refused import said_beside, said_on_top


class PanelForm(OwnIds):
    subject = Words(label="What is judged", most=60)
    low = Words(label="1 means", most=30)
    high = Words(label="9 means", most=30)
    on = Day(label="Day", error_messages={"required": "Nothing was typed. Expected the day of the tasting."})
    judges = Number(label="Judges", low=2, high=MOST_JUDGES, whole=True)
    doubled = forms.BooleanField(label="The check is served twice, under two codes", required=False, initial=True)
    warm_up = forms.BooleanField(label="A warm-up first, whose score does not count", required=False, initial=True)
    pause_s = Number(label="Rest between dishes", low=0, high=600, unit="s", whole=True, required=False)
    entries = forms.MultipleChoiceField(
        label="Entries",
        widget=forms.CheckboxSelectMultiple,
        error_messages={"required": "Nothing was chosen. Expected two entries or more."},
    )

    def __init__(self, names: dict[int, str], *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.choose_from("entries", [(str(pk), name) for pk, name in names.items()])


class BallotForm(OwnIds):
    """One field a dish, in the order of serving, named by its code."""

    def __init__(self, ballot: Ballot, *args: Any, **kwargs: Any) -> None:
        kwargs.setdefault("auto_id", f"judge{ballot.judge}_%s")
        kwargs.setdefault("initial", {str(d.code): ballot.scores.get(d.pk) for d in ballot.dishes})
        super().__init__(*args, **kwargs)
        for dish in ballot.dishes:
            field = Number(label=str(dish.code), low=LOWEST, high=HIGHEST, whole=True, required=False, unmarked=True)
            self.fields[str(dish.code)] = field


@may("see")
def panels(request: PersonRequest, slug: str) -> HttpResponse:
    """The tastings of a trial, and the form that sets a new table."""
    trial = trial_or_404(slug)
    names = entry_names(trial, request.user)
    proposed = {"on": timezone.localdate(), "judges": 8, "entries": _proposed(list(names)), "warm_up": True, "pause_s": 45}
    return _panels_page(request, trial, PanelForm(names, initial=proposed))


@may("plan")
@require_POST
def new(request: PersonRequest, slug: str) -> HttpResponse:
    trial = trial_or_404(slug)
    form = PanelForm(entry_names(trial, request.user), request.POST)
    if form.is_valid():
        d = form.cleaned_data
        with said_beside(form):
            plan = PanelPlan(d["on"], d["subject"], d["low"], d["high"], d["judges"], d["doubled"], d["warm_up"], d["pause_s"] or 0)
            made = set_table(trial, plan, list(trial.entries.filter(pk__in=d["entries"])), request.user)
            say(request, f"The table is set for {plan.judges} judges.")
            return redirect("tasting:panel", slug, made.pk)
    return _panels_page(request, trial, form)


def _panels_page(request: PersonRequest, trial: Trial, form: PanelForm) -> HttpResponse:
    context = {
        "panels": trial.panels.in_force(),
        "form": form,
        "cautions": cautions_of(trial.crop, CAUTIONS),
        "holds": holds_in_words(trial, timezone.now(), (pick_words,)),
    }
    status = 422 if form.is_bound else 200
    return render(request, "tasting/panels.html", context | frame(request, trial, "pick"), status=status)


def _proposed(entries: list[int]) -> list[str]:
    """All entries where a palate bears them with the check twice; else whoever sets the table chooses."""
    return [str(pk) for pk in entries] if len(entries) < MOST_SAMPLES else []


@may("see")
def panel(request: PersonRequest, slug: str, pk: int) -> HttpResponse:
    return _page(request, _panel(slug, pk))


@may("observe")
@require_POST
def ballot(request: PersonRequest, slug: str, pk: int, judge: int) -> HttpResponse:
    """Keep what a judge wrote; what is left empty stays as it was."""
    kept = _panel(slug, pk)
    own = next((b for b in ballots_of(kept) if b.judge == judge), None)
    if own is None:
        return redirect("tasting:panel", slug, pk)
    form = BallotForm(own, request.POST)
    if form.is_valid():
        with said_beside(form):
            scores = {int(code): score for code, score in form.cleaned_data.items() if score is not None}
            new = keep_ballot(kept, scores, request.user)
            say(request, f"Judge {judge}: {new} kept." if new else f"Judge {judge}: nothing was new.")
            return redirect("tasting:panel", slug, pk)
    return _page(request, kept, (judge, form))


@may("plan")
@require_POST
def undo(request: PersonRequest, slug: str, pk: int) -> HttpResponse:
    with said_on_top(request):
        undo_panel(_panel(slug, pk))
        say(request, "The tasting is taken back.")
    return redirect("tasting:panels", slug)


def _panel(slug: str, pk: int) -> Panel:
    return get_object_or_404(Panel.objects.in_force().select_related("trial"), trial__slug=slug, pk=pk)


def _page(request: PersonRequest, kept: Panel, wrong: tuple[int, BallotForm] | None = None) -> HttpResponse:
    trial, ballots = kept.trial, ballots_of(kept)
    shown = entry_names(trial, request.user)
    names = {d.entry.code: shown[d.entry_id] for b in ballots for d in b.dishes}
    found = found_in(ballots) if allowed(request.user, "compare") else None
    rows = []
    if found:
        versus = {d.a: d for d in found.versus.held} if found.versus else {}
        ranks = dict(found.panel.ranks.mean_rank) if found.panel.ranks else {}
        rows = [(names[m.entry], m, versus.get(m.entry), ranks.get(m.entry)) for m in found.panel.blocks.means]
    context = {
        "panel": kept,
        "lead": table_in_words(kept, ballots),
        "told": found_in_words(found, names) if found else "",
        "palates": judges_in_words(found) if found else "",
        "rows": rows,
        "judges": found.panel.judges if found else (),
        "ballots": [(b, wrong[1] if wrong and wrong[0] == b.judge else BallotForm(b)) for b in ballots],
        "opened": wrong[0] if wrong else 0,
        "key": [
            (b.judge, [(d.code, shown[d.entry_id]) for d in ([b.warm_up] if b.warm_up else []) + list(b.dishes)]) for b in ballots
        ]
        if allowed(request.user, "plan")
        else [],
        "cautions": cautions_of(trial.crop, CAUTIONS),
        "seats": [(b, scannable(request.build_absolute_uri(reverse("own-ballot", args=[b.seat.code])))) for b in ballots if b.seat]
        if allowed(request.user, "plan") and open_now(kept, timezone.localdate())
        else [],
        "to_type": request.build_absolute_uri(reverse("own-ballot-code")),
    }
    return render(request, "tasting/panel.html", context | frame(request, trial, "pick"), status=422 if wrong else 200)
