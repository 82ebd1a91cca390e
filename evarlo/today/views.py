"""Today: what is late, what is due, and every trial at a glance."""

from __future__ import annotations

import re
from datetime import timedelta

from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.utils import timezone

from evarlo.catalogue.models import Cultivar
from evarlo.people.permissions import may
from evarlo.people.requests import PersonRequest
from evarlo.today.words import day_in_words
from evarlo.trials.models import Entry, Plot, Trial
from evarlo.trials.queries import names_shown, trial_list
from evarlo.trials.registry import registry
from evarlo.trials.views import cards


@may("see")
def home(request: PersonRequest) -> HttpResponse:
    today = timezone.localdate()
    due = sorted((d for source in registry.due for d in source(today)), key=lambda d: (d.by, d.trial.name))
    groups = [
        ("Late", "late", [(d, (today - d.by).days) for d in due if d.by < today]),
        ("Today", "", [(d, 0) for d in due if d.by == today]),
        (f"By {today + timedelta(days=7):%A}", "", [(d, 0) for d in due if d.by > today]),
    ]
    trials = trial_list()
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
    if here and asked:
        plot = Plot.objects.filter(trial=here, number__iexact=asked).first()
        if plot:
            return redirect(f"{here.get_absolute_url()}?plot={plot.number}")
    scanned = re.fullmatch(r"T(\d{1,9})-(.{1,60})", asked)
    if scanned:
        plot = Plot.objects.filter(trial=int(scanned[1]), number=scanned[2]).select_related("trial").first()
        if plot:
            return redirect(f"{plot.trial.get_absolute_url()}?plot={plot.number}")
    found = []
    if asked:
        for trial in Trial.objects.filter(name__icontains=asked)[:20]:
            found.append((trial.get_absolute_url(), trial.name, f"trial, {trial.season}"))
        for entry in Entry.objects.filter(code__iexact=asked).select_related("trial")[:20]:
            found.append((entry.trial.get_absolute_url(), entry.code, f"entry of {entry.trial.name}, {entry.trial.season}"))
        for cultivar in Cultivar.objects.filter(name__icontains=asked)[:20]:
            for entry in cultivar.entries.select_related("trial"):
                if names_shown(entry.trial, request.user):
                    found.append(
                        (entry.trial.get_absolute_url(), cultivar.name, f"{entry.code} in {entry.trial.name}, {entry.trial.season}")
                    )
        for plot in Plot.objects.filter(number__iexact=asked).select_related("trial")[:20]:
            found.append(
                (
                    f"{plot.trial.get_absolute_url()}?plot={plot.number}",
                    f"Plot {plot.number}",
                    f"{plot.trial.name}, {plot.trial.season}",
                )
            )
    if len(found) == 1:
        return redirect(found[0][0])
    return render(request, "today/jump.html", {"asked": asked, "found": found})
