"""Every write to people."""

from __future__ import annotations

import secrets

from django.contrib.sessions.backends.base import SessionBase
from django.contrib.sessions.backends.db import SessionStore
from django.db import transaction
from django.utils import timezone

from evarlo.people.models import Invitation, Role, User, Visit
from evarlo.people.places import managers
from evarlo.ui.refused import Refused


@transaction.atomic
def choose_looks(user: User, *, imperial: bool, clock12: bool, sunlight: bool) -> None:
    """How pages look to a person: units of amounts, times, and whether they are read in the sun."""
    user.imperial, user.clock12, user.sunlight = imperial, clock12, sunlight
    user.save(update_fields=["imperial", "clock12", "sunlight"])


@transaction.atomic
def renew_calendar_key(user: User) -> None:
    """A fresh secret for the address of a person's feed; the one before stops working."""
    User.objects.filter(pk=user.pk).update(calendar_key=secrets.token_urlsafe(32))


@transaction.atomic
def give_role(person: User, role: str) -> None:
    """Give a person another role. Somebody has to stay who lets others in: raises Refused for the last manager."""
    if role != Role.MANAGER:
        _someone_stays(person)
    person.role = role
    person.save(update_fields=["role"])


@transaction.atomic
def leave(person: User) -> None:
    """A person who is gone: logged out everywhere, their calendar feed and links stop. What they recorded stays under their
    name."""
    _someone_stays(person)
    person.is_active, person.left_at, person.calendar_key = False, timezone.now(), ""
    person.save(update_fields=["is_active", "left_at", "calendar_key"])
    Invitation.objects.filter(person=person, used_at=None, undone_at=None).update(undone_at=timezone.now())
    for visit in person.visits.filter(ended_at=None):
        end_visit(visit)


@transaction.atomic
def return_again(person: User) -> None:
    """A person who left is back, with the role and password they had."""
    person.is_active, person.left_at = True, None
    person.save(update_fields=["is_active", "left_at"])


def _someone_stays(person: User) -> None:
    if managers() == [person]:
        raise Refused(f"{person} is the only manager here. Make somebody else manager first.")


def began_visit(person: User, session: SessionBase, device: str) -> None:
    """Somebody logged in on a device."""
    now = timezone.now()
    if session.session_key is None:
        session.save()
    Visit.objects.update_or_create(
        session_key=str(session.session_key),
        defaults={"person": person, "device": device, "since": now, "seen_at": now, "ended_at": None},
    )


def seen_again(session_key: str) -> None:
    """Somebody who is logged in asked for something."""
    Visit.objects.filter(session_key=session_key).update(seen_at=timezone.now())


@transaction.atomic
def end_visit(visit: Visit) -> None:
    """Log a device out, from anywhere."""
    SessionStore(visit.session_key).delete()
    visit.ended_at = timezone.now()
    visit.save(update_fields=["ended_at"])


def ended_visit(session_key: str) -> None:
    """Somebody logged out."""
    Visit.objects.filter(session_key=session_key).update(ended_at=timezone.now())
