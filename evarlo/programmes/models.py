"""Programmes: trials of one crop over years and places, and the school by which they are judged."""

from django.conf import settings
from django.db import models
from django.urls import reverse

from evarlo.catalogue.models import Crop, Trait
from evarlo.trials.models import Trial
from trialcore.inference.verdict import Dropping

PERSON = settings.AUTH_USER_MODEL


class Programme(models.Model):
    """Trials that stand together. Its settings are the schools: how sure a recommendation has to be, when an entry is dropped."""

    class School(models.TextChoices):
        PROMISE = Dropping.PROMISE.value, "when a new entry would promise more"
        ONE_BAD = Dropping.ONE_BAD.value, "after one season behind the check"
        TWO_BAD = Dropping.TWO_BAD.value, "after two seasons running behind the check"
        CLEAR = Dropping.CLEAR.value, "only on a clear difference"

    slug = models.SlugField(max_length=80, unique=True)
    name = models.CharField(max_length=80)
    crop = models.ForeignKey(Crop, on_delete=models.PROTECT, related_name="programmes")
    flat = models.BooleanField(default=False)  # each season judged by itself, nothing known of the entries beforehand
    bar = models.FloatField(default=0.95)  # chance of being better from which an entry is recommended
    dropping = models.CharField(max_length=8, choices=School.choices, default=School.PROMISE)
    fresh = models.FloatField(default=1.0)  # how much more promising than a fresh entry one has to be to stay
    good_check = models.BooleanField(default=True)  # chosen for being good, so presumed better than an average entry
    second_signature = models.BooleanField(default=False)
    several = models.BooleanField(default=True)  # the line-up is several as insurance, not one best
    made_by = models.ForeignKey(PERSON, on_delete=models.PROTECT, related_name="+")
    made_at = models.DateTimeField()

    class Meta:
        ordering = ["name"]

    def __str__(self) -> str:
        return self.name

    def get_absolute_url(self) -> str:
        return reverse("programmes:page", args=[self.slug])


class Membership(models.Model):
    """A trial of a programme; one that is `left_out` says why, and its season does not count."""

    programme = models.ForeignKey(Programme, on_delete=models.CASCADE, related_name="memberships")
    trial = models.OneToOneField(Trial, on_delete=models.CASCADE, related_name="membership")
    left_out = models.CharField(max_length=200, blank=True)

    class Meta:
        ordering = ["trial__season", "trial__name"]

    def __str__(self) -> str:
        return f"{self.trial} in {self.programme}"


class Analysis(models.Model):
    """What was reckoned of one trait over all trials of a programme, and from what; the page reads it and reckons nothing."""

    programme = models.ForeignKey(Programme, on_delete=models.CASCADE, related_name="analyses")
    trait = models.ForeignKey(Trait, on_delete=models.CASCADE, related_name="+")
    stamp = models.CharField(max_length=64)  # of the boards and trials that went in
    read = models.JSONField(default=list)  # trials that have been read so far
    found = models.JSONField(default=dict)  # empty until all are read and fitted
    at = models.DateTimeField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["programme", "trait"], name="one_analysis_a_trait")]

    def __str__(self) -> str:
        return f"{self.trait} in {self.programme}"


class Frontier(models.Model):
    """What a rule came to in simulated programmes of so many entries, blocks and check plots: reckoned once for each."""

    key = models.CharField(max_length=120, unique=True)
    figures = models.JSONField()

    def __str__(self) -> str:
        return self.key
