"""What every request passes: only the ways of asking that pages know, answers that no machine on the way may keep, and one address
that may not try passwords without end."""

from __future__ import annotations

from collections.abc import Callable
from datetime import timedelta

from axes.models import AccessAttempt
from django.conf import settings
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


def tried_too_often(address: str) -> bool:
    """Whether so many wrong passwords came from an address within the time that axes counts, over all names."""
    since = timezone.now() - timedelta(hours=float(settings.AXES_COOLOFF_TIME))
    tried = AccessAttempt.objects.filter(ip_address=address, attempt_time__gte=since)
    return (tried.aggregate(n=Sum("failures_since_start"))["n"] or 0) >= MOST_WRONG
