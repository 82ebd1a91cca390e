"""Pages of a trial's plan and ground."""

from __future__ import annotations

from urllib.parse import urlsplit

from django import forms
from django.db import transaction
from django.http import HttpResponse, JsonResponse, QueryDict
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils import timezone
from django.utils.dateparse import parse_datetime
from django.views.decorators.http import require_POST
from django_htmx.http import replace_url, trigger_client_event

from evarlo.catalogue.models import Crop
from evarlo.catalogue.services import crop_named
from evarlo.people.given_again import given_again
from evarlo.people.guards import is_own_password
from evarlo.people.permissions import allowed, may
from evarlo.people.requests import PersonRequest, typed
from evarlo.trials import queries
from evarlo.trials.bed_doubts import bed_doubts
from evarlo.trials.doubts import date_doubts, name_doubts
from evarlo.trials.forecast import room_of
from evarlo.trials.forms import ChangeCriteria, LeaveOut, MoveBlock, RenameForm, SwapPlots
from evarlo.trials.frame import frame
from evarlo.trials.ground import MOST_DOTS, close_plan, dots_of, small_ground
from evarlo.trials.laying import fix_layout, move_block, shuffle, swap_plots
from evarlo.trials.leaving_out import exclude_plot, lift_exclusion, withdraw_entry
from evarlo.trials.models import Plot, Trial
from evarlo.trials.planning import follow_trial
from evarlo.trials.registry import registry
from evarlo.trials.services import accept_rotation, archive, change_criteria, declare_output, delete_plan, open_names, rename
from evarlo.trials.words import plan_in_words, stands_in_words
from evarlo.ui.fields import Number, Words
from evarlo.ui.listing import Act, Column, Listing
from evarlo.ui.notice import say, warn
from evarlo.ui.refused import Refused, said_beside, said_on_top
from evarlo.ui.unchanged import each_told, kept
from evarlo.ui.words import counted

MOST_CARDS = 12  # trials under way that are drawn; the list holds them all
MOST_AT_ONCE = 200


def trial_or_404(slug: str) -> Trial:
    return get_object_or_404(Trial.objects.filter(arriving=False).select_related("crop", "bed__site"), slug=slug)


@may("see")
@given_again
def trial_list_page(request: PersonRequest) -> HttpResponse:
    """What is under way as cards, and every trial as a list."""
    every = queries.trial_list()
    acts = [Act("Put the ticked away", reverse("trials:put-away"))] if allowed(request.user, "plan") else []
    listing = Listing(request, "trials", trial_columns(), every, "-season", "trial", acts, lambda t: t.slug)
    if (file := listing.taken()) is not None:
        return file
    drawn = kept(("cards of the list", timezone.localdate()), lambda: cards(queries.shown_first(MOST_CARDS)), of=())
    return render(request, "trials/list.html", {"rows": drawn, "listing": listing, "any": bool(every)})


def trial_columns() -> list[Column[Trial]]:
    return [
        Column("name", "Trial", lambda t: t.name, url=lambda t: t.get_absolute_url()),
        Column("season", "Season", lambda t: t.season),
        Column("crop", "Crop", lambda t: t.crop.name),
        Column("stands", "Stands", stands_in_words),
        Column("site", "Site", lambda t: t.bed.site.name if t.bed else ""),
        Column("bed", "Bed", lambda t: t.bed.name if t.bed else "", spare=True),
        Column("sown", "Sowing planned", lambda t: t.sow_on, number=True),
        Column("design", "Design", lambda t: t.get_design_display(), spare=True),
        Column("blocks", "Blocks", lambda t: t.blocks, number=True, spare=True),
        Column("question", "Question", lambda t: "" if t.blind and not t.opened_at else t.question, spare=True),
    ]


@may("plan")
@require_POST
def put_away(request: PersonRequest) -> HttpResponse:
    """Several trials at once off the lists."""
    trials = list(Trial.objects.filter(slug__in=request.POST.getlist("row")[:MOST_AT_ONCE], archived_at=None))
    for trial in trials:
        archive(trial, True, request.user)
    say(request, f"{counted(len(trials), 'trial')} put away; everything of them stays." if trials else "No trial was ticked.")
    return redirect("trials:list")


def cards(trials: list[Trial]) -> list[dict[str, object]]:
    """Trials with their small ground plans, as Today and the list show them."""
    share = queries.completeness(trials)
    plots: dict[int, list[Plot]] = {t.pk: [] for t in trials}
    for plot in Plot.objects.filter(trial__in=trials).order_by("place"):
        plots[plot.trial_id].append(plot)
    return [
        {
            "trial": t,
            "complete": share[t.pk],
            "drawing": small_ground(t, plots[t.pk], share[t.pk].by_plot),
            "plots": len(plots[t.pk]),
        }
        for t in trials
    ]


