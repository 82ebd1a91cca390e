"""The door of every page and every part of a page, the units in which they are shown, and the way back from an act's address."""

import time
from collections.abc import Callable
from typing import Any
from urllib.parse import urlsplit

from django.contrib.auth.middleware import LoginRequiredMiddleware
from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.http.response import HttpResponseBase
from django.shortcuts import redirect, render
from django.urls import Resolver404, resolve

from evarlo.people.permissions import SINCE, acts_of, hold_to
from evarlo.people.places import managers
from evarlo.people.second import lacks_second
from evarlo.people.services import seen_again
from evarlo.ui.units import stop_using, use_clock12, use_imperial
from evarlo.ui.views import PROGRAMS


class Door(LoginRequiredMiddleware):
    """Without a log-in a page leads to the log-in. A part of a page is refused instead, so that what was typed stays."""

    def handle_no_permission(self, request: HttpRequest, view_func: Any) -> HttpResponseBase:  # type: ignore[override]
        if request.headers.get("HX-Request"):
            return HttpResponse("You are no longer logged in. Log in again.", status=401, content_type="text/plain")
        return super().handle_no_permission(request, view_func)


class Roles:
    """A role that may not do what an address is for is refused before anything of its form is read."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponseBase]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponseBase:
        return self.get_response(request)

    def process_view(self, request: HttpRequest, view: Any, *_arguments: Any) -> None:
        if request.user.is_authenticated and request.user.role:
            for act in acts_of(view):
                hold_to(request, act)


class Known:
    """Who is logged in and has no role yet may see their own page and is told whom to ask; whose role has to have a second factor
    is led to choosing one. When somebody was last seen is noted, every few minutes."""

    EVERY = 300.0  # seconds
    OPEN = ("people:me", "people:log-out", "people:here")
    SECOND = ("people:second", "people:password")

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponseBase]) -> None:
        self.get_response = get_response
        self.noted: dict[str, float] = {}

    def __call__(self, request: HttpRequest) -> HttpResponseBase:
        key = request.session.session_key
        seen = self.noted.get(key, request.session.get(SINCE, 0.0)) if key and request.user.is_authenticated else None
        if seen is not None and key and time.time() - seen >= self.EVERY:
            self.noted[key] = time.time()
            seen_again(key)
        return self.get_response(request)

    def process_view(self, request: HttpRequest, view: Any, *_arguments: Any) -> HttpResponseBase | None:
        if not request.user.is_authenticated:
            return None
        name = request.resolver_match.view_name if request.resolver_match else ""
        if name in self.OPEN:
            return None
        if not request.user.role:
            return render(request, "people/no_role.html", {"managers": managers()}, status=403)
        if not lacks_second(request.user) or name in self.SECOND or not getattr(view, "login_required", True):
            return None
        if request.method == "GET" and not request.headers.get("HX-Request"):
            return redirect("people:second")
        words = "Your role needs a second factor now: open a page and choose it. What you typed stays here until then."
        return HttpResponse(words, status=401, content_type="text/plain")  # as without a log-in: a phone keeps its records


class Units:
    """Shows amounts in the units of whoever asks."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponseBase]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponseBase:
        token = use_imperial(bool(getattr(request.user, "imperial", False)))
        use_clock12(bool(getattr(request.user, "clock12", False)))
        try:
            return self.get_response(request)
        finally:
            stop_using(token)


class WayBack:
    """The address of an act is no page. Who comes to one (by a reload after a refused form, or by the back button) is led to the
    page on which the form stands: where they came from, else the nearest address above that is one."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponseBase]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponseBase:
        response = self.get_response(request)
        if response.status_code != 405 or request.method not in ("GET", "HEAD") or request.path.startswith(PROGRAMS):
            return response
        return HttpResponseRedirect(came_from(request) or above(request.path))


def came_from(request: HttpRequest) -> str:
    """The page of ours that led here, or nothing when it is this address or not ours."""
    before = urlsplit(request.headers.get("Referer", ""))
    if before.netloc != request.get_host() or before.path == request.path or not is_address(before.path):
        return ""
    return before.path + (f"?{before.query}" if before.query else "")


def above(path: str) -> str:
    """The nearest address above `path`; the last one is Today's."""
    while path.strip("/"):
        path = path.rstrip("/").rpartition("/")[0] + "/"
        if is_address(path):
            return path
    return "/"


def is_address(path: str) -> bool:
    try:
        resolve(path)
    except Resolver404:
        return False
    return True
