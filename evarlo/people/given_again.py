"""A page that only shows is given again while nothing that it rests on has changed: to everybody with the same role and the same
settings, or to the same person alone where it was made by anything else of theirs."""

from __future__ import annotations

import re
import time
import uuid
from collections.abc import Callable, Hashable
from dataclasses import dataclass
from functools import wraps
from typing import Any, Concatenate, ParamSpec, cast
from urllib.parse import quote

from django.contrib.messages import get_messages
from django.http import HttpResponse
from django.middleware.csrf import get_token
from django.utils import timezone
from django.utils.functional import SimpleLazyObject
from django.utils.html import escape

from evarlo.databases import marks
from evarlo.databases.journal import any_lost
from evarlo.people.models import User
from evarlo.people.permissions import IN_SAMPLE
from evarlo.people.requests import PersonRequest
from evarlo.ui import unchanged

P = ParamSpec("P")
LASTS = 60  # seconds for which a page's words of time still hold
# What is another each time: the proof that a form is ours, a form's own key, since when there may be news, and who looks.
FRESH = re.compile(
    r'(?:(?<=name="csrfmiddlewaretoken" value=")|(?<="X-CSRFToken": "))(?P<proof>\w{64})'
    r'|(?<=name="act-key" value=")(?P<key>[0-9a-f-]{36})'
    r'|(?<=news/\?since=)(?P<since>[^"]+)'
    r'|(?<=data-person=")(?P<pk>\d*)'
    r"|(?<=data-person-name>)(?P<name>[^<]*)"
)
SHARED = {"role", "get_role_display", "imperial", "clock12", "sunlight", "is_authenticated", "is_anonymous", "is_active"}
OWN_KEY = re.compile(r'(?<!name="act-key" )value="[0-9a-f]{8}-[0-9a-f-]{27}"')  # a record's, that may be sent once


class Looker(SimpleLazyObject):  # type: ignore[type-arg]
    """The person who looks at a page, noting whether it asks anything of them but what many share."""

    def __init__(self, person: User) -> None:
        super().__init__(lambda: person)
        self.__dict__["person"] = person
        self.__dict__["personal"] = False

    def __getattr__(self, name: str) -> Any:
        if name not in SHARED:
            self.__dict__["personal"] = True
        return getattr(self.__dict__["person"], name)

    def __eq__(self, other: object) -> bool:
        self.__dict__["personal"] = True
        return bool(self.__dict__["person"] == other)

    def __hash__(self) -> int:
        self.__dict__["personal"] = True
        return hash(self.__dict__["person"])

    def __str__(self) -> str:
        self.__dict__["personal"] = True
        return str(self.__dict__["person"])


@dataclass(frozen=True)
class Page:
    parts: tuple[bytes, ...]  # of the text, by turns with
    fresh: tuple[str, ...]  # the kinds of what is put in anew
    headers: tuple[tuple[str, str], ...]
    made: float

    def given(self, request: PersonRequest) -> HttpResponse:
        proof, since = get_token(request), quote(timezone.localtime().isoformat(timespec="seconds"))
        made: dict[str, Callable[[], str]] = {
            "proof": lambda: proof,
            "key": lambda: str(uuid.uuid4()),
            "since": lambda: since,
            "pk": lambda: str(request.user.pk),
            "name": lambda: escape(request.user.short_name),
        }
        text = [self.parts[0]]
        for kind, part in zip(self.fresh, self.parts[1:], strict=True):
            text += (made[kind]().encode(), part)
        return HttpResponse(b"".join(text), headers=dict(self.headers))


def given_again(
    view: Callable[Concatenate[PersonRequest, P], HttpResponse],
) -> Callable[Concatenate[PersonRequest, P], HttpResponse]:
    """Marks a view that shows and does nothing else. Parts of pages, and pages that say what was just done, are made anew."""

    @wraps(view)
    def given(request: PersonRequest, /, *args: P.args, **kwargs: P.kwargs) -> HttpResponse:
        if request.method != "GET" or request.headers.get("HX-Request") or unchanged.within_transaction():
            return view(request, *args, **kwargs)
        if len(get_messages(request)):
            return view(request, *args, **kwargs)
        page, person = _page_of(request), request.user
        shared = ("page", page, person.role, person.sunlight)
        own = (*shared, person.pk)
        if (kept := _kept(shared, own)) is not None:
            return kept.given(request)
        with unchanged.one_at_a_time(shared):
            marks.look_again()  # what another has made meanwhile is newer than this request
            if (kept := _kept(shared, own)) is not None:
                return kept.given(request)
            return _made(request, shared, own, lambda: view(request, *args, **kwargs))

    given.given_again = True  # type: ignore[attr-defined]
    return given


def _kept(shared: Hashable, own: Hashable) -> Page | None:
    """The page that is kept for many or for this person, if it is still so."""
    for key in (shared, own):
        found = unchanged.look_up(key)
        if found is not None and time.monotonic() - found.made.made < LASTS:
            return cast(Page, found.made)
    return None


def _made(request: PersonRequest, shared: Hashable, own: Hashable, view: Callable[[], HttpResponse]) -> HttpResponse:
    """A page made now, and kept for those for whom it would be the same. Of what was read at the door it rests on nothing but what
    its key says."""
    person = request.user
    looker = Looker(person)
    request.user = cast(User, looker)
    with marks.apart() as reading:
        reading.begun = marks.marks()
        try:
            response = view()
        finally:
            request.user = person
        if personal := looker.__dict__["personal"]:
            marks.note(marks.tables_under(person))
        if not getattr(get_messages(request), "added_new", False) and (made := _page(response)) is not None:
            unchanged.put_away(own if personal else shared, made, sum(map(len, made.parts)))
    return response


def _page_of(request: PersonRequest) -> Hashable:
    """Which page is asked for, and what it shows beside what lies in the database."""
    return request.build_absolute_uri(), timezone.localdate(), request.session.get(IN_SAMPLE), any_lost()


def _page(response: HttpResponse) -> Page | None:
    """What of an answer can be given again; None when it cannot."""
    if response.status_code != 200 or response.streaming or response.cookies:
        return None
    if not response.get("Content-Type", "").startswith("text/html"):
        return None
    text = response.content.decode()
    if OWN_KEY.search(text):
        return None
    parts, fresh, at = [], [], 0
    for found in FRESH.finditer(text):
        parts.append(text[at : found.start()].encode())
        fresh.append(str(found.lastgroup))
        at = found.end()
    return Page((*parts, text[at:].encode()), tuple(fresh), tuple(response.headers.items()), time.monotonic())
