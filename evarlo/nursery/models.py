"""Sowing and planting, by plot."""

from django.conf import settings
from django.db import models

from evarlo.trials.models import Plot


class Step(models.TextChoices):
    SOWN = "sown", "sown"
    PLANTED = "planted", "planted"


class StepDate(models.Model):
    """The day a plot was sown or planted. A correction supersedes the row before it; nothing is overwritten."""

    plot = models.ForeignKey(Plot, on_delete=models.CASCADE, related_name="step_dates")
    step = models.CharField(max_length=8, choices=Step.choices)
    on = models.DateField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
    supersedes = models.OneToOneField("self", null=True, blank=True, on_delete=models.PROTECT, related_name="superseded_by")

    class Meta:
        ordering = ["at", "id"]
        indexes = [models.Index(fields=["plot", "step"])]
        constraints = [
            models.UniqueConstraint(
                fields=["plot", "step"],
                condition=models.Q(supersedes__isnull=True),
                name="one_first_date_a_step",
            )
        ]

    def __str__(self) -> str:
        return f"{self.plot} {self.step} {self.on}"
