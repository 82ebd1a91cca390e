"""Crops, cultivars and the traits by which they are judged."""

from django.db import models
from django.db.models.functions import Lower


class Crop(models.Model):
    """A crop with what a trial of it needs to know. `profile` holds the figures listed in `profile.py`; `source` says where
    they come from."""

    name = models.CharField(max_length=60, unique=True)
    between_rows_cm = models.FloatField(default=40)
    in_row_cm = models.FloatField(default=30)
    cv_percent = models.FloatField(default=15)  # plot-to-plot coefficient of variation to expect of its yield

    profile = models.JSONField(default=dict, blank=True)
    source = models.CharField(max_length=160, blank=True)

    class Meta:
        ordering = ["name"]

    def __str__(self) -> str:
        return self.name

    @property
    def caution(self) -> str:
        return str(self.profile.get("cautions", ""))


class Cultivar(models.Model):
    crop = models.ForeignKey(Crop, on_delete=models.PROTECT, related_name="cultivars")
    name = models.CharField(max_length=60)
    note = models.CharField(max_length=200, blank=True)

    class Meta:
        ordering = ["name"]
        constraints = [models.UniqueConstraint(Lower("name"), "crop", name="one_cultivar_a_name")]

    def __str__(self) -> str:
        return self.name


class Trait(models.Model):
    """What is measured, how, in which unit and which way round is better."""

    class Kind(models.TextChoices):
        MEASURE = "measure", "a measure"
        COUNT = "count", "a count"
        PERCENT = "percent", "a share, %"
        SCORE = "score", "a score, 1–9"
        DATE = "date", "the date of a stage"

    class Source(models.TextChoices):
        WALK = "walk", "walking the plots"
        PICK = "pick", "the picks"

    class Direction(models.TextChoices):
        HIGHER = "higher", "higher is better"
        LOWER = "lower", "lower is better"

    key = models.SlugField(max_length=80, unique=True)
    name = models.CharField(max_length=60)
    kind = models.CharField(max_length=8, choices=Kind.choices)
    source = models.CharField(max_length=4, choices=Source.choices, default=Source.WALK)
    unit = models.CharField(max_length=16, blank=True)
    method = models.CharField(max_length=300, blank=True)
    direction = models.CharField(max_length=6, choices=Direction.choices, default=Direction.HIGHER)
    low = models.FloatField(null=True, blank=True)
    high = models.FloatField(null=True, blank=True)
    decimals = models.PositiveSmallIntegerField(default=0)
    matters = models.FloatField(null=True, blank=True)  # a usual smallest difference that matters
    failed_counts_as = models.FloatField(null=True, blank=True)  # the value of a plot where the cultivar itself failed
    repeated = models.BooleanField(default=False)  # scored anew each round, or seen once

    class Meta:
        ordering = ["name"]

    def __str__(self) -> str:
        return self.name

    @property
    def shown_unit(self) -> str:
        """The unit of a compared value: a date is compared as days from sowing."""
        return "days" if self.kind == self.Kind.DATE else self.unit

    @property
    def sign(self) -> int:
        return 1 if self.direction == self.Direction.HIGHER else -1
