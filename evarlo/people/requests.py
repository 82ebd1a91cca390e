"""The request that a page for people gets, for the type checker."""

from django.http import HttpRequest, QueryDict
from django_htmx.middleware import HtmxDetails

from evarlo.people.models import User


class PersonRequest(HttpRequest):
    """A request of someone who is logged in; every view behind `may` gets one."""

    user: User
    htmx: HtmxDetails


def typed(request: HttpRequest) -> QueryDict | None:
    """What was typed into a form, also when it was sent empty; None when the page is only looked at."""
    return request.POST if request.method == "POST" else None
