"""Sow: packets into cells of a tray, or seeds into plots, with the stock and the confounding in view."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from django.db.models import Exists, OuterRef
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_POST

from evarlo.nursery.audit import audit_of
from evarlo.nursery.book import EntryBook, book_of
from evarlo.nursery.forms import CorrectTray, SowForm, SowPlotsForm, TrayForm
from evarlo.nursery.models import Session, Sowing, Step, Tray
from evarlo.nursery.names import called
from evarlo.nursery.queries import step_rows
from evarlo.nursery.sowing import (
    SHARED,
    Put,
    cells_typed,
    correct_tray,
    new_tray,
    session_of,
    sow_cells,
    sow_plots,
    taken_cells,
    undo_sowing,
)
from evarlo.nursery.step_form import StepForm, keep_step_form
from evarlo.people.corrections import corrections_of
from evarlo.people.permissions import allowed, may, may_take_back
from evarlo.people.requests import PersonRequest, typed
from evarlo.seeds.models import Lot
from evarlo.seeds.queries import Stock, stocks_by_cultivar
from evarlo.trials.frame import frame
from evarlo.trials.models import Entry, Trial
from evarlo.trials.needs import Needs, needs_of, places_of, plan_of, seeds_of
from evarlo.trials.queries import plots_of
from evarlo.trials.views import trial_or_404
from evarlo.ui.draw import tray as draw
from evarlo.ui.notice import say
from evarlo.ui.refused import Refused, said_beside, said_on_top
from evarlo.ui.words import counted
from trialcore.reckoning.trays import cells_in_words, first_free

FREE_TRAYS = 40  # of the newest, that are offered to sow into


@dataclass(frozen=True)
class Packet:
    """One entry at the bench: what it should get and what it got."""

    book: EntryBook
    called: str
    seeds: int
    sown: int
    cells_left: int


def in_order(request: PersonRequest, trial: Trial, books: list[EntryBook]) -> list[EntryBook]:
    """The books in the order in which packets lie on the bench, where that was typed; else by code."""
    key = f"packets-{trial.slug}"
    if "order" in request.GET:
        request.session[key] = request.GET["order"].upper().replace(",", " ").split()[:400]
    order = {code: n for n, code in enumerate(request.session.get(key, []))}
    return sorted(books, key=lambda b: (order.get(b.entry.code.upper(), len(order)), b.entry.code))


def packets_of(books: list[EntryBook], names: dict[int, str], needs: Needs) -> list[Packet]:
    need = {r.entry.pk: r for r in needs.rows}
    made = []
    for book in books:
        first = [x for x in book.lines if not x.sowing.parent_id]
        cells = sum(len(x.sowing.cells) for x in first if not x.sowing.again)
        row = need[book.entry.pk]
        made.append(Packet(book, names[book.entry.pk], row.seeds, sum(x.sowing.seeds for x in first), max(0, row.cells - cells)))
    return made


@may("see")
def sow(request: PersonRequest, slug: str) -> HttpResponse:
    trial = trial_or_404(slug)
    step_form = StepForm(trial, typed(request), initial={"on": timezone.localdate()})
    if request.method == "POST" and (answer := keep_step_form(request, trial, Step.SOWN, step_form)):
        return answer
    return _page(request, trial, step_form=step_form)


def _page(
    request: PersonRequest,
    trial: Trial,
    step_form: StepForm | None = None,
    form: SowForm | None = None,
    tray_form: TrayForm | None = None,
    plots_form: SowPlotsForm | None = None,
    tray: Tray | None = None,
    tray_right: CorrectTray | None = None,
) -> HttpResponse:
    today, names = timezone.localdate(), called(trial, request.user)
    books, plan = in_order(request, trial, book_of(trial)), plan_of(trial)
    packets = packets_of(books, names, needs := needs_of(trial, {}, today))
    sent = "plots" if plots_form else "trays" if form or tray_form or tray_right else ""
    in_trays = request.GET.get("way", sent or ("trays" if plan.transplant else "plots")) == "trays"
    used = [x.sowing.tray for b in books for x in b.lines if x.sowing.tray]
    begun = Exists(Sowing.objects.in_force().filter(tray=OuterRef("pk")))
    newest = list(Tray.objects.annotate(begun=begun).order_by("-pk")[: 2 * FREE_TRAYS])
    trays = list({t.pk: t for t in [*sorted(used, key=lambda t: t.pk), *(t for t in newest if not t.begun)]}.values())
    others = [t for t in newest if t.begun and t not in trays]  # those that other trials have begun
    asked = request.GET.get("tray", "")
    trays += [t for t in others if str(t.pk) == asked or t == tray]
    tray = tray or _chosen_tray(asked, trays, used)
    tray_form = tray_form or TrayForm(initial=_next_tray(plan.tray_cells, plan.cell_ml))
    a_plot = seeds_of(max(places_of(e, trial, plan) for e in trial.named_entries), plan) or None
    if not in_trays and plots_form is None:
        plots_form = SowPlotsForm(trial, initial=_proposed(request, trial) | {"seeds": a_plot})
    context: dict[str, Any] = {
        "packets": packets,
        "plan": plan,
        "in_trays": in_trays,
        "trays": trays,
        "others": [t for t in others if t not in trays],
        "tray": tray,
        "today": today,
        "sown": sum(p.sown for p in packets),
        "seeds": sum(p.seeds for p in packets),
        "begun": sum(bool(p.book.lines) for p in packets),
        "order": " ".join(request.session.get(f"packets-{trial.slug}", [])),
        "audit": audit_of(trial, books, allowed(request.user, "see_names")),
        "tray_form": tray_form,
        "plots_form": plots_form,
        "step_form": step_form or StepForm(trial, initial={"on": today}),
        "rows": step_rows(trial, Step.SOWN),
        "total": len(plots_of(trial)),
        "sowings": [x.sowing for b in books for x in b.lines if not x.sowing.parent_id and not x.happened],
        "treated": sorted({x.sowing.lot.treatment for b in books for x in b.lines if x.sowing.lot and x.sowing.lot.treatment}),
    }
    if tray and in_trays and trial.is_fixed:
        right = {"tray_name": tray.name, "rows": tray.rows, "cols": tray.cols, "cell_ml": tray.cell_ml}
        context |= {"tray_right": tray_right or CorrectTray(initial=right), "corrections": corrections_of(tray)}
        context |= _bench(request, trial, tray, packets, [s for r in needs.rows for s in r.lots], form)
    if not in_trays:
        done = {x.sowing.plot_id for b in books for x in b.lines}
        context["next_plot"] = next((p for p in plots_of(trial) if p.pk not in done), None)
        context["plots_done"] = len(done)
    wrong = any(f is not None and f.errors for f in (form, tray_form, plots_form, step_form, tray_right))
    return render(request, "nursery/sow.html", frame(request, trial, "sow") | context, status=422 if wrong else 200)


def _chosen_tray(asked: str, trays: list[Tray], used: list[Tray]) -> Tray | None:
    found = next((t for t in trays if str(t.pk) == asked), None)
    if found or not trays:
        return found
    newest = max(trays, key=lambda t: t.pk)
    return newest if newest.pk not in {t.pk for t in used} else used[-1]


def _bench(
    request: PersonRequest, trial: Trial, tray: Tray, packets: list[Packet], known: list[Stock], form: SowForm | None
) -> dict[str, Any]:
    """The tray, and the form with the next packet and the cells it would get."""
    taken = taken_cells(tray)
    entries = [p.book.entry for p in packets]
    lots = known if allowed(request.user, "see_names") else []
    names = {p.book.entry.pk: p.called for p in packets}
    if form is None:
        asked = request.GET.get("entry", "")
        packet = next((p for p in packets if p.book.entry.code == asked), None)
        packet = packet or next((p for p in packets if p.cells_left), packets[0])
        per_cell = plan_of(trial).per_station
        again = request.GET.get("seeds", "")
        wanted = -(-int(again) // per_cell) if again.isdecimal() else packet.cells_left or 1
        free = first_free(taken, min(wanted, tray.cells), tray.cells)
        initial = _proposed(request, trial) | {
            "entry": packet.book.entry.code,
            "per_cell": per_cell,
            "cells": cells_in_words(free, tray.cols),
            "again": again != "",
        }
        form = SowForm(trial, entries, names, lots, initial=initial)
    order = {pk: n for n, pk in enumerate(dict.fromkeys(s.entry_id for s in taken.values()))}
    drawn = {n: draw.Cell(s.entry.code, order[s.entry_id], s.entry.trial_id != trial.pk) for n, s in taken.items()}
    mode = "choose" if allowed(request.user, "sow") else ""
    return {"form": form, "free": tray.cells - len(taken), "drawing": draw.tray(str(tray), tray.rows, tray.cols, drawn, mode)}


def _proposed(request: PersonRequest, trial: Trial) -> dict[str, Any]:
    """What a sitting's details are proposed as: this trial's own last sitting of this person today, else the crop's profile.
    Another trial's or day's are never taken over: they would be kept as facts that nobody stated."""
    today = timezone.localdate()
    mine = Session.objects.filter(by=request.user, sowings__entry__trial=trial, sowings__undone_at__isnull=True)
    last = mine.order_by("-id").first()
    if last and timezone.localdate(last.at) == today:
        return {"on": last.on} | {name: getattr(last, name) for name in SHARED}
    depth = trial.crop.profile.get("depth_mm")
    return {"on": today} | ({"depth_mm": float(depth)} if isinstance(depth, int | float) else {})


def _next_tray(cells: int, cell_ml: float) -> dict[str, Any]:
    """A tray like those the needs are reckoned with, under the next free number."""
    rows = next((r for r in (6, 7, 8, 5, 10, 4, 9, 3, 2) if cells % r == 0 and cells // r >= r), 1)
    taken = set(Tray.objects.values_list("name", flat=True))
    number = next(n for n in range(len(taken) + 1, 2 * len(taken) + 2) if f"T{n}" not in taken)
    return {"tray_name": f"T{number}", "rows": rows, "cols": cells // rows, "cell_ml": cell_ml}


def store_of(trial: Trial) -> dict[int, list[Stock]]:
    """The lots of a trial's entries by cultivar, the freshest first."""
    return stocks_by_cultivar(timezone.localdate().year, trial.entries.values_list("cultivar_id", flat=True))


