"""Sowing, raising and planting: what was sown where, what became of it, and where the plants went."""

from __future__ import annotations

from datetime import date

from django.conf import settings
from django.db import models
from django.db.models import Q

from evarlo.grounds.models import Site
from evarlo.seeds.models import Lot
from evarlo.trials.models import Entry, Plot, Trial
from evarlo.ui.in_force import Correctable, Undoable, UndoableAct
from trialcore.reckoning.balance import Kind

PERSON = settings.AUTH_USER_MODEL


class Step(models.TextChoices):
    SOWN = "sown", "sown"
    PLANTED = "planted", "planted"


class StepDate(models.Model):
    """The day a plot was sown or planted. A correction supersedes the row before it; nothing is overwritten."""

    plot = models.ForeignKey(Plot, on_delete=models.CASCADE, related_name="step_dates")
    step = models.CharField(max_length=8, choices=Step.choices)
    on = models.DateField()
    by = models.ForeignKey(PERSON, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
    withdrawn = models.BooleanField(default=False)  # it was not done after all
    supersedes = models.OneToOneField("self", null=True, blank=True, on_delete=models.PROTECT, related_name="superseded_by")

    objects = Correctable.as_manager()

    class Meta:
        ordering = ["at", "id"]
        indexes = [models.Index(fields=["plot", "step"])]
        constraints = [
            models.UniqueConstraint(
                fields=["plot", "step"],
                condition=models.Q(supersedes__isnull=True),
                name="one_first_date_a_step",
            )
        ]

    def __str__(self) -> str:
        return f"{self.plot} {self.step} {self.on}"


class Place(models.Model):
    """Where trays stand: a heated bench, a lit shelf, a cold frame. `capacity` in trays; temperature in °C, light in hours a
    day."""

    class Shelter(models.TextChoices):
        INDOORS = "indoors", "indoors"
        GLASS = "glass", "under glass or film"
        FRAME = "frame", "in a frame"
        OPEN = "open", "in the open"

    site = models.ForeignKey(Site, on_delete=models.CASCADE, related_name="raising_places")
    name = models.CharField(max_length=40)
    capacity = models.FloatField()
    shelter = models.CharField(max_length=8, choices=Shelter.choices, default=Shelter.GLASS)
    celsius = models.FloatField(null=True, blank=True)  # to which it is heated
    light_h = models.FloatField(null=True, blank=True)  # of lamps

    class Meta:
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["site", "name"], name="one_place_a_name")]

    def __str__(self) -> str:
        return self.name


class Reading(models.Model):
    """A temperature (°C) read in a place: typed, or by the probe that stands there."""

    place = models.ForeignKey(Place, on_delete=models.CASCADE, related_name="readings")
    at = models.DateTimeField()
    celsius = models.FloatField()
    by_probe = models.BooleanField(default=False)
    by = models.ForeignKey(PERSON, on_delete=models.PROTECT, related_name="+")

    class Meta:
        ordering = ["-at", "-id"]

    def __str__(self) -> str:
        return f"{self.place}: {self.celsius:g} °C"


class Tray(models.Model):
    """A tray of cells, or a pot as a tray of one. Rows are lettered from the corner with the notch, cells numbered along them."""

    name = models.CharField(max_length=20, unique=True)
    rows = models.PositiveSmallIntegerField()
    cols = models.PositiveSmallIntegerField()
    cell_ml = models.FloatField(null=True, blank=True)
    made_at = models.DateTimeField()

    class Meta:
        ordering = ["made_at", "id"]

    def __str__(self) -> str:
        return self.name

    @property
    def cells(self) -> int:
        return self.rows * self.cols


class Stay(models.Model):
    """A tray in a place, from a day until the day on which it was moved on."""

    tray = models.ForeignKey(Tray, on_delete=models.CASCADE, related_name="stays")
    place = models.ForeignKey(Place, on_delete=models.PROTECT, related_name="stays")
    since = models.DateField()
    until = models.DateField(null=True, blank=True)
    by = models.ForeignKey(PERSON, on_delete=models.PROTECT, related_name="+")

    class Meta:
        ordering = ["since", "id"]
        constraints = [models.UniqueConstraint(fields=["tray"], condition=Q(until__isnull=True), name="a_tray_stands_in_one_place")]

    def __str__(self) -> str:
        return f"{self.tray} in {self.place}"


