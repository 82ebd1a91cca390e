"""Rounds through the plots, and what was seen in them."""

from __future__ import annotations

import uuid

from django.conf import settings
from django.db import models
from django.db.models import Q

from evarlo.catalogue.models import Trait
from evarlo.trials.models import Cause, Plot, Trial
from evarlo.ui.in_force import Correctable

PERSON = settings.AUTH_USER_MODEL


class Round(models.Model):
    """One walk through a trial for one trait. It may take several days and several people."""

    trial = models.ForeignKey(Trial, on_delete=models.CASCADE, related_name="rounds")
    trait = models.ForeignKey(Trait, on_delete=models.PROTECT)
    number = models.PositiveSmallIntegerField()
    only = models.JSONField(default=list, blank=True)  # ids of the plots it is about; empty is every one
    due_on = models.DateField(null=True, blank=True)
    opened_on = models.DateField(null=True, blank=True)  # None while it is only planned
    opened_by = models.ForeignKey(PERSON, null=True, blank=True, on_delete=models.PROTECT, related_name="+")
    closed_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ["opened_on", "due_on", "id"]
        constraints = [models.UniqueConstraint(fields=["trial", "trait", "number"], name="one_round_a_number")]

    def __str__(self) -> str:
        return f"{self.trait}, round {self.number}"


class Value(models.Model):
    """What one person saw in one plot: a number, a day, or a reason why there is none. `looked` are the plants looked at where
    a share of them is the number, `parts` the values of single plants where their mean is, `guide` the version it was made by."""

    number = models.FloatField(null=True, blank=True)
    day = models.DateField(null=True, blank=True)
    cause = models.CharField(max_length=12, choices=Cause.choices, blank=True)
    looked = models.PositiveSmallIntegerField(null=True, blank=True)
    parts = models.JSONField(null=True, blank=True)
    guide = models.PositiveSmallIntegerField(null=True, blank=True)
    note = models.CharField(max_length=300, blank=True)
    seen_on = models.DateField()
    by = models.ForeignKey(PERSON, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()

    class Meta:
        abstract = True
        ordering = ["at"]


class Observation(Value):
    """A value that counts, or did until it was corrected. Rows are only ever added.

    `id` is made by the one who records, so that sending twice keeps once. A correction points at the row it
    supersedes; a row that is `withdrawn` supersedes without putting anything in the place.
    """

    of_one_trial = True  # a mark for each trial says whether its values have changed

    id = models.UUIDField(primary_key=True, default=uuid.uuid4)
    round = models.ForeignKey(Round, on_delete=models.PROTECT, related_name="observations")
    plot = models.ForeignKey(Plot, on_delete=models.PROTECT, related_name="observations")
    withdrawn = models.BooleanField(default=False)
    supersedes = models.OneToOneField("self", null=True, blank=True, on_delete=models.PROTECT, related_name="superseded_by")

    objects = Correctable.as_manager()

    class Meta(Value.Meta):
        indexes = [models.Index(fields=["round", "plot"])]
        constraints = [
            models.CheckConstraint(
                name="a_number_a_day_a_cause_or_withdrawn",
                condition=(
                    Q(number__isnull=False, day__isnull=True, cause="", withdrawn=False)
                    | Q(number__isnull=True, day__isnull=False, cause="", withdrawn=False)
                    | (Q(number__isnull=True, day__isnull=True, withdrawn=False) & ~Q(cause=""))
                    | Q(number__isnull=True, day__isnull=True, cause="", withdrawn=True)
                ),
            ),
            models.UniqueConstraint(
                fields=["round", "plot"],
                condition=Q(supersedes__isnull=True),
                name="one_first_observation_a_plot_a_round",
            ),
        ]

    def __str__(self) -> str:
        return f"{self.plot}: {self.number if self.number is not None else self.day or self.cause}"


class Rival(Value):
    """A value for a plot that has another already, from a phone that did not know of it. Both are kept until somebody settles
    which one counts."""

    id = models.UUIDField(primary_key=True)  # made by the phone
    round = models.ForeignKey(Round, on_delete=models.PROTECT, related_name="rivals")
    plot = models.ForeignKey(Plot, on_delete=models.PROTECT, related_name="rivals")
    settled_at = models.DateTimeField(null=True, blank=True)
    settled_by = models.ForeignKey(PERSON, null=True, blank=True, on_delete=models.PROTECT, related_name="+")
    taken = models.BooleanField(default=False)  # it was the one that counts
    beside = models.BooleanField(default=False)  # only kept to see how raters agree: the same plot asked again, or the same answer

    class Meta(Value.Meta):
        pass

    def __str__(self) -> str:
        return f"{self.plot}: {self.number if self.number is not None else self.day or self.cause}"
