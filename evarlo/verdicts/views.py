"""Decide: the board of verdicts, what another season would tell, and the signature."""

from __future__ import annotations

from typing import Any

from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_POST

from evarlo.compare.queries import said_of
from evarlo.people.given_again import given_again
from evarlo.people.guards import is_own_password
from evarlo.people.permissions import may
from evarlo.people.requests import PersonRequest
from evarlo.trials.frame import frame
from evarlo.trials.models import Entry, Trial
from evarlo.trials.services import choose_guard, reopen
from evarlo.trials.views import trial_or_404
from evarlo.ui.notice import say, warn
from evarlo.ui.refused import Refused, said_on_top
from evarlo.verdicts.ahead import divisions, hand_division, outlooks_of, retest_of
from evarlo.verdicts.board import Board, board_of, counts
from evarlo.verdicts.lessons import PER_SEASON, own_lessons
from evarlo.verdicts.models import VERDICTS
from evarlo.verdicts.services import give_verdict, prefer, sign_board, sign_second, undo_last, waits_for_second
from evarlo.verdicts.showing import audiences, drawn
from evarlo.verdicts.words import best_bet_in_words, counts_in_words, held_to_in_words, retests_in_words
from trialcore.inference.verdict import Verdict

MOST_BLOCKS, MOST_SITES, MOST_PLOTS = 20, 6, 500


@may("compare")
@given_again
def decide(request: PersonRequest, slug: str) -> HttpResponse:
    trial = trial_or_404(slug)
    board = board_of(trial, request.user)
    layer = board.criteria[0].trait.key if board.criteria else ""
    has_figures = any(f.mean is not None for line in board.lines for f in line.figures)
    context = (
        frame(request, trial, "decide", layer=layer)
        | shown(board, request)
        | {
            "has_figures": has_figures,
            "said": said_of(trial),
            "rule": held_to_in_words(board.judging),
            "asks_for": max(0, PER_SEASON - len(own_lessons(trial))) if board.signed else 0,
            "waits": bool(board.signed and waits_for_second(trial, board.signed)),
        }
    )
    return render(request, "verdicts/decide.html", context)


def shown(board: Board, request: PersonRequest) -> dict[str, Any]:
    """What the board itself is drawn from."""
    retest = retest_of(board.trial, board.comparisons)
    still = [(x.entry.code, x.outlook) for x in board.lines if x.outlook and x.verdict == Verdict.RETEST]
    return {
        "trial": board.trial,
        "board": board,
        "rows": drawn(board),
        "verdicts": VERDICTS,
        "counts": counts(board),
        "lead": counts_in_words(counts(board)),
        "ahead_said": retests_in_words(still, retest.blocks, 1) if retest else "",
        "best_bet": best_bet_in_words(board),
        "may_give": request.user.role in ("manager",) and board.trial.decided_at is None,
    }


def _line(request: PersonRequest, trial: Trial, pk: int, status: int = 200, **more: Any) -> HttpResponse:
    """One line of the board, and above it what changed with it."""
    board = board_of(trial, request.user)
    context = shown(board, request)
    row = next((r for r in context["rows"] if r.line.entry.pk == pk), None)
    context |= {"row": row, "audiences": audiences(trial), "others": [x.entry for x in board.lines if not x.entry.any_check]}
    return render(request, "verdicts/line_answer.html", context | more, status=status)


@may("compare")
def line(request: PersonRequest, slug: str, pk: int) -> HttpResponse:
    """All that is known of one entry under its line, or the line alone again."""
    trial = trial_or_404(slug)
    get_object_or_404(Entry, trial=trial, pk=pk)
    opened = request.GET.get("shut") != "1"
    wanted = request.GET.get("verdict", "")
    return _line(request, trial, pk, opened=opened, typed_verdict=wanted if wanted in list(Verdict) else "")