class Session(models.Model):
    """One sitting of sowing: who, when, and everything that all its seeds had in common."""

    on = models.DateField()
    by = models.ForeignKey(PERSON, on_delete=models.PROTECT, related_name="+")
    medium = models.CharField(max_length=60, blank=True)
    depth_mm = models.FloatField(null=True, blank=True)
    orientation = models.CharField(max_length=30, blank=True)
    soak_h = models.FloatField(null=True, blank=True)
    cover = models.CharField(max_length=40, blank=True)
    warmth_c = models.FloatField(null=True, blank=True)
    hygiene = models.CharField(max_length=60, blank=True)
    at = models.DateTimeField()

    class Meta:
        ordering = ["on", "id"]

    def __str__(self) -> str:
        return f"{self.on}"


class Sowing(models.Model):
    """Seeds of one entry that were sown together: in some cells of a tray, or in a plot. Seedlings pricked out of it are a
    sowing of their own, whose `parent` this is. An undone one stays on record."""

    session = models.ForeignKey(Session, on_delete=models.PROTECT, related_name="sowings")
    entry = models.ForeignKey(Entry, on_delete=models.CASCADE, related_name="sowings")
    level = models.CharField(max_length=60, blank=True)  # of the second factor, where it is sown for one only
    lot = models.ForeignKey(Lot, null=True, blank=True, on_delete=models.PROTECT, related_name="sowings")
    tray = models.ForeignKey(Tray, null=True, blank=True, on_delete=models.PROTECT, related_name="sowings")
    cells = models.JSONField(default=list, blank=True)  # numbers of the tray's cells, from nought along its rows
    plot = models.ForeignKey(Plot, null=True, blank=True, on_delete=models.CASCADE, related_name="sowings")
    per_cell = models.PositiveSmallIntegerField(default=1)
    seeds = models.PositiveIntegerField()  # or seedlings, where they were pricked out
    again = models.BooleanField(default=False)  # because too little came up
    parent = models.ForeignKey("self", null=True, blank=True, on_delete=models.PROTECT, related_name="pricked_out")
    undone_at = models.DateTimeField(null=True, blank=True)
    undone_by = models.ForeignKey(PERSON, null=True, blank=True, on_delete=models.PROTECT, related_name="+")

    objects = Undoable.as_manager()

    class Meta:
        ordering = ["id"]

    def __str__(self) -> str:
        return f"{self.entry} in {self.tray or self.plot}"

    @property
    def sown_on(self) -> date:
        """The day on which its seeds were sown, also of seedlings that were pricked out since."""
        first = self
        while first.parent:
            first = first.parent
        return first.session.on

    @property
    def where(self) -> str:
        return str(self.tray) if self.tray else f"plot {self.plot}"


class Left(models.TextChoices):
    """Which plant stays where several stood together."""

    STRONGEST = "strongest", "the strongest"
    TYPICAL = "typical", "the most typical"
    MIDDLE = "middle", "the one nearest the middle"
    ANY = "any", "any, without looking"


class Happening(UndoableAct):
    """Something that happened to plants of a sowing: counted, lost, thinned, planted. Undone ones stay on record."""

    class Whose(models.TextChoices):
        ACCIDENT = "accident", "accident"
        WEAKNESS = "weakness", "weakness of the cultivar"
        UNKNOWN = "", "not known"

    sowing = models.ForeignKey(Sowing, on_delete=models.CASCADE, related_name="happenings")
    kind = models.CharField(max_length=12, choices=[(k.value, k.value) for k in Kind])
    plants = models.PositiveIntegerField()
    cells = models.CharField(max_length=2000, blank=True)  # of a count: plants in each cell of the sowing, a digit each
    cause = models.CharField(max_length=60, blank=True)
    whose = models.CharField(max_length=8, choices=Whose.choices, blank=True)
    left = models.CharField(max_length=9, choices=Left.choices, blank=True)  # of thinning: which plant stayed
    plot = models.ForeignKey(Plot, null=True, blank=True, on_delete=models.CASCADE, related_name="plantings")
    late = models.BooleanField(default=False)  # planted to fill a gap, after the others
    on = models.DateField()
    note = models.CharField(max_length=200, blank=True)
    undone_by = models.ForeignKey(PERSON, null=True, blank=True, on_delete=models.PROTECT, related_name="+")

    class Meta:
        ordering = ["on", "id"]
        indexes = [models.Index(fields=["sowing", "on"])]

    def __str__(self) -> str:
        return f"{self.sowing}: {self.plants} {self.kind}"


