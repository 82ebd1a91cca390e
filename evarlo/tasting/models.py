"""Tasting panels: what is served to whom under which code, and what was said of it."""

from __future__ import annotations

from django.db import models

from evarlo.trials.models import Entry, Trial
from evarlo.ui.in_force import UndoableAct


class Panel(UndoableAct):
    """A tasting of a trial's entries for one thing, from `low` (1) to `high` (9) in words. `seed` drew its orders and codes.
    Between two dishes a palate rests for `pause_s`."""

    trial = models.ForeignKey(Trial, on_delete=models.CASCADE, related_name="panels")
    on = models.DateField()
    subject = models.CharField(max_length=60)
    low = models.CharField(max_length=30)
    high = models.CharField(max_length=30)
    judges = models.PositiveSmallIntegerField()
    seed = models.BigIntegerField()
    pause_s = models.PositiveSmallIntegerField(default=0)

    class Meta:
        ordering = ["-on", "-id"]

    def __str__(self) -> str:
        return f"{self.subject}, {self.on:%-d %b %Y}"


class Seat(models.Model):
    """A judge's place at the table. Its code opens the ballot on any phone, without an account and without a name."""

    panel = models.ForeignKey(Panel, on_delete=models.CASCADE, related_name="seats")
    judge = models.PositiveSmallIntegerField()
    code = models.CharField(max_length=8, unique=True)

    class Meta:
        ordering = ["judge"]
        constraints = [models.UniqueConstraint(fields=["panel", "judge"], name="one_seat_a_judge")]

    def __str__(self) -> str:
        return f"{self.code[:4]}-{self.code[4:]}"


class Dish(models.Model):
    """What a judge gets: the sample of an entry at a position, under three digits that say nothing. Position 0 is the warm-up: its
    score is kept and counts in nothing."""

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
    """The score that a judge gave to a dish, 1 to 9, `by` whoever typed it; `own` where the judge did, on their own phone and
    without a name, at the table that person set. A corrected one is undone and stays on record."""

    dish = models.ForeignKey(Dish, on_delete=models.CASCADE, related_name="tastes")
    score = models.PositiveSmallIntegerField()
    own = models.BooleanField(default=False)

    class Meta:
        ordering = ["at", "id"]

    def __str__(self) -> str:
        return f"{self.dish}: {self.score}"
