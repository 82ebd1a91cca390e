"""Doubts about what stands in a plot, and about where it ends."""

from __future__ import annotations

from django.conf import settings
from django.db import models
from django.db.models import Q

from evarlo.catalogue.models import Cultivar
from evarlo.trials.models import Entry, Exclusion, Plot

PERSON = settings.AUTH_USER_MODEL


class Doubt(models.Model):
    """What stands in a plot may not be what was sown: who doubts it and why, what it could be, and how it was settled."""

    class Outcome(models.TextChoices):
        OWN = "own", "it is what was sown"
        OTHER = "other", "it is another entry"
        OUTSIDE = "outside", "it is no entry of this trial"
        FOUND = "found", "the boundary is found again"
        STRIP = "strip", "the plants beside the boundary are not judged"
        UNKNOWN = "unknown", "nobody can tell"

    plot = models.ForeignKey(Plot, on_delete=models.CASCADE, related_name="identity_doubts")
    why = models.CharField(max_length=200)
    neighbour = models.ForeignKey(
        Plot, null=True, blank=True, on_delete=models.CASCADE, related_name="boundary_doubts"
    )  # where the doubt is where the one plot ends and this one begins
    outside = models.ForeignKey(Cultivar, null=True, blank=True, on_delete=models.PROTECT, related_name="+")  # a candidate
    candidates = models.ManyToManyField(Entry, blank=True, related_name="+")
    tells = models.CharField(max_length=200, blank=True)  # the trait that sets them apart, and how
    raised_on = models.DateField()
    by = models.ForeignKey(PERSON, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
    exclusion = models.OneToOneField(Exclusion, null=True, blank=True, on_delete=models.SET_NULL, related_name="+")
    exclusion_beside = models.OneToOneField(Exclusion, null=True, blank=True, on_delete=models.SET_NULL, related_name="+")
    outcome = models.CharField(max_length=7, choices=Outcome.choices, blank=True)
    entry = models.ForeignKey(
        Entry, null=True, blank=True, on_delete=models.PROTECT, related_name="+"
    )  # the one it turned out to be
    how = models.CharField(max_length=200, blank=True)
    settled_on = models.DateField(null=True, blank=True)
    settled_by = models.ForeignKey(PERSON, null=True, blank=True, on_delete=models.PROTECT, related_name="+")

    class Meta:
        ordering = ["at"]
        constraints = [models.UniqueConstraint(fields=["plot"], condition=Q(outcome=""), name="one_open_doubt_a_plot")]

    def __str__(self) -> str:
        return f"{self.plot}: {self.why}"
