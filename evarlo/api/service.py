"""The API as a whole: its door, its addresses, and what is answered when something is wrong."""

from __future__ import annotations

from typing import Any, cast

from django.contrib.auth.decorators import login_not_required
from django.http import Http404, HttpRequest, HttpResponse
from django.views.decorators.http import conditional_page
from ninja import NinjaAPI
from ninja.errors import AuthenticationError, HttpError, Throttled, ValidationError

from evarlo.api import writing
from evarlo.api.door import RATE, Bearer, Forbidden, Rate
from evarlo.ui.refused import Refused

WORDS = """The same records and figures as on the pages, for programs. Make a token on your own page, under Programs, and send it as
`Authorization: Bearer ev_…`. What a token may do is what its person may do; a blind trial stays blind. Amounts are metric.
Answers carry an ETag: send it back as If-None-Match to be told that nothing has changed. At most 600 requests a minute."""

api = NinjaAPI(
    title="Evarlo",
    version="1",
    description=WORDS,
    docs_url=None,
    openapi_url="/openapi.json",
    auth=Bearer(),
    throttle=[Rate(RATE)],
    urls_namespace="api-1",
)
api.add_router("", writing.router)


def _said(request: HttpRequest, status: int, error: str, field: str = "") -> HttpResponse:
    return api.create_response(request, {"error": error, "field": field}, status=status)


def nobody(request: HttpRequest, _error: Any) -> HttpResponse:
    answer = _said(request, 401, "No token, or one that does not work any more. Expected the header Authorization: Bearer ev_…")
    answer["WWW-Authenticate"] = 'Bearer realm="Evarlo"'
    return answer


def forbidden(request: HttpRequest, error: Any) -> HttpResponse:
    return _said(request, 403, str(error))


def not_there(request: HttpRequest, _error: Any) -> HttpResponse:
    return _said(request, 404, "There is no such thing here.")


def refused(request: HttpRequest, error: Any) -> HttpResponse:
    return _said(request, 422, str(error), error.field)


def not_valid(request: HttpRequest, error: Any) -> HttpResponse:
    first = error.errors[0]
    where = ".".join(str(part) for part in first["loc"][1:])
    return _said(request, 422, f"{where or 'The request'}: {first['msg']}.", where)


def too_often(request: HttpRequest, error: Any) -> HttpResponse:
    answer = _said(request, 429, "More than 600 requests in a minute. Wait, and ask for larger pages.")
    answer["Retry-After"] = str(error.wait or 60)
    return answer


def wrong(request: HttpRequest, error: Any) -> HttpResponse:
    return _said(request, error.status_code, str(error.message))


ANSWERS: dict[type[Exception], Any] = {
    AuthenticationError: nobody,
    Forbidden: forbidden,
    Http404: not_there,
    Refused: refused,
    ValidationError: not_valid,
    Throttled: too_often,
    HttpError: wrong,
}
for error, answer in ANSWERS.items():
    api.add_exception_handler(error, answer)


def addresses() -> tuple[list[Any], str, str]:
    """Every address, to be included: outside the log-in of pages, with its own door, and with an ETag."""
    found, app, name = api.urls
    for pattern in cast(list[Any], found):
        pattern.callback = login_not_required(conditional_page(pattern.callback))
    return list(found), app, name
