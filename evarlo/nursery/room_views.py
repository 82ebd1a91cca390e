"""The raising space: what stands where until when, conflicts ahead, moving trays, temperatures."""

from __future__ import annotations

from django import forms
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_POST

from evarlo.grounds.models import Site
from evarlo.nursery.forms import PlaceForm
from evarlo.nursery.models import Place, Tray
from evarlo.nursery.room import keep_reading, move_trays, new_place, rooms, take_away, trays_named
from evarlo.people.permissions import may
from evarlo.people.requests import PersonRequest
from evarlo.ui.draw.room import room as drawn
from evarlo.ui.fields import Day, Number, OwnIds, Words
from evarlo.ui.notice import say
from evarlo.ui.refused import Refused, said_beside
from evarlo.ui.words import counted


class MoveForm(OwnIds):
    trays = Words(label="Trays", most=400, error_messages={"required": "Nothing was typed. Expected trays, such as T3 T4."})
    place = forms.ModelChoiceField(Place.objects.all(), label="To", required=False, empty_label="away, they are empty")
    on = Day(label="Day", error_messages={"required": "Nothing was typed. Expected the day they were moved."})

    def clean_trays(self) -> list[Tray]:
        try:
            return trays_named(self.cleaned_data["trays"])
        except Refused as refusal:
            raise forms.ValidationError(str(refusal)) from None


class ReadingForm(forms.Form):
    celsius = Number(label="Temperature", low=-30, high=60, unit="°C", error_messages={"required": "Nothing was typed."})


@may("see")
def room_page(request: PersonRequest) -> HttpResponse:
    return _page(request)


def _page(
    request: PersonRequest,
    place: PlaceForm | None = None,
    move: MoveForm | None = None,
    reading: tuple[int, ReadingForm] | None = None,
) -> HttpResponse:
    today = timezone.localdate()
    found = rooms(today)
    placed = {t.pk for r in found for t in r.trays}
    homeless = Tray.objects.exclude(pk__in=placed).filter(sowings__undone_at__isnull=True, stays__isnull=True).distinct()
    sent_to, sent = reading or (0, ReadingForm())
    shown = []
    for r in found:
        form = sent if sent_to == r.place.pk else ReadingForm(auto_id=f"read{r.place.pk}_%s")
        shown.append((r, drawn(r.stays, r.place.capacity, today), form))
    context = {
        "rooms": shown,
        "place_form": place or PlaceForm(),
        "move_form": move or MoveForm(initial={"on": today}),
        "homeless": homeless[:60],
    }
    wrong = (place and place.errors) or (move and move.errors) or reading
    return render(request, "nursery/room.html", context, status=422 if wrong else 200)


@may("plan")
@require_POST
def add_place(request: PersonRequest) -> HttpResponse:
    form, site = PlaceForm(request.POST), Site.objects.order_by("pk").first()
    if form.is_valid():
        data = form.cleaned_data
        with said_beside(form):
            if site is None:
                raise Refused("There is no site yet: plan a trial first.")
            new_place(site, data["name"], data["capacity"], data["shelter"], data["celsius"], data["light_h"])
            return redirect("raising:room")
    return _page(request, place=form)


@may("sow")
@require_POST
def move(request: PersonRequest) -> HttpResponse:
    form = MoveForm(request.POST)
    if form.is_valid():
        data = form.cleaned_data
        with said_beside(form):
            if data["place"] is None:
                for tray in data["trays"]:
                    take_away(tray, data["on"])
                say(request, f"Put away: {counted(len(data['trays']), 'tray')}.")
            else:
                moved = move_trays(data["trays"], data["place"], data["on"], request.user, timezone.localdate())
                say(request, f"Moved to {data['place']}: {counted(moved, 'tray')}.")
            return redirect("raising:room")
    return _page(request, move=form)


@may("sow")
@require_POST
def read(request: PersonRequest, pk: int) -> HttpResponse:
    """A temperature: typed, or read from the probe."""
    place = get_object_or_404(Place.objects.select_related("site"), pk=pk)
    if "probe" in request.POST:
        keep_reading(place, None, request.user, timezone.now())
        return redirect("raising:room")
    form = ReadingForm(request.POST)
    if form.is_valid():
        keep_reading(place, form.cleaned_data["celsius"], request.user, timezone.now())
        return redirect("raising:room")
    return _page(request, reading=(pk, form))