class Tending(UndoableAct):
    """What was done to all plants of a tray, or seen of their roots."""

    class What(models.TextChoices):
        POTTED_ON = "potted_on", "potted on"
        HARDENED = "hardened", "hardened off"
        ROOTS = "roots", "roots looked at"
        BOUND = "bound", "root-bound: the roots circle"
        FED = "fed", "fed"
        OTHER = "other", "other care"

    tray = models.ForeignKey(Tray, on_delete=models.CASCADE, related_name="tendings")
    what = models.CharField(max_length=10, choices=What.choices)
    on = models.DateField()
    said = models.CharField(max_length=120, blank=True)

    class Meta:
        ordering = ["on", "id"]

    def __str__(self) -> str:
        return f"{self.tray}: {self.get_what_display()}"


class BoughtIn(UndoableAct):
    """Plants that were bought for a plot: another source, which stays marked."""

    plot = models.ForeignKey(Plot, on_delete=models.CASCADE, related_name="bought_in")
    lot = models.ForeignKey(Lot, null=True, blank=True, on_delete=models.PROTECT, related_name="+")
    source = models.CharField(max_length=60)
    plants = models.PositiveSmallIntegerField()
    on = models.DateField()
    age_days = models.PositiveSmallIntegerField(null=True, blank=True)  # when planted, as their supplier states

    class Meta:
        ordering = ["on", "id"]

    def __str__(self) -> str:
        return f"{self.plot}: {self.plants} from {self.source}"


class StationMark(UndoableAct):
    """What a person saw at one station of a plot; the newest that is not undone counts. Stations count from nought along rows."""

    class What(models.TextChoices):
        GAP = "gap", "gap"
        REPLACED = "replaced", "replaced"
        BACK = "back", "there again"
        DOUBLE = "double", "more than one plant"
        HURT = "hurt", "hurt, alive"
        UNSURE = "unsure", "not judged: it may be the next plot's"

    plot = models.ForeignKey(Plot, on_delete=models.CASCADE, related_name="station_marks")
    station = models.PositiveSmallIntegerField()
    what = models.CharField(max_length=8, choices=What.choices)
    on = models.DateField()

    class Meta:
        ordering = ["on", "id"]
        indexes = [models.Index(fields=["plot"])]

    def __str__(self) -> str:
        return f"{self.plot}, station {self.station}: {self.get_what_display()}"


class RaisingRule(models.Model):
    """What a trial's people agreed on: how many plants of an entry are held back and what releases them, and the least stand on
    which a plot is judged."""

    class Surplus(models.TextChoices):
        CUT = "cut", "cut, one is left"
        PRICK = "prick", "pricked out and kept"
        WHOLE = "whole", "the plug is kept whole"

    trial = models.OneToOneField(Trial, on_delete=models.CASCADE, related_name="raising_rule")
    surplus = models.CharField(max_length=8, choices=Surplus.choices, default=Surplus.CUT)  # seedlings in a cell
    left = models.CharField(max_length=9, choices=Left.choices, blank=True)  # which of them, where one is left
    reserve = models.PositiveSmallIntegerField(default=0)  # plants of each entry
    release = models.CharField(max_length=120, blank=True)
    plants = models.PositiveSmallIntegerField(null=True, blank=True)  # in a plot, where fewer than planned were agreed for all
    released = models.JSONField(default=dict, blank=True)  # by an entry's code: why its reserve is held back no longer
    ways = models.JSONField(default=dict, blank=True)  # by an entry's code: the way out of its shortage that was chosen
    least_stand = models.FloatField(null=True, blank=True)  # % of a plot's stations
    said_on = models.DateField(null=True, blank=True)

    def __str__(self) -> str:
        return f"rules of {self.trial}"

    def held(self, code: str) -> int:
        """How many plants of an entry are held back."""
        return 0 if code in self.released else self.reserve
