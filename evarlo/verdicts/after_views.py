"""What a season leaves behind: the next one, lessons, a cultivar's dossier, the line-up."""

from __future__ import annotations

from typing import Any

from django import forms
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_POST

from evarlo.catalogue.models import Cultivar
from evarlo.people.given_again import given_again
from evarlo.people.permissions import may
from evarlo.people.requests import PersonRequest, typed
from evarlo.trials.frame import frame
from evarlo.trials.models import Trial
from evarlo.trials.tasks import season_tasks
from evarlo.trials.views import trial_or_404
from evarlo.ui.fields import Day, Number, Words
from evarlo.ui.notice import say, warn
from evarlo.ui.refused import Refused
from evarlo.ui.words import names_in
from evarlo.verdicts.board import Board, board_of
from evarlo.verdicts.choosing import choices_of
from evarlo.verdicts.dossier import dossier_of
from evarlo.verdicts.lessons import PER_SEASON, drop_lesson, keep_lesson, lessons_for, own_lessons
from evarlo.verdicts.models import Lesson
from evarlo.verdicts.next_season import NextSeason, check_plots, free_season, gives_room, plan_next, seed_needs
from trialcore.inference.verdict import Verdict
from trialcore.reckoning.schedule import years_later


class NextForm(forms.Form):
    """What is asked of the season to come; all but the new entries is proposed."""

    name = Words(label="Name", most=80, error_messages={"required": "Nothing was typed. Expected a name."})
    season = Words(label="Season", most=20, error_messages={"required": "Nothing was typed. Expected a season, such as 2027."})
    blocks = Number(label="Blocks", low=2, high=20, whole=True)
    check_plots = Number(label="Plots of the check in a block", low=1, high=10, whole=True)
    sow_on = Day(label="Sowing", required=False)
    new = forms.CharField(
        label="New entries, one a line", required=False, max_length=4000, widget=forms.Textarea(attrs={"rows": 5})
    )
    protocol = forms.BooleanField(label="With last season's protocol", required=False)
    sure = forms.BooleanField(label="What was dropped before is wanted all the same", required=False)


@may("plan")
def next_season(request: PersonRequest, slug: str) -> HttpResponse:
    """Plan the next season from the verdicts."""
    trial = trial_or_404(slug)
    board = board_of(trial, request.user)
    posted = request.method == "POST"
    retests = [x for x in board.lines if x.verdict == Verdict.RETEST and not x.entry.any_check]
    usual = [x.entry.cultivar.name for x in retests if not gives_room(x)]
    worth = check_plots(max(1, len(usual)), trial.blocks)
    form = NextForm(typed(request), initial=_proposed(trial) | {"check_plots": worth})
    kept = request.POST.getlist("kept") if posted else usual
    if posted and form.is_valid():
        data = form.cleaned_data
        wanted = NextSeason(
            data["name"],
            data["season"],
            tuple(kept),
            tuple(names_in(data["new"].replace("\n", ","))),
            data["blocks"],
            data["sow_on"],
            data["protocol"],
            data["check_plots"],
            data["sure"],
        )
        try:
            made = plan_next(board, wanted, request.user)
        except Refused as refusal:
            form.add_error(refusal.field if refusal.field in form.fields else "new", str(refusal))
        else:
            say(request, f"{made.name} {made.season} is planned: codes are drawn anew. Shuffle, change or fix it.")
            return redirect(made)
    return render(request, "verdicts/next.html", _next_context(request, board, form, kept), status=422 if form.errors else 200)


def _proposed(trial: Trial) -> dict[str, Any]:
    season, sow_on = free_season(trial), None
    years = int(season) - int(trial.season) if season.isdecimal() and trial.season.isdecimal() else 1
    if trial.sow_on:
        sow_on = years_later(trial.sow_on, years)
    return {"name": trial.name, "season": season, "blocks": trial.blocks, "sow_on": sow_on, "protocol": True}


def _next_context(request: PersonRequest, board: Board, form: NextForm, kept: list[str]) -> dict[str, Any]:
    said = str(form["blocks"].value())
    blocks = min(20, int(said)) if said.isdecimal() and len(said) < 9 else board.trial.blocks
    needs = seed_needs(board, max(1, blocks), kept, timezone.localdate())
    new = len(names_in(str(form["new"].value() or "").replace("\n", ",")))
    return frame(request, board.trial, "decide") | {
        "form": form,
        "needs": needs,
        "short": [n for n in needs if n.chosen and n.short],
        "checks": check_plots(max(1, len(kept) + new), max(1, blocks)),
        "lessons": [*lessons_for(board.trial), *own_lessons(board.trial)],
        "unsigned": board.signed is None,
    }


@may("see_names")
@given_again
def lessons(request: PersonRequest, slug: str) -> HttpResponse:
    """What this season taught: three are asked for at its end."""
    trial = trial_or_404(slug)
    own = own_lessons(trial)
    context = frame(request, trial, "decide") | {
        "own": own,
        "others": lessons_for(trial),
        "left": max(0, PER_SEASON - len(own)),
        "abouts": _abouts(trial),
    }
    return render(request, "verdicts/lessons.html", context)


def _abouts(trial: Trial) -> list[tuple[str, str]]:
    """What a lesson of a trial may be about: its key and its name."""
    cultivars = Cultivar.objects.filter(entries__trial=trial).distinct()
    return [
        ("crop", f"the crop, {trial.crop.name.lower()}"),
        *((f"bed:{b.pk}", f"the bed, {b.name}") for b in trial.beds),
        *((f"task:{t.key}", f"the task, {t.what.lower()}") for t in season_tasks(trial).lines),
        *((f"cultivar:{c.pk}", c.name) for c in cultivars),
    ]


@may("decide")
@require_POST
def new_lesson(request: PersonRequest, slug: str) -> HttpResponse:
    trial = trial_or_404(slug)
    try:
        keep_lesson(trial, request.POST.get("text", ""), request.POST.get("about", "crop"), request.user)
    except Refused as refusal:
        warn(request, str(refusal))
    return redirect("verdicts:lessons", slug)


@may("decide")
@require_POST
def forget_lesson(_request: PersonRequest, slug: str, pk: int) -> HttpResponse:
    drop_lesson(get_object_or_404(Lesson, trial__slug=slug, pk=pk))
    return redirect("verdicts:lessons", slug)


@may("see_names")
@given_again
def dossier(request: PersonRequest, pk: int) -> HttpResponse:
    """All that is on record of a cultivar, printable."""
    cultivar = get_object_or_404(Cultivar.objects.select_related("crop", "related"), pk=pk)
    return render(request, "verdicts/dossier.html", {"d": dossier_of(cultivar, request.user), "today": timezone.localdate()})


@may("see_names")
@given_again
def line_up(request: PersonRequest, slug: str) -> HttpResponse:
    """The small set to grow."""
    trial = trial_or_404(slug)
    board = board_of(trial, request.user)
    several = request.GET.get("range", "") != "one"
    retests = request.GET.get("retests") == "1"
    wanted = request.GET.getlist("grow")
    context = frame(request, trial, "decide") | {
        "choices": choices_of(board, several, wanted, retests),
        "several": several,
        "retests": retests,
        "wanted": wanted,
        "board": board,
    }
    return render(request, "verdicts/line_up.html", context)
