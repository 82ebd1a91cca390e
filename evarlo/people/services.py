"""Every write to people."""

from __future__ import annotations

import secrets

from django.db import transaction

from evarlo.people.models import User


@transaction.atomic
def choose_units(user: User, imperial: bool) -> None:
    """In which units amounts are shown to a person."""
    user.imperial = imperial
    user.save(update_fields=["imperial"])


@transaction.atomic
def renew_calendar_key(user: User) -> None:
    """A fresh secret for the address of a person's feed; the one before stops working."""
    User.objects.filter(pk=user.pk).update(calendar_key=secrets.token_urlsafe(32))


@transaction.atomic
def give_role(username: str, role: str) -> bool:
    """Give a person a role; whether there is such a person."""
    return User.objects.filter(username=username).update(role=role) > 0
