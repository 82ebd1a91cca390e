"""Germination tests: beginning one, counting it, and what it says of the lot."""

from __future__ import annotations

from typing import Any

from django import forms
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_POST

from evarlo.people.permissions import may
from evarlo.people.requests import PersonRequest, typed
from evarlo.seeds.forms import BeginForm
from evarlo.seeds.germination import against, begin_test, end_test, keep_counts, results, tested, undo_test
from evarlo.seeds.models import GerminationTest, Lot
from evarlo.seeds.views import lot_shown
from evarlo.seeds.words import result_in_words, setting_in_words
from evarlo.ui.draw.coming import Line, coming
from evarlo.ui.fields import Day, Number
from evarlo.ui.notice import say
from evarlo.ui.refused import Refused, said_beside, said_on_top

DRAWN = 40  # points of a fitted curve


class CountForm(forms.Form):
    """What is new on a day: a number for each replicate and class, empty where there is none."""

    on = Day(label="Counted on", error_messages={"required": "Nothing was typed. Expected the day of counting."})

    def __init__(self, test: GerminationTest, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.test = test
        for replicate in range(1, test.replicates + 1):
            for kind, words in test.columns.items():
                self.fields[f"{kind}_{replicate}"] = Number(
                    label=f"{words}, replicate {replicate}", low=0, high=test.seeds, whole=True, required=False
                )

    @property
    def rows(self) -> list[tuple[int, list[forms.BoundField]]]:
        return [(r, [self[f"{kind}_{r}"] for kind in self.test.columns]) for r in range(1, self.test.replicates + 1)]

    @property
    def wrong(self) -> list[tuple[str, str]]:
        """Which figure is wrong and why, to be said once beneath the table."""
        return [(str(self.fields[n].label) if n in self.fields else "", str(e[0])) for n, e in self.errors.items() if n != "on"]

    def counted(self) -> dict[int, dict[str, int]]:
        data = self.cleaned_data
        return {r: {kind: data[f"{kind}_{r}"] or 0 for kind in self.test.columns} for r in range(1, self.test.replicates + 1)}


@may("see_names")
def test_page(request: PersonRequest, pk: int) -> HttpResponse:
    test = get_object_or_404(GerminationTest.objects.select_related("lot__cultivar__crop"), pk=pk)
    return _page(request, test, CountForm(test, initial={"on": timezone.localdate()}))


@may("see_names")
def _page(request: PersonRequest, test: GerminationTest, form: CountForm) -> HttpResponse:
    found = results([test])[0]
    lots = Lot.objects.filter(cultivar__crop=test.lot.cultivar.crop).exclude(pk=test.lot_id)
    others = [r for r in tested(lots.values_list("pk", flat=True)).values() if r.test.method == test.method]
    near = sorted(others, key=lambda r: (r.test.lot.cultivar_id != test.lot.cultivar_id, r.test.lot.name))
    total, so_far = 0, []
    for day, n in zip(found.days, found.newly, strict=True):
        total += n
        so_far.append((float(day), 100 * total / test.sown))
    fitted = []
    if found.curve and found.days:
        fitted = [(d, 100 * found.curve.by(d)) for d in (found.days[-1] * i / DRAWN for i in range(DRAWN + 1))]
    stated = test.lot.germination
    said = f"{found.normal} of {test.sown} seeds germinated" + (f", {stated:g} % were stated" if stated else "")
    context = {
        "test": test,
        "result": found,
        "said": result_in_words(found),
        "setting": setting_in_words(found),
        "form": form,
        "columns": test.columns,
        "classed": [(words, found.totals[kind]) for kind, words in test.columns.items() if found.totals[kind]],
        "against": [against(found, o) for o in near[:8]],
        "drawing": coming([Line("this lot", so_far, fitted, "own")], said, stated) if so_far else "",
        "counts": [(c, [getattr(c, kind) for kind in test.columns]) for c in test.counts.in_force().select_related("by")],
    }
    return render(request, "seeds/test.html", context, status=422 if form.errors else 200)


@may("see_names")
@may("sow")
@require_POST
def begin(request: PersonRequest, pk: int) -> HttpResponse:
    lot = get_object_or_404(Lot.objects.select_related("cultivar__crop"), pk=pk)
    form = BeginForm(typed(request))
    if form.is_valid():
        data = form.cleaned_data
        method = data["method"] or GerminationTest.Method.GERMINATION
        try:
            made = begin_test(
                lot,
                method,
                data["began_on"],
                data["replicates"],
                data["seeds"],
                data["celsius"],
                data["on_what"],
                request.user,
                timezone.localdate(),
                data["sure"],
            )
            return redirect("seeds:test", made.pk)
        except Refused as refusal:
            form.add_error({"on": "began_on"}.get(refusal.field, refusal.field or None), str(refusal))
    return lot_shown(request, lot, begin=form)


@may("see_names")
@may("sow")
@require_POST
def count(request: PersonRequest, pk: int) -> HttpResponse:
    test = get_object_or_404(GerminationTest.objects.select_related("lot__cultivar__crop"), pk=pk)
    form = CountForm(test, request.POST)
    if form.is_valid():
        on = form.cleaned_data["on"]
        with said_beside(form):
            changed = keep_counts(test, on, form.counted(), request.user, timezone.localdate())
            say(request, f"The counts of {on:%-d %b} are kept." if changed else "Nothing new was typed.")
            return redirect("seeds:test", pk)
    return _page(request, test, form)


@may("see_names")
@may("sow")
@require_POST
def end(_request: PersonRequest, pk: int) -> HttpResponse:
    test = get_object_or_404(GerminationTest, pk=pk)
    end_test(test, None if test.ended_on else timezone.localdate())
    return redirect("seeds:test", pk)


@may("see_names")
@may("sow")
@require_POST
def undo(request: PersonRequest, pk: int) -> HttpResponse:
    test = get_object_or_404(GerminationTest.objects.select_related("lot"), pk=pk)
    with said_on_top(request):
        undo_test(test, request.user, timezone.localdate())
        say(request, f"The test is taken back: {test.sown} seeds are in the lot again.")
        return redirect("seeds:lot", test.lot_id)
    return redirect("seeds:test", pk)
