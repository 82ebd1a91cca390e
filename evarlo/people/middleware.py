"""The door of every page and every part of a page, and the units in which they are shown."""

from collections.abc import Callable
from typing import Any

from django.contrib.auth.middleware import LoginRequiredMiddleware
from django.http import HttpRequest, HttpResponse
from django.http.response import HttpResponseBase

from evarlo.ui.units import stop_using, use_imperial


class Door(LoginRequiredMiddleware):
    """Without a log-in a page leads to the log-in. A part of a page is refused instead, so that what was typed stays."""

    def handle_no_permission(self, request: HttpRequest, view_func: Any) -> HttpResponseBase:  # type: ignore[override]
        if request.headers.get("HX-Request"):
            return HttpResponse("You are no longer logged in. Log in again.", status=401, content_type="text/plain")
        return super().handle_no_permission(request, view_func)


class Units:
    """Shows amounts in the units of whoever asks."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponseBase]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponseBase:
        token = use_imperial(bool(getattr(request.user, "imperial", False)))
        try:
            return self.get_response(request)
        finally:
            stop_using(token)
