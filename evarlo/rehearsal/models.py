"""A season that is only played: its trial is a real one, its truth is known and shown once it was decided."""

from django.conf import settings
from django.db import models
from django.urls import reverse

from evarlo.trials.models import Trial

PERSON = settings.AUTH_USER_MODEL


class PlayedSeason(models.Model):
    """What is true of each entry (by code, in the trait's unit), how many months have passed, and when the truth was looked at."""

    trial = models.OneToOneField(Trial, on_delete=models.CASCADE, related_name="played")
    truth = models.JSONField()
    spread = models.FloatField()  # of entries' true values
    plot_sd = models.FloatField()
    seed = models.BigIntegerField()
    months = models.PositiveSmallIntegerField(default=0)
    by = models.ForeignKey(PERSON, on_delete=models.CASCADE, related_name="+")
    at = models.DateTimeField()
    seen_at = models.DateTimeField(null=True, blank=True)
    away_at = models.DateTimeField(null=True, blank=True)  # no longer listed

    class Meta:
        ordering = ["-at"]

    def __str__(self) -> str:
        return f"played: {self.trial}"

    def get_absolute_url(self) -> str:
        return reverse("rehearsal:season", args=[self.pk])
