"""The time that work took."""

from __future__ import annotations

import uuid

from django.db import models

from evarlo.trials.models import Plot, Trial
from evarlo.ui.in_force import UndoableAct


class WorkTime(UndoableAct):
    """Minutes that a task took on some plots, for each of the `people` who did it together. Who they were is not asked."""

    class Task(models.TextChoices):
        PICK = "pick", "picking"
        TIE = "tie", "tying and training"
        WEED = "weed", "weeding"
        PRUNE = "prune", "pruning and thinning"
        CLEAN = "clean", "cleaning and grading"
        OTHER = "other", "other work"

    id = models.UUIDField(primary_key=True, default=uuid.uuid4)
    trial = models.ForeignKey(Trial, on_delete=models.CASCADE, related_name="work_times")
    plots = models.ManyToManyField(Plot, related_name="work_times")
    task = models.CharField(max_length=6, choices=Task.choices)
    what = models.CharField(max_length=60, blank=True)
    on = models.DateField()
    minutes = models.FloatField()
    people = models.PositiveSmallIntegerField(default=1)

    class Meta:
        ordering = ["-on", "-at"]

    def __str__(self) -> str:
        return f"{self.get_task_display()}, {self.minutes:g} min"
