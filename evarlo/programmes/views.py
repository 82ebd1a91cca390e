"""Programmes: several trials of a crop together, read along a line for each cultivar."""

from __future__ import annotations

from typing import Any

from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_POST

from evarlo.catalogue.models import Crop, Trait
from evarlo.people.given_again import given_again
from evarlo.people.permissions import may
from evarlo.people.requests import PersonRequest, typed
from evarlo.programmes.analysing import begin, is_done, step, traits_of
from evarlo.programmes.evidence import site_of
from evarlo.programmes.forms import ProgrammeName, Settings
from evarlo.programmes.frontier import CHECKS, reckon_next, station_of, table_of
from evarlo.programmes.models import Analysis, Membership, Programme
from evarlo.programmes.services import keep_settings, leave_out, let_go, make_programme, take_in
from evarlo.programmes.showing import MOST_COLUMNS, MOST_ROWS, drawn_rows, lines_drawn, offers, telling_of, where_drawn
from evarlo.programmes.words import lead_in_words, marked_in_words, never_together, shares_in_words, warmth_in_words
from evarlo.trials.models import Trial
from evarlo.trials.queries import kept_elsewhere
from evarlo.ui.notice import say
from evarlo.ui.refused import said_on_top


def programme_or_404(slug: str) -> Programme:
    return get_object_or_404(Programme.objects.select_related("crop"), slug=slug)


@may("see_names")
@given_again
def programmes(request: PersonRequest) -> HttpResponse:
    """Every programme, and what could be joined into one."""
    made = Programme.objects.select_related("crop").prefetch_related("memberships__trial")
    return render(request, "programmes/list.html", {"programmes": made, "offers": offers()})


@may("plan")
@require_POST
def new(request: PersonRequest) -> HttpResponse:
    """Join trials of a crop into a programme."""
    crop = get_object_or_404(Crop, pk=_number(request.POST.get("crop", "")))
    form = ProgrammeName(typed(request))
    if not form.is_valid():
        context = {"programmes": Programme.objects.select_related("crop"), "offers": offers(), "form": form, "wrong": crop.pk}
        return render(request, "programmes/list.html", context, status=422)
    trials = list(Trial.objects.filter(crop=crop, slug__in=request.POST.getlist("trial"), membership__isnull=True))
    with said_on_top(request):
        made = make_programme(form.cleaned_data["name"], crop, trials, request.user)
        say(request, f"{made.name} joins {len(trials)} trials.")
        return redirect(made)
    return redirect("programmes:list")


def _number(text: str) -> int:
    """An id as it was sent; nought for what is none."""
    return int(text) if text.isdecimal() and len(text) < 15 else 0


def _trait(request: PersonRequest, traits: list[Trait]) -> Trait | None:
    wanted = request.GET.get("trait", "")
    return next((t for t in traits if t.key == wanted), traits[0] if traits else None)


@may("see_names")
def page(request: PersonRequest, slug: str) -> HttpResponse:
    """The years: every cultivar's line over all trials, as it was last reckoned."""
    programme = programme_or_404(slug)
    traits = traits_of(programme)
    trait = _trait(request, traits)
    analysis = begin(programme, trait, anew=request.GET.get("anew") == "1") if trait else None
    return render(request, "programmes/page.html", _context(programme, traits, trait, analysis, request.GET.get("all") == "1"))


@may("see_names")
def reckoned(request: PersonRequest, slug: str) -> HttpResponse:
    """One more step of the reckoning, and how far it has come; the whole page once it is there."""
    programme = programme_or_404(slug)
    traits = traits_of(programme)
    trait = _trait(request, traits)
    if trait is None:
        return redirect(programme)
    analysis = begin(programme, trait)
    if not is_done(analysis):
        analysis = step(analysis)
    return render(
        request, "programmes/page.html#years", _context(programme, traits, trait, analysis, request.GET.get("all") == "1")
    )


