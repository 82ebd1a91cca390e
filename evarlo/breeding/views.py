"""Crosses, the generations grown from them, and the numbers behind both."""

from __future__ import annotations

from typing import Any

from django.core.exceptions import PermissionDenied
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_POST

from evarlo.breeding.forms import CrossForm, GrowForm, NumbersForm, RatioForm, SaveForm
from evarlo.breeding.models import Cross, Generation, How, Isolation, Saved
from evarlo.breeding.numbers import found_of
from evarlo.breeding.pedigree import drawn, nodes_of
from evarlo.breeding.purity import purity_in_words, selfs
from evarlo.breeding.ranking import sisters_of
from evarlo.breeding.seen import CLASSES
from evarlo.breeding.services import Ask, cross, drop_cross, grow, save_seed
from evarlo.breeding.words import CAUTION, fixed_in_words, ratio_in_words, standing_in_words
from evarlo.catalogue.models import Cultivar, Trait
from evarlo.people.permissions import allowed, may
from evarlo.people.requests import PersonRequest, typed
from evarlo.seeds.services import stock_of
from evarlo.trials.forms import criteria_as_typed
from evarlo.trials.models import Trial
from evarlo.trials.queries import readings_of
from evarlo.ui.notice import say
from evarlo.ui.refused import said_beside, said_on_top
from trialcore.reckoning.segregation import against_ratio


@may("compare")
def crosses(request: PersonRequest) -> HttpResponse:
    """Every cross with its generations, and a new one."""
    if request.method == "POST" and not allowed(request.user, "plan"):
        raise PermissionDenied("This is for a manager.")
    form = CrossForm(typed(request), initial={"on": timezone.localdate(), "isolation": Isolation.BAGGED})
    if request.method == "POST" and form.is_valid():
        with said_beside(form):
            made = cross(**form.cleaned_data, by=request.user, today=timezone.localdate())
            say(request, f"{made.name} is on record, and its F1 seed is in store.")
            return redirect(made)
    made_so_far = Cross.objects.select_related("crop", "seed_parent", "pollen_parent").prefetch_related("generations__trial")
    context = {
        "crosses": made_so_far,
        "form": form,
        "adding": allowed(request.user, "plan") and ("new" in request.GET or bool(form.errors) or not made_so_far),
        "listed": _listed(None),
        "caution": CAUTION,
    }
    return render(request, "breeding/crosses.html", context, status=422 if form.errors else 200)


def _listed(made: Cross | None) -> list[str]:
    known = Cultivar.objects.filter(stands_in=False).exclude(breeding__in=[Cultivar.Breeding.F2, Cultivar.Breeding.F1])
    return sorted(set((known.filter(crop=made.crop) if made else known).values_list("name", flat=True)))[:2000]


def cross_or_404(pk: int) -> Cross:
    return get_object_or_404(Cross.objects.select_related("crop", "seed_parent", "pollen_parent", "f1", "lot"), pk=pk)


@may("compare")
def cross_page(request: PersonRequest, pk: int) -> HttpResponse:
    """A family: its pedigree, its generations, and the seed there is."""
    made = cross_or_404(pk)
    context = {
        "cross": made,
        "pedigree": drawn(nodes_of(made, request.user), "f1"),
        "generations": [
            (g, fixed_in_words(g.expected), g.trial.plots.count()) for g in made.generations.select_related("trial", "cross")
        ],
        "saved": [(s, s.left, s.expected.fixed * 100) for s in Saved.objects.of(made)],  # type: ignore[attr-defined]
        "f1_seed": stock_of(made.lot),
        "in_trials": trials_of(made),
        "purity": purity_in_words(made.crop, How.SELFED, made.isolation),
        "caution": CAUTION,
    }
    return render(request, "breeding/cross.html", context)


@may("plan")
@require_POST
def drop(request: PersonRequest, pk: int) -> HttpResponse:
    """Take back a cross that was put on record by mistake."""
    made = cross_or_404(pk)
    with said_on_top(request):
        drop_cross(made)
        say(request, f"The cross {made.name} is off the record.")
        return redirect("breeding:list")
    return redirect(made)


def trials_of(made: Cross) -> list[Trial]:
    """The trials with others in which lines of a cross stand, the newest first."""
    lines = Saved.objects.filter(plot__trial__generation__cross=made).values("progeny")
    stood = Trial.objects.filter(entries__cultivar__in=lines, generation=None, practice=False, arriving=False)
    return list(stood.distinct())


@may("plan")
def grow_page(request: PersonRequest, pk: int) -> HttpResponse:
    """Plan the next generation from the F1 or from saved seed."""
    made = cross_or_404(pk)
    asked = request.POST.getlist("saved") if request.method == "POST" else request.GET.getlist("saved")
    numbers = [int(text) for text in asked if text.isdecimal() and len(text) < 15]
    every = list(Saved.objects.of(made))
    saved = [s for s in every if s.pk in numbers]
    form = GrowForm(typed(request), initial=_proposed(made, saved, timezone.localdate().year))
    if request.method == "POST" and form.is_valid():
        data = form.cleaned_data
        shared = ("plants", "check", "check_every", "season", "bed", "between_rows_cm", "in_row_cm", "sow_on", "name")
        with said_beside(form):
            grown = grow(made, Ask(saved, criteria=form.criteria, **{k: data[k] for k in shared}), request.user)
            say(request, f"{grown}: every plant has its number. Its seed is taken from store as it is sown.")
            return redirect(grown)
    context = {
        "cross": made,
        "form": form,
        "saved": [(s, s.left, s in saved) for s in every],  # type: ignore[attr-defined]
        "chosen": len(saved),
        "listed": _listed(made),
    }
    return render(request, "breeding/grow.html", context, status=422 if form.errors else 200)


