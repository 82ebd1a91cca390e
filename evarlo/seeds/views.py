"""Seed: the lots with their stock, and one lot with its ledger."""

from __future__ import annotations

from django.core.exceptions import PermissionDenied
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_POST

from evarlo.catalogue.models import Cultivar
from evarlo.people.permissions import allowed, may
from evarlo.people.requests import PersonRequest, typed
from evarlo.seeds.forms import BeginForm, LotForm, MoveForm
from evarlo.seeds.germination import tests_of
from evarlo.seeds.models import Lot
from evarlo.seeds.queries import by_crop, stocks
from evarlo.seeds.services import FIELDS, keep_lot, move_stock
from evarlo.seeds.words import stock_in_words
from evarlo.ui.notice import say
from evarlo.ui.refused import Refused, said_beside


@may("see_names")
def lots(request: PersonRequest) -> HttpResponse:
    form = LotForm(typed(request))
    if request.method == "POST":
        if not allowed(request.user, "plan"):
            raise PermissionDenied("This is for a manager.")
        if (kept := _kept(form, None, request)) is not None:
            say(request, f"{kept} is on record. Write down what came in.")
            return redirect("seeds:lot", kept.pk)
    context = {"form": form, "crops": by_crop(stocks(timezone.localdate().year)), "cultivars": _cultivars()}
    return render(request, "seeds/lots.html", context, status=422 if form.errors else 200)


def _cultivars() -> list[str]:
    return [f"{c.name}, {c.crop.name}" for c in Cultivar.objects.select_related("crop")]


def _kept(form: LotForm, lot: Lot | None, request: PersonRequest) -> Lot | None:
    if not form.is_valid():
        return None
    try:
        return keep_lot(lot, form.cleaned_data["cultivar"], form.cleaned_data, request.user)
    except Refused as refusal:
        form.add_error(refusal.field or None, str(refusal))
        return None


def _as_typed(lot: Lot) -> dict[str, object]:
    return {field: getattr(lot, field) for field in FIELDS} | {"cultivar": f"{lot.cultivar.name}, {lot.cultivar.crop.name}"}


@may("see_names")
def lot_page(request: PersonRequest, pk: int) -> HttpResponse:
    lot = get_object_or_404(Lot.objects.select_related("cultivar__crop"), pk=pk)
    form = LotForm(typed(request), initial=_as_typed(lot))
    if request.method == "POST":
        if not allowed(request.user, "plan"):
            raise PermissionDenied("This is for a manager.")
        if _kept(form, lot, request) is not None:
            say(request, "What is known of the lot is kept.")
            return redirect("seeds:lot", pk)
    return lot_shown(request, lot, form)


@may("see_names")
def lot_shown(
    request: PersonRequest, lot: Lot, form: LotForm | None = None, move: MoveForm | None = None, begin: BeginForm | None = None
) -> HttpResponse:
    """The page of a lot, with whichever of its forms was sent."""
    today = timezone.localdate()
    form = form or LotForm(initial=_as_typed(lot))
    move = move or MoveForm(initial={"on": today})
    begin = begin or BeginForm(initial={"began_on": today})
    stock = next(s for s in stocks(today.year, [lot.cultivar_id]) if s.lot.pk == lot.pk)
    left, lines = 0, []
    for line in lot.moves.select_related("by"):
        left += line.seeds
        lines.append((line, left))
    context = {
        "lot": lot,
        "stock": stock,
        "in_stock": stock_in_words(stock),
        "lines": reversed(lines),
        "form": form,
        "move": move,
        "begin": begin,
        "tests": tests_of(lot),
        "cultivars": _cultivars(),
    }
    wrong = form.errors or move.errors or begin.errors
    return render(request, "seeds/lot.html", context, status=422 if wrong else 200)


@may("plan")
@require_POST
def move(request: PersonRequest, pk: int) -> HttpResponse:
    lot = get_object_or_404(Lot.objects.select_related("cultivar__crop"), pk=pk)
    form = MoveForm(request.POST)
    if form.is_valid():
        data = form.cleaned_data
        with said_beside(form):
            today = timezone.localdate()
            move_stock(lot, data["why"], data["seeds"], data["on"], request.user, today, data["note"], data["sure"])
            return redirect("seeds:lot", pk)
    return lot_shown(request, lot, move=form)
