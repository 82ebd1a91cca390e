"""Pests, diseases and weeds that a trial is watched for."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from evarlo.catalogue.models import Problem
from evarlo.trials.models import Trial

PERSON = settings.AUTH_USER_MODEL


class Watch(models.Model):
    """A pest, disease or weed that a trial is watched for: suspected until somebody says how it was confirmed."""

    trial = models.ForeignKey(Trial, on_delete=models.CASCADE, related_name="watches")
    problem = models.ForeignKey(Problem, on_delete=models.PROTECT, related_name="+")
    since = models.DateField()
    threshold = models.FloatField(null=True, blank=True)  # percent at which something is done in this trial
    confirmed_on = models.DateField(null=True, blank=True)
    confirmed_how = models.CharField(max_length=200, blank=True)
    confirmed_by = models.ForeignKey(PERSON, null=True, blank=True, on_delete=models.PROTECT, related_name="+")
    by = models.ForeignKey(PERSON, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
    ended_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ["since", "id"]
        constraints = [models.UniqueConstraint(fields=["trial", "problem"], name="one_watch_a_problem")]

    def __str__(self) -> str:
        return f"{self.problem} in {self.trial}"
