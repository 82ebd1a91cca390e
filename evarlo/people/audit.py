"""What was done that others have to be able to look up: log-ins, roles, openings of names, signatures, exports, deletions,
settings, copies of the place. Each line carries a hash of itself and of the line before it, so that a gap shows."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator, Mapping
from hashlib import sha256
from typing import Any

from django.db import transaction
from django.http import HttpRequest
from django.http.response import HttpResponseBase
from django.utils import timezone

from evarlo.people.models import AuditLine

# Acts by the name of their address, and what they are called. What is not here keeps its own history with its record.
ACTS = {
    "people:invite": "invited somebody",
    "people:withdraw": "withdrew an invitation",
    "people:join": "came in by a link",
    "people:first": "became the first manager",
    "people:role": "gave a role",
    "people:reset": "offered a new password",
    "people:password": "changed the own password",
    "people:leave": "let somebody leave",
    "people:return": "let somebody return",
    "people:end-visit": "ended a log-in",
    "trials:open-names": "opened the names of a trial",
    "trials:rename": "corrected a trial's name",
    "trials:delete": "deleted a plan",
    "trials:archive": "put a trial away or brought it back",
    "trials:criteria": "changed what a trial is decided by",
    "verdicts:sign": "signed verdicts",
    "verdicts:second": "signed verdicts as the second",
    "programmes:settings": "changed a programme's rule",
    "breeding:name": "named a line",
    "breeding:gate": "changed what is asked of lines",
    "grounds:site": "changed a site",
    "exchange:backups": "copied the place",
    "exchange:restore": "put a copy back",
    "api:tokens": "let a program in",
    "api:end": "ended a program's token",
    "exchange:package-act": "brought in a package",
}
SECRET = ("password", "csrf", "secret", "key", "code")
LONGEST = 200  # characters of one thing that was typed
FIRST = "0" * 64


@transaction.atomic
def note(what: str, who: str, where: str, about: str = "", typed: Mapping[str, str] | None = None) -> AuditLine:
    """Write a line; `who` as they log in, `where` the address of their machine."""
    last = AuditLine.objects.order_by("-pk").first()
    line = AuditLine(what=what[:80], who=who[:150], where=where[:45], about=about[:200], typed=dict(typed or {}), at=timezone.now())
    line.digest = digest_of(line, last.digest if last else FIRST)
    line.save(force_insert=True)
    return line


def digest_of(line: AuditLine, before: str) -> str:
    """The hash that a line has after the one `before` it."""
    told = [before, line.what, line.who, line.where, line.about, line.typed, line.at.isoformat()]
    return sha256(json.dumps(told, sort_keys=True, ensure_ascii=False).encode()).hexdigest()


def first_gap() -> AuditLine | None:
    """The first line that does not follow from the one before it: something before it was changed or is gone."""
    before = FIRST
    for line in _every_line():
        if line.digest != digest_of(line, before):
            return line
        before = line.digest
    return None


def _every_line() -> Iterator[AuditLine]:
    return AuditLine.objects.order_by("pk").iterator(chunk_size=2000)


class Audited:
    """Writes down acts of `ACTS` that were done, and whatever is taken along as a file."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponseBase]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponseBase:
        who = str(getattr(request.user, "username", "") or "")
        response = self.get_response(request)
        match = request.resolver_match
        if match is None or response.status_code >= 400:
            return response
        said = ACTS.get(match.view_name, "") if request.method == "POST" else ""
        if request.method == "GET" and response.headers.get("Content-Disposition", "").startswith("attachment"):
            said = "took along a file"
        if said:
            note(said, who, address_of(request), request.path, typed_in(request))
        return response


def address_of(request: HttpRequest) -> str:
    return str(request.META.get("REMOTE_ADDR", ""))


def typed_in(request: HttpRequest) -> dict[str, str]:
    """What was typed, without secrets."""
    given = request.POST if request.method == "POST" else request.GET
    return {
        name: str(value)[:LONGEST]
        for name, value in list(given.items())[:40]
        if not any(part in name.casefold() for part in SECRET)
    }


def logged_in(request: HttpRequest, user: Any, **_: Any) -> None:
    note("logged in", user.username, address_of(request))


def logged_out(request: HttpRequest, user: Any, **_: Any) -> None:
    if user is not None:
        note("logged out", user.username, address_of(request))


def refused(credentials: Mapping[str, Any], request: HttpRequest | None = None, **_: Any) -> None:
    note("gave a wrong password", str(credentials.get("username", "")), address_of(request) if request else "")
