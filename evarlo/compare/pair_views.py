"""Every pair of entries, some of them head to head, and whether the model fits."""

from __future__ import annotations

from typing import Any

from django.http import HttpResponse
from django.shortcuts import get_object_or_404, render

from evarlo.catalogue.models import Cultivar
from evarlo.compare.claims import claims_in, claims_of
from evarlo.compare.fit import fit_check
from evarlo.compare.heads import as_good, head_to_head, pair_table
from evarlo.compare.views import compared, framed
from evarlo.compare.words import as_good_in_words, claims_in_words, fit_in_words, heads_in_words, pairs_in_words
from evarlo.people.given_again import given_again
from evarlo.people.permissions import may
from evarlo.people.requests import PersonRequest
from evarlo.trials.ground import strip
from evarlo.trials.queries import entry_names, names_shown, traits_with_records
from evarlo.trials.views import trial_or_404
from evarlo.ui.draw.residuals import residual_plot

MOST_HEADS = 3


@may("compare")
@given_again
def pairs(request: PersonRequest, slug: str) -> HttpResponse:
    """All pairs of one trait, with letters, and who is as good as the check within what matters."""
    trial, traits, found = compared(request, slug)
    table = pair_table(found) if found else None
    good = as_good(trial, found) if found else []
    context: dict[str, Any] = {
        "traits": traits,
        "c": found,
        "table": table,
        "sentence": pairs_in_words(table) if found else "",
        "as_good": as_good_in_words(found, good) if found and good else "",
    }
    return render(request, "compare/pairs.html", context | framed(request, trial, found))


@may("compare")
@given_again
def heads(request: PersonRequest, slug: str) -> HttpResponse:
    """Two or three entries over every trait that has a record."""
    trial = trial_or_404(slug)
    names = entry_names(trial, request.user)
    asked = [int(pk) for pk in request.GET.getlist("of") if pk.isascii() and pk.isdigit() and int(pk) in names]
    check = next((e.pk for e in trial.entries.all() if e.is_check), None)
    wanted = list(dict.fromkeys(asked))[:MOST_HEADS] or ([check] if check else [])
    if len(wanted) == 1:  # beside the one that was asked for, the check, or the first of the others
        other = check if check and check not in wanted else next((pk for pk in names if pk not in wanted), None)
        wanted = [*wanted, *([other] if other else [])]
    traits = [t for t in traits_with_records(trial) if t.compared]
    rows = head_to_head(trial, traits, wanted, request.user) if len(wanted) > 1 else []
    context = {
        "chosen": [(pk, names[pk]) for pk in wanted],
        "places": [(n, wanted[n] if n < len(wanted) else None) for n in range(MOST_HEADS)],
        "names": sorted(names.items(), key=lambda item: item[1]),
        "rows": rows,
        "sentence": heads_in_words([names[pk] for pk in wanted], rows),
    }
    return render(request, "compare/heads.html", context | framed(request, trial, None))


@may("compare")
@given_again
def claims(request: PersonRequest, slug: str) -> HttpResponse:
    """What catalogues and breeders say of the entries, against what this trial found."""
    trial = trial_or_404(slug)
    found = claims_in(trial, request.user)
    context = {"claims": found, "sentence": claims_in_words(found, names_shown(trial, request.user))}
    return render(request, "compare/claims.html", context | framed(request, trial, None))


@may("compare")
def claims_found(request: PersonRequest, pk: int) -> HttpResponse:
    """A part of a cultivar's page: its claims in every trial it stood in."""
    cultivar = get_object_or_404(Cultivar, pk=pk)
    return render(request, "compare/claims_of.html", {"claims": claims_of(cultivar, request.user)})


@may("compare")
@given_again
def fit(request: PersonRequest, slug: str) -> HttpResponse:
    """Residuals of the model of one trait, and what the comparison says without those that stand out."""
    trial, traits, found = compared(request, slug)
    check = fit_check(found) if found else None
    context: dict[str, Any] = {"traits": traits, "c": found, "fit": check, "sentence": fit_in_words(check) if found else ""}
    if found and check:
        seen = check.seen
        numbers = [found.plots[i].plot.number for i in seen.places]
        out = [seen.places.index(i) for i in seen.standing_out]
        largest = max(abs(r) for r in seen.residual)
        shifted = {pk: r + largest for pk, r in check.by_plot.items()}
        context |= {
            "out": check.out,
            "by_fitted": residual_plot(seen.fitted, seen.residual, numbers, out, f"fitted, {found.trait.shown_unit or 'value'}"),
            "normal": residual_plot(seen.expected, seen.residual, numbers, out, "expected if normal", line=True),
            "ground": strip(trial, request.user, [("", shifted)], "above the lowest")[0][1],
        }
    return render(request, "compare/fit.html", context | framed(request, trial, found))
