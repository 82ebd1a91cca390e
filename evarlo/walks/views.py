"""Walk: choose what to score, then go plot by plot."""

from __future__ import annotations

from datetime import date, datetime

from django.core.exceptions import ValidationError
from django.http import HttpResponse, QueryDict
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_POST

from evarlo.catalogue.models import SINGLE_PLANTS, Trait
from evarlo.catalogue.traits import library
from evarlo.people.given_again import given_again
from evarlo.people.models import User
from evarlo.people.permissions import may
from evarlo.people.requests import PersonRequest
from evarlo.trials.choosing import LONGEST, groups_of
from evarlo.trials.frame import Scoring, frame
from evarlo.trials.holds import holds_in_words
from evarlo.trials.models import Trial
from evarlo.trials.plot_numbers import chosen_plots
from evarlo.trials.registry import registry
from evarlo.trials.views import trial_or_404
from evarlo.ui.fields import day_done
from evarlo.ui.notice import say, warn
from evarlo.ui.refused import Refused
from evarlo.ui.words import counted
from evarlo.walks.models import Rival, Round
from evarlo.walks.queries import round_lines, walkable
from evarlo.walks.services import begin_round, close_round, open_round, show_earlier

MOST_NEAR = 6  # traits walked last that are offered at once; the others are a touch away
MOST_AT_ONCE = 6  # traits asked of each plot in one walk


@may("see")
@given_again
def walk(request: PersonRequest, slug: str) -> HttpResponse:
    """The rounds of a trial and what can be walked next."""
    trial = trial_or_404(slug)
    first = trial.rounds.select_related("trait").first()
    asked = [c.trait for c in trial.criteria.select_related("trait")]
    of_plants = [t for t in library() if trial.of_single_plants and SINGLE_PLANTS in t.fits]
    own = {*asked, *of_plants}
    walkable_ones = (t for t in (*asked, *of_plants, *library()) if t.source == Trait.Source.WALK)
    offered = {t.key: t for t in walkable_ones if t in own or t.is_for(trial.crop)}
    walked = [r.trait for r in reversed(trial.rounds.select_related("trait"))]  # the newest first
    near = {*own, *walked[:MOST_NEAR], *(offered[k] for k in request.GET.getlist("trait") if k in offered)} & set(offered.values())
    ranked = sorted(
        offered.values(),
        key=lambda t: (t not in asked, t not in of_plants, walked.index(t) if t in walked else len(walked), t.name),
    )
    if not near:
        near = set(ranked[:MOST_NEAR])
    context = frame(request, trial, "walk", layer=first.trait.key if first else "") | {
        "lines": round_lines(trial),
        "to_settle": Rival.objects.filter(round__trial=trial, settled_at__isnull=True).count(),
        "offered": [t for t in ranked if t in near],
        "others": [t for t in ranked if t not in near],
        "chosen": request.GET.getlist("trait"),
        "most": MOST_AT_ONCE,
        "groups": groups_of(trial),
        "typed": request.GET.get("plots", ""),
        "holds": holds_in_words(trial, timezone.now()),
        "today": timezone.localdate(),
    }
    return render(request, "walks/walk.html", context)


@may("observe")
@require_POST
def open_act(request: PersonRequest, slug: str) -> HttpResponse:
    """Open the rounds of the traits that were chosen, or one that was planned, and go."""
    trial, today = trial_or_404(slug), timezone.localdate()
    try:
        on = day_done(request.POST.get("on", ""), today)
        if request.POST.get("round", "").isdecimal():
            rounds = [begin_round(round_or_404(trial, int(request.POST["round"])), on, request.user)]
        else:
            keys = list(dict.fromkeys(request.POST.getlist("trait")))
            if not 1 <= len(keys) <= MOST_AT_ONCE:
                raise Refused(f"Choose from one to {MOST_AT_ONCE} traits.")
            traits = [get_object_or_404(Trait, key=key, source=Trait.Source.WALK) for key in keys]
            only = _some_plots(trial, request.POST.get("plots", ""))
            rounds = [open_round(trial, trait, on, request.user, only) for trait in traits]
    except Refused as refusal:
        warn(request, str(refusal))
        typed = QueryDict(mutable=True)
        typed.setlist("trait", request.POST.getlist("trait"))
        typed["plots"] = request.POST.get("plots", "")[:400]
        return redirect(f"{reverse('walks:walk', args=[slug])}?{typed.urlencode()}")
    return redirect(round_url(rounds, on if on < today else None))


