"""The report for readers."""

from __future__ import annotations

from django.http import HttpResponse
from django.shortcuts import render
from django.utils import timezone

from evarlo.compare.queries import said_of
from evarlo.compare.views import chart
from evarlo.compare.words import sentence
from evarlo.people.permissions import may
from evarlo.people.requests import PersonRequest
from evarlo.trials.queries import without_names
from evarlo.trials.views import trial_or_404
from evarlo.verdicts.board import board_of, counts


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
