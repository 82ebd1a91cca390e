"""What was done that others have to be able to look up: log-ins, roles, openings of names, signatures, exports, deletions,
settings, copies of the place. Each line carries a hash of itself and of the line before it, so that a gap shows, and the hash of
the last is kept beside the database, so that an end that was cut off does."""

from __future__ import annotations

import contextlib
import json
import os
import threading
from collections.abc import Callable, Iterator, Mapping
from hashlib import sha256
from pathlib import Path
from typing import Any

from django.apps import apps
from django.conf import settings
from django.db import transaction
from django.db.models import Model
from django.http import HttpRequest
from django.http.response import HttpResponseBase
from django.urls import ResolverMatch
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
    "partners:list": "let a partner in by a link",
    "partners:partner": "said how far a partner's trial counts",
    "partners:end": "ended a partner's link",
    "breeding:name": "named a line",
    "breeding:unname": "took a line's name back",
    "breeding:drop-saved": "took back seed that was saved",
    "breeding:drop-cross": "took back a cross",
    "breeding:gate": "changed what is asked of lines",
    "grounds:site": "changed a site",
    "exchange:backups": "copied the place",
    "exchange:restore": "put a copy back",
    "api:tokens": "let a program in",
    "api:end": "ended a program's token",
    "exchange:package-act": "brought in a package",
}
# Of the record that an act is about: its table, by which of the address's parts it is found, and what hangs on it and counts.
ABOUT: dict[str, tuple[str, str, str]] = {
    **dict.fromkeys(("people:role", "people:leave", "people:return"), ("people.User", "pk", "")),
    **dict.fromkeys(
        ("trials:open-names", "trials:rename", "trials:archive", "trials:criteria", "verdicts:sign", "verdicts:second"),
        ("trials.Trial", "slug", "criteria"),
    ),
    "programmes:settings": ("programmes.Programme", "slug", ""),
    "grounds:site": ("grounds.Site", "pk", ""),
    **dict.fromkeys(("partners:partner", "partners:end"), ("partners.Partner", "pk", "")),
    "breeding:drop-saved": ("breeding.Saved", "pk", ""),
    "breeding:drop-cross": ("breeding.Cross", "pk", ""),
}
SECRET = ("password", "csrf", "secret", "key", "code")
LONGEST = 200  # characters of one thing that was typed
FIRST = "0" * 64


@transaction.atomic
def note(
    what: str,
    who: str,
    where: str,
    about: str = "",
    typed: Mapping[str, str] | None = None,
    changed: Mapping[str, list[str]] | None = None,
) -> AuditLine:
    """Write a line; `who` as they log in, `where` the address of their machine, `changed` what was and is now, by column."""
    last = AuditLine.objects.order_by("-pk").first()
    line = AuditLine(what=what[:80], who=plain(who, 150), where=where[:45], about=plain(about, 200), at=timezone.now())
    line.typed, line.changed = dict(typed or {}), dict(changed or {})
    line.digest = digest_of(line, last.digest if last else FIRST)
    line.save(force_insert=True)
    transaction.on_commit(lambda: _keep_end(line))
    return line


def plain(text: str, most: int) -> str:
    """Without the character that no database has in a text."""
    return text.replace("\0", "")[:most]


def digest_of(line: AuditLine, before: str) -> str:
    """The hash that a line has after the one `before` it."""
    told = [before, line.what, line.who, line.where, line.about, line.typed, line.at.isoformat()]
    told += [line.changed] if line.changed else []
    return sha256(json.dumps(told, sort_keys=True, ensure_ascii=False).encode()).hexdigest()


def first_gap() -> AuditLine | None:
    """The first line that does not follow from the one before it: something before it was changed or is gone."""
    before = FIRST
    for line in _every_line():
        if line.digest != digest_of(line, before):
            return line
        before = line.digest
    return None


def _end() -> Path:
    return Path(settings.DATA) / "audit.end"


def _keep_end(line: AuditLine) -> None:
    """Beside the database, which line is the last. Of two that are written at once the later stays."""
    with contextlib.suppress(OSError):
        kept = _kept_end()
        if kept is None or kept[0] < line.pk:
            part = _end().with_suffix(f".{os.getpid()}-{threading.get_ident()}")
            part.write_text(f"{line.pk} {line.digest}\n")
            part.replace(_end())


