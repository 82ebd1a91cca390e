"""Tokens: made, known again, ended."""

from __future__ import annotations

import secrets
from datetime import date, timedelta
from hashlib import sha256

from django.db.models import QuerySet
from django.utils import timezone

from evarlo.api.models import Token
from evarlo.people.models import User
from evarlo.ui.refused import Refused

LONGEST = timedelta(days=400)
MOST = 20  # that work, of one person
NOTED_EVERY = timedelta(hours=1)


def make_token(person: User, name: str, scope: str, ends_on: date) -> tuple[Token, str]:
    """A new one, and the text that lets in, which is not kept. Raises Refused."""
    today = timezone.localdate()
    if not name.strip():
        raise Refused("Nothing was typed. Expected the program it is for.", "name")
    if not today <= ends_on <= today + LONGEST:
        raise Refused(f"Expected a day from today to {today + LONGEST:%-d %b %Y}.", "ends_on")
    if working(person).count() >= MOST:
        raise Refused(f"You have {MOST} that work. End one first.", "name")
    text = "ev_" + secrets.token_urlsafe(32)
    made = Token.objects.create(
        person=person, name=name.strip()[:60], digest=digest_of(text), scope=scope, made_at=timezone.now(), ends_on=ends_on
    )
    return made, text


def digest_of(text: str) -> str:
    return sha256(text.encode()).hexdigest()


def working(person: User) -> QuerySet[Token]:
    """Those that let in, the newest first."""
    return Token.objects.filter(person=person, ended_at=None, ends_on__gte=timezone.localdate()).order_by("-made_at")


def token_of(text: str) -> Token | None:
    """The token, where it works and its person is still here; that it was used is noted."""
    found = Token.objects.select_related("person").filter(digest=digest_of(text), ended_at=None).first()
    if found is None or found.ends_on < timezone.localdate() or not found.person.is_active or not found.person.role:
        return None
    now = timezone.now()
    if found.used_at is None or now - found.used_at > NOTED_EVERY:
        Token.objects.filter(pk=found.pk).update(used_at=now)
    return found


def end_token(person: User, pk: int) -> None:
    """It lets nobody in from now on."""
    Token.objects.filter(person=person, pk=pk, ended_at=None).update(ended_at=timezone.now())
