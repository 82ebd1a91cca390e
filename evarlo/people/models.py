import uuid

from django.contrib.auth.models import AbstractUser
from django.db import models


class Role(models.TextChoices):
    MANAGER = "manager", "manager"
    EVALUATOR = "evaluator", "evaluator"
    HELPER = "helper", "helper"
    READER = "reader", "reader"


class User(AbstractUser):
    """A person who logs in. The role says what they may do; the table is in `permissions`. Without one they may do nothing."""

    role = models.CharField(max_length=12, choices=Role.choices, blank=True, default="")
    left_at = models.DateTimeField(null=True)  # since when they are gone; who left is not active

    imperial = models.BooleanField(default=False)  # whether amounts are shown in imperial units
    sunlight = models.BooleanField(default=False)  # whether pages are black on white, for a bright day outside
    clock12 = models.BooleanField(default=False)  # whether times are shown with am and pm
    calendar_key = models.CharField(max_length=43, blank=True)  # opens the calendar feed without a log-in; blank until asked for

    second_key = models.CharField(max_length=64, blank=True)  # of the app whose code is asked for after the password
    second_step = models.BigIntegerField(default=0)  # of the last code that was used: none holds twice
    second_wrong = models.PositiveSmallIntegerField(default=0)  # codes in a row, the last of them at
    second_wrong_at = models.DateTimeField(null=True)

    def __str__(self) -> str:
        return self.get_full_name() or self.username

    @property
    def short_name(self) -> str:
        """First name and initial, as on the top bar."""
        return f"{self.first_name} {self.last_name[:1]}." if self.first_name and self.last_name else str(self)


class Place(models.Model):
    """The trial garden whose data this folder holds: one row, made at the first start or with the sample world."""

    name = models.CharField(max_length=80)
    sample = models.BooleanField(default=False)  # the sample world, whose log-ins everybody can read
    key = models.UUIDField(default=uuid.uuid4, editable=False)  # tells its records from those of other places
    made_at = models.DateTimeField()

    def __str__(self) -> str:
        return self.name


class Invitation(models.Model):
    """A link that lets somebody in once: to join with a role, or to set a new password."""

    name = models.CharField(max_length=80)  # of whom it is meant for
    role = models.CharField(max_length=12, choices=Role.choices, blank=True)
    person = models.ForeignKey(User, null=True, on_delete=models.CASCADE, related_name="invitations")  # who sets a new password
    by = models.ForeignKey(User, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
    ends_at = models.DateTimeField()
    used_at = models.DateTimeField(null=True)
    undone_at = models.DateTimeField(null=True)

    def __str__(self) -> str:
        return self.name


class Visit(models.Model):
    """A log-in on one device, and when it was last seen there."""

    person = models.ForeignKey(User, on_delete=models.CASCADE, related_name="visits")
    session_key = models.CharField(max_length=40, unique=True)
    device = models.CharField(max_length=80)
    since = models.DateTimeField()
    seen_at = models.DateTimeField()
    ended_at = models.DateTimeField(null=True)

    def __str__(self) -> str:
        return f"{self.person} on {self.device}"


class Sent(models.Model):
    """An act that was sent and done, by the key that came with it: sent again it is not done again."""

    key = models.UUIDField(primary_key=True, default=uuid.uuid4)
    by = models.ForeignKey(User, on_delete=models.CASCADE, related_name="+")
    content = models.CharField(max_length=64)  # a digest of what was sent
    answer = models.CharField(max_length=500, blank=True)  # the address that its answer led to
    at = models.DateTimeField(db_index=True)

    def __str__(self) -> str:
        return f"{self.by}, {self.at:%-d %b %Y %H:%M}"


class Correction(models.Model):
    """Something on record that was typed wrongly and put right: what it was, what it is, why and by whom."""

    about = models.CharField(max_length=40)  # the kind of thing
    thing = models.PositiveBigIntegerField()
    said = models.CharField(max_length=300)
    why = models.CharField(max_length=200)
    by = models.ForeignKey(User, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()

    class Meta:
        indexes = [models.Index(fields=["about", "thing"])]

    def __str__(self) -> str:
        return self.said


class AuditLine(models.Model):
    """One line of what was done; it is never changed. `digest` is a hash of it and of the line before it."""

    at = models.DateTimeField()
    who = models.CharField(max_length=150, blank=True)  # as they log in: they may be gone one day
    where = models.CharField(max_length=45, blank=True)  # the address of their machine
    what = models.CharField(max_length=80)
    about = models.CharField(max_length=200, blank=True)
    typed = models.JSONField(default=dict, blank=True)
    changed = models.JSONField(default=dict, blank=True)  # of the record it is about: by column, what was and what is now
    digest = models.CharField(max_length=64)

    class Meta:
        ordering = ["-pk"]

    def __str__(self) -> str:
        return f"{self.who} {self.what}"
