"""Plant: what is fit against what is needed, the shortage bench, planting itself, the stand, and the fairness audit."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date
from typing import Any

from django.core.exceptions import PermissionDenied
from django.http import HttpResponse, QueryDict
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_POST

from evarlo.nursery.audit import audit_of
from evarlo.nursery.book import EntryBook, Planted, book_of, planted_in
from evarlo.nursery.forms import CAUSES, OutlookForm, PlantForm, StandRuleForm
from evarlo.nursery.models import BoughtIn, Step, Tending
from evarlo.nursery.names import called
from evarlo.nursery.planting import (
    Fit,
    choices_for,
    choose_way,
    fill_gap,
    fits,
    plant,
    planted_by_plot,
    plants_of_a_unit,
    release_reserve,
    units_in,
)
from evarlo.nursery.queries import root_bound, step_rows
from evarlo.nursery.raising import keep_rule, rule_of, undo_bought
from evarlo.nursery.stand import What, below, leave_thin_out, mark_station, stands
from evarlo.nursery.step_form import StepForm, days_on_record, keep_step_form
from evarlo.nursery.words import planted_in_words, root_bound_in_words, units_in_words
from evarlo.people.permissions import allowed, may, may_take_back
from evarlo.people.requests import PersonRequest, typed
from evarlo.trials.frame import frame
from evarlo.trials.models import Plot, Trial
from evarlo.trials.queries import left_out, plots_of
from evarlo.trials.views import trial_or_404
from evarlo.ui.draw.stations import stations
from evarlo.ui.fields import day_done
from evarlo.ui.notice import say
from evarlo.ui.refused import Refused, said_beside, said_on_top
from evarlo.ui.words import counted
from trialcore.reckoning.hardening import Go, Outlook, planting_day
from trialcore.reckoning.shortage import SMITH_B

MOST_AGE = 400  # days of a bought plant


@may("see")
def planting(request: PersonRequest, slug: str) -> HttpResponse:
    trial = trial_or_404(slug)
    form = StepForm(trial, typed(request), initial={"on": timezone.localdate()})
    if request.method == "POST" and (answer := keep_step_form(request, trial, Step.PLANTED, form)):
        return answer
    return _planting(request, trial, step_form=form)


def _planting(request: PersonRequest, trial: Trial, **given: Any) -> HttpResponse:
    """Fit against needed, the form for planting, and what is planted. `given` is the form that was sent, with its errors."""
    today, names = timezone.localdate(), called(trial, request.user)
    books, rule = book_of(trial), rule_of(trial)
    found = fits(trial, books, names, rule)
    raised = any(b.lines for b in books)
    planted = planted_in(trial)
    by_plot = planted_by_plot(planted)
    outlook = given.get("outlook") or OutlookForm(request.GET if "tmin" in request.GET else None)
    forms_shown = {
        "plant_form": PlantForm(trial, initial={"on": today}),
        "step_form": StepForm(trial, initial={"on": today}),
        "outlook": outlook,
    }
    rows = step_rows(trial, Step.PLANTED)
    short = [f for f in found if f.short and not f.way and raised]
    hardened = Tending.objects.in_force().filter(tray__sowings__entry__trial=trial, what=Tending.What.HARDENED).exists()
    context = {
        "fits": found,
        "raised": raised,
        "rule": rule,
        "going": units_in_words(units_in(trial, rule), plants_of_a_unit(trial, rule), bool(rule.plants)),
        "short": short,
        "word": _word(trial, outlook, hardened),
        "age": _ages(trial, books, hardened, planted),
        "bound": root_bound_in_words(*_bound(books, today)),
        "held": [f for f in found if f.reserve and raised],
        "planted_plots": [(p, by_plot[p.pk]) for p in plots_of(trial) if by_plot.get(p.pk)],
        "done": len(rows),
        "total": len(plots_of(trial)),
        "lead": planted_in_words(len(rows), len(plots_of(trial)), len(short), trial.plant_on),
        "by_day": days_on_record(trial, rows),
    }
    wrong = any(f.errors for f in given.values())
    context |= forms_shown | given | frame(request, trial, "plant")
    return render(request, "nursery/plant.html", context, status=422 if wrong else 200)


def _word(trial: Trial, form: OutlookForm, hardened: bool) -> tuple[Go, str] | None:
    """Go, wait or protect, by the outlook that was typed."""
    if not form.is_bound or not form.is_valid():
        return None
    data = form.cleaned_data
    outlook = Outlook(data["tmin"], data["tmax"], data["wind"] or 0.0, data["rain"] or 0.0)
    profile = trial.crop.profile
    try:
        return planting_day(outlook, str(profile.get("frost") or "half-hardy"), profile.get("chilling_c"), hardened)
    except ValueError as error:
        form.add_error("tmax", f"Expected the warmest above the coldest: {error}.")
        return None


def _ages(trial: Trial, books: Sequence[EntryBook], hardened: bool, planted: Sequence[Planted]) -> str:
    """How old the plants are today against what the crop wants, and whether they were hardened off, in words. It ends with
    planting: then it is how old they were."""
    usual = trial.crop.profile.get("transplant_days")
    out = left_out([trial])
    if planted and {p.plot_id for p in planted} >= {p.pk for p in plots_of(trial) if p.pk not in out}:
        ages = [p.age_days for p in planted if p.age_days is not None and not p.late]
        span = f"{min(ages)} to {max(ages)}" if ages and max(ages) > min(ages) else str(max(ages, default=0))
        return f"They were {span} days old when they were planted." if ages else ""
    sown = [x.sowing.sown_on for b in books for x in b.lines if x.balance.standing and x.sowing.tray]
    if not usual or not sown:
        return ""
    today = timezone.localdate()
    low, high = (today - max(sown)).days, (today - min(sown)).days
    age = f"{low} to {high} days" if high > low else f"{low} days"
    too = (
        ""
        if high <= usual[1] and low >= usual[0]
        else (" Older plants stall when they are planted." if high > usual[1] else " Younger plants are soft and small.")
    )
    hard = "" if hardened else " They are not on record as hardened off."
    return f"The plants are {age} old; {usual[0]:g} to {usual[1]:g} are usual.{too}{hard}"


def _bound(books: Sequence[EntryBook], today: date) -> tuple[list[str], date | None]:
    """The trays with plants to be planted that are root-bound, and since when the first of them is."""
    trays = {x.sowing.tray_id: str(x.sowing.tray) for b in books for x in b.lines if x.sowing.tray_id and x.balance.standing}
    found = root_bound(trays, today)
    return [trays[pk] for pk in found], min(found.values(), default=None)


@may("sow")
@require_POST
def plant_out(request: PersonRequest, slug: str) -> HttpResponse:
    trial = trial_or_404(slug)
    form = PlantForm(trial, request.POST)
    if form.is_valid():
        plots = list(trial.plots.filter(number__in=form.cleaned_data["plots"]).select_related("entry"))
        with said_beside(form):
            d = form.cleaned_data
            portions = plant(trial, plots, d["on"], request.user, timezone.localdate(), d["bound"])
            count = len({p.plot.pk for p in portions})
            say(
                request,
                f"Planted: {counted(sum(p.plants for p in portions), 'plant')} in {counted(count, 'plot')}."
                if count
                else "They are planted already.",
            )
            return redirect("nursery:plant", slug)
    return _planting(request, trial, plant_form=form)


@may("plan")
def shortage(request: PersonRequest, slug: str, code: str) -> HttpResponse:
    """The ways out for one entry, and taking one."""
    trial = trial_or_404(slug)
    entry = get_object_or_404(trial.entries.select_related("cultivar"), code=code)
    found = fits(trial, book_of(trial), called(trial, request.user), rule_of(trial))
    short: Fit = next(f for f in found if f.entry.pk == entry.pk)
    wrong = ("", "")
    if request.method == "POST":
        post = request.POST
        try:
            on = day_done(post.get("on", ""), timezone.localdate())
            typed_age = post.get("age", "").strip()
            if typed_age and not (typed_age.isdecimal() and int(typed_age) <= MOST_AGE):
                raise Refused(f"Found “{typed_age[:12]}”. Expected days from 0 to {MOST_AGE}, or nothing.", "age")
            age = int(typed_age) if typed_age else None
            way, cause, source = (post.get(name, "") for name in ("way", "cause", "source"))
            said = choose_way(trial, entry, way, request.user, on, cause, source, age)
            say(request, f"{entry.code}: {said}.")
            return redirect("nursery:plant", slug)
        except Refused as refusal:
            wrong = (refusal.field, str(refusal))
    context = {
        "short": short,
        "choices": choices_for(trial, found, short) if short.plots else [],
        "wrong": wrong,
        "b": SMITH_B,
        "typed": request.POST,
        "today": timezone.localdate().isoformat(),
        "causes": CAUSES,
    }
    context |= frame(request, trial, "plant")
    return render(request, "nursery/shortage.html", context, status=422 if wrong[1] else 200)


@may("plan")
@require_POST
def release(request: PersonRequest, slug: str) -> HttpResponse:
    """The plants of an entry that were held back may be planted from now on."""
    trial = trial_or_404(slug)
    with said_on_top(request):
        code, why = request.POST.get("code", ""), " ".join(request.POST.get("why", "").split())
        count = release_reserve(trial, code, why, request.user, timezone.localdate())
        say(request, f"{code}: {counted(count, 'plant')} released.")
    return redirect("nursery:plant", slug)


@may("see")
def stand_page(request: PersonRequest, slug: str) -> HttpResponse:
    trial = trial_or_404(slug)
    form = StandRuleForm(typed(request), initial={"least_stand": rule_of(trial).least_stand})
    if request.method == "POST" and not allowed(request.user, "plan"):
        raise PermissionDenied("This is for a manager.")
    if request.method == "POST" and form.is_valid():
        keep_rule(trial, timezone.localdate(), least_stand=form.cleaned_data["least_stand"])
        return redirect("nursery:stand", slug)
    return _stand(request, trial, form)


def _stand(request: PersonRequest, trial: Trial, form: StandRuleForm, wrong: str = "") -> HttpResponse:
    found, rule, names = stands(trial), rule_of(trial), called(trial, request.user)
    chosen = next((s for s in found if s.plot.number == request.GET.get("plot")), None)
    spacing = trial.spacing_of(chosen.plot.entry) if chosen else None
    drawing = ""
    if chosen and spacing:
        marks = {n: m.what for n, m in chosen.marks.items()}
        drawing = stations(chosen.plot.number, *spacing.shape, marks, allowed(request.user, "sow"))
    counted = [s for s in found if s.percent is not None]
    context = {
        "stands": [(s, names[s.plot.entry_id]) for s in found],
        "rule": rule,
        "form": form,
        "below": below(found, rule),
        "counted": len(counted),
        "chosen": chosen,
        "drawing": drawing,
        "causes": CAUSES,
        "wrong": wrong,
        "marks": [(key, words) for key, words in What.choices if key != What.UNSURE],
        "on": request.GET.get("on", "")[:20] or timezone.localdate().isoformat(),
        "uneven": max((s.percent or 0 for s in counted), default=0) - min((s.percent or 0 for s in counted), default=0) > 25,
    }
    status = 422 if form.errors or wrong else 200
    return render(request, "nursery/stand.html", context | frame(request, trial, "plant", layer="stand"), status=status)


@may("sow")
@require_POST
def mark(request: PersonRequest, slug: str, pk: int) -> HttpResponse:
    """A station of a plot was touched."""
    plot = get_object_or_404(Plot.objects.select_related("trial", "entry"), trial__slug=slug, pk=pk)
    station = request.POST.get("station", "")
    with said_on_top(request):
        at = int(station) if station.isdecimal() and len(station) < 6 else -1
        on, today = day_done(request.POST.get("on", ""), timezone.localdate()), timezone.localdate()
        mark_station(plot, at, request.POST.get("what", ""), on, request.user, today)
    return redirect(_stations(request, plot))


@may("sow")
@require_POST
def fill(request: PersonRequest, slug: str, pk: int) -> HttpResponse:
    """Plants from the reserve or the surplus into gaps of a plot."""
    plot = get_object_or_404(Plot.objects.select_related("trial__crop", "entry"), trial__slug=slug, pk=pk)
    many = request.POST.get("plants", "")
    with said_on_top(request):
        count = int(many) if many.isdecimal() and len(many) < 6 else 0
        on, today = day_done(request.POST.get("on", ""), timezone.localdate()), timezone.localdate()
        filled = fill_gap(plot, count, on, request.user, today)
        say(request, f"Put into gaps of plot {plot.number}, marked as late: {counted(filled, 'plant')}.")
    return redirect(_stations(request, plot))


def _stations(request: PersonRequest, plot: Plot) -> str:
    """A plot's stations again, with the day that was typed: a notebook's page is of one day."""
    typed = QueryDict(mutable=True)
    typed.update({"plot": plot.number} | ({"on": request.POST["on"][:20]} if request.POST.get("on") else {}))
    return f"{reverse('nursery:stand', args=[plot.trial.slug])}?{typed.urlencode()}#stations"


@may("exclude")
@require_POST
def thin_out(request: PersonRequest, slug: str) -> HttpResponse:
    """Plots below the least stand are left out of the comparison."""
    trial = trial_or_404(slug)
    rule = rule_of(trial)
    try:
        on = day_done(request.POST.get("on", ""), timezone.localdate())
        count = leave_thin_out(trial, rule, request.POST.get("cause", ""), request.user, on)
        say(request, f"Left out of the comparison: {counted(count, 'plot')}.")
    except Refused as refusal:
        return _stand(request, trial, StandRuleForm(initial={"least_stand": rule.least_stand}), str(refusal))
    return redirect("nursery:stand", slug)


@may("see")
def fairness(request: PersonRequest, slug: str) -> HttpResponse:
    trial = trial_or_404(slug)
    context = {
        "audit": audit_of(trial, book_of(trial), allowed(request.user, "see_names")),
        "lots": allowed(request.user, "see_names"),
    }
    return render(request, "nursery/fairness.html", context | frame(request, trial, "plant"))


@may("sow")
@require_POST
def undo_bought_in(request: PersonRequest, slug: str, pk: int) -> HttpResponse:
    bought = get_object_or_404(BoughtIn, plot__trial__slug=slug, pk=pk)
    with said_on_top(request):
        may_take_back(request.user, bought.by_id, bought.at)
        undo_bought(bought, request.user)
    return redirect("nursery:plant", slug)