def _proposed(made: Cross, saved: list[Saved], year: int) -> dict[str, Any]:
    """As in the newest generation of the cross, else by the crop's profile."""
    last = made.generations.select_related("trial__bed").last()
    called = saved[0].called if saved else "F1"
    typed_before: dict[str, Any] = {
        "name": f"{made.name} {called}",
        "season": year,
        "plants": 12 if saved else 6,
        "check": made.seed_parent.name,
        "check_every": 8,
        "between_rows_cm": made.crop.between_rows_cm,
        "in_row_cm": made.crop.in_row_cm,
    }
    if last is None:
        return typed_before
    check = last.trial.entries.filter(is_check=True).select_related("cultivar").first()
    spaced = {name: getattr(last.trial, name) for name in ("between_rows_cm", "in_row_cm")}
    more = {"check_every": last.check_every, "bed": last.trial.bed_id} | ({"check": check.cultivar.name} if check else {})
    return typed_before | criteria_as_typed(last.trial) | spaced | more


def generation_or_404(slug: str) -> Generation:
    found = Generation.objects.select_related("cross__crop", "cross__seed_parent", "trial__bed__site", "trial__crop")
    return get_object_or_404(found, trial__slug=slug)


@may("compare")
def generation_page(request: PersonRequest, slug: str) -> HttpResponse:
    """The plants of a generation among their sisters."""
    return _generation(request, generation_or_404(slug), None)


def _generation(request: PersonRequest, made: Generation, form: SaveForm | None) -> HttpResponse:
    found = sisters_of(made)
    asked = RatioForm(request.GET if "counts" in request.GET else None)
    ratio = None
    if asked.is_bound and asked.is_valid():
        ratio = ratio_in_words(
            against_ratio(asked.cleaned_data["counts"], asked.cleaned_data["ratio"]), asked.cleaned_data["ratio"]
        )
    mating = How.SELFED if selfs(made.cross.crop) else How.OPEN
    usual = {"on": timezone.localdate(), "mating": mating, "isolation": Isolation.NONE}
    keys = {"number": request.GET.get("plant", "")}
    context = {
        "made": made,
        "trial": made.trial,
        "found": found,
        "heads": list(zip(found.criteria, found.digits, strict=True)),
        "rows": [(p, list(zip(p.figures, found.digits, strict=True))) for p in found.plants],
        "lead": standing_in_words(made, found),
        "expected": fixed_in_words(made.expected),
        "form": form or SaveForm(made, initial=usual | keys),
        "saving": form is not None or bool(keys["number"]),
        "ratio_form": asked,
        "ratio": ratio,
        "classes": _classes(made),
        "purity": [(label, purity_in_words(made.cross.crop, mating, key)) for key, label in Isolation.choices],
    }
    return render(request, "breeding/generation.html", context, status=422 if (form and form.errors) or asked.errors else 200)


def _classes(made: Generation) -> list[tuple[str, str, str]]:
    """Traits that part plants into kinds, with how many plants of the cross are in each: as words, and as they are typed."""
    trial = made.trial
    told = []
    plots = set(trial.plots.filter(entry__is_check=False).values_list("pk", flat=True))
    for trait in Trait.objects.filter(round__trial=trial, kind__in=CLASSES).distinct():
        kinds = list(trait.choices) if trait.kind == Trait.Kind.CATEGORY else ["yes", "no"]
        counts = [0] * len(kinds)
        for pk, reading in readings_of(trial, trait).items():
            if pk in plots and reading.number is not None:
                at = int(reading.number) - 1 if trait.kind == Trait.Kind.CATEGORY else 0 if reading.number else 1
                counts[at] += 1
        some = [(k, n) for k, n in zip(kinds, counts, strict=True) if n]
        if len(some) > 1:
            told.append((trait.name, ", ".join(f"{k} {n}" for k, n in some), ", ".join(str(n) for _, n in some)))
    return told


@may("plan")
@require_POST
def save(request: PersonRequest, slug: str) -> HttpResponse:
    """Seed of a plant becomes a lot with its parentage."""
    made = generation_or_404(slug)
    form = SaveForm(made, request.POST)
    if form.is_valid():
        data = form.cleaned_data
        with said_beside(form):
            kept = save_seed(
                data["number"], data["mating"], data["isolation"], data["seeds"], data["on"], request.user, timezone.localdate(),
                data["pollen"], data["note"], data["called"],
            )  # fmt: skip
            purity = purity_in_words(made.cross.crop, kept.mating, kept.isolation)
            say(request, f"{kept.progeny.name}: {data['seeds']} seeds are in store. {purity}")
            return redirect("breeding:generation", slug)
    return _generation(request, made, form)


@may("compare")
def numbers(request: PersonRequest) -> HttpResponse:
    """How many plants to grow, how to share them out, and what selecting brings."""
    asked = NumbersForm(request.GET if "total" in request.GET else None)
    form = asked if asked.is_bound else NumbersForm({name: f.initial for name, f in asked.fields.items() if f.initial is not None})
    found = found_of(form.cleaned_data) if form.is_valid() else None
    context = {"form": form, "found": found}
    return render(request, "breeding/numbers.html", context, status=422 if asked.errors else 200)