def lot_for(store: dict[int, list[Stock]], entry: Entry, asked: str) -> Lot | None:
    """The lot that was chosen, or the freshest in stock."""
    if asked == "none":
        return None
    here = store.get(entry.cultivar_id, [])
    if asked:
        return next((s.lot for s in here if str(s.lot.pk) == asked), None)
    return next((s.lot for s in here if s.seeds > 0), here[0].lot if here else None)


@may("sow")
@require_POST
def put_tray(request: PersonRequest, slug: str) -> HttpResponse:
    trial = trial_or_404(slug)
    form = TrayForm(request.POST)
    if form.is_valid():
        data = form.cleaned_data
        with said_beside(form):
            tray = new_tray(
                data["tray_name"], data["rows"], data["cols"], data["cell_ml"], data["place"], timezone.localdate(), request.user
            )
            return redirect(f"{reverse('nursery:sow', args=[slug])}?way=trays&tray={tray.pk}")
    return _page(request, trial, tray_form=form)


@may("sow")
@require_POST
def put_tray_right(request: PersonRequest, slug: str, pk: int) -> HttpResponse:
    trial, tray = trial_or_404(slug), get_object_or_404(Tray, pk=pk)
    form = CorrectTray(request.POST)
    if form.is_valid():
        d = form.cleaned_data
        with said_beside(form):
            correct_tray(tray, d["tray_name"], d["rows"], d["cols"], d["cell_ml"], d["why"], request.user)
            say(request, f"Corrected: tray {tray}.")
            return redirect(f"{reverse('nursery:sow', args=[slug])}?way=trays&tray={tray.pk}")
    return _page(request, trial, tray=get_object_or_404(Tray, pk=pk), tray_right=form)


