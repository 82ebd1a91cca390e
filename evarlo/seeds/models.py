"""Seed and other planting material: lots, and a ledger of what came in and went out of each."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from evarlo.catalogue.models import Cultivar
from evarlo.ui.in_force import Replaceable, Undoable


class Lot(models.Model):
    """Material of one cultivar from one source. Counts are of seeds, or of pieces where `material` is none; weights in grams,
    prices in the station's own currency."""

    class Material(models.TextChoices):
        SEED = "seed", "seed"
        TUBERS = "tubers", "tubers"
        SETS = "sets", "sets"
        SLIPS = "slips", "slips or cuttings"
        PLANTS = "plants", "bought plants"

    cultivar = models.ForeignKey(Cultivar, on_delete=models.PROTECT, related_name="lots")
    name = models.CharField(max_length=40)  # the lot's own number
    supplier = models.CharField(max_length=40, blank=True)
    material = models.CharField(max_length=8, choices=Material.choices, default=Material.SEED)
    year = models.PositiveSmallIntegerField(null=True, blank=True)  # in which it was grown
    grade = models.CharField(max_length=60, blank=True)  # grade, piece weight, age or preparation of other material
    thousand_g = models.FloatField(null=True, blank=True)  # thousand-seed weight
    diameter_mm = models.FloatField(null=True, blank=True)
    germination = models.FloatField(null=True, blank=True)  # %, as stated by the supplier
    treatment = models.CharField(max_length=80, blank=True)
    packet = models.PositiveIntegerField(null=True, blank=True)  # seeds in a packet
    price = models.FloatField(null=True, blank=True)  # of a packet
    note = models.CharField(max_length=200, blank=True)
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    made_at = models.DateTimeField()

    class Meta:
        ordering = ["cultivar__name", "-year", "name"]
        constraints = [models.UniqueConstraint(fields=["cultivar", "name"], name="one_lot_a_number")]

    def __str__(self) -> str:
        return f"{self.cultivar.name}, lot {self.name}"

    @property
    def counted_in(self) -> str:
        return "seeds" if self.material == self.Material.SEED else "pieces"


class Ledger(models.QuerySet["Move"]):
    """The lines of ledgers. A line that was taken back stays, with a line against it."""

    def standing(self) -> Ledger:
        """Lines that were not taken back, without those that take others back."""
        return self.filter(taken_back_by__isnull=True, takes_back__isnull=True)

    def in_force(self) -> Ledger:
        """Of them those that a person wrote in the ledger itself; the others go with the act that moved the seed."""
        return self.standing().filter(by_hand=True)


class Move(models.Model):
    """A line of a lot's ledger: seeds in or out. A count sets the stock right, and its line is the difference it found."""

    class Why(models.TextChoices):
        RECEIVED = "received", "received"
        COUNTED = "counted", "counted"
        TAKEN = "taken", "taken out"
        DISCARDED = "discarded", "thrown away"
        UNDONE = "undone", "taken back"

    lot = models.ForeignKey(Lot, on_delete=models.CASCADE, related_name="moves")
    on = models.DateField()
    seeds = models.IntegerField()
    why = models.CharField(max_length=10, choices=Why.choices)
    note = models.CharField(max_length=200, blank=True)
    by_hand = models.BooleanField(default=False)  # written in the ledger itself, not by a sowing, a test or seed saved
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
    takes_back = models.OneToOneField("self", null=True, blank=True, on_delete=models.PROTECT, related_name="taken_back_by")

    objects = Ledger.as_manager()

    class Meta:
        ordering = ["on", "id"]
        verbose_name = "line of a ledger"
        verbose_name_plural = "lines of a ledger"

    def __str__(self) -> str:
        return f"{self.lot}: {self.seeds:+d}"


class GerminationTest(models.Model):
    """A test of a lot: so many replicates of so many seeds. A quick test of viability (stained, cut or pressed) tells less: what
    is alive need not germinate. A float test tells least: what sinks is full, and may be dead."""

    class Method(models.TextChoices):
        GERMINATION = "germination", "germination"
        QUICK = "quick", "quick viability"
        FLOAT = "float", "float test"

    lot = models.ForeignKey(Lot, on_delete=models.CASCADE, related_name="tests")
    method = models.CharField(max_length=12, choices=Method.choices, default=Method.GERMINATION)
    began_on = models.DateField()
    replicates = models.PositiveSmallIntegerField()
    seeds = models.PositiveSmallIntegerField()  # in each replicate
    celsius = models.FloatField(null=True, blank=True)
    on_what = models.CharField(max_length=60, blank=True)  # paper, sand, the medium of the trays
    ended_on = models.DateField(null=True, blank=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
    undone_at = models.DateTimeField(null=True, blank=True)

    objects = Undoable.as_manager()

    class Meta:
        ordering = ["-began_on", "-id"]

    def __str__(self) -> str:
        return f"{self.lot}, tested {self.began_on}"

    @property
    def sown(self) -> int:
        return self.replicates * self.seeds

    @property
    def is_quick(self) -> bool:
        """Whether it says what is alive or full at best, not what germinates."""
        return self.method != self.Method.GERMINATION

    @property
    def columns(self) -> dict[str, str]:
        """What is counted, as words by class."""
        return COLUMNS[self.Method(self.method)]


CLASSES = ("normal", "abnormal", "hard", "fresh", "dead")
COLUMNS = {
    GerminationTest.Method.GERMINATION: {name: name for name in CLASSES},
    GerminationTest.Method.QUICK: {"normal": "alive", "dead": "dead"},
    GerminationTest.Method.FLOAT: {"normal": "sank", "dead": "floated"},
}


class GerminationCount(models.Model):
    """What was newly counted in one replicate on one day, and taken out. A correction supersedes the row before it."""

    test = models.ForeignKey(GerminationTest, on_delete=models.CASCADE, related_name="counts")
    replicate = models.PositiveSmallIntegerField()
    on = models.DateField()
    normal = models.PositiveSmallIntegerField(default=0)
    abnormal = models.PositiveSmallIntegerField(default=0)
    hard = models.PositiveSmallIntegerField(default=0)  # that took up no water
    fresh = models.PositiveSmallIntegerField(default=0)  # that took it up, are sound and did not begin
    dead = models.PositiveSmallIntegerField(default=0)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
    supersedes = models.OneToOneField("self", null=True, blank=True, on_delete=models.PROTECT, related_name="superseded_by")

    objects = Replaceable.as_manager()

    class Meta:
        ordering = ["on", "replicate"]
        constraints = [
            models.UniqueConstraint(
                fields=["test", "replicate", "on"], condition=models.Q(supersedes__isnull=True), name="one_first_count_a_day"
            )
        ]

    def __str__(self) -> str:
        return f"{self.test}, replicate {self.replicate}, {self.on}"

    @property
    def seeds(self) -> int:
        return self.normal + self.abnormal + self.hard + self.fresh + self.dead
