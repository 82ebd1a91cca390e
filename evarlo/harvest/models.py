"""What was picked, plot by plot and day by day."""

import uuid

from django.conf import settings
from django.db import models

from evarlo.catalogue.models import Trait
from evarlo.grounds.models import Site
from evarlo.trials.models import Entry, Plot, Trial
from evarlo.ui.in_force import Correctable, UndoableAct


class PickClass(models.Model):
    """What is weighed apart from the rest of a trial's harvest: a size, a part, or culls for one reason. One that is switched off
    stays with what was weighed in it."""

    class Kind(models.TextChoices):
        MARKETABLE = "good", "marketable"
        TRIMMED = "trimmed", "marketable after trimming"
        CULL = "cull", "culled"

    class Part(models.TextChoices):
        MAIN = "main", "main harvest"
        SIDE = "side", "side harvest"
        DRY = "dry", "dry or ripe harvest"

    class Reason(models.TextChoices):
        NONE = "", "not said"
        UNDERSIZE = "under", "undersize"
        OVERMATURE = "over", "over-mature or oversize"
        MISSHAPEN = "shape", "misshapen"
        PEST = "pest", "pest"
        DISEASE = "disease", "disease"
        SPLIT = "split", "split"
        BOLTED = "bolted", "bolted"
        DAMAGED = "damaged", "damaged in picking"
        OTHER = "other", "another reason"

    trial = models.ForeignKey(Trial, on_delete=models.CASCADE, related_name="pick_classes")
    name = models.CharField(max_length=40)
    kind = models.CharField(max_length=8, choices=Kind.choices, default=Kind.MARKETABLE)
    part = models.CharField(max_length=5, choices=Part.choices, default=Part.MAIN)
    reason = models.CharField(max_length=8, choices=Reason.choices, blank=True)  # of a cull
    rank = models.PositiveSmallIntegerField()
    counted = models.BooleanField(default=True)  # its pieces are counted too
    used = models.BooleanField(default=True)

    class Meta:
        ordering = ["rank", "id"]
        constraints = [models.UniqueConstraint(fields=["trial", "name"], name="one_pick_class_a_name")]

    def __str__(self) -> str:
        return self.name


class Crate(models.Model):
    """What fruit is weighed in, with its own weight in kilograms."""

    site = models.ForeignKey(Site, on_delete=models.CASCADE, related_name="crates")
    name = models.CharField(max_length=30)
    kg = models.FloatField()

    class Meta:
        ordering = ["kg", "name"]
        constraints = [models.UniqueConstraint(fields=["site", "name"], name="one_crate_a_name")]

    def __str__(self) -> str:
        return self.name


class PickedAnyway(models.Model):
    """A day on which held plots of a trial are picked all the same, and why."""

    trial = models.ForeignKey(Trial, on_delete=models.CASCADE, related_name="picked_anyway")
    on = models.DateField()
    why = models.CharField(max_length=200)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()

    class Meta:
        ordering = ["on", "id"]

    def __str__(self) -> str:
        return f"{self.trial} {self.on}: {self.why}"


class PickPlan(models.Model):
    """When and how a trial is picked: every how many days where it is more than once, and the first time so many days after a stage
    was seen; what a piece is to weigh, in grams; the moisture (%) to which a dry harvest is brought; the days it is to keep."""

    trial = models.OneToOneField(Trial, on_delete=models.CASCADE, related_name="pick_plan")
    every_days = models.PositiveSmallIntegerField(null=True, blank=True)
    first_after = models.ForeignKey(Trait, null=True, blank=True, on_delete=models.SET_NULL, related_name="+")  # a stage
    first_days = models.PositiveSmallIntegerField(default=0)
    piece_low_g = models.FloatField(null=True, blank=True)
    piece_high_g = models.FloatField(null=True, blank=True)
    standard_moisture = models.FloatField(null=True, blank=True)
    market_days = models.PositiveSmallIntegerField(null=True, blank=True)

    def __str__(self) -> str:
        return f"{self.trial}, every {self.every_days} days"


class Picking(models.Model):
    """One weigh-in of one plot: kilograms, and pieces where they were counted, in all and by class where the trial has classes.
    Rows are only ever added; a correction supersedes, a withdrawn row supersedes without putting anything in the place."""

    class Nought(models.TextChoices):
        NOTHING = "nothing", "nothing to pick"
        UNRIPE = "unripe", "not ripe"
        MISSED = "missed", "not reached"

    id = models.UUIDField(primary_key=True, default=uuid.uuid4)
    plot = models.ForeignKey(Plot, on_delete=models.PROTECT, related_name="pickings")
    on = models.DateField()
    marketable_kg = models.FloatField()
    marketable_count = models.PositiveIntegerField(null=True, blank=True)
    cull_kg = models.FloatField(default=0)
    cull_count = models.PositiveIntegerField(null=True, blank=True)
    nought = models.CharField(max_length=7, choices=Nought.choices, blank=True)  # why there is no weight
    tare_kg = models.FloatField(default=0)  # taken off each weight that was typed
    graded_kg = models.FloatField(null=True, blank=True)  # of which the classes were told, where that was a part of the lot
    graded_se_kg = models.FloatField(default=0)  # of what is marketable, since only a part was graded
    withdrawn = models.BooleanField(default=False)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
    supersedes = models.OneToOneField("self", null=True, blank=True, on_delete=models.PROTECT, related_name="superseded_by")

    objects = Correctable.as_manager()

    class Meta:
        ordering = ["on", "at"]
        indexes = [models.Index(fields=["plot", "on"])]

    def __str__(self) -> str:
        return f"{self.plot} {self.on}: {self.marketable_kg:g} kg"


