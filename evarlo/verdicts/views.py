"""Decide: the board of verdicts, the signature, and the report for readers."""

from __future__ import annotations

from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_POST

from evarlo.compare.queries import said_of
from evarlo.compare.views import chart
from evarlo.compare.words import sentence
from evarlo.people.permissions import may
from evarlo.people.requests import PersonRequest
from evarlo.trials.frame import frame
from evarlo.trials.models import Entry
from evarlo.trials.queries import without_names
from evarlo.trials.services import choose_guard, reopen
from evarlo.trials.views import trial_or_404
from evarlo.ui.notice import say, warn
from evarlo.ui.refused import Refused, said_on_top
from evarlo.verdicts.models import VERDICTS
from evarlo.verdicts.queries import board_of, counts
from evarlo.verdicts.services import give_verdict, sign_board
from evarlo.verdicts.words import best_bet_in_words


@may("compare")
def decide(request: PersonRequest, slug: str) -> HttpResponse:
    trial = trial_or_404(slug)
    board = board_of(trial, request.user)
    layer = board.criteria[0].trait.key if board.criteria else ""
    has_figures = any(f.mean is not None for line in board.lines for f in line.figures)
    context = frame(request, trial, "decide", layer=layer) | {
        "board": board,
        "verdicts": VERDICTS,
        "counts": counts(board),
        "has_figures": has_figures,
        "said": said_of(trial),
        "best_bet": best_bet_in_words(board.comparisons[0] if board.comparisons else None),
    }
    return render(request, "verdicts/decide.html", context)


@may("decide")
@require_POST
def give(request: PersonRequest, slug: str, pk: int) -> HttpResponse:
    """Keep the person's verdict on one entry; the line comes back, with what was typed if it cannot be kept."""
    trial = trial_or_404(slug)
    entry = get_object_or_404(Entry, trial=trial, pk=pk)
    verdict, reason = request.POST.get("verdict", ""), request.POST.get("reason", "")
    board = board_of(trial, request.user)
    line = next((x for x in board.lines if x.entry.pk == pk), None)
    suggested = line.suggestion.verdict.value if line and line.suggestion else ""
    error, status = "", 200
    try:
        give_verdict(entry, verdict, reason, suggested, request.user)
    except Refused as refusal:
        error, status = str(refusal), 422
        if not request.htmx:
            warn(request, f"{entry.code}: {refusal}")
    if not request.htmx:
        return redirect("verdicts:decide", slug)
    if not error:
        board = board_of(trial, request.user)
        line = next(x for x in board.lines if x.entry.pk == pk)
    context = {
        "trial": trial,
        "line": line,
        "verdicts": VERDICTS,
        "error": error,
        "typed_verdict": verdict if error else "",
        "typed_reason": reason[:400] if error else "",
    }
    return render(request, "verdicts/line.html", context, status=status)


@may("decide")
@require_POST
def sign(request: PersonRequest, slug: str) -> HttpResponse:
    trial = trial_or_404(slug)
    opens = trial.blind and not trial.opened_at
    if opens and not request.user.check_password(request.POST.get("password", "")):
        warn(request, "That is not your password: nothing was signed, and the names stay closed.")
        return redirect("verdicts:decide", slug)
    with said_on_top(request):
        sign_board(trial, request.user)
        say(request, f"Signed. The board is frozen with the figures it stood on{', and the names are open' if opens else ''}.")
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


@may("compare")
def report(request: PersonRequest, slug: str) -> HttpResponse:
    """For readers: what was asked, what was found, how sure it is. Made to be printed."""
    trial = trial_or_404(slug)
    board = board_of(trial, request.user)
    parts = [{"c": c, "sentence": sentence(c)} | chart(c) for c in board.comparisons]
    context = {
        "trial": trial,
        "said": said_of(trial),
        "question": without_names(trial, trial.question, request.user),
        "board": board,
        "parts": parts,
        "counts": counts(board),
        "today": timezone.localdate(),
        "frozen": board.signed.lines if board.signed else None,
    }
    return render(request, "verdicts/report.html", context)
