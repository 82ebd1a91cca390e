"""Today: what is late, what is due, and every trial at a glance."""

from __future__ import annotations

from datetime import timedelta

from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.utils import timezone

from evarlo.catalogue.models import Cultivar
from evarlo.people.models import User
from evarlo.people.permissions import allowed, may
from evarlo.people.places import people_known, place
from evarlo.people.requests import PersonRequest
from evarlo.today.words import day_in_words, weight
from evarlo.trials.models import Entry, Plot, Trial
from evarlo.trials.queries import names_shown, trial_list
from evarlo.trials.registry import registry
from evarlo.trials.stakes import code_read
from evarlo.trials.views import cards


@may("see")
def home(request: PersonRequest) -> HttpResponse:
    today = timezone.localdate()
    trials = trial_list()
    if allowed(request.user, "plan") and not trials:
        return render(request, "today/home.html", {"begins": True, "place": place() or "Evarlo", "alone": len(people_known()) < 2})
    due = sorted(
        (d for source in registry.due for d in source(today) if not (d.trial.practice or d.trial.archived_at)),
        key=lambda d: (d.by, d.trial.name),
    )
    groups = [
        ("Late", "late", [(d, (today - d.by).days) for d in sorted((d for d in due if d.by < today), key=weight)]),
        ("Today", "", [(d, 0) for d in due if d.by == today]),
        (f"By {today + timedelta(days=7):%A}", "", [(d, 0) for d in due if d.by > today]),
    ]
    context = {
        "today": today,
        "groups": [g for g in groups if g[2]],
        "sentence": day_in_words(due, today),
        "rows": cards(trials[:8]),
        "more": max(0, len(trials) - 8),
    }
    return render(request, "today/home.html", context)


@may("see")
def jump(request: PersonRequest) -> HttpResponse:
    """Go to a plot of the trial at hand, an entry's code or name, or a trial."""
    asked = request.GET.get("q", "").strip()[:80]
    here = Trial.objects.filter(slug=request.GET.get("trial", "")).first()
    plot = _plot_meant(asked, here) if asked else None
    if plot:
        return redirect(f"{plot.trial.get_absolute_url()}?plot={plot.number}")
    found = _found(asked, request.user) if asked else []
    if len(found) == 1:
        return redirect(found[0][0])
    return render(request, "today/jump.html", {"asked": asked, "found": found})


def _plot_meant(asked: str, here: Trial | None) -> Plot | None:
    """The plot of the trial at hand that has this number, or the one whose stake was scanned."""
    plots = Plot.objects.select_related("trial")
    scanned = code_read(asked)
    at_hand = plots.filter(trial=here, number__iexact=asked).first() if here else None
    return at_hand or (plots.filter(trial=scanned[0], number=scanned[1]).first() if scanned else None)


def _found(asked: str, user: User) -> list[tuple[str, str, str]]:
    """Trials, entries, cultivars (where their names may be read) and plots by that name: address, name, and what it is."""
    trials = Trial.objects.filter(name__icontains=asked)[:20]
    found = [(t.get_absolute_url(), t.name, f"trial, {t.season}") for t in trials]
    by_code = Entry.objects.filter(code__iexact=asked).select_related("trial")[:20]
    found += [(e.trial.get_absolute_url(), e.code, f"entry of {e.trial.name}, {e.trial.season}") for e in by_code]
    for cultivar in Cultivar.objects.filter(name__icontains=asked)[:20]:
        shown = [e for e in cultivar.entries.select_related("trial") if names_shown(e.trial, user)]
        found += [(e.trial.get_absolute_url(), cultivar.name, f"{e.code} in {e.trial.name}, {e.trial.season}") for e in shown]
    plots = Plot.objects.filter(number__iexact=asked).select_related("trial")[:20]
    found += [
        (f"{p.trial.get_absolute_url()}?plot={p.number}", f"Plot {p.number}", f"{p.trial.name}, {p.trial.season}") for p in plots
    ]
    return found
