"""Tasting panels: what is served to whom under which code, and what was said of it."""

from __future__ import annotations

from django.db import models

from evarlo.trials.models import Entry, Trial
from evarlo.ui.in_force import UndoableAct


class Panel(UndoableAct):
    """A tasting of a trial's entries for one thing, from `low` (1) to `high` (9) in words. `seed` drew its orders and codes."""

    trial = models.ForeignKey(Trial, on_delete=models.CASCADE, related_name="panels")
    on = models.DateField()
    subject = models.CharField(max_length=60)
    low = models.CharField(max_length=30)
    high = models.CharField(max_length=30)
    judges = models.PositiveSmallIntegerField()
    seed = models.BigIntegerField()

    class Meta:
        ordering = ["-on", "-id"]

    def __str__(self) -> str:
        return f"{self.subject}, {self.on:%-d %b %Y}"


class Dish(models.Model):
    """What a judge gets: the sample of an entry at a position, under three digits that say nothing."""

    panel = models.ForeignKey(Panel, on_delete=models.CASCADE, related_name="dishes")
    judge = models.PositiveSmallIntegerField()
    position = models.PositiveSmallIntegerField()
    entry = models.ForeignKey(Entry, on_delete=models.CASCADE, related_name="dishes")
    code = models.PositiveSmallIntegerField()

    class Meta:
        ordering = ["judge", "position"]
        constraints = [models.UniqueConstraint(fields=["panel", "code"], name="a_code_stands_once_on_the_table")]

    def __str__(self) -> str:
        return str(self.code)


class Taste(UndoableAct):
    """The score that a judge gave to a dish, 1 to 9, `by` whoever typed it. A corrected one is undone and stays on record."""

    dish = models.ForeignKey(Dish, on_delete=models.CASCADE, related_name="tastes")
    score = models.PositiveSmallIntegerField()

    class Meta:
        ordering = ["at", "id"]

    def __str__(self) -> str:
        return f"{self.dish}: {self.score}"
