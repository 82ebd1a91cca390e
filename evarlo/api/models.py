"""What lets a program in."""

from __future__ import annotations

from django.conf import settings
from django.db import models


class Token(models.Model):
    """A program that may ask as a person. Only a digest of it is kept: it is shown once."""

    class Scope(models.TextChoices):
        READ = "read", "read"
        WRITE = "write", "read and write"

    person = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="tokens")
    name = models.CharField(max_length=60)  # of the program, as its person calls it
    digest = models.CharField(max_length=64, unique=True)
    scope = models.CharField(max_length=5, choices=Scope.choices, default=Scope.READ)
    made_at = models.DateTimeField()
    ends_on = models.DateField()  # the last day on which it works
    used_at = models.DateTimeField(null=True)  # to the hour
    ended_at = models.DateTimeField(null=True)

    def __str__(self) -> str:
        return self.name
