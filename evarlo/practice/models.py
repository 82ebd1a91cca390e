"""Runs of the trainer."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from evarlo.walks.models import Round

PERSON = settings.AUTH_USER_MODEL


class Practice(models.Model):
    """A run of drawn leaves or plots that somebody scores: practice tells the truth after each, a test at the end, a warm-up is
    a short practice before a round."""

    class Mode(models.TextChoices):
        PRACTICE = "practice", "practice"
        TEST = "test", "test"
        WARM_UP = "warmup", "warm-up"

    class Subject(models.TextChoices):
        DISEASED = "diseased", "leaf area diseased"
        EATEN = "eaten", "leaf area eaten"
        PLANTS = "plants", "plants affected in a plot"

    by = models.ForeignKey(PERSON, on_delete=models.CASCADE, related_name="practice")
    mode = models.CharField(max_length=8, choices=Mode.choices)
    subject = models.CharField(max_length=8, choices=Subject.choices)
    seed = models.BigIntegerField()
    items = models.PositiveSmallIntegerField()
    said = models.JSONField(default=list)  # percent, item by item
    truth = models.JSONField(default=list)
    at = models.DateTimeField()
    ended_at = models.DateTimeField(null=True, blank=True)
    back_to = models.ForeignKey(Round, null=True, blank=True, on_delete=models.SET_NULL, related_name="+")  # after a warm-up

    class Meta:
        ordering = ["at"]

    def __str__(self) -> str:
        return f"{self.by}, {self.get_mode_display()} of {self.at:%-d %b %Y}"
