import uuid

from django.contrib.auth.models import AbstractUser
from django.db import models


class Role(models.TextChoices):
    MANAGER = "manager", "manager"
    EVALUATOR = "evaluator", "evaluator"
    HELPER = "helper", "helper"
    READER = "reader", "reader"


class User(AbstractUser):
    """A person who logs in. The role says what they may do; the table is in `permissions`."""

    role = models.CharField(max_length=12, choices=Role.choices, default=Role.READER)

    imperial = models.BooleanField(default=False)  # whether amounts are shown in imperial units
    calendar_key = models.CharField(max_length=43, blank=True)  # opens the calendar feed without a log-in; blank until asked for

    def __str__(self) -> str:
        return self.get_full_name() or self.username

    @property
    def short_name(self) -> str:
        """First name and initial, as on the top bar."""
        return f"{self.first_name} {self.last_name[:1]}." if self.first_name and self.last_name else str(self)


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