@may("sow")
@require_POST
def put_seeds(request: PersonRequest, slug: str, pk: int) -> HttpResponse:
    """Seeds of one entry into cells of a tray."""
    trial, tray = trial_or_404(slug), get_object_or_404(Tray, pk=pk)
    entries = list(trial.entries.select_related("cultivar"))
    store = store_of(trial)
    lots = [s for some in store.values() for s in some] if allowed(request.user, "see_names") else []
    form = SowForm(trial, entries, called(trial, request.user), lots, request.POST)
    if form.is_valid() and form.held_against(trial):
        data = form.cleaned_data
        entry = next(e for e in entries if e.code == data["entry"])
        put = Put(entry, lot_for(store, entry, data["lot"]), data["per_cell"], data["level"], data["again"])
        try:
            cells = cells_typed(data["cells"], tray)
            session = session_of(data["on"], request.user, data)
            sowing = sow_cells(put, tray, cells, session, timezone.localdate(), data["sure"])
            undo = reverse("nursery:undo-sowing", args=[slug, sowing.pk])
            where = f"{cells_in_words(cells, tray.cols)} of tray {tray}"
            say(request, f"{counted(sowing.seeds, trial.crop.piece)} of {entry.code} are in {where}.", undo)
            return redirect(f"{reverse('nursery:sow', args=[slug])}?way=trays&tray={tray.pk}")
        except Refused as refusal:
            form.add_error(refusal.field if refusal.field in form.fields else _named(refusal.field), str(refusal))
    return _page(request, trial, form=form, tray=tray)


