"""What every request passes: only the ways of asking that pages know, answers that no machine on the way may keep, and one address
that may not try passwords without end."""

from __future__ import annotations

from collections.abc import Callable
from datetime import timedelta

from axes.models import AccessAttempt
from django.conf import settings
from django.contrib.auth import authenticate
from django.db.models import Sum
from django.http import HttpRequest, HttpResponse
from django.http.response import HttpResponseBase
from django.utils import timezone

METHODS = ("GET", "HEAD", "POST")
MOST_WRONG = 40  # passwords from one address, whatever the names: a whole team's slips in a morning, and no use to a guesser


class Guards:
    """Refuses other methods; says that what a person sees is theirs alone."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponseBase]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponseBase:
        if request.method not in METHODS:
            refused = HttpResponse("Expected GET, HEAD or POST.", status=405, content_type="text/plain")
            refused["Allow"] = ", ".join(METHODS)
            return refused
        response = self.get_response(request)
        if not response.has_header("Cache-Control"):
            response["Cache-Control"] = "private, no-cache"
        return response


def is_own_password(request: HttpRequest, typed: str) -> bool:
    """Whether somebody who is logged in typed the password they log in with. A wrong one counts as at the log-in, and too many are
    answered as there: whoever finds a phone open may not guess either."""
    if not typed:
        return False
    if tried_too_often(str(request.META.get("REMOTE_ADDR", ""))):
        request.axes_locked_out = True  # type: ignore[attr-defined]
        return False
    return authenticate(request, username=request.user.get_username(), password=typed) is not None


def tried_too_often(address: str) -> bool:
    """Whether so many wrong passwords came from an address within the time that axes counts, over all names."""
    since = timezone.now() - timedelta(hours=float(settings.AXES_COOLOFF_TIME))
    tried = AccessAttempt.objects.filter(ip_address=address, attempt_time__gte=since)
    return (tried.aggregate(n=Sum("failures_since_start"))["n"] or 0) >= MOST_WRONG
