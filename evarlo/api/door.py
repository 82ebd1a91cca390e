"""Who may ask what, and how often."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.core.cache import caches
from django.core.files import locks
from django.http import HttpRequest
from ninja.security import HttpBearer
from ninja.throttling import AuthRateThrottle

from evarlo.api.models import Token
from evarlo.api.tokens import token_of
from evarlo.people.models import User
from evarlo.people.permissions import ACTS
from evarlo.ui.units import use_imperial

RATE = "600/min"  # of one token


class Forbidden(Exception):
    """Somebody who may not do this."""


class Bearer(HttpBearer):
    """`Authorization: Bearer ev_…`"""

    def authenticate(self, request: HttpRequest, token: str) -> Token | None:
        found = token_of(token)
        if found is not None:
            request.user = found.person
            use_imperial(False)  # whatever the person reads in, programs get metric
        return found


class Rate(AuthRateThrottle):
    """So many requests of one token, whatever else its person does, counted by all processes together. A disk without room counts
    nothing and keeps nobody out."""

    cache = caches["rates"]

    def get_cache_key(self, request: HttpRequest) -> str:
        token: Any = getattr(request, "auth", None)
        return f"api-{token.digest}" if isinstance(token, Token) else ""

    def allow_request(self, request: HttpRequest) -> bool:
        try:
            with (settings.DATA / "rates.lock").open("w") as turn:  # two at one moment would count as one
                locks.lock(turn, locks.LOCK_EX)
                return super().allow_request(request)
        except OSError:
            return True


def asking(request: HttpRequest, act: str, scope: str = Token.Scope.READ) -> User:
    """The person a request is made for, where they may do `act` and the token's scope allows it. Raises Forbidden."""
    token: Any = request.auth  # type: ignore[attr-defined]
    person: User = token.person
    if person.role not in ACTS[act]:
        raise Forbidden(f"This is for a {' or '.join(sorted(ACTS[act]))}. The token is a {person.role}'s.")
    if scope == Token.Scope.WRITE and token.scope != Token.Scope.WRITE:
        raise Forbidden("This token reads only. Make one that reads and writes.")
    return person
