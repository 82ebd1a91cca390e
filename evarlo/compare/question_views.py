"""Questions that arise in some trials: against every check, the same in every place, and if plots had been alike."""

from __future__ import annotations

from typing import Any

from django.http import HttpResponse
from django.shortcuts import render

from evarlo.compare.alike import Alike, alike, choices
from evarlo.compare.checks import every_check
from evarlo.compare.early import seen_early
from evarlo.compare.kinds import kinds_in, kinds_of
from evarlo.compare.places import in_places, places_of, slopes
from evarlo.compare.question_words import (
    alike_in_words,
    caused_in_words,
    checks_in_words,
    early_in_words,
    kinds_in_words,
    places_in_words,
    running_in_words,
    slope_in_words,
    together_in_words,
    turn_in_words,
)
from evarlo.compare.running import Running, maps, running, takes_long
from evarlo.compare.together import together
from evarlo.compare.views import compared, framed
from evarlo.people.given_again import given_again
from evarlo.people.permissions import may
from evarlo.people.requests import PersonRequest


@may("compare")
@given_again
def checks(request: PersonRequest, slug: str) -> HttpResponse:
    """Every entry against every check of the trial."""
    trial, traits, found = compared(request, slug)
    every = every_check(found) if found else None
    context: dict[str, Any] = {"traits": traits, "c": found, "every": every, "sentence": checks_in_words(found, every)}
    return render(request, "compare/checks.html", context | framed(request, trial, found))


@may("compare")
@given_again
def places(request: PersonRequest, slug: str) -> HttpResponse:
    """A trial in several environments: each entry in each, and who changes sides."""
    trial, traits, found = compared(request, slug)
    there = in_places(found) if found else None
    context: dict[str, Any] = {"traits": traits, "c": found, "there": there}
    context["several"] = bool(found and places_of(trial, [v.plot for v in found.plots]))
    context["sentence"] = places_in_words(found, there) if found else ""
    if found and there:
        means = {(c.entry, c.environment): c.mean.estimate for c in there.worked.cells}
        crossed = {c.entry for c in there.crossing}
        context["rows"] = [
            (
                r,
                [(means.get((r.entry.code, w)), there.within.get((r.entry.code, w))) for w in there.places],
                there.over_all.get(r.entry.code),
                r.entry.code in crossed,
            )
            for r in found.results
        ]
        context["drawing"] = slopes(found, there.places, means, crossed, f"{found.trait.name} of each entry by place")
    return render(request, "compare/places.html", context | framed(request, trial, found))


@may("compare")
@given_again
def all_together(request: PersonRequest, slug: str) -> HttpResponse:
    """All criteria weighed together; weights are moved in the browser, or sent where it runs no scripts."""
    trial, traits, found = compared(request, slug)
    sent = {name[2:]: weight_in(str(request.GET[name])) for name in request.GET if name.startswith("w-")}
    wanted = {key: weight for key, weight in sent.items() if weight is not None}
    made = together(trial, request.user, wanted)
    context: dict[str, Any] = {"traits": traits, "c": found, "all": made, "sentence": together_in_words(made)}
    if made:
        turn = {t.trait: t for t in made.turns}
        context |= {
            "leader": made.results[made.order[0]].name,
            "leads": float(made.standing.best[made.order[0]]),
            "weights": [
                (c, w, max(5, round(2 * max(w, c.weight))), turn_in_words(turn.get(c.trait.key)))
                for c, w in zip(made.criteria, made.weights, strict=True)
            ],
            "widest": max(1.0, float(abs(made.index).max())),
            "rows": [
                {
                    "place": i,
                    "result": made.results[i],
                    "index": float(made.index[i]),
                    "bar": max(0.0, float(made.index[i])),
                    "above": made.standing.above[i],
                    "best": float(made.standing.best[i]),
                    "three": float(made.standing.three[i]),
                    "meets": float(made.meets[i]),
                }
                for i in made.order
            ],
            "sent": made.for_the_browser(),
        }
    return render(request, "compare/together.html", context | framed(request, trial, found))


MOST_WEIGHT = 100.0


def weight_in(text: str) -> float | None:
    """A weight that was sent; None for what is none."""
    try:
        weight = float(text)
    except ValueError:
        return None
    return weight if 0 <= weight <= MOST_WEIGHT else None


@may("compare")
@given_again
def ground(request: PersonRequest, slug: str) -> HttpResponse:
    """Maps of the ground, and the comparison without it; of a long trial the figures come after the page."""
    trial, traits, found = compared(request, slug)
    part = request.GET.get("part") == "ground"
    context: dict[str, Any] = {"traits": traits, "c": found, "sentence": running_in_words(None, "")}
    if found and takes_long(found) and not part:
        context["later"] = takes_long(found)
    elif found:
        made = running(found)
        context["sentence"] = running_in_words(found, made)
        if isinstance(made, Running):
            smooth = made.worked.surface
            context |= {
                "running": made,
                "maps": maps(found, made, request.user),
                "sed_blocks": float(made.worked.blocks.sed().mean()),
                "sed_without": float(made.worked.neighbours.sed().mean()),
                "sed_surface": float(smooth.sed().mean()) if smooth else None,
            }
    if part and request.htmx:
        return render(request, "compare/ground.html#part", context)
    return render(request, "compare/ground.html", context | framed(request, trial, found))


@may("compare")
@given_again
def kinds(request: PersonRequest, slug: str) -> HttpResponse:
    """Of which kind the plots of each entry are, for a trait that has no more and no less."""
    trial, _, found = compared(request, slug)
    traits = kinds_in(trial)
    trait = next((t for t in traits if t.key == request.GET.get("kind")), traits[0] if traits else None)
    made = kinds_of(trial, trait, request.user) if trait else None
    context: dict[str, Any] = {"traits": traits, "trait": trait, "c": found, "kinds": made, "sentence": kinds_in_words(made)}
    return render(request, "compare/kinds.html", context | framed(request, trial, found))


@may("compare")
@given_again
def early(request: PersonRequest, slug: str) -> HttpResponse:
    """What early rounds foretold of the trait, over the trials of the crop."""
    trial, traits, found = compared(request, slug)
    signs = seen_early(found, request.user) if found and found.analysis.n_observed else []
    context: dict[str, Any] = {"traits": traits, "c": found, "signs": signs, "sentence": early_in_words(found, signs)}
    return render(request, "compare/early.html", context | framed(request, trial, found))


@may("compare")
@given_again
def if_alike(request: PersonRequest, slug: str) -> HttpResponse:
    """The comparison with plots made alike in something else that was recorded."""
    trial, traits, found = compared(request, slug)
    some = choices(trial, found.trait) if found else []
    by = next((c for c in some if c.key == request.GET.get("by")), some[0] if some else None)
    made = alike(found, by) if found and by else None
    words = {"caused": caused_in_words(made), "slope": slope_in_words(found, made)} if found and isinstance(made, Alike) else {}
    context: dict[str, Any] = words | {
        "traits": traits,
        "c": found,
        "choices": some,
        "by": by,
        "alike": made if isinstance(made, Alike) else None,
        "sentence": alike_in_words(found, by, made),
    }
    return render(request, "compare/alike.html", context | framed(request, trial, found))
