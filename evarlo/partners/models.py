"""A grower elsewhere who keeps a small trial."""

from __future__ import annotations

from datetime import date
from functools import partial

from django.conf import settings
from django.db import models
from django.utils import timezone
from django.utils.crypto import get_random_string

from evarlo.trials.models import Trial

PERSON = settings.AUTH_USER_MODEL
LETTERS = "abcdefghjkmnpqrstuvwxyz23456789"  # none that is taken for another
LONG = 16


class Partner(models.Model):
    """Who keeps a trial elsewhere, of which main trial it holds the check, and what is asked. `person` is whom the records are by:
    an account that nobody logs in with."""

    trial = models.OneToOneField(Trial, on_delete=models.CASCADE, related_name="partner")
    main = models.ForeignKey(Trial, on_delete=models.PROTECT, related_name="partner_trials")
    name = models.CharField(max_length=80)
    person = models.ForeignKey(PERSON, on_delete=models.PROTECT, related_name="+")
    code = models.CharField(max_length=LONG, unique=True, default=partial(get_random_string, LONG, LETTERS))  # of a link
    ends_on = models.DateField()  # the last day on which the link works
    weight = models.FloatField(null=True, blank=True)  # as a manager says, instead of the reckoned one
    weight_why = models.CharField(max_length=200, blank=True)
    by = models.ForeignKey(PERSON, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
    ended_at = models.DateTimeField(null=True, blank=True)

    def __str__(self) -> str:
        return f"{self.name}, {self.trial}"

    def works_on(self, day: date) -> bool:
        return self.ended_at is None and day <= self.ends_on

    @property
    def works(self) -> bool:
        return self.works_on(timezone.localdate())