def _named(field: str) -> str | None:
    """Where a refusal of the seed store or the plots is said on this page."""
    return {"seeds": "cells"}.get(field)


@may("sow")
@require_POST
def put_in_plots(request: PersonRequest, slug: str) -> HttpResponse:
    """Seeds into plots: those that were named, or the next along the path."""
    trial = trial_or_404(slug)
    form = SowPlotsForm(trial, request.POST)
    if form.is_valid() and form.held_against(trial):
        data = form.cleaned_data
        plots = list(trial.plots.filter(number__in=data["plots"]).select_related("entry", "trial"))
        lots: dict[int, Lot] = {}
        by_entry: dict[int, Entry] = {p.entry_id: p.entry for p in plots}
        store = store_of(trial)
        for entry in by_entry.values():
            if lot := lot_for(store, entry, ""):
                lots[entry.pk] = lot
        with said_beside(form):
            session = session_of(data["on"], request.user, data)
            count = sow_plots(plots, lots, data["seeds"], session, timezone.localdate(), data["sure"])
            say(request, f"{count} plot{'' if count == 1 else 's'} sown." if count else "These plots were sown already.")
            return redirect(f"{reverse('nursery:sow', args=[slug])}?way=plots")
    return _page(request, trial, plots_form=form)


@may("sow")
@require_POST
def undo(request: PersonRequest, slug: str, pk: int) -> HttpResponse:
    sowing = get_object_or_404(Sowing.objects.select_related("entry__trial", "session", "lot"), entry__trial__slug=slug, pk=pk)
    with said_on_top(request):
        may_take_back(request.user, sowing.session.by_id, sowing.session.at)
        undo_sowing(sowing, request.user, timezone.localdate())
        say(request, f"The sowing of {sowing.entry.code} in {sowing.where} is taken back.")
    where = f"way=trays&tray={sowing.tray_id}" if sowing.tray_id else "way=plots"
    return redirect(f"{reverse('nursery:sow', args=[slug])}?{where}")