def _some_plots(trial: Trial, typed: str) -> list[int]:
    """The ids of the plots that a round is to be about; none is every one. Raises Refused for what is no plot."""
    try:
        numbers = chosen_plots(trial, typed[:LONGEST])
    except ValidationError as error:
        raise Refused(str(error.messages[0]), "plots") from error
    return list(trial.plots.filter(number__in=numbers).values_list("pk", flat=True)) if numbers else []


def round_url(rounds: list[Round], on: date | None = None) -> str:
    """Where some rounds of a trial are walked at once, for an earlier day where values come from a notebook."""
    url = reverse("walks:round", args=[rounds[0].trial.slug, rounds[0].pk])
    more = {"with": ",".join(str(r.pk) for r in rounds[1:]), "on": on.isoformat() if on else ""}
    asked = "&".join(f"{name}={value}" for name, value in more.items() if value)
    return url + (f"?{asked}" if asked else "")


def day_asked(request: PersonRequest) -> date | None:
    """The earlier day that a round is walked for; None for today."""
    try:
        on = day_done(request.GET.get("on", ""), today := timezone.localdate())
    except Refused:
        return None
    return on if on < today else None


def round_or_404(trial: Trial, pk: int) -> Round:
    return get_object_or_404(Round.objects.select_related("trait", "trial__crop"), trial=trial, pk=pk)


def rounds_asked(request: PersonRequest, trial: Trial, pk: int) -> list[Round]:
    """The round of the address and those that are walked with it."""
    more = [int(n) for n in request.GET.get("with", "").split(",") if n.isdecimal() and len(n) < 12][: MOST_AT_ONCE - 1]
    return [round_or_404(trial, n) for n in dict.fromkeys([pk, *more])]


@may("observe")
def round_page(request: PersonRequest, slug: str, pk: int) -> HttpResponse:
    """The page of a walk. What is asked comes from the phone, with or without a signal; scores, codes and names are not on it."""
    trial = trial_or_404(slug)
    rounds = rounds_asked(request, trial, pk)
    context = frame(request, trial, "round", scoring=Scoring(set(), request.get_full_path())) | {
        "rounds": rounds,
        "empty": not any(walkable(r) for r in rounds),
        "ids": ",".join(str(r.pk) for r in rounds),
        "on": day_asked(request),
    }
    context["warm_up"] = warm_up_for(rounds, request.user, timezone.now())
    return render(request, "walks/round.html", context)


def warm_up_for(rounds: list[Round], user: User, now: datetime) -> str:
    """What is practised before these rounds, by somebody who has not lately; empty for nothing."""
    asked = registry.warm_up
    return next((subject for r in rounds if (subject := asked(user, r.trait, now))), "") if asked else ""


@may("observe")
@require_POST
def close(request: PersonRequest, slug: str, pk: int) -> HttpResponse:
    """End a round, and those that were walked with it."""
    trial = trial_or_404(slug)
    rounds = rounds_asked(request, trial, pk)
    lines = {line.round.pk: line for line in round_lines(trial)}
    for r in rounds:
        close_round(r)
        left = lines[r.pk].left
        say(request, f"{r} is closed" + (f"; {counted(left, 'plot')} without a value in it." if left else "."))
    return redirect("walks:walk", slug)


@may("plan")
@require_POST
def earlier(request: PersonRequest, slug: str) -> HttpResponse:
    """Show those who score what the round before found, or no longer."""
    trial = trial_or_404(slug)
    shows = show_earlier(trial, request.POST.get("show") == "yes", request.user)
    say(request, "Earlier values are shown while scoring." if shows else "Earlier values are hidden while scoring.")
    return redirect("walks:walk", slug)
