"""Pick: the weigh-in bench, fast from the keyboard."""

from __future__ import annotations

import json
import uuid
from datetime import date
from typing import Any

from django import forms
from django.conf import settings
from django.core.exceptions import ValidationError
from django.http import Http404, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_POST

from evarlo.devices.scale import OFF, scale_at
from evarlo.harvest.classes import classes_of
from evarlo.harvest.models import PickClass, Picking
from evarlo.harvest.queries import last_picks, left_to_pick, standing, yields
from evarlo.harvest.rounds import round_in_words
from evarlo.harvest.services import (
    ADD,
    CORRECT,
    MOST_KG,
    MOST_PIECES,
    WEIGHTS,
    Weighed,
    WeighedPart,
    correct_picking,
    graded_lot,
    keep_picking,
    kept,
    pick_anyway,
    weighed_by_class,
    withdraw_picking,
)
from evarlo.harvest.words import beside_in_words
from evarlo.nursery.queries import aside_in_words
from evarlo.people.permissions import allowed, may, may_take_back
from evarlo.people.requests import PersonRequest
from evarlo.trials.frame import frame
from evarlo.trials.holds import holds_in_words, pick_words
from evarlo.trials.models import Trial
from evarlo.trials.stakes import code_read
from evarlo.trials.views import trial_or_404
from evarlo.ui.fields import Day, Number, Words, day_done
from evarlo.ui.notice import say, warn
from evarlo.ui.refused import Refused, said_beside, said_on_top
from evarlo.ui.units import figure_shown, measured, unit_shown

ANSWERS = [(ADD, "Add to it"), (CORRECT, "Correct it")]  # to a second weigh-in of a day
NOUGHT_KEYS: dict[str, str] = {Picking.Nought.NOTHING: "o", Picking.Nought.UNRIPE: "r", Picking.Nought.MISSED: "x"}
NOTHING_KG = 0.005  # below which nothing lies on the scale
LOT = ("lot_kg", "lot_count")  # what only some were graded of
SHOWN = 25  # weigh-ins in the list before all are asked for