def _context(
    programme: Programme, traits: list[Trait], trait: Trait | None, analysis: Analysis | None, every: bool = False
) -> dict[str, Any]:
    found, done = (analysis.found, is_done(analysis)) if analysis else ({}, True)
    members = list(programme.memberships.select_related("trial__bed__site"))
    telling = telling_of(found)
    columns = telling if every else telling[-MOST_COLUMNS:]
    rows = drawn_rows(found, columns, None if every else MOST_ROWS) if found.get("rows") else []
    elsewhere = kept_elsewhere()
    here = [m.trial for m in members if m.trial_id not in elsewhere]
    return {
        "programme": programme,
        "traits": traits,
        "trait": trait,
        "analysis": analysis,
        "found": found,
        "rows": rows,
        "columns": [found["trials"][i] for i in columns],
        "earlier": len(telling) - len(columns),
        "more": max(0, len(found.get("rows", ())) - len(rows)),
        "lines": lines_drawn(found, trait) if rows and trait else "",
        "sentence": lead_in_words(found) if found else "",
        "warmth": warmth_in_words(found),
        "marked": marked_in_words(found.get("trials", [])),
        "shares": shares_in_words(found.get("shares", {})),
        "there": never_together([{"season": m.trial.season, "site": site_of(m.trial)} for m in members]),
        "done": done,
        "progress": (0, 0) if done or analysis is None else (len(analysis.read), len(members)),
        "plan_next": max(here, key=lambda t: (t.season, t.pk), default=None),
    }


@may("see_names")
def working(request: PersonRequest, slug: str) -> HttpResponse:
    """All that was reckoned: variances, stability measures, the biplot's coordinates, every lead."""
    programme = programme_or_404(slug)
    traits = traits_of(programme)
    trait = _trait(request, traits)
    analysis = begin(programme, trait) if trait else None
    found = analysis.found if analysis else {}
    one = found.get("one_stage") or {}
    pairs = [(r, one[str(r["id"])]) for r in found.get("rows", ()) if str(r["id"]) in one]
    where = where_drawn(found, trait) if trait else ""
    context = {"programme": programme, "trait": trait, "found": found, "one_stage": pairs, "where": where}
    context["digits"] = found.get("digits", 1) + 1
    return render(request, "programmes/working.html", context)


@may("plan")
def settings(request: PersonRequest, slug: str) -> HttpResponse:
    """The school of a programme, what it costs, and which trials are in it."""
    programme = programme_or_404(slug)
    form = Settings.of(programme, typed(request))
    if request.method == "POST" and form.is_valid():
        keep_settings(programme, form.cleaned_data, request.user)
        say(request, "Kept. Boards that are signed stay as they were.")
        return redirect("programmes:settings", programme.slug)
    members = list(programme.memberships.select_related("trial"))
    outside = Trial.objects.filter(crop=programme.crop_id, membership__isnull=True, arriving=False)
    context = {"programme": programme, "form": form, "members": members, "outside": outside} | _frontier(programme)
    return render(request, "programmes/settings.html", context, status=422 if form.errors else 200)


def _frontier(programme: Programme) -> dict[str, Any]:
    table = table_of(programme)
    left = sum(f is None for bar in table for f in bar.figures)
    return {"frontier": table, "station": station_of(programme), "checks": CHECKS, "left": left, "of": len(table) * len(CHECKS)}


@may("plan")
def frontier(request: PersonRequest, slug: str) -> HttpResponse:
    """The table of what rules cost, one figure further."""
    programme = programme_or_404(slug)
    reckon_next(programme)
    return render(request, "programmes/settings.html#frontier", {"programme": programme} | _frontier(programme))


@may("plan")
@require_POST
def join(request: PersonRequest, slug: str) -> HttpResponse:
    """Take another trial in."""
    programme = programme_or_404(slug)
    trial = get_object_or_404(Trial, slug=request.POST.get("trial", ""))
    with said_on_top(request):
        take_in(programme, trial, request.user)
        say(request, f"{trial.name} {trial.season} is in.")
    return redirect("programmes:settings", slug)


@may("plan")
@require_POST
def member(request: PersonRequest, slug: str, pk: int) -> HttpResponse:
    """A trial is left out with a reason, counts again, or leaves."""
    membership = get_object_or_404(Membership.objects.select_related("trial", "programme"), programme__slug=slug, pk=pk)
    if request.POST.get("act") == "go":
        let_go(membership, request.user)
    else:
        leave_out(membership, request.POST.get("why", "") if request.POST.get("act") == "out" else "", request.user)
    return redirect(reverse("programmes:settings", args=[slug]) + "#trials")
