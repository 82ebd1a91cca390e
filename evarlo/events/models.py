"""What befell plots, what was done to them, and pictures of them."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from evarlo.trials.models import Exclusion, Plot, Trial
from evarlo.ui.in_force import Withdrawable
from evarlo.walks.models import Round

PERSON = settings.AUTH_USER_MODEL


class Event(models.Model):
    """A frost, a storm or another mishap, the plots it reached, and the rule by which they are kept or pulled, which is written
    before anybody looks."""

    class Kind(models.TextChoices):
        FROST = "frost", "frost"
        HAIL = "hail", "hail"
        WIND = "wind", "wind"
        HEAT = "heat", "heat"
        DROUGHT = "drought", "drought"
        FLOOD = "flood", "flood"
        ANIMALS = "animals", "animals"
        OTHER = "other", "something else"

    trial = models.ForeignKey(Trial, on_delete=models.CASCADE, related_name="events")
    kind = models.CharField(max_length=8, choices=Kind.choices)
    on = models.DateField()
    note = models.CharField(max_length=200, blank=True)
    recover_days = models.PositiveSmallIntegerField(null=True, blank=True)  # after which recovery is scored
    pull_over = models.FloatField(null=True, blank=True)  # damage, %, over which a plot is pulled …
    unless_over = models.FloatField(null=True, blank=True)  # … unless its recovery, %, comes to at least this
    by_plants = models.BooleanField(default=False)  # judged by which plants live, marked at their stations, not by a score
    damage = models.ForeignKey(Round, null=True, blank=True, on_delete=models.PROTECT, related_name="+")
    recovery = models.ForeignKey(Round, null=True, blank=True, on_delete=models.PROTECT, related_name="+")
    by = models.ForeignKey(PERSON, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
    withdrawn_at = models.DateTimeField(null=True, blank=True)
    withdrawn_by = models.ForeignKey(PERSON, null=True, blank=True, on_delete=models.PROTECT, related_name="+")

    objects = Withdrawable.as_manager()

    class Meta:
        ordering = ["on", "id"]

    def __str__(self) -> str:
        return f"{self.get_kind_display()} on {self.on:%-d %b %Y}"


class Hit(models.Model):
    """A plot that an event reached, and whether what is seen there is an accident or a weakness of the cultivar."""

    class Called(models.TextChoices):
        ACCIDENT = "accident", "an accident"
        WEAKNESS = "weakness", "a weakness of the cultivar"
        KEPT = "kept", "kept by the rule"

    event = models.ForeignKey(Event, on_delete=models.CASCADE, related_name="hits")
    plot = models.ForeignKey(Plot, on_delete=models.CASCADE, related_name="hits")
    called = models.CharField(max_length=8, choices=Called.choices, blank=True)
    reason = models.CharField(max_length=200, blank=True)
    looked_on = models.DateField(null=True, blank=True)  # when somebody looked at its plants: what is not marked is unhurt
    exclusion = models.OneToOneField(Exclusion, null=True, blank=True, on_delete=models.SET_NULL, related_name="+")
    by = models.ForeignKey(PERSON, null=True, blank=True, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ["plot__place"]
        constraints = [models.UniqueConstraint(fields=["event", "plot"], name="one_hit_a_plot")]

    def __str__(self) -> str:
        return f"{self.plot}: {self.event}"


class Care(models.Model):
    """Something that was done to plots: what, how much on each, by whom, and for how long it keeps people and harvest away."""

    class Kind(models.TextChoices):
        WATER = "water", "irrigation"
        COVER = "cover", "cover on or off"
        FEED = "feed", "feed"
        SPRAY = "spray", "plant protection"
        INOCULANT = "inoculant", "inoculant"
        MULCH = "mulch", "mulch"
        WEEDING = "weeding", "weeding"
        EARTHING = "earthing", "earthing up"
        PRUNING = "pruning", "pruning"
        THINNING = "thinning", "thinning"
        SUPPORT = "support", "support"
        BENEFICIALS = "benefic", "beneficials"
        OTHER = "other", "something else"

    trial = models.ForeignKey(Trial, on_delete=models.CASCADE, related_name="care")
    kind = models.CharField(max_length=9, choices=Kind.choices)
    what = models.CharField(max_length=80)
    amount = models.FloatField(null=True, blank=True)  # on each plot
    unit = models.CharField(max_length=12, blank=True)
    plots = models.ManyToManyField(Plot, related_name="care")
    done_at = models.DateTimeField()
    entry_hours = models.FloatField(default=0)  # for which nobody enters
    pick_days = models.PositiveSmallIntegerField(default=0)  # for which nothing is picked
    organic = models.BooleanField(default=False)  # organic growing permits it
    every_days = models.PositiveSmallIntegerField(null=True, blank=True)  # after which it is to be done again
    note = models.CharField(max_length=200, blank=True)
    by = models.ForeignKey(PERSON, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
    withdrawn_at = models.DateTimeField(null=True, blank=True)
    withdrawn_by = models.ForeignKey(PERSON, null=True, blank=True, on_delete=models.PROTECT, related_name="+")

    objects = Withdrawable.as_manager()

    class Meta:
        ordering = ["done_at", "id"]

    def __str__(self) -> str:
        return f"{self.what}, {self.done_at:%-d %b %Y}"


class Photo(models.Model):
    """A picture of a plot, shrunk, and without where it was taken unless somebody wished that kept. It lies in the database, so
    that one back-up holds everything."""

    id = models.UUIDField(primary_key=True)  # made by the phone
    plot = models.ForeignKey(Plot, on_delete=models.CASCADE, related_name="photos")
    note = models.CharField(max_length=200, blank=True)
    taken_on = models.DateField()
    latitude = models.FloatField(null=True, blank=True)
    longitude = models.FloatField(null=True, blank=True)
    width = models.PositiveSmallIntegerField()
    height = models.PositiveSmallIntegerField()
    image = models.BinaryField()
    small = models.BinaryField()
    by = models.ForeignKey(PERSON, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
    withdrawn_at = models.DateTimeField(null=True, blank=True)

    objects = Withdrawable.as_manager()

    class Meta:
        ordering = ["taken_on", "at"]

    def __str__(self) -> str:
        return f"{self.plot}, {self.taken_on:%-d %b %Y}"
