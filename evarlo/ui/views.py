"""Pages for when something is wrong: what happened and what to do, never a stack of code."""

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render


def _said(request: HttpRequest, status: int, title: str, text: str) -> HttpResponse:
    return render(request, "ui/said.html", {"title": title, "text": text}, status=status)


def bad_request(request: HttpRequest, exception: Exception | None = None) -> HttpResponse:  # noqa: ARG001 (called by its name)
    return _said(request, 400, "That could not be read", "Go back and try again; nothing was changed.")


def forbidden(request: HttpRequest, exception: Exception | None = None) -> HttpResponse:
    return _said(request, 403, "Not for your role", str(exception or "") or "Ask the manager of the trial.")


def not_found(request: HttpRequest, exception: Exception | None = None) -> HttpResponse:  # noqa: ARG001 (called by its name)
    return _said(request, 404, "Nothing is here", "The address may be mistyped, or what it showed was renamed.")


def server_error(request: HttpRequest) -> HttpResponse:
    text = "Something went wrong on our side. What was kept before is safe; nothing of this last step was kept."
    return render(request, "ui/broken.html", {"title": "That did not work", "text": text}, status=500)


def csrf_failed(request: HttpRequest, reason: str = "") -> HttpResponse:  # noqa: ARG001 (called by its name)
    text = "This page was open since before you logged in or out. Go back, load it again and repeat the last step."
    return _said(request, 403, "This page is out of date", text)
