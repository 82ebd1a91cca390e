"""The request that a page for people gets, for the type checker."""

from django.http import HttpRequest
from django_htmx.middleware import HtmxDetails

from evarlo.people.models import User


class PersonRequest(HttpRequest):
    """A request of someone who is logged in; every view behind `may` gets one."""

    user: User
    htmx: HtmxDetails
