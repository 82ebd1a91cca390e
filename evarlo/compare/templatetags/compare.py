"""The line of questions that stands on top of every page of Compare."""

from __future__ import annotations

from typing import Any

from django import template
from django.urls import reverse

from evarlo.compare.analysis import Comparison, EntryResult
from evarlo.compare.kinds import kinds_in
from evarlo.compare.places import places_of
from evarlo.compare.running import DESIGNS
from evarlo.trials.models import Trial
from evarlo.trials.queries import criteria_of, plots_of
from evarlo.ui.templatetags.ui import signed

register = template.Library()

# What is asked, the page that answers, and whether it goes by the trait that is looked at.
QUESTIONS: tuple[tuple[str, str, bool], ...] = (
    ("check", "Who beats the check?", True),
    ("checks", "Every check?", True),
    ("pairs", "Who differs?", True),
    ("heads", "Head to head", False),
    ("together", "All criteria together?", False),
    ("places", "The same everywhere?", True),
    ("ground", "Does the ground run?", True),
    ("alike", "If stands were alike?", True),
    ("kinds", "Of which kind?", False),
    ("early", "Seen early?", True),
    ("claims", "Claims hold?", False),
    ("fit", "Model fits?", True),
)


@register.filter
def kept(result: EntryResult, found: Comparison) -> str:
    """What an entry is expected to keep of its difference, in the direction in which it was measured."""
    return "" if result.kept is None else signed(found.sign * result.kept, found.digits)


@register.inclusion_tag("compare/questions.html")
def questions(trial: Trial, found: Comparison | None, asked: str) -> dict[str, Any]:
    """The questions that arise in a trial, the one that is `asked` marked."""
    plots = plots_of(trial)
    arises = {
        "checks": sum(e.any_check for e in {p.entry_id: p.entry for p in plots}.values()) > 1,
        "ground": trial.placed and trial.design in DESIGNS,
        "kinds": bool(kinds_in(trial)),
        "alike": not trial.two_factors,
        "together": len(criteria_of(trial)) > 1,
        "places": bool(places_of(trial, plots)),
    }
    chosen = f"?trait={found.trait.key}" if found else ""
    shown = []
    for name, words, by_trait in QUESTIONS:
        if arises.get(name, True):
            page = "compare" if name == "check" else name
            address = reverse(f"compare:{page}", args=[trial.slug]) + (chosen if by_trait else "")
            shown.append((address, words, name == asked))
    return {"questions": shown}
