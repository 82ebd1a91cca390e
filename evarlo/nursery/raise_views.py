"""Coming up and the balance: counting plants as they appear, what they are lost to, and what is done with them."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from typing import Any

from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_POST

from evarlo.nursery.book import EntryBook, Line, book_of, happenings_of, line_of
from evarlo.nursery.coming_up import Coming, coming_up, last_sowing
from evarlo.nursery.forms import ActForm, CountForm, HardenForm, PrickForm, RuleForm, TendForm
from evarlo.nursery.models import Happening, Sowing, Tending, Tray
from evarlo.nursery.names import called
from evarlo.nursery.raising import Act, happen, keep_rule, prick_out, rule_of, tend, undo_happening, undo_tending
from evarlo.nursery.sowing import cells_typed
from evarlo.nursery.words import coming_in_words, resow_in_words
from evarlo.people.permissions import allowed, may, may_take_back
from evarlo.people.requests import PersonRequest
from evarlo.trials.frame import frame
from evarlo.trials.models import Trial
from evarlo.trials.task_services import add_task, move_task
from evarlo.trials.views import trial_or_404
from evarlo.ui.draw import tray as draw
from evarlo.ui.draw.coming import Line as Curve
from evarlo.ui.draw.coming import coming
from evarlo.ui.notice import say
from evarlo.ui.refused import Refused, said_beside, said_on_top
from evarlo.ui.words import counted
from trialcore.field.emergence import Coming as Word
from trialcore.reckoning.balance import Kind
from trialcore.reckoning.hardening import HardeningDay, hardening_steps
from trialcore.reckoning.resow import Advice
from trialcore.reckoning.trays import first_free

DRAWN = 30  # points of a fitted curve
MANY = 40  # curves beyond which those that are as they should be are drawn from count to count
HURTS = (Word.FAILED, Word.FEWER, Word.SLOW)
ENOUGH = (Advice.ENOUGH, Advice.WAIT)  # of which nothing has to be done


@dataclass(frozen=True)
class CountLine:
    """One sowing in the list that is counted down."""

    line: Line
    called: str
    form: CountForm | None = None
    kept: bool = False

    @property
    def last(self) -> Happening | None:
        return self.line.counted

    @property
    def typed(self) -> str:
        """What stands in the field: what was typed and is wrong, else nothing."""
        return str(self.form.data.get("plants", "")) if self.form else ""

    @property
    def expected(self) -> str:
        return json.dumps({"plants": getattr(CountForm().fields["plants"], "expected", "")})

    @property
    def wrong(self) -> str:
        return str(next(iter(self.form.errors.values()))[0]) if self.form and self.form.errors else ""


def _line(sowing: Sowing) -> Line:
    return line_of(sowing, happenings_of([sowing])[sowing.pk])


def _lines(books: Sequence[EntryBook]) -> list[Line]:
    """What is counted: every sowing, the ones in one tray together, plots along their numbers."""
    lines = [line for book in books for line in book.lines]
    return sorted(lines, key=lambda x: (x.sowing.plot.place if x.sowing.plot else 0, x.sowing.tray_id or 0, x.sowing.pk))


@may("see")
def coming_page(request: PersonRequest, slug: str) -> HttpResponse:
    trial = trial_or_404(slug)
    names, books = called(trial, request.user), book_of(trial)
    context = {"counted": [CountLine(x, names[x.sowing.entry_id]) for x in _lines(books)], "today": timezone.localdate()}
    context |= _figures(trial, books, names)
    if request.htmx and request.GET.get("part") == "figures":
        return render(request, "nursery/coming.html#figures", context | {"trial": trial})
    return render(request, "nursery/coming.html", context | frame(request, trial, "sow"))


def _figures(trial: Trial, books: list[EntryBook], names: dict[int, str]) -> dict[str, Any]:
    """The curves, how each entry stands, and what to sow again."""
    rows = coming_up(trial, books, timezone.localdate())
    last, why = last_sowing(trial)
    counted = [r for r in rows if r.emergence]
    behind = [(r, names[r.book.entry.pk]) for r in counted if r.emergence and r.emergence.coming in HURTS]
    return {
        "short": [(r, names[r.book.entry.pk], resow_in_words(r, last)) for r in rows if r.resow and r.resow.advice not in ENOUGH],
        "lead": coming_in_words(len(counted), behind, sum(r.emergence.coming == Word.TOO_EARLY for r in counted if r.emergence)),
        "rows": [(r, names[r.book.entry.pk]) for r in rows],
        "told": len(counted),
        "trays_told": any(r.emergence.trays_told for r in counted if r.emergence),
        "last": last,
        "last_why": why,
        "drawing": _drawn(counted) if counted else "",
    }


def _drawn(rows: Sequence[Coming]) -> str:
    lines, promises = [], []
    for row in rows:
        told, counts = row.emergence, [c for c in row.book.counts if c.days]
        assert told and counts
        so_far = [(0.0, 0.0)]
        for day in sorted({d for c in counts for d in c.days}):
            looked = [c for c in counts if c.days[-1] >= day]  # those last counted before are not known any more
            so_far.append((day, 100 * sum(c.up_by(day) for c in looked) / sum(c.sown for c in looked)))
        curve = told.curve if told.settled else None
        end = max(c.days[-1] for c in counts)
        kind = "hurts" if told.coming in HURTS else "own" if len(rows) <= 3 else "other"
        smooth = curve is not None and (kind != "other" or len(rows) <= MANY)
        fitted = [(d, 100 * curve.by(d)) for d in (end * i / DRAWN for i in range(DRAWN + 1))] if curve and smooth else []
        lines.append(Curve(told.entry, so_far, fitted, kind))
        promises.append(100 * row.promised.share)
    said = f"Curves of {len(rows)} entries coming up, percent of the seeds over days from sowing"
    return coming(lines, said, sum(promises) / len(promises) if promises else None)


@may("sow")
@require_POST
def count(request: PersonRequest, slug: str, pk: int) -> HttpResponse:
    """Plants of one sowing, counted: one line of the list, or cell by cell."""
    trial = trial_or_404(slug)
    sowing = get_object_or_404(Sowing.objects.select_related("entry", "tray", "plot", "session"), entry__trial=trial, pk=pk)
    form = CountForm(request.POST)
    kept = False
    if form.is_valid():
        data = form.cleaned_data
        with said_beside(form):
            happen(sowing, Act(Kind.COUNTED, data["plants"], data["on"], cells=data["cells"]), request.user, timezone.localdate())
            kept = True
    name = called(trial, request.user)[sowing.entry_id]
    row = CountLine(_line(sowing), name, None if kept else form, kept)
    if request.htmx:
        answer = render(request, "nursery/coming.html#line", {"c": row, "trial": trial}, status=200 if kept else 422)
        if kept:
            answer["HX-Trigger"] = "counted"
        return answer
    if kept:
        say(request, f"Saved: {counted(form.cleaned_data['plants'], 'plant')} of {sowing.entry.code} in {sowing.where}.")
        return redirect("nursery:coming", slug)
    return _cells(request, trial, sowing, form)


@may("see")
def cells_page(request: PersonRequest, slug: str, pk: int) -> HttpResponse:
    trial = trial_or_404(slug)
    sowing = get_object_or_404(
        Sowing.objects.select_related("entry", "tray", "plot", "session"), entry__trial=trial, tray__isnull=False, pk=pk
    )
    return _cells(request, trial, sowing, CountForm(initial={"on": timezone.localdate()}))


def _cells(request: PersonRequest, trial: Trial, sowing: Sowing, form: CountForm) -> HttpResponse:
    """A tray whose cells are counted by touch."""
    row, tray = _line(sowing), sowing.tray
    if tray is None:
        return redirect("nursery:coming", trial.slug)
    last = row.counted
    digits = str(form.data.get("cells", "")) or (last.cells if last else "")
    digits = digits if len(digits) == len(sowing.cells) and digits.isdecimal() else "0" * len(sowing.cells)
    drawn = {c: draw.Cell(sowing.entry.code, 0, plants=digits[n]) for n, c in enumerate(sowing.cells)}
    for other in tray.sowings.in_force().exclude(pk=sowing.pk).select_related("entry"):
        drawn |= {c: draw.Cell(other.entry.code, 2, other=True) for c in other.cells}
    mode = "count" if allowed(request.user, "sow") else ""
    context = {
        "row": row,
        "called": called(trial, request.user)[sowing.entry_id],
        "form": form,
        "digits": digits,
        "plants": sum(map(int, digits)),
        "empty": digits.count("0"),
        "several": sum(d > "1" for d in digits),
        "drawing": draw.tray(str(tray), tray.rows, tray.cols, drawn, mode),
    }
    return render(request, "nursery/cells.html", context | frame(request, trial, "sow"), status=422 if form.errors else 200)


def _choices(books: Sequence[EntryBook], names: dict[int, str]) -> list[tuple[str, str]]:
    return [
        (str(x.sowing.pk), f"{names[x.sowing.entry_id]}, {x.sowing.where}: {x.balance.standing} standing") for x in _lines(books)
    ]


@may("see")
def balance_page(request: PersonRequest, slug: str) -> HttpResponse:
    return _balance(request, trial_or_404(slug))


def _balance(request: PersonRequest, trial: Trial, **given: Any) -> HttpResponse:
    """The book, what can be done with the plants, and everything that was, each with its undo. `given` is the form that was
    sent with something wrong in it."""
    names, books, today = called(trial, request.user), book_of(trial), timezone.localdate()
    choices = _choices(books, names)
    rule = rule_of(trial)
    trays = {x.sowing.tray_id for b in books for x in b.lines if x.sowing.tray_id}
    forms_shown = {
        "act": ActForm(choices, initial={"on": today, "left": rule.left}),
        "prick": PrickForm(choices, initial={"on": today}),
        "tend": TendForm(initial={"on": today}),
        "rule_form": RuleForm(initial={name: getattr(rule, name) for name in RuleForm.base_fields}),
        "harden": HardenForm(initial={"plant_on": trial.plant_on, "days": 9}),
    }
    whole = [(b, b.whole, names[b.entry.pk]) for b in books if b.lines]
    happened = sorted((h for b in books for x in b.lines for h in x.happened), key=lambda h: (h.on, h.pk), reverse=True)
    sowing_of = {x.sowing.pk: x.sowing for b in books for x in b.lines}
    tendings = Tending.objects.in_force().filter(tray__in=trays)
    context = {
        "books": whole,
        "rule": rule,
        "steps": given.pop("steps", []),
        "names": names,
        "happened": [(h, sowing_of[h.sowing_id], names[sowing_of[h.sowing_id].entry_id]) for h in happened[:60]],
        "tendings": tendings.select_related("tray", "by").order_by("-on", "-id")[:30],
    }
    wrong = any(f.errors for f in given.values())
    return render(
        request, "nursery/balance.html", forms_shown | given | context | frame(request, trial, "sow"), status=422 if wrong else 200
    )


@may("sow")
@require_POST
def act(request: PersonRequest, slug: str) -> HttpResponse:
    trial = trial_or_404(slug)
    form = ActForm(_choices(book_of(trial), called(trial, request.user)), request.POST)
    if form.is_valid():
        data = form.cleaned_data
        sowing = Sowing.objects.get(pk=data["sowing"])
        done = Act(Kind(data["kind"]), data["plants"], data["on"], data["cause"], data["whose"], data["note"], left=data["left"])
        with said_beside(form):
            happen(sowing, done, request.user, timezone.localdate())
            say(request, f"{data['plants']} of {sowing.entry.code}: {data['kind']}.")
            return redirect("nursery:balance", slug)
    return _balance(request, trial, act=form)


@may("sow")
@require_POST
def prick(request: PersonRequest, slug: str) -> HttpResponse:
    trial = trial_or_404(slug)
    form = PrickForm(_choices(book_of(trial), called(trial, request.user)), request.POST)
    if form.is_valid():
        data = form.cleaned_data
        tray = Tray.objects.filter(name__iexact=data["tray"]).first()
        with said_beside(form):
            if tray is None:
                raise Refused(f"There is no tray {data['tray']}. Put it up at the sowing bench first.", "tray")
            taken = [c for s in tray.sowings.in_force() for c in s.cells]
            cells = cells_typed(data["cells"], tray) or first_free(taken, data["plants"], tray.cells)
            prick_out(
                Sowing.objects.get(pk=data["sowing"]), data["plants"], tray, cells, data["on"], request.user, timezone.localdate()
            )
            say(request, f"{data['plants']} seedlings stand in cells of their own in tray {tray}.")
            return redirect("nursery:balance", slug)
    return _balance(request, trial, prick=form)


@may("sow")
@require_POST
def undo_act(request: PersonRequest, slug: str, pk: int) -> HttpResponse:
    happening = get_object_or_404(Happening, sowing__entry__trial__slug=slug, pk=pk)
    with said_on_top(request):
        may_take_back(request.user, happening.by_id, happening.at)
        undo_happening(happening, request.user)
        say(request, "It is taken back.")
    return redirect("nursery:balance", slug)


@may("sow")
@require_POST
def tend_act(request: PersonRequest, slug: str) -> HttpResponse:
    """Something done to trays as a whole; without names, to all trays of the trial."""
    trial, form = trial_or_404(slug), TendForm(request.POST)
    if form.is_valid():
        data = form.cleaned_data
        all_trays = {x.sowing.tray.name.casefold(): x.sowing.tray for b in book_of(trial) for x in b.lines if x.sowing.tray}
        asked = [n for n in data["trays"].replace(",", " ").casefold().split() if n]
        missing = next((n for n in asked if n not in all_trays), None)
        with said_beside(form):
            if missing or not all_trays:
                raise Refused(f"This trial has no tray {missing}." if missing else "This trial has no trays yet.", "trays")
            for name in asked or list(all_trays):
                tend(all_trays[name], data["what"], data["on"], data["said"], request.user, timezone.localdate())
            return redirect("nursery:balance", slug)
    return _balance(request, trial, tend=form)


@may("sow")
@require_POST
def undo_tending_act(request: PersonRequest, slug: str, pk: int) -> HttpResponse:
    tended = get_object_or_404(Tending.objects.filter(tray__sowings__entry__trial__slug=slug).distinct(), pk=pk)
    with said_on_top(request):
        may_take_back(request.user, tended.by_id, tended.at)
        undo_tending(tended)
    return redirect("nursery:balance", slug)


@may("plan")
@require_POST
def rule(request: PersonRequest, slug: str) -> HttpResponse:
    trial, form = trial_or_404(slug), RuleForm(request.POST)
    if form.is_valid():
        agreed = form.cleaned_data
        keep_rule(trial, timezone.localdate(), **agreed | {"reserve": agreed["reserve"] or 0})
        return redirect("nursery:balance", slug)
    return _balance(request, trial, rule_form=form)


@may("plan")
@require_POST
def harden(request: PersonRequest, slug: str) -> HttpResponse:
    """Hardening off step by step: shown, and put on the calendar when asked."""
    trial, form = trial_or_404(slug), HardenForm(request.POST)
    steps: list[HardeningDay] = []
    if form.is_valid():
        steps = hardening_steps(form.cleaned_data["plant_on"], form.cleaned_data["days"])
        if "keep" in request.POST:
            try:
                _on_calendar(trial, steps, request)
                say(request, "Hardening off is on the calendar.")
                return redirect("trials:calendar-page", slug)
            except Refused as refusal:
                form.add_error(None, str(refusal))
    return _balance(request, trial, harden=form, steps=steps)


def _on_calendar(trial: Trial, steps: Sequence[HardeningDay], request: PersonRequest) -> None:
    """One task for each way of standing out, counted back from planting so that it moves with it."""
    begun: dict[str, date] = {}
    for step in steps:
        begun.setdefault(step.how, step.on)
    plant_on = steps[-1].on + timedelta(days=1)
    move_task(trial, "harden", steps[0].on, request.user)
    for how, on in list(begun.items())[1:]:
        add_task(trial, f"Harden off: {how}", None, "plant", (on - plant_on).days, "", request.user)
