"""What was picked, plot by plot and day by day."""

import uuid

from django.conf import settings
from django.db import models

from evarlo.trials.models import Plot
from evarlo.ui.in_force import Correctable


class Picking(models.Model):
    """One weigh-in of one plot: kilograms, and pieces where they were counted. Rows are only ever added; a
    correction supersedes, a withdrawn row supersedes without putting anything in the place."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4)
    plot = models.ForeignKey(Plot, on_delete=models.PROTECT, related_name="pickings")
    on = models.DateField()
    marketable_kg = models.FloatField()
    marketable_count = models.PositiveIntegerField(null=True, blank=True)
    cull_kg = models.FloatField(default=0)
    cull_count = models.PositiveIntegerField(null=True, blank=True)
    withdrawn = models.BooleanField(default=False)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
    supersedes = models.OneToOneField("self", null=True, blank=True, on_delete=models.PROTECT, related_name="superseded_by")

    objects = Correctable.as_manager()

    class Meta:
        ordering = ["on", "at"]
        indexes = [models.Index(fields=["plot", "on"])]

    def __str__(self) -> str:
        return f"{self.plot} {self.on}: {self.marketable_kg:g} kg"