def _kept_end() -> tuple[int, str] | None:
    try:
        number, digest = _end().read_text().split()
        return int(number), digest
    except (OSError, ValueError):
        return None


def end_cut_off() -> bool:
    """Whether the line that was the last is not there any more, or another."""
    kept = _kept_end()
    return kept is not None and not AuditLine.objects.filter(pk=kept[0], digest=kept[1]).exists()


def begin_end_anew() -> None:
    """The database was replaced as a whole, on purpose."""
    _end().unlink(missing_ok=True)


def _every_line() -> Iterator[AuditLine]:
    return AuditLine.objects.order_by("pk").iterator(chunk_size=2000)


class Audited:
    """Writes down acts of `ACTS` that were done (none that was refused or came twice), and whatever is taken along as a file."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponseBase]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponseBase:
        who = str(getattr(request.user, "username", "") or "")
        request.before = {}  # type: ignore[attr-defined]
        response = self.get_response(request)
        match = request.resolver_match
        if match is None or response.status_code >= 400 or getattr(request, "not_done", False):
            return response
        said = ACTS.get(match.view_name, "") if request.method == "POST" else ""
        if request.method == "GET" and response.headers.get("Content-Disposition", "").startswith("attachment"):
            said = "took along a file"
        if said:
            changed = difference(request.before, state_of(match)) if request.method == "POST" else {}  # type: ignore[attr-defined]
            note(said, who, address_of(request), request.path, typed_in(request), changed)
        return response

    def process_view(self, request: HttpRequest, _view: object, _args: object, _kwargs: object) -> None:
        if request.method == "POST" and request.resolver_match and request.resolver_match.view_name in ABOUT:
            request.before = state_of(request.resolver_match)  # type: ignore[attr-defined]


def state_of(match: ResolverMatch) -> dict[str, str]:
    """What the record says that an act is about, by column, without secrets; empty where it is about none."""
    table, found_by, hanging = ABOUT.get(match.view_name, ("", "", ""))
    if not table:
        return {}
    found = apps.get_model(table)._default_manager.filter(**{found_by: match.kwargs.get(found_by)}).first()
    if found is None:
        return {}
    told = {f.name: plain(str(f.value_from_object(found)), LONGEST) for f in found._meta.concrete_fields if not is_secret(f.name)}
    if hanging:
        told[hanging] = "; ".join(map(told_whole, getattr(found, hanging).all()))
    return told


def told_whole(record: Model) -> str:
    """A record in one line: what it is called and each of its figures."""
    figures = [f for f in record._meta.concrete_fields if not f.is_relation and not f.primary_key]
    return f"{record}: " + ", ".join(f"{f.verbose_name} {f.value_from_object(record)}" for f in figures)


def difference(before: Mapping[str, str], after: Mapping[str, str]) -> dict[str, list[str]]:
    """Each column that says something else now, with what it said; of a record that is gone, all that it said."""
    if not after:
        return {name: [said, ""] for name, said in before.items()}
    return {name: [before[name], after[name]] for name in before if name in after and before[name] != after[name]}


def is_secret(name: str) -> bool:
    return any(part in name.casefold() for part in SECRET)


def address_of(request: HttpRequest) -> str:
    return str(request.META.get("REMOTE_ADDR", ""))


def typed_in(request: HttpRequest) -> dict[str, str]:
    """What was typed, without secrets."""
    given = request.POST if request.method == "POST" else request.GET
    return {plain(name, LONGEST): plain(str(value), LONGEST) for name, value in list(given.items())[:40] if not is_secret(name)}


def logged_in(request: HttpRequest, user: Any, **_: Any) -> None:
    note("logged in", user.username, address_of(request))


def logged_out(request: HttpRequest, user: Any, **_: Any) -> None:
    if user is not None:
        note("logged out", user.username, address_of(request))


def refused(credentials: Mapping[str, Any], request: HttpRequest | None = None, **_: Any) -> None:
    note("gave a wrong password", str(credentials.get("username", "")), address_of(request) if request else "")
