"""For whoever watches over the machine: does it answer, and can it work."""

from __future__ import annotations

import shutil

from django.conf import settings
from django.contrib.auth.decorators import login_not_required
from django.db import DatabaseError, connection
from django.http import HttpRequest, HttpResponse, JsonResponse

from evarlo.exchange.backups import pending

ROOM = 100_000_000  # bytes that have to be free, for the records of a day and their pictures


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
