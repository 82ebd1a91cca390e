"""Pages for when something is wrong: what happened and what to do, never a stack of code."""

import sys

from django.db import OperationalError
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import render
from django.template.loader import render_to_string

from evarlo.ui.logged import number

PROGRAMS = "/api/v1/"  # where programs ask, which read no pages


def _said(request: HttpRequest, status: int, title: str, text: str) -> HttpResponse:
    if request.path.startswith(PROGRAMS):
        return JsonResponse({"error": f"{title}. {text}", "field": ""}, status=status)
    return render(request, "ui/said.html", {"title": title, "text": text}, status=status)


def bad_request(request: HttpRequest, exception: Exception | None = None) -> HttpResponse:  # noqa: ARG001 (called by its name)
    return _said(request, 400, "That could not be read", "Go back and try again; nothing was changed.")


def forbidden(request: HttpRequest, exception: Exception | None = None) -> HttpResponse:
    return _said(request, 403, "Not for your role", str(exception or "") or "Ask the manager of the trial.")


def not_found(request: HttpRequest, exception: Exception | None = None) -> HttpResponse:  # noqa: ARG001 (called by its name)
    return _said(request, 404, "Nothing is here", "The address may be mistyped, or what it showed was renamed.")


SAFE = "What was saved before is safe; nothing of this last step was saved."
STORAGE = (  # what the database says, and what is said of it: whoever reads this can do something about it
    (
        "full",
        507,
        "The server's disk is full",
        f"{SAFE} Whoever runs this server has to free some room; a phone keeps what is typed.",
    ),
    ("readonly", 507, "The data folder cannot be written to", f"{SAFE} Whoever runs this server has to make it writable again."),
    ("unable to open", 507, "The data folder cannot be opened", f"{SAFE} Whoever runs this server has to look at its permissions."),
    ("disk I/O", 507, "The server's disk does not answer", f"{SAFE} Whoever runs this server has to look at its disk."),
    ("locked", 503, "The server is busy writing", f"{SAFE} Send it again in a moment."),
    ("lock timeout", 503, "The server is busy writing", f"{SAFE} Send it again in a moment."),
    ("No space left", 507, "The server's disk is full", f"{SAFE} Whoever runs this server has to free some room."),
    ("connection", 503, "The database does not answer", f"{SAFE} Send it again in a moment; a phone keeps what is typed."),
)


def server_error(request: HttpRequest) -> HttpResponse:
    """A page that needs neither a log-in nor the database: either may be what is broken."""
    said = str(sys.exc_info()[1]) if isinstance(sys.exc_info()[1], OperationalError) else ""
    known = next((told for sign, *told in STORAGE if sign in said), None)
    status, title, text = known or (500, "That did not work", f"Something went wrong on our side. {SAFE}")
    if request.headers.get("HX-Request"):
        return HttpResponse(f"{title}. {text}", status=status, content_type="text/plain")
    if request.path.startswith(PROGRAMS):
        return JsonResponse({"error": f"{title}. {text}", "field": ""}, status=status)
    return HttpResponse(render_to_string("ui/broken.html", {"title": title, "text": text, "number": number.get()}), status=status)


def csrf_failed(request: HttpRequest, reason: str = "") -> HttpResponse:  # noqa: ARG001 (called by its name)
    text = "This page was open since before you logged in or out. Go back, load it again and repeat the last step."
    return _said(request, 403, "This page is out of date", text)