@may("see")
@given_again
def plan(request: PersonRequest, slug: str) -> HttpResponse:
    trial = trial_or_404(slug)
    return _plan(request, trial)


def _plan(request: PersonRequest, trial: Trial, renaming: RenameForm | None = None) -> HttpResponse:
    context = frame(request, trial, "plan", layer="entry")
    names = queries.entry_names(trial, request.user)
    context |= {
        "entries": [(e, names.get(e.pk, e.code)) for e in trial.entries.all()],
        "criteria": trial.criteria.select_related("trait"),
        "deeds": queries.deeds_of(trial),
        "names_shown": queries.names_shown(trial, request.user),
        "faults": queries.layout_faults_of(trial),
        "doubts": _overhang(trial) + date_doubts(trial) + (name_doubts(trial) if queries.names_shown(trial, request.user) else []),
        "ground_doubts": bed_doubts(trial),
        "remembered": _remembered(trial) if queries.names_shown(trial, request.user) else [],
        "blocks": queries.blocks_of(trial) if queries.may_move(trial) else [],
        "renaming": renaming or RenameForm(initial={"name": trial.name}),
    }
    context["planned"] = plan_in_words(trial, len(context["entries"]), trial.plots.count())
    context["question"] = queries.without_names(trial, trial.question, request.user)
    return render(request, "trials/plan.html", context, status=422 if renaming else 200)


@may("see")
def news(request: PersonRequest, slug: str) -> HttpResponse:
    """How many records others have made of a trial since a page of it was loaded; nothing where there are none."""
    trial = trial_or_404(slug)
    since = parse_datetime(request.GET.get("since", "")[:40])
    if since is None or timezone.is_naive(since):
        return HttpResponse(status=204)
    count = sum(source(trial, since, request.user.pk) for source in registry.newer)
    return JsonResponse({"said": f"{counted(count, 'record')} came in from others."}) if count else HttpResponse(status=204)


@may("plan")
@require_POST
def archive_act(request: PersonRequest, slug: str) -> HttpResponse:
    """Put a trial away, or bring it back."""
    trial = trial_or_404(slug)
    away = trial.archived_at is None
    archive(trial, away, request.user)
    if not away:
        say(request, f"{trial.name} is back on the list.")
        return redirect(trial)
    say(request, f"{trial.name} is put away; everything of it stays.", undo=reverse("trials:archive", args=[slug]))
    return redirect("trials:list")


@may("plan")
@require_POST
def delete_act(request: PersonRequest, slug: str) -> HttpResponse:
    """Delete a trial of which nothing is recorded."""
    trial = trial_or_404(slug)
    with said_on_top(request):
        delete_plan(trial)
        say(request, f"{trial.name} is deleted; nothing was recorded of it.")
        return redirect("trials:list")
    return redirect(trial)


@may("plan")
def criteria(request: PersonRequest, slug: str) -> HttpResponse:
    """By what the trial is decided, changed while it is under way."""
    trial = trial_or_404(slug)
    form = ChangeCriteria(trial, typed(request))
    if request.method == "POST" and form.is_valid():
        with said_beside(form):
            change_criteria(trial, form.criteria, form.cleaned_data["why"], request.user)
            say(request, "The trial is decided by these criteria from now on.")
            return redirect(trial)
    context = {"form": form} | frame(request, trial, "plan", layer="entry")
    return render(request, "trials/criteria.html", context, status=422 if form.errors else 200)


@may("see_names")
def names(request: PersonRequest, slug: str) -> HttpResponse:
    """What is hidden from those who must not know it, asked for when somebody begins to write."""
    return JsonResponse({"names": queries.names_to_hide(trial_or_404(slug), request.user)})


def _remembered(trial: Trial) -> list[str]:
    """What earlier seasons taught that bears on this plan."""
    return [said for told in each_told(registry.remembered, trial) for said in told]


def _overhang(trial: Trial) -> list[str]:
    """That a layout which can still be drawn anew does not fit its bed, by how much, and what would fit."""
    if trial.is_fixed or trial.bed is None or trial.layout_seed is None or not trial.plot_area_m2:
        return []
    said = room_of(trial)
    return [said] if said else []


