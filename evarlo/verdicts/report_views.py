"""The report for readers: one page for a grower, the whole for a reader, open data beside it."""

from __future__ import annotations

from django.http import HttpResponse
from django.shortcuts import render
from django.utils import timezone

from evarlo.compare.queries import said_of
from evarlo.compare.views import chart
from evarlo.compare.words import sentence
from evarlo.people.given_again import given_again
from evarlo.people.permissions import may
from evarlo.people.requests import PersonRequest
from evarlo.trials.queries import without_names
from evarlo.trials.views import trial_or_404
from evarlo.ui.tables import as_workbook, attached
from evarlo.verdicts.board import board_of, counts
from evarlo.verdicts.open_data import entry_table, packed
from evarlo.verdicts.showing import drawn
from evarlo.verdicts.words import best_bet_in_words, counts_in_words, not_said_in_words


@may("compare")
@given_again
def report(request: PersonRequest, slug: str) -> HttpResponse:
    """For readers: what was asked, what was found, how sure it is. Made to be printed; `for=grower` is the first page alone."""
    trial = trial_or_404(slug)
    board = board_of(trial, request.user)
    parts = [{"c": c, "sentence": sentence(c)} | chart(c) for c in board.comparisons]
    context = {
        "trial": trial,
        "said": said_of(trial),
        "question": without_names(trial, trial.question, request.user),
        "board": board,
        "rows": drawn(board),
        "labels": dict(enumerate(c.trait.with_unit for c in board.criteria)),
        "parts": parts,
        "lead": counts_in_words(counts(board)),
        "best_bet": best_bet_in_words(board),
        "not_said": not_said_in_words(board),
        "today": timezone.localdate(),
        "frozen": {x["code"]: x for x in board.signed.lines} if board.signed else {},
        "short": request.GET.get("for") == "grower",
    }
    return render(request, "verdicts/report.html", context)


@may("compare")
def package(request: PersonRequest, slug: str) -> HttpResponse:
    """The open data of a report: CSV tables with a schema, in one archive."""
    trial = trial_or_404(slug)
    return attached(
        f"{trial.slug}.zip",
        packed(board_of(trial, request.user), without_names(trial, trial.question, request.user)),
        "application/zip",
    )


@may("compare")
def workbook(request: PersonRequest, slug: str) -> HttpResponse:
    """The verdicts and figures of every entry as a workbook."""
    trial = trial_or_404(slug)
    return as_workbook(f"{trial.slug}-verdicts", entry_table(board_of(trial, request.user)))