class PickPart(models.Model):
    """What of a weigh-in fell into one class."""

    picking = models.ForeignKey(Picking, on_delete=models.CASCADE, related_name="parts")
    pick_class = models.ForeignKey(PickClass, on_delete=models.PROTECT, related_name="parts")
    kg = models.FloatField()
    count = models.PositiveIntegerField(null=True, blank=True)
    se_kg = models.FloatField(default=0)  # where only some of the lot were graded
    graded_count = models.PositiveIntegerField(null=True, blank=True)  # of the pieces that were graded

    class Meta:
        ordering = ["pick_class__rank", "id"]
        constraints = [models.UniqueConstraint(fields=["picking", "pick_class"], name="one_part_a_class")]

    def __str__(self) -> str:
        return f"{self.pick_class}: {self.kg:g} kg"


class StoredLot(UndoableAct):
    """Pieces of an entry that were put into store to see how long they keep. `every_days` is how often they are looked at."""

    trial = models.ForeignKey(Trial, on_delete=models.CASCADE, related_name="stored_lots")
    entry = models.ForeignKey(Entry, on_delete=models.CASCADE, related_name="stored_lots")
    plot = models.ForeignKey(Plot, null=True, blank=True, on_delete=models.SET_NULL, related_name="stored_lots")
    laid_on = models.DateField()
    pieces = models.PositiveIntegerField()
    kg = models.FloatField(null=True, blank=True)
    place = models.CharField(max_length=60, blank=True)  # and its conditions
    every_days = models.PositiveSmallIntegerField(default=14)

    class Meta:
        ordering = ["laid_on", "id"]

    def __str__(self) -> str:
        return f"{self.entry.code}{f' of plot {self.plot.number}' if self.plot else ''}, {self.laid_on:%-d %b %Y}"


class StoreCheck(UndoableAct):
    """A look at a stored lot: pieces still sound, and those taken away sound, for cutting or tasting. What is neither was lost."""

    lot = models.ForeignKey(StoredLot, on_delete=models.CASCADE, related_name="checks")
    on = models.DateField()
    sound = models.PositiveIntegerField()
    taken = models.PositiveIntegerField(default=0)
    cause = models.CharField(max_length=60, blank=True)  # of what was lost
    shrivel = models.PositiveSmallIntegerField(null=True, blank=True)  # of what is sound: 1 is none, 9 is dried up
    kg = models.FloatField(null=True, blank=True)  # of what is sound

    class Meta:
        ordering = ["on", "id"]

    def __str__(self) -> str:
        return f"{self.lot}, {self.on}: {self.sound} sound"


class TestedSample(UndoableAct):
    """Pieces of a plot that were tested after the pick: what each gave, the value of the sample, and how old it was by then."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4)
    plot = models.ForeignKey(Plot, on_delete=models.PROTECT, related_name="tested_samples")
    trait = models.ForeignKey(Trait, on_delete=models.PROTECT, related_name="tested_samples")
    on = models.DateField()
    hours = models.FloatField()  # from pick to test
    parts = models.JSONField()  # of each piece its value, or its weight before and after
    value = models.FloatField()

    class Meta:
        ordering = ["on", "at"]

    def __str__(self) -> str:
        return f"{self.plot} {self.on}: {self.trait} {self.value:g}"


class TestRule(models.Model):
    """How old a sample of a trial may be when a trait is tested on it; older ones are kept and left out."""

    trial = models.ForeignKey(Trial, on_delete=models.CASCADE, related_name="test_rules")
    trait = models.ForeignKey(Trait, on_delete=models.CASCADE, related_name="+")
    most_hours = models.FloatField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["trial", "trait"], name="one_test_rule_a_trait")]

    def __str__(self) -> str:
        return f"{self.trait} within {self.most_hours:g} h"


class WeightsFile(UndoableAct):
    """A sheet of weights that was uploaded for a trial: looked at first, brought in once, and taken back as a whole."""

    trial = models.ForeignKey(Trial, on_delete=models.CASCADE, related_name="weights_files")
    name = models.CharField(max_length=120)
    text = models.TextField()
    brought_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ["-at"]

    def __str__(self) -> str:
        return self.name