@may("plan")
@require_POST
def put_name_right(request: PersonRequest, slug: str) -> HttpResponse:
    trial, form = trial_or_404(slug), RenameForm(request.POST)
    if form.is_valid():
        with said_beside(form):
            rename(trial, form.cleaned_data["name"], form.cleaned_data["why"], request.user)
            return redirect(trial)
    return _plan(request, trial, form)


@may("plan")
@require_POST
def shuffle_layout(request: PersonRequest, slug: str) -> HttpResponse:
    trial = trial_or_404(slug)
    with said_on_top(request):
        shuffle(trial, request.user)
    return redirect(trial)


@may("plan")
@require_POST
def fix(request: PersonRequest, slug: str) -> HttpResponse:
    trial = trial_or_404(slug)
    with said_on_top(request):
        fix_layout(trial, request.user)
        say(request, "The layout is fixed. Its plots keep their places and numbers from now on.")
    return redirect(trial)


@may("plan")
@require_POST
def open_names_act(request: PersonRequest, slug: str) -> HttpResponse:
    trial = trial_or_404(slug)
    if not is_own_password(request, request.POST.get("password", "")):
        warn(request, "That is not your password, so the names stay closed.")
        return redirect(trial)
    with said_on_top(request):
        open_names(trial, request.user, " ".join(request.POST.get("why", "").split())[:200])
        say(request, "Names are open to everyone from now on.")
    return redirect(trial)


@may("plan")
@require_POST
def accept_breach(request: PersonRequest, slug: str) -> HttpResponse:
    """A rotation too short is accepted, with the reason, or no longer."""
    trial = trial_or_404(slug)
    with said_on_top(request):
        accept_rotation(trial, request.POST.get("reason", ""), request.user)
    return redirect(trial)


@may("plan")
@require_POST
def move(request: PersonRequest, slug: str) -> HttpResponse:
    """A block was dragged, or its new place typed."""
    trial = trial_or_404(slug)
    form = MoveBlock(request.POST)
    if form.is_valid():
        data = form.cleaned_data
        with said_on_top(request):
            bed = next((b for b in trial.beds if b.pk == data["bed"]), None)
            if bed is None:
                raise Refused("That bed is not one of this trial's.")
            move_block(trial, data["block"], bed, data["x"], data["y"], data["turned"], request.user)
    else:
        warn(request, f"Nothing was moved. {next(iter(form.errors.values()))[0]}")
    return redirect(trial)


@may("plan")
@require_POST
def swap(request: PersonRequest, slug: str, pk: int) -> HttpResponse:
    trial = trial_or_404(slug)
    chosen = get_object_or_404(Plot.objects.select_related("entry__cultivar"), trial=trial, pk=pk)
    form = SwapPlots(request.POST)
    if form.is_valid():
        other = trial.plots.filter(number__iexact=form.cleaned_data["other"]).first()
        with said_beside(form):
            if other is None:
                raise Refused("There is no such plot in this trial.", "other")
            swap_plots(chosen, other, form.cleaned_data["reason"], request.user)
            chosen.refresh_from_db()
            return _plot(request, trial, chosen, LeaveOut(initial={"on": timezone.localdate()}), changed=True)
    return _plot(request, trial, chosen, LeaveOut(initial={"on": timezone.localdate()}), status=422, swap_form=form)


class FollowForm(forms.Form):
    """Another year on the same plots."""

    name = Words(label="Name", most=80, error_messages={"required": "Nothing was typed. Expected a name."})
    season = Words(label="Season", most=20, error_messages={"required": "Nothing was typed. Expected a season."})
    crop = Words(label="Crop", most=60, error_messages={"required": "Nothing was typed. Expected a crop."})
    unit = Words(label="Output summed in", most=20, required=False)
    per_kg = Number(label="Of it in a kilogram", low=0.000001, high=1e6, required=False)


@may("plan")
def follow(request: PersonRequest, slug: str) -> HttpResponse:
    """Use the same plots for another year, with the unit in which the output of all years is summed."""
    before = trial_or_404(slug)
    initial = {"name": before.name, "crop": before.crop.name, "unit": before.output_unit or "kg", "per_kg": before.output_per_kg}
    form = FollowForm(typed(request), initial=initial)
    if request.method == "POST" and form.is_valid():
        d = form.cleaned_data
        with said_beside(form):
            with transaction.atomic():
                crop = crop_named(d["crop"])
                if crop is None:
                    raise Refused(f"“{d['crop'][:24]}” is not on record. Put the crop there first.", "crop")
                made = follow_trial(before, d["name"], d["season"], crop, request.user)
                declare_output(made, d["unit"] or "kg", d["per_kg"] or 1.0, request.user)
            return redirect(made)
    context = {"trial": before, "form": form, "crops": Crop.objects.all()}
    return render(request, "trials/follow.html", context, status=422 if form.errors else 200)


