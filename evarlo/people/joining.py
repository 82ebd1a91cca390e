"""Acts by which people come in: the first manager, invitations, and a new password by a link."""

from __future__ import annotations

from datetime import timedelta

from django.core import signing
from django.db import transaction
from django.utils import timezone

from evarlo.people.models import Invitation, Place, Role, User, Visit
from evarlo.people.places import nobody_yet, open_invitations
from evarlo.people.second import give_up
from evarlo.ui.refused import Refused

JOIN_WITHIN = timedelta(days=7)
RESET_WITHIN = timedelta(days=1)
_SIGNED = signing.Signer(salt="evarlo.invitation")


@transaction.atomic
def first_manager(place: str, username: str, first: str, last: str, password: str) -> User:
    """Begin a place: its name and the manager who lets everybody else in. Raises Refused when somebody was first."""
    if not nobody_yet():
        raise Refused("Somebody has set this place up already. Log in, or ask them for an invitation.")
    Place.objects.create(name=place, sample=False, made_at=timezone.now())
    return _make(username, first, last, Role.MANAGER, password)


@transaction.atomic
def invite(name: str, role: str, by: User) -> Invitation:
    """A link that lets one person in, once, within a week."""
    now = timezone.now()
    return Invitation.objects.create(name=name, role=role, by=by, at=now, ends_at=now + JOIN_WITHIN)


@transaction.atomic
def offer_reset(person: User, by: User) -> Invitation:
    """A link by which a person sets a new password, within a day. One that was given before no longer works."""
    if not person.is_active:
        raise Refused(f"{person} has left. Let them return first.")
    now = timezone.now()
    Invitation.objects.filter(person=person, used_at=None, undone_at=None).update(undone_at=now)
    return Invitation.objects.create(name=str(person), person=person, by=by, at=now, ends_at=now + RESET_WITHIN)


@transaction.atomic
def withdraw(invitation: Invitation) -> None:
    """From now on the link lets nobody in."""
    if invitation.used_at:
        raise Refused(f"{invitation.name} has used this link already.")
    invitation.undone_at = timezone.now()
    invitation.save(update_fields=["undone_at"])


def secret_of(invitation: Invitation) -> str:
    """What stands in the link."""
    return _SIGNED.sign(str(invitation.pk))


def invitation_of(secret: str) -> Invitation | None:
    """The invitation that a link speaks of while it lets somebody in."""
    try:
        pk = int(_SIGNED.unsign(secret))
    except (signing.BadSignature, ValueError):
        return None
    return open_invitations().filter(pk=pk).first()


@transaction.atomic
def join(invitation: Invitation, username: str, first: str, last: str, password: str) -> User:
    """Make the person that an invitation was meant for. Raises Refused when the link was used meanwhile."""
    _use(invitation)
    return _make(username, first, last, invitation.role, password)


@transaction.atomic
def reset(invitation: Invitation, password: str) -> User:
    """Set the password that a link was given for; every log-in with the old one ends."""
    _use(invitation)
    person = invitation.person
    assert person is not None
    set_password(person, password)
    if User.objects.filter(pk=person.pk).exclude(second_key="").exists():
        give_up(person, "was let in anew, and the second factor given up")
    return person


def set_password(person: User, password: str, keep: str = "") -> None:
    """A new password. Log-ins with the old one end, but for the session `keep`."""
    person.set_password(password)
    person.save(update_fields=["password"])
    Visit.objects.filter(person=person, ended_at=None).exclude(session_key=keep).update(ended_at=timezone.now())


def _use(invitation: Invitation) -> None:
    used = Invitation.objects.filter(pk=invitation.pk, used_at=None, undone_at=None).update(used_at=timezone.now())
    if not used:
        raise Refused("This link was used already. It works once.")


def _make(username: str, first: str, last: str, role: str, password: str) -> User:
    if User.objects.filter(username__iexact=username).exists():
        raise Refused(f"Somebody here logs in as “{username}” already. Choose another name.", "username")
    return User.objects.create_user(username, password=password, first_name=first, last_name=last, role=role)
