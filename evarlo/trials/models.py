"""A trial: its question, entries, plots and the record of what was decided about it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.conf import settings
from django.db import models
from django.db.models import Q
from django.urls import reverse

from evarlo.catalogue.models import Crop, Cultivar, Trait
from evarlo.grounds.models import Bed

PERSON = settings.AUTH_USER_MODEL


class Trial(models.Model):
    class Design(models.TextChoices):
        BLOCKS = "blocks", "randomised complete blocks"
        NO_BLOCKS = "no_blocks", "completely randomised"
        INCOMPLETE = "incomplete", "incomplete blocks"

    class Origin(models.TextChoices):
        PLANNED = "planned", "planned here"
        SHEET = "sheet", "brought in from a sheet"

    slug = models.SlugField(max_length=80, unique=True)
    name = models.CharField(max_length=80)
    question = models.CharField(max_length=300, blank=True)
    crop = models.ForeignKey(Crop, on_delete=models.PROTECT)
    season = models.CharField(max_length=20)
    bed = models.ForeignKey(Bed, null=True, blank=True, on_delete=models.PROTECT)
    origin = models.CharField(max_length=8, choices=Origin.choices, default=Origin.PLANNED)
    design = models.CharField(max_length=10, choices=Design.choices, default=Design.BLOCKS)
    blocks = models.PositiveSmallIntegerField()  # complete blocks; the replicates where blocks are incomplete
    block_size = models.PositiveSmallIntegerField(null=True, blank=True)  # plots in an incomplete block
    plot_length_m = models.FloatField(null=True)
    plot_width_m = models.FloatField(null=True)
    path_m = models.FloatField(default=0.5)
    between_rows_cm = models.FloatField(null=True)
    in_row_cm = models.FloatField(null=True)
    cv_percent = models.FloatField(default=15)
    blind = models.BooleanField(default=True)
    opened_at = models.DateTimeField(null=True, blank=True)  # when names were shown to those who score
    layout_seed = models.BigIntegerField(null=True)
    layout_fixed_at = models.DateTimeField(null=True, blank=True)
    sow_on = models.DateField(null=True, blank=True)
    plant_on = models.DateField(null=True, blank=True)
    pick_on = models.DateField(null=True, blank=True)
    decided_at = models.DateTimeField(null=True, blank=True)  # when verdicts were last signed
    made_by = models.ForeignKey(PERSON, on_delete=models.PROTECT, related_name="+")
    made_at = models.DateTimeField()

    class Meta:
        ordering = ["-season", "name"]

    def __str__(self) -> str:
        return self.name

    def get_absolute_url(self) -> str:
        return reverse("trials:plan", args=[self.slug])

    def once(self, name: str, read: Callable[[], Any]) -> Any:
        """What `read` gives, read once for this object: a page asks for the same plots and values in several places."""
        kept = self.__dict__.setdefault("_read", {})
        if name not in kept:
            kept[name] = read()
        return kept[name]

    @property
    def is_fixed(self) -> bool:
        """Whether the layout may no longer be shuffled."""
        return self.layout_fixed_at is not None

    @property
    def design_in_words(self) -> str:
        """What stands how often where, as a reader wants it."""
        if self.design == self.Design.BLOCKS:
            return f"{self.blocks} complete blocks, each entry once in every block and in random order"
        if self.design == self.Design.INCOMPLETE:
            size = f" of at most {self.block_size} plots" if self.block_size else ""
            once = "each entry once in every replicate and in random order"
            return f"{self.blocks} replicates, each cut into small blocks{size}, {once}"
        return "completely randomised"

    @property
    def plants_a_plot(self) -> int | None:
        if not (self.plot_length_m and self.plot_width_m and self.between_rows_cm and self.in_row_cm):
            return None
        from trialcore.bed import stations

        rows, each = stations(self.plot_length_m, self.plot_width_m, self.between_rows_cm / 100, self.in_row_cm / 100)
        return rows * each

    @property
    def plot_area_m2(self) -> float | None:
        return self.plot_length_m * self.plot_width_m if self.plot_length_m and self.plot_width_m else None


class Entry(models.Model):
    """A cultivar as it stands in one trial, under a code that tells nothing."""

    trial = models.ForeignKey(Trial, on_delete=models.CASCADE, related_name="entries")
    code = models.CharField(max_length=60)
    cultivar = models.ForeignKey(Cultivar, on_delete=models.PROTECT, related_name="entries")
    is_check = models.BooleanField(default=False)

    class Meta:
        ordering = ["code"]
        constraints = [
            models.UniqueConstraint(fields=["trial", "code"], name="one_entry_a_code"),
            models.UniqueConstraint(fields=["trial"], condition=Q(is_check=True), name="one_check_a_trial"),
        ]

    def __str__(self) -> str:
        return self.code


class Plot(models.Model):
    """One plot on the ground. `block` is the complete block or replicate, `inner` the incomplete block within it. `place`
    counts along the walking path; x, y, length and width are metres in the bed."""

    trial = models.ForeignKey(Trial, on_delete=models.CASCADE, related_name="plots")
    entry = models.ForeignKey(Entry, on_delete=models.PROTECT, related_name="plots")
    number = models.CharField(max_length=60)
    block = models.CharField(max_length=60, blank=True)
    inner = models.CharField(max_length=60, blank=True)
    place = models.PositiveIntegerField()
    row = models.PositiveIntegerField()
    col = models.PositiveIntegerField()
    x = models.FloatField()
    y = models.FloatField()
    length = models.FloatField()
    width = models.FloatField()

    class Meta:
        ordering = ["place"]
        constraints = [models.UniqueConstraint(fields=["trial", "number"], name="one_plot_a_number")]

    def __str__(self) -> str:
        return self.number


class Criterion(models.Model):
    """A trait by which this trial decides; rank 1 leads."""

    trial = models.ForeignKey(Trial, on_delete=models.CASCADE, related_name="criteria")
    trait = models.ForeignKey(Trait, on_delete=models.PROTECT)
    rank = models.PositiveSmallIntegerField()
    direction = models.CharField(max_length=6, choices=Trait.Direction.choices)
    matters = models.FloatField()  # the smallest difference that matters, in the trait's unit

    class Meta:
        ordering = ["rank"]
        constraints = [models.UniqueConstraint(fields=["trial", "trait"], name="one_criterion_a_trait")]

    def __str__(self) -> str:
        return f"{self.trait} ({self.get_direction_display()})"

    @property
    def sign(self) -> int:
        return 1 if self.direction == Trait.Direction.HIGHER else -1


class Cause(models.TextChoices):
    """Why a value or a plot is missing. An accident is kept apart from a weakness of the cultivar."""

    ACCIDENT = "accident", "accident"
    FAILED = "failed", "cultivar failed"
    NOT_REACHED = "not_reached", "not reached"
    LOST_LABEL = "lost_label", "lost label"


class Exclusion(models.Model):
    """A plot left out of every comparison, from when, by whom and why; lifted rather than deleted."""

    plot = models.ForeignKey(Plot, on_delete=models.CASCADE, related_name="exclusions")
    cause = models.CharField(max_length=12, choices=Cause.choices)
    note = models.CharField(max_length=200)
    on = models.DateField()
    by = models.ForeignKey(PERSON, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
    lifted_by = models.ForeignKey(PERSON, null=True, blank=True, on_delete=models.PROTECT, related_name="+")
    lifted_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ["at"]
        constraints = [
            models.UniqueConstraint(fields=["plot"], condition=Q(lifted_at__isnull=True), name="one_standing_exclusion_a_plot")
        ]

    def __str__(self) -> str:
        return f"{self.plot}: {self.get_cause_display()}"


class Deed(models.Model):
    """Something that was done to the trial as a whole, with the figures needed to do it again."""

    trial = models.ForeignKey(Trial, on_delete=models.CASCADE, related_name="deeds")
    at = models.DateTimeField()
    by = models.ForeignKey(PERSON, on_delete=models.PROTECT, related_name="+")
    said = models.CharField(max_length=300)
    detail = models.JSONField(default=dict)

    class Meta:
        ordering = ["at", "id"]

    def __str__(self) -> str:
        return self.said