@may("decide")
@require_POST
def give(request: PersonRequest, slug: str, pk: int) -> HttpResponse:
    """Keep the person's verdict on one entry; the line comes back, with what was typed if it cannot be kept."""
    trial = trial_or_404(slug)
    entry = get_object_or_404(Entry, trial=trial, pk=pk)
    typed = {name: request.POST.get(name, "") for name in ("verdict", "reason", "whom")}
    board = board_of(trial, request.user)
    found = next((x for x in board.lines if x.entry.pk == pk), None)
    suggested = found.suggestion.verdict.value if found and found.suggestion else ""
    try:
        give_verdict(entry, typed["verdict"], typed["reason"], suggested, request.user, typed["whom"])
    except Refused as refusal:
        return _refused(request, trial, entry, refusal, {f"typed_{k}": v[:400] for k, v in typed.items()})
    return _line(request, trial, pk) if request.htmx else redirect("verdicts:decide", slug)


@may("decide")
@require_POST
def prefer_act(request: PersonRequest, slug: str, pk: int) -> HttpResponse:
    """One of two entries is chosen over the other."""
    trial = trial_or_404(slug)
    entry = get_object_or_404(Entry, trial=trial, pk=pk)
    typed = {name: request.POST.get(name, "") for name in ("over", "reason", "whom")}
    over = trial.entries.filter(code=typed["over"]).first() or entry
    try:
        prefer(entry, over, typed["reason"], request.user, typed["whom"])
    except Refused as refusal:
        return _refused(request, trial, entry, refusal, {f"chosen_{k}": v[:400] for k, v in typed.items()} | {"choosing": True})
    return _line(request, trial, pk) if request.htmx else redirect("verdicts:decide", slug)


def _refused(request: PersonRequest, trial: Trial, entry: Entry, refusal: Refused, typed: dict[str, Any]) -> HttpResponse:
    """What was typed comes back with what is wrong beside it."""
    if request.htmx:
        return _line(request, trial, entry.pk, 422, opened=True, error=str(refusal), wrong=refusal.field, **typed)
    warn(request, f"{entry.code}: {refusal}")
    return redirect("verdicts:decide", trial.slug)


@may("decide")
@require_POST
def undo(request: PersonRequest, slug: str) -> HttpResponse:
    """Take back the verdict that was given last."""
    with said_on_top(request):
        say(request, undo_last(trial_or_404(slug)))
    return redirect("verdicts:decide", slug)


@may("decide")
@require_POST
def sign(request: PersonRequest, slug: str) -> HttpResponse:
    trial = trial_or_404(slug)
    opens = trial.blind and not trial.opened_at
    if opens and not is_own_password(request, request.POST.get("password", "")):
        warn(request, "That is not your password: nothing was signed, and the names stay closed.")
        return redirect("verdicts:decide", slug)
    with said_on_top(request):
        signed = sign_board(trial, request.user)
        if waits_for_second(trial, signed):
            say(request, "Signed by you. A second person signs under Decide; until then the season stays open.")
        else:
            say(request, f"Signed. The board is frozen with the figures it stood on{', and the names are open' if opens else ''}.")
    return redirect("verdicts:decide", slug)


@may("decide")
@require_POST
def second(request: PersonRequest, slug: str) -> HttpResponse:
    """The second signature, by another person with a password of their own."""
    if not is_own_password(request, request.POST.get("password", "")):
        warn(request, "That is not your password: nothing was signed.")
        return redirect("verdicts:decide", slug)
    with said_on_top(request):
        sign_second(trial_or_404(slug), request.user)
        say(request, "Signed twice. The board is frozen with the figures it stood on.")
    return redirect("verdicts:decide", slug)


@may("decide")
@require_POST
def guard_act(request: PersonRequest, slug: str) -> HttpResponse:
    """All comparisons held together, or each on its own."""
    choose_guard(trial_or_404(slug), request.POST.get("guard") == "family", request.user)
    return redirect("verdicts:decide", slug)


