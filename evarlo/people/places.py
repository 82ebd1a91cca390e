"""What is known of the place and of who is in it."""

from __future__ import annotations

from django.conf import settings
from django.db.models import Max, QuerySet
from django.utils import timezone

from evarlo.people.models import Invitation, Place, Role, User, Visit
from evarlo.secret import kept_secret

SAMPLE_PASSWORD = "tidal-estuary"  # noqa: S105 - of the sample world; everybody can read it, so no real place takes it


def place() -> Place | None:
    """The place whose data this is; None before the first start is done."""
    return Place.objects.first()


def is_sample() -> bool:
    """Whether this is the sample world."""
    return Place.objects.filter(sample=True).exists()


def is_shared_password(password: str) -> bool:
    """Whether this is the sample world's password, in a real place, which never takes it."""
    return password == SAMPLE_PASSWORD and not is_sample()


def nobody_yet() -> bool:
    """Whether the first manager is still to come."""
    return not User.objects.exists()


def first_key() -> str:
    """What the first start asks for, so that nobody else on the network becomes the manager: it lies in the data folder."""
    return kept_secret(settings.DATA / "first.key", 9)


def managers() -> list[User]:
    """Who may let others in."""
    return list(User.objects.filter(role=Role.MANAGER, is_active=True).order_by("first_name", "username"))


def people_known() -> list[User]:
    """Everybody with a log-in, those who left last, with when each was last seen (`last_seen`). Partners, who have
    none, are with their trials."""
    seen = User.objects.exclude(role="", is_active=False, left_at=None).annotate(last_seen=Max("visits__seen_at"))
    return sorted(seen, key=lambda p: (p.left_at is not None, str(p).casefold()))


def open_invitations() -> QuerySet[Invitation]:
    """Links that still let somebody in, the newest first."""
    waiting = Invitation.objects.filter(used_at=None, undone_at=None, ends_at__gt=timezone.now())
    return waiting.select_related("person", "by").order_by("-at")


def visits_of(person: User) -> list[Visit]:
    """Where a person is logged in, the one seen last first."""
    return list(person.visits.filter(ended_at=None).order_by("-seen_at"))
