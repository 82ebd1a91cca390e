"""Today: what is late, what is due, and every trial at a glance."""

from __future__ import annotations

from datetime import date, timedelta

from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.utils import timezone

from evarlo.people.forms import ROLES
from evarlo.people.given_again import given_again
from evarlo.people.permissions import allowed, may, opens
from evarlo.people.places import people_known, place
from evarlo.people.requests import PersonRequest
from evarlo.today.figures import FIGURES
from evarlo.today.finding import Found, found_by, plot_meant
from evarlo.today.glossary import GLOSSARY, STAGES
from evarlo.today.words import day_in_words, weight
from evarlo.trials.models import Trial
from evarlo.trials.queries import kept_elsewhere, shown_first
from evarlo.trials.registry import Due, registry
from evarlo.trials.views import cards
from evarlo.ui.unchanged import each_told, kept

SHOWN = 8  # trials that Today draws


@may("see")
@given_again
def home(request: PersonRequest) -> HttpResponse:
    today = timezone.localdate()
    rows = kept(("cards", today), lambda: cards(shown_first(SHOWN)), of=())
    if allowed(request.user, "plan") and not rows:
        return render(request, "today/home.html", {"begins": True, "place": place() or "Evarlo", "alone": len(people_known()) < 2})
    every = all_due(today)
    due = [d for d in every if opens(request.user, d.url)]
    groups = [
        ("Late", "late", [(d, (today - d.by).days) for d in sorted((d for d in due if d.by < today), key=weight)]),
        ("Today", "", [(d, 0) for d in due if d.by == today]),
        (f"By {today + timedelta(days=7):%A}", "", [(d, 0) for d in due if d.by > today]),
    ]
    context = {
        "today": today,
        "groups": [g for g in groups if g[2]],
        "sentence": day_in_words(due, today),
        "rows": rows,
        "more": len(rows) == SHOWN,
    }
    return render(request, "today/home.html", context)


def all_due(today: date) -> list[Due]:
    """Everything that is late or due, of trials that count."""
    elsewhere = kept_elsewhere()
    found = (d for told in each_told(registry.due, today) for d in told if not (d.trial.practice or d.trial.archived_at))
    found = (d for d in found if d.trial.pk not in elsewhere)
    return sorted(found, key=lambda d: (d.by, d.trial.name))


@may("see")
def jump(request: PersonRequest) -> HttpResponse:
    """Go to what goes by some words; as they are typed, say what that would be."""
    asked = request.GET.get("q", "").strip()[:80]
    here = Trial.objects.filter(slug=request.GET.get("trial", "")).first()
    plot = plot_meant(asked, here) if asked else None
    found = found_by(asked, request.user)
    if request.htmx:
        own = [Found(f"{plot.trial.get_absolute_url()}?plot={plot.number}", f"Plot {plot.number}", "of this trial")] if plot else []
        return render(request, "today/jump.html#found", {"asked": asked, "found": [*own, *found]})
    if plot:
        return redirect(f"{plot.trial.get_absolute_url()}?plot={plot.number}")
    if len({f.url for f in found}) == 1:
        return redirect(found[0].url)
    return render(request, "today/jump.html", {"asked": asked, "found": found})


@may("see")
@given_again
def help_page(request: PersonRequest) -> HttpResponse:
    """How the work goes, and what the words mean."""
    return render(request, "today/help.html", {"stages": STAGES, "figures": FIGURES, "glossary": GLOSSARY, "roles": ROLES.items()})
