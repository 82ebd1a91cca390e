"""The report for readers: one page for a grower, the whole for a reader, open data beside it."""

from __future__ import annotations

from django.http import HttpResponse
from django.shortcuts import render

from evarlo.people.given_again import given_again
from evarlo.people.permissions import may
from evarlo.people.requests import PersonRequest
from evarlo.trials.queries import without_names
from evarlo.trials.views import trial_or_404
from evarlo.ui.tables import as_workbook, attached
from evarlo.verdicts.board import board_of
from evarlo.verdicts.open_data import entry_table, packed
from evarlo.verdicts.reporting import told_in_report


@may("compare")
@given_again
def report(request: PersonRequest, slug: str) -> HttpResponse:
    """For readers: what was asked, what was found, how sure it is. Made to be printed; `for=grower` is the first page alone."""
    told = told_in_report(trial_or_404(slug), request.user) | {"short": request.GET.get("for") == "grower"}
    return render(request, "verdicts/report.html", told)


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