class WeighIn(forms.Form):
    key = forms.UUIDField(widget=forms.HiddenInput, initial=uuid.uuid4)
    on = Day(label="Day", error_messages={"required": "Nothing was typed. Expected the day of the pick."})
    plot = Words(label="Plot", most=60, error_messages={"required": "Nothing was typed. Expected a plot number."})
    marketable_kg = Number(label="Marketable", low=0, high=MOST_KG, unit="kg", required=False, unmarked=True)
    marketable_count = Number(label="Pieces", low=0, high=MOST_PIECES, whole=True, required=False, unmarked=True)
    cull_kg = Number(label="Cull", low=0, high=MOST_KG, unit="kg", required=False, unmarked=True)
    cull_count = Number(label="Cull pieces", low=0, high=MOST_PIECES, whole=True, required=False, unmarked=True)

    lot_kg = Number(label="The whole lot", low=0, high=MOST_KG, unit="kg", required=False, unmarked=True)
    lot_count = Number(label="Its pieces", low=0, high=MOST_PIECES, whole=True, required=False, unmarked=True)

    crate = forms.ChoiceField(label="Crate", required=False)
    nought = forms.ChoiceField(choices=[("", ""), *Picking.Nought.choices], required=False)
    sure = forms.BooleanField(label="Picked anyway; not for eating", required=False)
    again = forms.ChoiceField(choices=[("", ""), *ANSWERS], required=False)
    far = forms.BooleanField(label="It is right", required=False)

    def __init__(self, trial: Trial, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.trial = trial
        self.classes = classes_of(trial)
        if self.classes:
            for name in WEIGHTS:
                self.fields.pop(name, None)
            for c in self.classes:
                self.fields[f"kg_{c.pk}"] = Number(label=c.name, low=0, high=MOST_KG, unit="kg", required=False, unmarked=True)
                if c.counted:
                    self.fields[f"n_{c.pk}"] = Number(
                        label=f"{c.name}, pieces", low=0, high=MOST_PIECES, whole=True, required=False, unmarked=True
                    )
        else:
            del self.fields["lot_kg"], self.fields["lot_count"]
        site = trial.bed.site if trial.bed else None
        self.crates = list(site.crates.all()) if site else []
        if self.crates:
            named = [(str(c.pk), f"{c.name}, {measured(c.kg, 'kg')} off") for c in self.crates]
            self.fields["crate"].choices = [("", "no crate"), *named]  # type: ignore[attr-defined]
        else:
            del self.fields["crate"]

    @property
    def rows(self) -> list[tuple[PickClass, forms.BoundField, forms.BoundField | None]]:
        """Each class with its fields."""
        return [(c, self[f"kg_{c.pk}"], self[f"n_{c.pk}"] if c.counted else None) for c in self.classes]

    @property
    def weights(self) -> list[str]:
        """The fields that take a weight, in the order in which they are typed."""
        return [f"kg_{c.pk}" for c in self.classes] or ["marketable_kg", "cull_kg"]

    @property
    def cleared(self) -> list[str]:
        """What begins empty on the next plot."""
        return [name for name in self.fields if name.startswith(("kg_", "n_")) or name in (*WEIGHTS, *LOT, "sure")]

    @property
    def lot_typed(self) -> bool:
        """Whether anything was typed of a lot of which only some were graded."""
        return bool(self.classes) and any(self[name].value() not in (None, "") for name in LOT)

    def clean_plot(self) -> Any:
        number = self.cleaned_data["plot"]
        if scanned := code_read(number):
            if scanned[0] != self.trial.pk:
                raise forms.ValidationError("That stake is of another trial.")
            number = scanned[1]
        found = self.trial.plots.filter(number__iexact=number).first()
        if found is None:
            raise forms.ValidationError(f"Found “{number}”. Expected a plot of this trial.")
        return found

    def clean(self) -> dict[str, Any]:
        data = super().clean() or {}
        if self.errors or data.get("nought"):
            return data
        if all(data.get(name) is None for name in self.weights):
            self.add_error(self.weights[0], f"Nothing was typed. Expected a weight in {unit_shown('kg')}, or 0.")
        if self.lot_typed and not (data.get("lot_kg") and data.get("lot_count")):
            missing = "lot_count" if data.get("lot_kg") else "lot_kg"
            self.add_error(missing, "Expected what the whole lot weighs and how many pieces it has.")
        for name in (*self.weights, *(["lot_kg"] if self.classes else [])):
            if data.get(name) and data[name] < self._tare(data):
                tare = measured(self._tare(data), "kg")
                self.add_error(name, f"Found {measured(data[name], 'kg')}. Expected more than the {tare} of the crate.")
        return data

    def _tare(self, data: dict[str, Any]) -> float:
        return next((c.kg for c in self.crates if str(c.pk) == data.get("crate")), 0.0)

    @property
    def weighed(self) -> Weighed:
        d = self.cleaned_data
        tare = self._tare(d)
        net = {name: round(d[name] - tare, 6) if d.get(name) else 0.0 for name in self.weights}
        more = {name: d[name] for name in ("sure", "again", "far", "nought")} | {"tare_kg": tare}
        if self.classes:
            parts = [WeighedPart(c, net[f"kg_{c.pk}"], d.get(f"n_{c.pk}")) for c in self.classes]
            if self.lot_typed and not d["nought"]:
                return graded_lot(parts, round(d["lot_kg"] - tare, 6), d["lot_count"], **more)
            return weighed_by_class(parts, **more)
        return Weighed(net["marketable_kg"], d["marketable_count"], net["cull_kg"], d["cull_count"], **more)

    @property
    def asks(self) -> list[dict[str, str]]:
        """What a refusal asks: each possible answer as the field and value that give it, and its words."""
        answers = {name: [("on", self.fields[name].label)] for name in ("sure", "far")} | {"again": ANSWERS}
        asked = [name for name in answers if self.errors.get(name)]
        return [{"name": name, "value": value, "words": str(words)} for name in asked for value, words in answers[name]]


@may("see")
def pick(request: PersonRequest, slug: str) -> HttpResponse:
    trial = trial_or_404(slug)
    if request.method == "POST":
        return _weighed(request, trial)
    wanted = request.GET.get("correct", "")
    correcting = _standing(trial, wanted) if wanted and allowed(request.user, "pick") else None
    form = WeighIn(trial, initial=_as_it_was(correcting)) if correcting else None
    return _page(request, trial, timezone.localdate(), form, correcting)


@may("pick")
def _weighed(request: PersonRequest, trial: Trial) -> HttpResponse:
    """A weigh-in: typed ahead into the browser's queue, or sent as a form where there is no script."""
    form = WeighIn(trial, request.POST)
    if form.is_valid():
        data = form.cleaned_data
        with said_beside(form):
            made = keep_picking(data["plot"], data["on"], form.weighed, request.user, data["key"], timezone.localdate())
            if request.htmx:
                return _part(request, trial, data["on"])
            say(request, f"Plot {made.plot.number}: {made.get_nought_display() or measured(made.marketable_kg, 'kg')} saved.")
            return redirect(request.path)
    day = form.cleaned_data.get("on") or timezone.localdate()
    return _part(request, trial, day, form) if request.htmx else _page(request, trial, day, form)


@may("pick")
@require_POST
def correct(request: PersonRequest, slug: str, key: uuid.UUID) -> HttpResponse:
    trial = trial_or_404(slug)
    picking = get_object_or_404(Picking.objects.select_related("plot"), pk=key, plot__trial=trial)
    typed = request.POST.copy()
    typed["plot"] = picking.plot.number
    form = WeighIn(trial, typed)
    if form.is_valid():
        data = form.cleaned_data
        with said_beside(form):
            may_take_back(request.user, picking.by_id, picking.at)
            correct_picking(picking, data["on"], form.weighed, request.user, data["key"], timezone.localdate())
            say(request, f"The weigh-in of plot {picking.plot.number} is corrected; the one before stays on record.")
            return redirect("harvest:pick", slug)
    return _page(request, trial, picking.on, form, picking)


@may("pick")
@require_POST
def undo(request: PersonRequest, slug: str, key: uuid.UUID) -> HttpResponse:
    trial = trial_or_404(slug)
    picking = get_object_or_404(Picking.objects.select_related("plot", "supersedes"), pk=key, plot__trial=trial)
    try:
        may_take_back(request.user, picking.by_id, picking.at)
        withdraw_picking(picking, request.user)
    except Refused as refusal:
        if request.htmx:
            return HttpResponse(str(refusal), status=422, content_type="text/plain")
        warn(request, str(refusal))
    return _part(request, trial, picking.on) if request.htmx else redirect("harvest:pick", slug)


@may("pick")
@require_POST
def anyway(request: PersonRequest, slug: str) -> HttpResponse:
    """Held plots are picked today all the same, told once for the whole round."""
    trial = trial_or_404(slug)
    with said_on_top(request):
        on = day_done(request.POST.get("on", ""), timezone.localdate())
        why = " ".join(request.POST.get("why", "").split())
        pick_anyway(trial, on, why, request.user, timezone.localdate())
        say(request, f"Held plots can be weighed on {on:%-d %b %Y}. What was picked from them is not for eating.")
    return redirect("harvest:pick", slug)


@may("pick")
def on_scale(request: PersonRequest, slug: str) -> JsonResponse:  # noqa: ARG001
    """What lies on the bench scale now, in the unit of whoever asks; the bench of every trial has the same."""
    scale = scale_at(settings.SCALE)
    found = scale.now() if scale else OFF
    shown = None if found.kg is None else figure_shown(found.kg, "kg", 3)
    return JsonResponse({"figure": shown, "state": found.state, "empty": found.kg is not None and abs(found.kg) < NOTHING_KG})


def _standing(trial: Trial, key: str) -> Picking:
    try:
        return standing(trial).select_related("plot").get(pk=key)
    except (Picking.DoesNotExist, ValidationError):
        raise Http404("There is no such weigh-in, or it was corrected since.") from None


def _as_it_was(picking: Picking) -> dict[str, Any]:
    typed = {"on": picking.on, "plot": picking.plot.number, "key": uuid.uuid4(), **kept(picking)}
    lot = picking.marketable_kg + picking.cull_kg
    back = picking.graded_kg / lot if picking.graded_kg and lot else 1.0  # to what was graded
    for part in picking.parts.all():  # net: no crate is taken off again
        pieces = part.graded_count if picking.graded_kg else part.count
        typed |= {f"kg_{part.pick_class_id}": round(part.kg * back, 4), f"n_{part.pick_class_id}": pieces}
    if picking.graded_kg:
        typed |= {"lot_kg": round(lot, 6), "lot_count": sum(p.count or 0 for p in picking.parts.all())}
    return typed


def _part(request: PersonRequest, trial: Trial, on: date, form: WeighIn | None = None) -> HttpResponse:
    context = _bench(request, trial, on, form)
    return render(request, "harvest/pick.html#bench", context, status=422 if form else 200)


def _page(
    request: PersonRequest, trial: Trial, on: date, form: WeighIn | None = None, correcting: Picking | None = None
) -> HttpResponse:
    context = _bench(request, trial, on, form, correcting) | frame(request, trial, "pick", layer="marketable-yield")
    return render(request, "harvest/pick.html", context, status=422 if form and form.is_bound else 200)


def _bench(
    request: PersonRequest, trial: Trial, on: date, form: WeighIn | None = None, correcting: Picking | None = None
) -> dict[str, Any]:
    waiting = left_to_pick(trial, on)
    form = form or WeighIn(trial, initial={"on": on, "plot": waiting[0].number if waiting else "", "key": uuid.uuid4()})
    plots = {p.pk: p for p in trial.plots.select_related("entry")}
    of = next((p for p in plots.values() if p.number == request.GET.get("plot")), None)
    rows = standing(trial).select_related("plot__entry", "by").order_by("-at")
    rows = rows.filter(plot=of) if of else rows
    every = bool(of) or "every" in request.GET
    seasons = yields(trial)
    last = last_picks(trial)
    expected = {name: field.expected for name, field in form.fields.items() if isinstance(field, Number)}
    return {
        "trial": trial,
        "form": form,
        "correcting": correcting,
        "left": len(waiting),
        "path": json.dumps([p.number for p in sorted(plots.values(), key=lambda p: p.place)]),
        "waiting": json.dumps([p.number for p in waiting]),
        "expected": json.dumps(expected, ensure_ascii=False),
        "rows": rows if every else rows[:SHOWN],
        "of": of,
        "every": every,
        "count": rows.count(),
        "more": not every and rows.count() > SHOWN,
        "seasons": [(plots[pk], seasons[pk]) for pk in sorted(seasons, key=lambda k: plots[k].place)],
        "on": on,
        "aside": aside_in_words(trial),
        "holds": holds_in_words(trial, timezone.now(), (pick_words,)),
        "anyway": trial.picked_anyway.filter(on=on).last(),
        "beside": json.dumps({plots[pk].number: beside_in_words(last[pk], seasons.get(pk)) for pk in last}, ensure_ascii=False),
        "beside_now": beside_in_words(last[waiting[0].pk], seasons.get(waiting[0].pk)) if waiting and waiting[0].pk in last else "",
        "noughts": [(key, words, NOUGHT_KEYS[key]) for key, words in Picking.Nought.choices],
        "classed": form.classes,
        "round": round_in_words(trial),
        "scale": bool(settings.SCALE),
        "simulated": settings.SCALE == "simulated",
    }
