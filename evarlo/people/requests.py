"""The request that a page for people gets, for the type checker, and what came with a form."""

from __future__ import annotations

from django.core.files.uploadedfile import UploadedFile
from django.http import HttpRequest, QueryDict
from django.utils.datastructures import MultiValueDict
from django_htmx.middleware import HtmxDetails

from evarlo.people.models import User


class PersonRequest(HttpRequest):
    """A request of someone who is logged in; every view behind `may` gets one."""

    user: User
    htmx: HtmxDetails


def typed(request: HttpRequest) -> QueryDict | None:
    """What was typed into a form, also when it was sent empty; None when the page is only looked at."""
    return request.POST if request.method == "POST" else None


def brought(request: HttpRequest) -> MultiValueDict[str, UploadedFile[bytes]] | None:
    """The files that came with a form; None when the page is only looked at."""
    return request.FILES if request.method == "POST" else None
