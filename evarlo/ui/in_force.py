"""What is in force: rows that were not undone, lifted, withdrawn or superseded. Nothing is deleted, so everything that reads
asks for these by name."""

from __future__ import annotations

from typing import Self, TypeVar

from django.conf import settings
from django.db import models

M = TypeVar("M", bound=models.Model)


class Undoable(models.QuerySet[M]):
    """Acts that can be undone: `undone_at` says when."""

    def in_force(self) -> Self:
        return self.filter(undone_at__isnull=True)


class UndoableAct(models.Model):
    """An act on record: by whom and when, and when it was undone."""

    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
    undone_at = models.DateTimeField(null=True, blank=True)

    objects = Undoable.as_manager()

    class Meta:
        abstract = True


class Liftable(models.QuerySet[M]):
    """What holds until it is lifted: `lifted_at` says when."""

    def in_force(self) -> Self:
        return self.filter(lifted_at__isnull=True)


class Withdrawable(models.QuerySet[M]):
    """What was kept until it was withdrawn: `withdrawn_at` says when."""

    def in_force(self) -> Self:
        return self.filter(withdrawn_at__isnull=True)


class Replaceable(models.QuerySet[M]):
    """Counts that a later row can replace: it points at what it supersedes."""

    def in_force(self) -> Self:
        return self.filter(superseded_by__isnull=True)


class Correctable(models.QuerySet[M]):
    """Records that a later row can correct, or take back by being `withdrawn` itself."""

    def newest(self) -> Self:
        """The last word on each, also where it says that there is nothing."""
        return self.filter(superseded_by__isnull=True)

    def in_force(self) -> Self:
        return self.newest().filter(withdrawn=False)
