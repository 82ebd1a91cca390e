"""Seed: the lots with their stock, and one lot with its ledger."""

from __future__ import annotations

from django.core.exceptions import PermissionDenied
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_POST

from evarlo.catalogue.models import Cultivar
from evarlo.people.permissions import allowed, may
from evarlo.people.requests import PersonRequest, typed
from evarlo.seeds.forms import BeginForm, LotForm, MoveForm
from evarlo.seeds.germination import tests_of
from evarlo.seeds.models import Lot, Move
from evarlo.seeds.queries import Stock, stocks
from evarlo.seeds.services import FIELDS, keep_lot, undo_line, write_by_hand
from evarlo.seeds.words import germination_in_words, stock_in_words
from evarlo.ui.listing import Column, Listing
from evarlo.ui.notice import say
from evarlo.ui.refused import Refused, said_beside, said_on_top


@may("see_names")
def lots(request: PersonRequest) -> HttpResponse:
    form = LotForm(typed(request))
    if request.method == "POST":
        if not allowed(request.user, "plan"):
            raise PermissionDenied("This is for a manager.")
        if (kept := _kept(form, None, request)) is not None:
            say(request, f"{kept} is on record. Write down what came in.")
            return redirect("seeds:lot", kept.pk)
    found = stocks(timezone.localdate().year)
    listing = Listing(request, "seed", LOTS, found, "crop", "lot")
    if (file := listing.taken()) is not None:
        return file
    needing = sorted((s for s in found if s.said and s.seeds), key=lambda s: (not s.worn, s.lot.cultivar.name))
    adding = allowed(request.user, "plan") and ("new" in request.GET or bool(form.errors))
    context = {"form": form, "listing": listing, "needing": needing[:MOST_NEEDING], "adding": adding}
    if adding:
        context["cultivars"] = _cultivars()
    return render(request, "seeds/lots.html", context, status=422 if form.errors else 200)


MOST_NEEDING = 12  # lots to beware of that stand first
LOTS: list[Column[Stock]] = [
    Column("lot", "Lot", lambda s: f"{s.lot.cultivar.name}, lot {s.lot.name}", url=lambda s: reverse("seeds:lot", args=[s.lot.pk])),
    Column("crop", "Crop", lambda s: f"{s.lot.cultivar.crop.name}, {s.lot.cultivar.name}", text=lambda s: s.lot.cultivar.crop.name),
    Column("supplier", "Supplier", lambda s: s.lot.supplier),
    Column("year", "Grown in", lambda s: s.lot.year, text=lambda s: str(s.lot.year or "not known"), number=True),
    Column("germination", "Germination, %", lambda s: s.germination, text=germination_in_words, number=True),
    Column("stock", "In stock", lambda s: s.seeds, text=lambda s: f"{s.seeds} {s.lot.counted_in}", number=True),
    Column("state", "Beware", lambda s: s.said),
    Column("treatment", "Treated", lambda s: s.lot.treatment),
]


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
    for line in lot.moves.select_related("by", "taken_back_by"):
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
            line = write_by_hand(lot, data["why"], data["seeds"], data["on"], request.user, today, data["note"], data["sure"])
            say(request, f"{line.get_why_display().capitalize()}: written.", reverse("seeds:undo-move", args=[pk, line.pk]))
            return redirect("seeds:lot", pk)
    return lot_shown(request, lot, move=form)


@may("plan")
@require_POST
def undo(request: PersonRequest, pk: int, line: int) -> HttpResponse:
    lot = get_object_or_404(Lot, pk=pk)
    written = get_object_or_404(Move.objects.select_related("lot__cultivar__crop"), pk=line, lot=lot)
    with said_on_top(request):
        undo_line(written, request.user, timezone.localdate())
        say(request, "The line is taken back.")
    return redirect("seeds:lot", pk)
