"""Partner growers of a trial, for its manager: letting one in, how its trial stands, what it counts, the sheet for paper."""

from __future__ import annotations

from typing import Any

from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_POST

from evarlo.partners.forms import NewPartner, Weigh
from evarlo.partners.models import Partner
from evarlo.partners.quality import mark_of, share_kept
from evarlo.partners.services import end_link, make_partner, rounds_of, weigh
from evarlo.people.permissions import may
from evarlo.people.requests import PersonRequest, typed
from evarlo.trials.queries import plots_of
from evarlo.trials.views import trial_or_404
from evarlo.ui.draw.code import scannable
from evarlo.ui.notice import say
from evarlo.ui.refused import said_beside


@may("plan")
def partners_page(request: PersonRequest, slug: str) -> HttpResponse:
    """The growers who keep part of this trial elsewhere, and one more."""
    main = trial_or_404(slug)
    form = NewPartner(main, request.user, typed(request))
    if request.method == "POST" and form.is_valid():
        data = form.cleaned_data
        with said_beside(form, "entries"):
            made = make_partner(
                main,
                data["name"],
                data["where"],
                [form.known[pk] for pk in data["entries"]],
                data["blocks"],
                [form.asked[key] for key in data["traits"]],
                data["ends_on"],
                request.user,
            )
            return redirect("partners:partner", slug, made.pk)
    rows = [(p, 100 * share_kept(p)) for p in main.partner_trials.select_related("trial__bed__site").order_by("pk")]
    check = next((e for e in main.entries.select_related("cultivar") if e.is_check), None)
    context = {"trial": main, "partners": rows, "form": form, "check": check}
    return render(request, "partners/partners.html", context, status=422 if form.errors else 200)


def _partner_or_404(slug: str, pk: int) -> Partner:
    found = Partner.objects.select_related("trial__bed__site", "main__crop", "person")
    return get_object_or_404(found, main__slug=slug, pk=pk)


@may("plan")
def partner_page(request: PersonRequest, slug: str, pk: int) -> HttpResponse:
    """One grower: the link, what came back, and how far it can be gone by."""
    partner = _partner_or_404(slug, pk)
    form = Weigh(typed(request))
    if request.method == "POST" and form.is_valid():
        with said_beside(form, "why"):
            share = form.cleaned_data["weight"]
            weigh(partner, share / 100 if share is not None else None, form.cleaned_data["why"], request.user)
            say(request, "It counts so from the next time the programme is reckoned.")
            return redirect("partners:partner", slug, pk)
    return render(request, "partners/partner.html", _shown(request, partner) | {"form": form}, status=422 if form.errors else 200)


def _shown(request: PersonRequest, partner: Partner) -> dict[str, Any]:
    rounds = rounds_of(partner)
    address = request.build_absolute_uri(reverse("partner", args=[partner.code]))
    marks = [mark_of(partner, r.trait) for r in rounds]
    return {
        "trial": partner.main,
        "partner": partner,
        "address": address,
        "to_type": request.build_absolute_uri(reverse("partner-code")),
        "code": scannable(address),
        "complete": 100 * share_kept(partner),
        "marks": [(m, 100 * m.weight if m.found.complete else None) for m in marks],
        "rounds": rounds,
        "plots": plots_of(partner.trial),
        "today": timezone.localdate(),
    }


@may("plan")
def paper(request: PersonRequest, slug: str, pk: int) -> HttpResponse:
    """The sheet for a grower without a phone: how to lay the plots out, and a table to write on."""
    return render(request, "partners/paper.html", _shown(request, _partner_or_404(slug, pk)))


@may("plan")
@require_POST
def end(request: PersonRequest, slug: str, pk: int) -> HttpResponse:
    """The link no longer works."""
    end_link(_partner_or_404(slug, pk), request.user)
    say(request, "The link does not work any more; what came in stays.")
    return redirect("partners:partner", slug, pk)
