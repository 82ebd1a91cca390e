"""A second factor: six digits from an app on one's phone (TOTP, RFC 6238), asked for after the password by whoever chose it."""

from __future__ import annotations

from datetime import timedelta

import pyotp
from django.conf import settings
from django.db import transaction
from django.utils import timezone

from evarlo.people.audit import note
from evarlo.people.models import User
from evarlo.ui.refused import Refused

STEP = 30  # seconds for which a code holds
AROUND = 1  # steps by which a phone's clock may be off
MOST_WRONG, WITHIN = 6, timedelta(minutes=15)
HALF_WAY = 300  # seconds between the password and the code


def has_to_have_second(person: User) -> bool:
    """Whether this place lets their role in with a second factor only."""
    return person.role in settings.SECOND_FACTOR


def lacks_second(person: User) -> bool:
    """Whether somebody has to choose a second factor before anything else."""
    return has_to_have_second(person) and not person.second_key


def new_key() -> str:
    """A key for an app, not kept yet."""
    return pyotp.random_base32()


def address_of_key(person: User, key: str, place: str) -> str:
    """What an app reads from the code that is scanned."""
    return pyotp.TOTP(key).provisioning_uri(name=person.username, issuer_name=place)


def _step_of(key: str, code: str) -> int | None:
    """The step for which a code holds now; None for one that does not."""
    if not key:  # given up meanwhile: no code is one
        return None
    now = int(timezone.now().timestamp()) // STEP
    plain = "".join(code.split())
    around = range(now - AROUND, now + AROUND + 1)
    return next((s for s in around if pyotp.utils.strings_equal(pyotp.TOTP(key).at(s * STEP), plain)), None)


@transaction.atomic
def choose(person: User, key: str, code: str) -> None:
    """Ask for it from now on. Raises Refused where the code is not the key's."""
    step = _step_of(key, code)
    if step is None:
        raise Refused("That is not the code of this key now. Is the clock of your phone right?", "code")
    User.objects.filter(pk=person.pk).update(second_key=key, second_step=step, second_wrong=0)
    note("chose a second factor", person.username, "")


def give_up(person: User, why: str = "gave up the second factor") -> None:
    """Ask for it no longer."""
    User.objects.filter(pk=person.pk).update(second_key="", second_step=0, second_wrong=0)
    note(why, person.username, "")


def check(person_id: int, code: str) -> User:
    """The person, where the code holds and was not used before. Raises Refused; after some wrong ones for a while whatever is
    typed. What was wrong is remembered although it is refused."""
    with transaction.atomic():
        person = User.objects.select_for_update().get(pk=person_id)
        now = timezone.now()
        recent = person.second_wrong_at is not None and now - person.second_wrong_at < WITHIN
        wrong = person.second_wrong if recent else 0
        if wrong >= MOST_WRONG:
            step, said = None, f"Too many wrong codes. Try again {WITHIN.seconds // 60} minutes after the last, or ask a manager."
        else:
            step, said = _step_of(person.second_key, code), "That code does not hold now. Type the one your app shows."
        if step is not None and step > person.second_step:
            User.objects.filter(pk=person.pk).update(second_step=step, second_wrong=0)
            return person
        if wrong < MOST_WRONG:
            User.objects.filter(pk=person.pk).update(second_wrong=wrong + 1, second_wrong_at=now)
    note("gave a wrong code", person.username, "")
    raise Refused(said, "code")