@may("decide")
@require_POST
def reopen_act(request: PersonRequest, slug: str) -> HttpResponse:
    with said_on_top(request):
        reopen(trial_or_404(slug), request.user, " ".join(request.POST.get("why", "").split())[:200])
        say(request, "Reopened: records can be added again. The signed board stays as it was until you sign anew.")
    return redirect("verdicts:decide", slug)


def _whole(text: str, usual: int, most: int) -> tuple[int, str]:
    """A whole number as typed, or what is wrong with it."""
    if not text.strip():
        return usual, ""
    if not text.strip().isdecimal() or len(text) > 9 or not 1 <= int(text) <= most:
        return usual, f"Found “{text[:24]}”. Expected a whole number from 1 to {most}."
    return int(text), ""


def _amount(text: str) -> float | None:
    """An amount of money as typed; None where nothing that can be one was."""
    try:
        value = float(text.replace(",", "."))
    except ValueError:
        return None
    return value if 0 <= value < 1e9 else None


def _net(gain: float, worth: float | None, cost: float | None, plots: int) -> float | None:
    """What a retest is expected to bring, less what its plots cost."""
    return None if worth is None or cost is None else gain * worth - plots * cost


@may("compare")
def ahead(request: PersonRequest, slug: str) -> HttpResponse:
    """What another season would tell: each entry's chance to be settled by a retest, and what divisions of a budget leave."""
    trial = trial_or_404(slug)
    board = board_of(trial, request.user)
    blocks, wrong_blocks = _whole(request.GET.get("blocks", ""), trial.blocks, MOST_BLOCKS)
    sites, wrong_sites = _whole(request.GET.get("sites", ""), 1, MOST_SITES)
    retest = retest_of(trial, board.comparisons, blocks, sites)
    found = outlooks_of(board.lines, board.criteria, board.comparisons, board.judging, retest) if retest else {}
    still = [(line, found[line.entry.pk]) for line in board.lines if line.entry.pk in found and line.verdict != Verdict.DROP]
    worth, cost = (_amount(request.GET.get(name, "")) for name in ("worth", "cost"))
    plots, wrong_plots = _whole(request.GET.get("plots", ""), max(1, blocks * sites * len(still)), MOST_PLOTS)
    by_hand = {
        k[5:]: int(v)
        for k, v in request.GET.dict().items()
        if k.startswith("hand-") and v.isdecimal() and len(v) < 9 and int(v) <= MOST_PLOTS
    }
    ways = divisions(board, plots, sites)
    if any(by_hand.values()) and (own := hand_division(board, by_hand)):
        ways.append(own)
    leading = board.leading
    context = frame(request, trial, "decide") | {
        "board": board,
        "retest": retest,
        "rows": [(x, o, _net(o.gain, worth, cost, blocks * sites)) for x, o in sorted(still, key=lambda row: -row[1].gain)],
        "priced": worth is not None and cost is not None,
        "said": retests_in_words([(x.entry.code, o) for x, o in still if x.verdict == Verdict.RETEST], blocks, sites),
        "ways": sorted(ways, key=lambda d: d.left),
        "typed": {
            k: request.GET.get(k) or v
            for k, v in (("blocks", blocks), ("sites", sites), ("plots", plots), ("worth", ""), ("cost", ""))
        },
        "asked": (
            ("blocks", "Blocks"),
            ("sites", "Sites"),
            ("plots", "Plots to give"),
            ("worth", "A unit is worth"),
            ("cost", "A plot costs"),
        ),
        "plots_each": blocks * sites,
        "by_hand": by_hand,
        "wrong": {"blocks": wrong_blocks, "sites": wrong_sites, "plots": wrong_plots},
        "unit": leading.trait.shown_unit if leading else "",
        "digits": (leading.digits + 1) if leading else 1,
    }
    return render(request, "verdicts/ahead.html", context)
