"""Crosses, the generations grown from them, and the seed saved of single plants."""

from __future__ import annotations

from django.conf import settings
from django.db import models
from django.db.models.functions import Coalesce
from django.urls import reverse

from evarlo.catalogue.models import Crop, Cultivar
from evarlo.seeds.models import Lot
from evarlo.trials.models import Entry, Plot, Trial
from evarlo.ui.in_force import Undoable
from trialcore.reckoning.fixation import Fixation, Mating, along, generation

PERSON = settings.AUTH_USER_MODEL


class Isolation(models.TextChoices):
    """What kept other pollen away while the seed was set."""

    BAGGED = "bagged", "bagged"
    CAGED = "caged", "under a cage or net"
    DISTANCE = "distance", "by distance alone"
    NONE = "none", "not at all"


class How(models.TextChoices):
    """`Mating` as a person chooses it."""

    SELFED = "selfed", "selfed"
    OPEN = "open", "open-pollinated"
    SIBBED = "sibbed", "with a sister plant"
    BACKCROSSED = "backcrossed", "backcrossed to the first parent"
    CLONED = "cloned", "by division or cuttings"


class Cross(models.Model):
    """Two cultivars, or plants of them, that were crossed: a family and all that descends from it."""

    crop = models.ForeignKey(Crop, on_delete=models.PROTECT, related_name="crosses")
    name = models.CharField(max_length=30)
    seed_parent = models.ForeignKey(Cultivar, on_delete=models.PROTECT, related_name="borne")
    pollen_parent = models.ForeignKey(Cultivar, on_delete=models.PROTECT, related_name="sired")
    on = models.DateField()
    isolation = models.CharField(max_length=8, choices=Isolation.choices)
    note = models.CharField(max_length=200, blank=True)
    f1 = models.OneToOneField(Cultivar, on_delete=models.PROTECT, related_name="cross_of")
    lot = models.OneToOneField(Lot, on_delete=models.PROTECT, related_name="cross_of")
    by = models.ForeignKey(PERSON, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()

    class Meta:
        ordering = ["crop__name", "name"]
        constraints = [models.UniqueConstraint(fields=["crop", "name"], name="one_cross_a_name")]

    def __str__(self) -> str:
        return self.name

    def get_absolute_url(self) -> str:
        return reverse("breeding:cross", args=[self.pk])


class Generation(models.Model):
    """Plants of a cross that are grown side by side, each a plot of its own in `trial`. `path` holds the matings since the F1."""

    cross = models.ForeignKey(Cross, on_delete=models.PROTECT, related_name="generations")
    trial = models.OneToOneField(Trial, on_delete=models.CASCADE, related_name="generation")
    path = models.JSONField(default=list)
    check_every = models.PositiveSmallIntegerField()
    by = models.ForeignKey(PERSON, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()

    class Meta:
        ordering = ["at"]

    def __str__(self) -> str:
        return f"{self.cross.name} {self.called}"

    def get_absolute_url(self) -> str:
        return reverse("breeding:generation", args=[self.trial.slug])

    @property
    def matings(self) -> list[Mating]:
        return [Mating(m) for m in self.path]

    @property
    def called(self) -> str:
        """F1, F4, BC2F3."""
        return generation(self.matings)

    @property
    def expected(self) -> Fixation:
        return along(self.matings)


class SavedSeed(models.QuerySet["Saved"]):
    def of(self, cross: Cross) -> SavedSeed:
        """All that was saved of plants of a cross, with the seeds that are `left` of each."""
        found = self.filter(plot__trial__generation__cross=cross).select_related("progeny", "lot", "plot__trial__generation")
        return found.annotate(left=Coalesce(models.Sum("lot__moves__seeds"), 0))


class Saved(models.Model):
    """Seed, or pieces, of one plant: a lot whose parentage is known. `progeny` is what grows from it."""

    plot = models.ForeignKey(Plot, on_delete=models.PROTECT, related_name="saved")
    pollen = models.ForeignKey(Plot, null=True, blank=True, on_delete=models.PROTECT, related_name="pollinated")
    mating = models.CharField(max_length=11, choices=How.choices)
    isolation = models.CharField(max_length=8, choices=Isolation.choices)
    progeny = models.OneToOneField(Cultivar, on_delete=models.PROTECT, related_name="saved")
    lot = models.OneToOneField(Lot, on_delete=models.PROTECT, related_name="saved")
    on = models.DateField()
    note = models.CharField(max_length=200, blank=True)
    by = models.ForeignKey(PERSON, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()

    objects = SavedSeed.as_manager()

    class Meta:
        ordering = ["at", "pk"]

    def __str__(self) -> str:
        return self.progeny.name

    def get_absolute_url(self) -> str:
        return reverse("breeding:line", args=[self.pk])

    @property
    def path(self) -> list[str]:
        """The matings since the F1, this one included."""
        return [*self.plot.trial.generation.path, self.mating]

    @property
    def expected(self) -> Fixation:
        """What is to be expected of the plants grown from it."""
        return along([Mating(m) for m in self.path])

    @property
    def called(self) -> str:
        return generation([Mating(m) for m in self.path])


class Grown(models.Model):
    """That an entry of a generation was grown from saved seed; an entry without one came from the cross itself."""

    entry = models.OneToOneField(Entry, on_delete=models.CASCADE, related_name="grown")
    saved = models.ForeignKey(Saved, on_delete=models.PROTECT, related_name="grown")

    def __str__(self) -> str:
        return f"{self.entry} from {self.saved}"


class Gate(models.Model):
    """From when on a line may be named: how fixed it has to be, over how many seasons it was seen, how uneven it may be."""

    crop = models.OneToOneField(Crop, on_delete=models.CASCADE, related_name="gate")
    fixed = models.FloatField()  # share of loci, %; for a crop that crosses freely nothing is asked of it
    seasons = models.PositiveSmallIntegerField()
    plants = models.PositiveSmallIntegerField()  # seen in the newest season
    off_types = models.FloatField()  # most, % of the plants

    def __str__(self) -> str:
        return f"gate of {self.crop}"


class Named(models.Model):
    """A line that passed its gate and got a name; the gate as it stood then is kept with it."""

    saved = models.ForeignKey(Saved, on_delete=models.PROTECT, related_name="names")
    before = models.CharField(max_length=60)  # what it was called until then
    found = models.JSONField(default=list)
    on = models.DateField()
    by = models.ForeignKey(PERSON, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
    undone_at = models.DateTimeField(null=True, blank=True)

    objects = Undoable.as_manager()

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["saved"], condition=models.Q(undone_at__isnull=True), name="one_name_a_line")
        ]

    def __str__(self) -> str:
        return f"{self.saved.progeny}, before {self.before}"
