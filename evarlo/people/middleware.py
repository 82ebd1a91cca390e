"""The door of every page, and of every part of a page."""

from typing import Any

from django.contrib.auth.middleware import LoginRequiredMiddleware
from django.http import HttpRequest, HttpResponse
from django.http.response import HttpResponseBase


class Door(LoginRequiredMiddleware):
    """Without a log-in a page leads to the log-in. A part of a page is refused instead, so that what was typed stays."""

    def handle_no_permission(self, request: HttpRequest, view_func: Any) -> HttpResponseBase:  # type: ignore[override]
        if request.headers.get("HX-Request"):
            return HttpResponse("You are no longer logged in. Log in again.", status=401, content_type="text/plain")
        return super().handle_no_permission(request, view_func)
