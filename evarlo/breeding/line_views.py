"""A line: where it comes from, how fixed and even it is, its gate and its name; and lines with their relatives."""

from __future__ import annotations

from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_POST

from evarlo.breeding.forms import GateForm, NameForm
from evarlo.breeding.gate import gate_for, gate_of
from evarlo.breeding.kin import kin_of
from evarlo.breeding.models import How, Isolation, Named, Saved
from evarlo.breeding.pedigree import ancestors, descendants, drawn, kin_nodes
from evarlo.breeding.purity import purity_in_words
from evarlo.breeding.services import drop_saved, keep_gate, name_line, undo_name
from evarlo.breeding.words import CAUTION, fixed_in_words
from evarlo.compare.analysis import digits_for
from evarlo.people.permissions import may
from evarlo.people.requests import PersonRequest
from evarlo.seeds.services import stock_of
from evarlo.trials.queries import names_shown, traits_with_records
from evarlo.trials.views import trial_or_404
from evarlo.ui.notice import say
from evarlo.ui.refused import said_beside, said_on_top

FOUND = ("progeny__crop", "lot", "plot__entry__cultivar", "plot__trial__generation__cross__crop", "pollen")


def saved_or_404(pk: int) -> Saved:
    return get_object_or_404(Saved.objects.select_related(*FOUND), pk=pk)


@may("compare")
def line_page(request: PersonRequest, pk: int) -> HttpResponse:
    return _line(request, saved_or_404(pk), NameForm(), None)


def _line(request: PersonRequest, saved: Saved, form: NameForm, gate_form: GateForm | None) -> HttpResponse:
    cross = saved.plot.trial.generation.cross
    gate, before, after = gate_for(cross.crop), ancestors(saved), descendants(saved)
    standing = gate_of(saved)
    fields = ("fixed", "seasons", "plants", "off_types")
    context = {
        "saved": saved,
        "cross": cross,
        "how": How(saved.mating).label,
        "isolation": Isolation(saved.isolation).label,
        "purity": purity_in_words(cross.crop, saved.mating, saved.isolation),
        "expected": fixed_in_words(saved.expected),
        "stock": stock_of(saved.lot),
        "pedigree": drawn(kin_nodes(cross, [saved, *before, *after], request.user), f"s{saved.pk}"),
        "before": before,
        "after": after,
        "grown": list({e.trial_id: e.trial for e in standing.grown}.values()),
        "grown_from_it": saved.grown.exists(),
        "standing": standing,
        "named": Named.objects.in_force().filter(saved=saved).select_related("by").first(),
        "form": form,
        "gate_form": gate_form or GateForm(initial={name: getattr(gate, name) for name in fields}),
        "setting": gate_form is not None,
        "caution": CAUTION,
    }
    return render(request, "breeding/line.html", context, status=422 if form.errors or gate_form else 200)


@may("plan")
@require_POST
def name_act(request: PersonRequest, pk: int) -> HttpResponse:
    """Give a line its name, where nothing is short."""
    saved, form = saved_or_404(pk), NameForm(request.POST)
    if form.is_valid():
        with said_beside(form):
            made = name_line(saved, form.cleaned_data["name"], request.user, timezone.localdate())
            say(request, f"{made.saved.progeny.name} is a cultivar now and can stand in trials with its check.")
            return redirect(saved)
    return _line(request, saved, form, None)


@may("plan")
@require_POST
def unname(request: PersonRequest, pk: int) -> HttpResponse:
    """Take the name of a line back."""
    saved = saved_or_404(pk)
    named = get_object_or_404(Named.objects.in_force(), saved=saved)
    with said_on_top(request):
        say(request, f"{undo_name(named, request.user)} is {named.before} again.")
    return redirect(saved)


@may("plan")
@require_POST
def drop(request: PersonRequest, pk: int) -> HttpResponse:
    """Take back seed that was put on record by mistake."""
    saved = saved_or_404(pk)
    made, name = saved.plot.trial.generation, saved.progeny.name
    with said_on_top(request):
        drop_saved(saved, request.user)
        say(request, f"The seed of {name} is off the record.")
        return redirect(made)
    return redirect(saved)


@may("plan")
@require_POST
def gate_act(request: PersonRequest, pk: int) -> HttpResponse:
    """Set from when on lines of the crop may be named."""
    saved, form = saved_or_404(pk), GateForm(request.POST)
    if not form.is_valid():
        return _line(request, saved, NameForm(), form)
    keep_gate(saved.progeny.crop, form.cleaned_data)
    say(request, f"That is asked of every line of {saved.progeny.crop.name.lower()} from now on.")
    return redirect(saved)


@may("compare")
def kin_page(request: PersonRequest, slug: str) -> HttpResponse:
    """Lines of a yield trial with what their relatives tell of them."""
    trial = trial_or_404(slug)
    traits = traits_with_records(trial)
    trait = next((t for t in traits if t.key == request.GET.get("trait")), traits[0] if traits else None)
    hidden = not names_shown(trial, request.user)
    found = kin_of(trial, trait) if trait and not hidden else None
    typical = [row.se for _, row in found.rows] if found else []
    context = {
        "trial": trial,
        "traits": traits,
        "trait": trait,
        "hidden": hidden,
        "found": found,
        "digits": digits_for(sum(typical) / len(typical), trait.decimals) if typical and trait else 1,
    }
    return render(request, "breeding/kin.html", context)
