"""A sheet that was uploaded and is being looked at before anything is made of it; records that came from another place."""

from typing import ClassVar

from django.conf import settings
from django.db import models


class Sheet(models.Model):
    name = models.CharField(max_length=120)
    text = models.TextField()  # the plain table that is read; empty while it is not known yet what the columns mean
    grids = models.JSONField(default=list, blank=True)  # the sheets as they came: name and rows of cells
    chosen = models.JSONField(default=dict, blank=True)  # which sheet, what its columns mean, what was answered
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="+")
    at = models.DateTimeField()
    wanted = models.JSONField(default=dict, blank=True)  # what was chosen for its trial, while it is being brought in
    trial = models.ForeignKey("trials.Trial", null=True, blank=True, on_delete=models.SET_NULL, related_name="sheets")

    class Meta:
        ordering = ["-at"]

    def __str__(self) -> str:
        return self.name


class Shape(models.Model):
    """What the columns of a sheet with these names mean, as somebody chose it: the next sheet of that shape is taken so."""

    names = models.CharField(max_length=64, unique=True)  # a digest of them
    chosen = models.JSONField(default=dict)
    at = models.DateTimeField()

    def __str__(self) -> str:
        return f"sheet of {self.at:%-d %b %Y}"


class Brought(models.Model):
    """A record that came in a package: which it was where it came from, so that a later package finds it again."""

    place = models.UUIDField()  # where it was made
    table = models.CharField(max_length=60)
    theirs = models.CharField(max_length=36)  # ids, numbers or UUIDs, as texts
    ours = models.CharField(max_length=36)
    digest = models.CharField(max_length=32)  # of what it said when it came

    class Meta:
        constraints: ClassVar[list[models.BaseConstraint]] = [
            models.UniqueConstraint(fields=["place", "table", "theirs"], name="brought_once")
        ]

    def __str__(self) -> str:
        return f"{self.table} {self.ours}"
