"""In whose time days begin: that of the site at hand."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.http import HttpRequest
from django.http.response import HttpResponseBase
from django.utils import timezone

from evarlo.grounds.models import Site
from evarlo.grounds.zones import known_zones
from evarlo.trials.models import Trial
from evarlo.ui.unchanged import kept


class Clock:
    """A page of a trial goes by the time zone of the trial's site, any other by that of the first site that has one; where none
    has, the place's own setting holds."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponseBase]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponseBase:
        try:
            return self.get_response(request)
        finally:
            timezone.deactivate()

    def process_view(self, _request: HttpRequest, _view: Any, _args: Any, given: dict[str, Any]) -> None:
        slug = str(given.get("slug", ""))
        zone = kept(("zone", slug), lambda: zone_of(slug), of=())
        if zone:
            timezone.activate(zone)


def zone_of(slug: str) -> str:
    """The time zone of a trial's site, else of the first site that has one; empty where none has."""
    told = Site.objects.exclude(time_zone="").order_by("pk").values_list("pk", "time_zone")
    zones = {pk: zone for pk, zone in told if zone in known_zones()}  # names come and go with the machine's list
    own = Trial.objects.filter(slug=slug).values_list("bed__site", flat=True).first() if zones and slug else None
    return zones.get(own or 0) or next(iter(zones.values()), "")
