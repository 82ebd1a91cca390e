"""For whoever watches over the machine: does it answer, and can it work."""

from __future__ import annotations

import shutil
from datetime import datetime
from pathlib import Path

from django.conf import settings
from django.contrib.auth.decorators import login_not_required
from django.db import DatabaseError, connection
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import render

from evarlo.exchange.backups import backups, pending
from evarlo.people.permissions import may
from evarlo.people.requests import PersonRequest
from evarlo.ui.logged import BOUNDS, counted_in_all

ROOM = 100_000_000  # bytes that have to be free, for the records of a day and their pictures


@may("people")
def running(request: PersonRequest) -> HttpResponse:
    """How it runs, for managers: answers by kind and by how long they took, the size of things, the newest copy."""
    status, took, since = counted_in_all()
    answers = sum(status.values())
    bounds = [(f"up to {b:,} ms".replace(",", " "), took[str(b)]) for b in BOUNDS] + [("longer", took["more"])]
    newest = next(iter(backups()), None)
    kinds = (("2xx", "answered"), ("3xx", "led elsewhere, or unchanged"), ("4xx", "refused"), ("5xx", "failed"))
    context = {
        "since": datetime.fromisoformat(since) if since else None,
        "answers": answers,
        "tables": [
            (head, [(words, n, 100 * n / answers) for words, n in rows if n])
            for head, rows in (("Answers", [(words, status[key]) for key, words in kinds]), ("Took", bounds))
        ],
        "database": Path(str(connection.settings_dict["NAME"])).stat().st_size / 1e6,
        "free": shutil.disk_usage(settings.DATA).free / 1e9,
        "newest": newest,
    }
    return render(request, "exchange/running.html", context)


@login_not_required
def health(_request: HttpRequest) -> HttpResponse:
    """It answers."""
    return HttpResponse("ok\n", content_type="text/plain")


@login_not_required
def ready(_request: HttpRequest) -> JsonResponse:
    """Whether it can work: 503 with what is wrong where not. Nothing of the place is told."""
    wrong = []
    try:
        with connection.cursor() as cursor:
            cursor.execute("select 1")
        if pending():
            wrong.append("the database is of an older version")
    except DatabaseError:
        wrong.append("the database does not answer")
    if shutil.disk_usage(settings.DATA).free < ROOM:
        wrong.append("the disk is nearly full")
    return JsonResponse({"ready": not wrong, "wrong": wrong}, status=503 if wrong else 200)
