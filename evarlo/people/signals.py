"""Log-ins and log-outs are noted by device."""

import time
from typing import Any

from django.http import HttpRequest

from evarlo.people.devices import device_in_words
from evarlo.people.models import User
from evarlo.people.permissions import IN_SAMPLE, SINCE
from evarlo.people.places import is_sample
from evarlo.people.services import began_visit, ended_visit


def logged_in(request: HttpRequest, user: User, **_: Any) -> None:
    request.session[IN_SAMPLE], request.session[SINCE] = is_sample(), time.time()
    began_visit(user, request.session, device_in_words(request.headers.get("User-Agent", "")))


def logged_out(request: HttpRequest, **_: Any) -> None:
    if request.session.session_key:
        ended_visit(request.session.session_key)