@may("exclude")
@require_POST
def withdraw(request: PersonRequest, slug: str) -> HttpResponse:
    """An entry is taken out of the trial, by its code."""
    trial = trial_or_404(slug)
    entry = trial.entries.filter(code__iexact=request.POST.get("entry", "").strip()[:60]).first()
    with said_on_top(request):
        if entry is None:
            raise Refused("Expected the code of one of the entries.")
        n = withdraw_entry(entry, request.POST.get("reason", ""), timezone.localdate(), request.user)
        say(request, f"{entry.code} is withdrawn: {counted(n, 'plot')} left out of every comparison from now on.")
    return redirect(trial)


@may("see")
def ground(request: PersonRequest, slug: str) -> HttpResponse:
    """The plan alone, coloured by another layer."""
    trial = trial_or_404(slug)
    response = render(request, "trials/frame.html#ground", frame(request, trial, request.GET.get("phase", "plan")))
    page = urlsplit(request.htmx.current_url_abs_path or "")
    if page.path and (layer := request.GET.get("layer")):  # so that a reload, or whoever gets the address, sees the same
        asked = QueryDict(page.query, mutable=True)
        asked["layer"] = layer
        replace_url(response, f"{page.path}?{asked.urlencode()}")
    return response


@may("see")
@given_again
def closer(request: PersonRequest, slug: str) -> HttpResponse:
    """The plan alone and large, every plant at its station."""
    trial = trial_or_404(slug)
    site = trial.bed.site if trial.bed else None
    plants = dots_of(trial, queries.plots_of(trial))
    context = {
        "trial": trial,
        "drawing": close_plan(trial, request.user),
        "sun": site and site.latitude is not None,
        "dots": 0 < plants <= MOST_DOTS,
    }
    return render(request, "trials/closer.html", context)


@may("see")
def plot(request: PersonRequest, slug: str, pk: int) -> HttpResponse:
    """The diary of one plot: a part of the ground, or a page of its own."""
    trial = trial_or_404(slug)
    chosen = get_object_or_404(Plot.objects.select_related("entry__cultivar"), trial=trial, pk=pk)
    return _plot(request, trial, chosen, LeaveOut(initial={"on": timezone.localdate()}))


def _plot(
    request: PersonRequest,
    trial: Trial,
    chosen: Plot,
    form: LeaveOut,
    status: int = 200,
    swap_form: SwapPlots | None = None,
    changed: bool = False,
) -> HttpResponse:
    shown = queries.names_shown(trial, request.user)
    standing = chosen.exclusions.in_force().select_related("by").first()
    context = {
        "trial": trial,
        "plot": chosen,
        "diary": queries.diary_of(chosen, shown, request.user),
        "standing": standing,
        "ways": [way for source in registry.ways for way in source(chosen)],
        "form": form,
        "swap": swap_form or SwapPlots(),
        "name": chosen.entry.cultivar.name if shown else "",
        "names_shown": shown,
        "instead_of": (chosen.planned.cultivar.name if shown else chosen.planned.code) if chosen.planned else "",
    }
    template = "trials/plot.html#plot" if request.htmx else "trials/plot.html"
    response = render(request, template, context, status=status)
    return trigger_client_event(response, "ground-changed") if changed and request.htmx else response


@may("exclude")
@require_POST
def leave_out(request: PersonRequest, slug: str, pk: int) -> HttpResponse:
    trial = trial_or_404(slug)
    chosen = get_object_or_404(Plot.objects.select_related("entry__cultivar"), trial=trial, pk=pk)
    form = LeaveOut(request.POST)
    if form.is_valid():
        data = form.cleaned_data
        with said_beside(form):
            exclude_plot(chosen, data["cause"], data["note"], data["on"], request.user)
            return _plot(request, trial, chosen, LeaveOut())
    return _plot(request, trial, chosen, form, status=422)


@may("exclude")
@require_POST
def take_back(request: PersonRequest, slug: str, pk: int) -> HttpResponse:
    trial = trial_or_404(slug)
    chosen = get_object_or_404(Plot.objects.select_related("entry__cultivar"), trial=trial, pk=pk)
    for exclusion in chosen.exclusions.in_force():
        lift_exclusion(exclusion, request.user)
    return _plot(request, trial, chosen, LeaveOut(initial={"on": timezone.localdate()}))
