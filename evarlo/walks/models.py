"""Rounds through the plots, what was seen in them, and what befell or was done to them."""

from __future__ import annotations

import uuid

from django.conf import settings
from django.db import models
from django.db.models import Q

from evarlo.catalogue.models import Problem, Trait
from evarlo.trials.models import Cause, Entry, Exclusion, Plot, Trial

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

    id = models.UUIDField(primary_key=True, default=uuid.uuid4)
    round = models.ForeignKey(Round, on_delete=models.PROTECT, related_name="observations")
    plot = models.ForeignKey(Plot, on_delete=models.PROTECT, related_name="observations")
    withdrawn = models.BooleanField(default=False)
    supersedes = models.OneToOneField("self", null=True, blank=True, on_delete=models.PROTECT, related_name="superseded_by")

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
    damage = models.ForeignKey(Round, null=True, blank=True, on_delete=models.PROTECT, related_name="+")
    recovery = models.ForeignKey(Round, null=True, blank=True, on_delete=models.PROTECT, related_name="+")
    by = models.ForeignKey(PERSON, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
    withdrawn_at = models.DateTimeField(null=True, blank=True)
    withdrawn_by = models.ForeignKey(PERSON, null=True, blank=True, on_delete=models.PROTECT, related_name="+")

    class Meta:
        ordering = ["on", "id"]

    def __str__(self) -> str:
        return f"{self.get_kind_display()} on {self.on:%-d %b %Y}"


class Hit(models.Model):
    """A plot that an event reached, and whether what is seen there is an accident or a weakness of the cultivar."""

    class Called(models.TextChoices):
        ACCIDENT = "accident", "an accident"
        WEAKNESS = "weakness", "a weakness of the cultivar"

    event = models.ForeignKey(Event, on_delete=models.CASCADE, related_name="hits")
    plot = models.ForeignKey(Plot, on_delete=models.CASCADE, related_name="hits")
    called = models.CharField(max_length=8, choices=Called.choices, blank=True)
    reason = models.CharField(max_length=200, blank=True)
    exclusion = models.OneToOneField(Exclusion, null=True, blank=True, on_delete=models.SET_NULL, related_name="+")
    by = models.ForeignKey(PERSON, null=True, blank=True, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ["plot__place"]
        constraints = [models.UniqueConstraint(fields=["event", "plot"], name="one_hit_a_plot")]

    def __str__(self) -> str:
        return f"{self.plot}: {self.event}"


class Watch(models.Model):
    """A pest, disease or weed that a trial is watched for: suspected until somebody says how it was confirmed."""

    trial = models.ForeignKey(Trial, on_delete=models.CASCADE, related_name="watches")
    problem = models.ForeignKey(Problem, on_delete=models.PROTECT, related_name="+")
    since = models.DateField()
    threshold = models.FloatField(null=True, blank=True)  # percent at which something is done in this trial
    confirmed_on = models.DateField(null=True, blank=True)
    confirmed_how = models.CharField(max_length=200, blank=True)
    confirmed_by = models.ForeignKey(PERSON, null=True, blank=True, on_delete=models.PROTECT, related_name="+")
    by = models.ForeignKey(PERSON, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
    ended_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ["since", "id"]
        constraints = [models.UniqueConstraint(fields=["trial", "problem"], name="one_watch_a_problem")]

    def __str__(self) -> str:
        return f"{self.problem} in {self.trial}"


class Intervention(models.Model):
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

    trial = models.ForeignKey(Trial, on_delete=models.CASCADE, related_name="interventions")
    kind = models.CharField(max_length=9, choices=Kind.choices)
    what = models.CharField(max_length=80)
    amount = models.FloatField(null=True, blank=True)  # on each plot
    unit = models.CharField(max_length=12, blank=True)
    plots = models.ManyToManyField(Plot, related_name="interventions")
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

    class Meta:
        ordering = ["done_at", "id"]

    def __str__(self) -> str:
        return f"{self.what}, {self.done_at:%-d %b %Y}"


class Doubt(models.Model):
    """What stands in a plot may not be what was sown: who doubts it and why, what it could be, and how it was settled."""

    class Outcome(models.TextChoices):
        OWN = "own", "it is what was sown"
        OTHER = "other", "it is another entry"
        UNKNOWN = "unknown", "nobody can tell"

    plot = models.ForeignKey(Plot, on_delete=models.CASCADE, related_name="identity_doubts")
    why = models.CharField(max_length=200)
    candidates = models.ManyToManyField(Entry, blank=True, related_name="+")
    tells = models.CharField(max_length=200, blank=True)  # the trait that sets them apart, and how
    raised_on = models.DateField()
    by = models.ForeignKey(PERSON, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
    exclusion = models.OneToOneField(Exclusion, null=True, blank=True, on_delete=models.SET_NULL, related_name="+")
    outcome = models.CharField(max_length=7, choices=Outcome.choices, blank=True)
    entry = models.ForeignKey(
        Entry, null=True, blank=True, on_delete=models.PROTECT, related_name="+"
    )  # the one it turned out to be
    how = models.CharField(max_length=200, blank=True)
    settled_on = models.DateField(null=True, blank=True)
    settled_by = models.ForeignKey(PERSON, null=True, blank=True, on_delete=models.PROTECT, related_name="+")

    class Meta:
        ordering = ["at"]
        constraints = [models.UniqueConstraint(fields=["plot"], condition=Q(outcome=""), name="one_open_doubt_a_plot")]

    def __str__(self) -> str:
        return f"{self.plot}: {self.why}"


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

    class Meta:
        ordering = ["taken_on", "at"]

    def __str__(self) -> str:
        return f"{self.plot}, {self.taken_on:%-d %b %Y}"


class Practice(models.Model):
    """A run of drawn leaves or plots that somebody scores: practice tells the truth after each, a test at the end, a warm-up is
    a short practice before a round."""

    class Mode(models.TextChoices):
        PRACTICE = "practice", "practice"
        TEST = "test", "test"
        WARM_UP = "warmup", "warm-up"

    class Subject(models.TextChoices):
        DISEASED = "diseased", "leaf area diseased"
        EATEN = "eaten", "leaf area eaten"
        PLANTS = "plants", "plants affected in a plot"

    by = models.ForeignKey(PERSON, on_delete=models.CASCADE, related_name="practice")
    mode = models.CharField(max_length=8, choices=Mode.choices)
    subject = models.CharField(max_length=8, choices=Subject.choices)
    seed = models.BigIntegerField()
    items = models.PositiveSmallIntegerField()
    said = models.JSONField(default=list)  # percent, item by item
    truth = models.JSONField(default=list)
    at = models.DateTimeField()
    ended_at = models.DateTimeField(null=True, blank=True)
    back_to = models.ForeignKey(Round, null=True, blank=True, on_delete=models.SET_NULL, related_name="+")  # after a warm-up

    class Meta:
        ordering = ["at"]

    def __str__(self) -> str:
        return f"{self.by}, {self.get_mode_display()} of {self.at:%-d %b %Y}"
