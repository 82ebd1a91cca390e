"""For whoever watches over the machine: does it answer, and can it work."""

from __future__ import annotations

import shutil
from datetime import datetime

from django.conf import settings
from django.contrib.auth.decorators import login_not_required
from django.db import DatabaseError, connection
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import redirect, render
from django.views.decorators.cache import never_cache
from django.views.decorators.http import require_POST

from evarlo.databases import journal
from evarlo.databases.copying import copying
from evarlo.exchange.backups import backups, pending
from evarlo.people.permissions import may
from evarlo.people.requests import PersonRequest
from evarlo.ui.logged import BOUNDS, counted_in_all
from evarlo.ui.notice import say

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
        "database": copying().size_now() / 1e6,
        "free": shutil.disk_usage(settings.DATA).free / 1e9,
        "newest": newest,
        "lost": journal.still_lost(),
    }
    return render(request, "exchange/running.html", context)


@may("see")
@never_cache
def lost(_request: PersonRequest) -> JsonResponse:
    """The keys of what was acknowledged and is missing since the last start: a phone that still holds some sends them again."""
    return JsonResponse({"keys": [str(line.key) for line in journal.still_lost()]})


@may("people")
@require_POST
def let_be(request: PersonRequest) -> HttpResponse:
    """What is missing is not waited for any longer."""
    journal.let_be()
    say(request, "What was missing is not waited for any longer.")
    return redirect("exchange:running")


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
