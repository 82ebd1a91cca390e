"""The keeping test on its page: what is in store, looks at it, and how long each entry keeps."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from django import forms
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_POST

from evarlo.harvest.models import StoreCheck, StoredLot
from evarlo.harvest.store import (
    MOST_PIECES,
    LaidIn,
    Seen,
    Stored,
    curves_of,
    keep_to,
    kept_of,
    lay_in,
    look_at,
    market_days,
    stored_in,
    undo_look,
    undo_lot,
)
from evarlo.harvest.words import kept_in_words, store_in_words
from evarlo.nursery.names import called
from evarlo.people.permissions import allowed, may, may_take_back
from evarlo.people.requests import PersonRequest
from evarlo.trials.frame import frame
from evarlo.trials.models import Trial
from evarlo.trials.queries import entry_names
from evarlo.trials.views import trial_or_404
from evarlo.ui.draw.curves import Curve
from evarlo.ui.draw.keeping import keeping
from evarlo.ui.fields import Day, Number, OwnIds, Words
from evarlo.ui.notice import say
from evarlo.ui.refused import said_beside, said_on_top
from evarlo.ui.words import counted
from trialcore.analyses.keeping import Sound, share_sound


class LayInForm(OwnIds):
    unmarked = ("kg", "place")
    of = forms.ChoiceField(label="Of")
    on = Day(label="Put away on", error_messages={"required": "Nothing was typed. Expected the day it was put away."})
    pieces = Number(label="Pieces", low=1, high=MOST_PIECES, whole=True)
    kg = Number(label="Weight", low=0.001, high=5000, unit="kg", required=False)
    place = Words(label="Where, and how kept", most=60, required=False)
    every_days = Number(label="Looked at every", low=1, high=120, unit="days", whole=True, initial=14)

    def __init__(self, trial: Trial, names: dict[int, str], *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        plots = trial.plots.order_by("place")
        whole = [(f"e{pk}", f"{name}, all plots") for pk, name in names.items()]
        self.choose_from("of", [*whole, *((f"p{p.pk}", f"plot {p.number}, {names[p.entry_id]}") for p in plots)])


class LookForm(OwnIds):
    unmarked = ("taken", "cause", "kg", "shrivel")
    on = Day(label="Day", error_messages={"required": "Nothing was typed. Expected the day it was looked at."})
    sound = Number(label="Sound", low=0, high=MOST_PIECES, whole=True)
    taken = Number(label="Taken away sound", low=0, high=MOST_PIECES, whole=True, required=False)
    cause = Words(label="The others were lost to", most=60, required=False)
    kg = Number(label="Weight of the sound", low=0, high=5000, unit="kg", required=False)
    shrivel = Number(label="Shrivel, 1 none to 9", low=1, high=9, whole=True, required=False)


class MarketForm(OwnIds):
    unmarked = ("market_days",)
    market_days = Number(label="To be sound after", low=1, high=400, unit="days", whole=True, required=False)


@may("see")
def store(request: PersonRequest, slug: str) -> HttpResponse:
    return _page(request, trial_or_404(slug))


@may("pick")
@require_POST
def new_lot(request: PersonRequest, slug: str) -> HttpResponse:
    trial = trial_or_404(slug)
    form = LayInForm(trial, called(trial, request.user), request.POST)
    if form.is_valid():
        d = form.cleaned_data
        key = int(d["of"][1:])
        plot = trial.plots.select_related("entry").get(pk=key) if d["of"][0] == "p" else None
        entry = plot.entry if plot else trial.entries.get(pk=key)
        with said_beside(form):
            what = LaidIn(d["pieces"], d["kg"], d["place"], d["every_days"])
            lay_in(trial, entry, plot, d["on"], what, request.user, timezone.localdate())
            say(request, f"{d['pieces']} pieces of {entry.code} are in store.")
            return redirect("harvest:store", slug)
    return _page(request, trial, new=form)


@may("pick")
@require_POST
def look(request: PersonRequest, slug: str, pk: int) -> HttpResponse:
    trial = trial_or_404(slug)
    lot = get_object_or_404(StoredLot.objects.in_force(), trial=trial, pk=pk)
    form = LookForm(request.POST)
    if form.is_valid():
        d = form.cleaned_data
        with said_beside(form):
            seen = Seen(d["sound"], d["taken"] or 0, d["cause"], d["kg"], d["shrivel"])
            look_at(lot, d["on"], seen, request.user, timezone.localdate())
            say(request, f"{lot}: {d['sound']} sound.")
            return redirect("harvest:store", slug)
    return _page(request, trial, looked=(lot.pk, form))


@may("plan")
@require_POST
def to_keep(request: PersonRequest, slug: str) -> HttpResponse:
    """The market day: after how many days in store pieces are to be sound."""
    trial = trial_or_404(slug)
    form = MarketForm(request.POST)
    if form.is_valid():
        with said_beside(form):
            keep_to(trial, form.cleaned_data["market_days"], request.user)
            return redirect("harvest:store", slug)
    return _page(request, trial, market=form)


@may("pick")
@require_POST
def undo(request: PersonRequest, slug: str, pk: int) -> HttpResponse:
    """The newest look at a lot is taken back; the lot itself where there was none."""
    lot = get_object_or_404(StoredLot.objects.in_force(), trial__slug=slug, pk=pk)
    with said_on_top(request):
        last: StoreCheck | None = lot.checks.in_force().last()
        may_take_back(request.user, (last or lot).by_id, (last or lot).at)
        if last:
            undo_look(last)
        else:
            undo_lot(lot)
        say(request, f"{lot}: taken back.")
    return redirect("harvest:store", slug)


def _page(
    request: PersonRequest,
    trial: Trial,
    new: LayInForm | None = None,
    looked: tuple[int, LookForm] | None = None,
    market: MarketForm | None = None,
) -> HttpResponse:
    today, names, day = timezone.localdate(), called(trial, request.user), market_days(trial)
    stored = stored_in(trial)
    check = next((s.lot.entry.code for s in stored if s.lot.entry.is_check), None)
    shown = entry_names(trial, request.user)
    by_code = {s.lot.entry.code: shown[s.lot.entry_id] for s in stored}
    found = kept_of(stored, check) if allowed(request.user, "compare") else None
    curves = curves_of(stored, found.widened if found else None)
    lines = [
        Curve(
            by_code[code],
            [(s.day, 100 * s.share) for s in points],
            code == check,
            [(100 * s.lower95, 100 * s.upper95) for s in points] if code == check else (),
        )
        for code, points in curves.items()
    ]
    rows = []
    for s in stored:
        form = looked[1] if looked and looked[0] == s.lot.pk else LookForm(initial={"on": today}, auto_id=f"look{s.lot.pk}_%s")
        rows.append((s, names[s.lot.entry_id], form, s.next_on is not None and s.next_on <= today))
    context = {
        "rows": rows,
        "lead": store_in_words(stored, today),
        "drawing": keeping(lines, f"Share still sound of {counted(len(lines), 'entry')}")
        if lines and allowed(request.user, "compare")
        else "",
        "kept": kept_in_words(found, by_code, check) if allowed(request.user, "compare") and lines else "",
        "found": [(by_code[e.entry], e, found.median95(e)) for e in found.entries] if found else [],
        "new": new or LayInForm(trial, names, initial={"on": today, "every_days": 14}),
        "opened": new is not None or not stored,
        "market": market or MarketForm(initial={"market_days": day}),
        "by_market_day": _by_market_day(stored, curves, day, shown) if day and allowed(request.user, "compare") else [],
        "market_day": day,
    }
    wrong = new is not None or looked is not None or market is not None
    return render(request, "harvest/store.html", context | frame(request, trial, "pick"), status=422 if wrong else 200)


def _by_market_day(
    stored: list[Stored], curves: Mapping[str, Sequence[Sound]], day: int, names: dict[int, str]
) -> list[tuple[str, int, float, float | None]]:
    """Of each entry: lots that were looked at by then, the share of its pieces still sound, and the weight a piece had lost."""
    by_entry: dict[int, list[Stored]] = {}
    for s in stored:
        if s.sound_share(day) is not None:
            by_entry.setdefault(s.lot.entry_id, []).append(s)
    rows = []
    for pk, lots in by_entry.items():
        share = share_sound(curves[lots[0].lot.entry.code], day)
        lost = [w for s in lots if (w := s.weight_lost(day)) is not None]
        if share is not None:
            rows.append((names[pk], len(lots), 100 * share, sum(lost) / len(lost) if lost else None))
    return sorted(rows, key=lambda r: -r[2])
