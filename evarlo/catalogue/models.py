"""Crops, cultivars and the traits by which they are judged."""

from django.conf import settings
from django.db import models
from django.db.models.functions import Lower

PIECES = ("tuber", "clove", "crown")  # that are planted, not sown: each is taken to grow


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
    def names(self) -> list[str]:
        """Every name it goes by, in small letters, its own first."""
        also = str(self.profile.get("also", "")).split(",")
        return [self.name.casefold(), *(folded for name in also if (folded := " ".join(name.split()).casefold()))]

    @property
    def piece(self) -> str:
        """What is put into the ground, one of it: a seed, or a piece such as a tuber, a clove or a crown."""
        return "piece" if self.profile.get("germination") in PIECES else "seed"

    @property
    def caution(self) -> str:
        return str(self.profile.get("cautions", ""))


class Cultivar(models.Model):
    class Breeding(models.TextChoices):
        OPEN = "open", "open-pollinated"
        F1 = "f1", "F1 hybrid"
        F2 = "f2", "F2 or later generation"
        LANDRACE = "landrace", "landrace"
        CLONE = "clone", "clone"
        MIXTURE = "mixture", "mixture"

    class Relation(models.TextChoices):
        SELECTION = "selection", "a selection of"
        CHILD = "child", "bred from"
        SAME = "same", "another name of"

    crop = models.ForeignKey(Crop, on_delete=models.PROTECT, related_name="cultivars")
    name = models.CharField(max_length=60)
    note = models.CharField(max_length=200, blank=True)
    breeding = models.CharField(max_length=8, choices=Breeding.choices, blank=True)
    pollination = models.CharField(max_length=40, blank=True)  # where it differs from the crop's
    species = models.CharField(max_length=60, blank=True)  # where it differs from the crop's, which may hold several
    crossing = models.CharField(max_length=40, blank=True)  # crossing group, where it differs from the crop's
    habit = models.CharField(max_length=40, blank=True)
    height_cm = models.FloatField(null=True, blank=True)
    maturity = models.CharField(max_length=40, blank=True)
    use = models.CharField(max_length=40, blank=True)
    relation = models.CharField(max_length=9, choices=Relation.choices, blank=True)
    related = models.ForeignKey("self", null=True, blank=True, on_delete=models.SET_NULL, related_name="offspring")
    stands_in = models.BooleanField(default=False)  # for an entry of a plan that nobody has named yet

    class Meta:
        ordering = ["name"]
        constraints = [models.UniqueConstraint(Lower("name"), "crop", name="one_cultivar_a_name")]

    def __str__(self) -> str:
        return self.name

    @property
    def known_as(self) -> int:
        """The cultivar (by id) that it is in the evidence of years: itself, or the one that it is another name of."""
        return self.related_id if self.relation == self.Relation.SAME and self.related_id else self.pk

    def crosses_within(self, crop: Crop) -> str:
        """What it crosses within, in small letters: its own group, else its species, else what its crop says."""
        usual = (crop.profile.get(name) for name in ("crossing", "species"))
        return str(self.crossing or self.species or next((u for u in usual if u), crop.name)).casefold()

    @property
    def segregates(self) -> bool:
        """Whether plants of it differ from each other by descent: nothing is to be expected alike."""
        return self.breeding in (self.Breeding.F2, self.Breeding.LANDRACE, self.Breeding.MIXTURE)


class Synonym(models.Model):
    """Another name under which a cultivar is sold or known."""

    cultivar = models.ForeignKey(Cultivar, on_delete=models.CASCADE, related_name="synonyms")
    name = models.CharField(max_length=60)

    class Meta:
        ordering = ["name"]
        constraints = [models.UniqueConstraint(Lower("name"), "cultivar", name="one_synonym_a_name")]

    def __str__(self) -> str:
        return f"{self.name}: {self.cultivar}"


class Different(models.Model):
    """Two cultivars whose names look alike and that a person knows to be two."""

    one = models.ForeignKey(Cultivar, on_delete=models.CASCADE, related_name="+")
    other = models.ForeignKey(Cultivar, on_delete=models.CASCADE, related_name="+")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["one", "other"], name="one_difference_a_pair")]

    def __str__(self) -> str:
        return f"{self.one} is not {self.other}"


class Claim(models.Model):
    """What a catalogue or a breeder says of a cultivar, to be set against what is measured."""

    cultivar = models.ForeignKey(Cultivar, on_delete=models.CASCADE, related_name="claims")
    says = models.CharField(max_length=160)
    trait = models.ForeignKey("Trait", null=True, blank=True, on_delete=models.PROTECT, related_name="+")
    value = models.FloatField(null=True, blank=True)  # in the trait's unit
    source = models.CharField(max_length=80, blank=True)
    climate = models.CharField(max_length=80, blank=True)  # in which it was made

    class Meta:
        ordering = ["id"]

    def __str__(self) -> str:
        return f"{self.cultivar}: {self.says}"


SINGLE_PLANTS = "single plants"  # in the place of a family or crop: a trait for trials of single plants only


class Trait(models.Model):
    """What is measured, how, in which unit and which way round is better."""

    class Kind(models.TextChoices):
        MEASURE = "measure", "a measure"
        COUNT = "count", "a count"
        PERCENT = "percent", "a share, %"
        SCORE = "score", "a score, 1–9"
        DATE = "date", "the date of a stage"
        AFFECTED = "affected", "plants affected of those looked at, %"
        YES_NO = "yesno", "yes or no"
        CATEGORY = "category", "one of several kinds"

    class Source(models.TextChoices):
        WALK = "walk", "walking the plots"
        PICK = "pick", "the picks"
        COURSE = "course", "the course of a walked trait over its rounds"
        WITHIN = "within", "the spread between the plants of a plot"
        TEST = "test", "samples tested after the pick"
        STORE = "store", "the keeping test"
        WORK = "work", "the time that work took"

    class Direction(models.TextChoices):
        HIGHER = "higher", "higher is better"
        LOWER = "lower", "lower is better"

    key = models.SlugField(max_length=80, unique=True)
    name = models.CharField(max_length=60)
    kind = models.CharField(max_length=8, choices=Kind.choices)
    source = models.CharField(max_length=6, choices=Source.choices, default=Source.WALK)
    unit = models.CharField(max_length=16, blank=True)
    method = models.CharField(max_length=300, blank=True)
    direction = models.CharField(max_length=6, choices=Direction.choices, default=Direction.HIGHER)
    low = models.FloatField(null=True, blank=True)
    high = models.FloatField(null=True, blank=True)
    decimals = models.PositiveSmallIntegerField(default=0)
    matters = models.FloatField(null=True, blank=True)  # a usual smallest difference that matters
    failed_counts_as = models.FloatField(null=True, blank=True)  # the value of a plot where the cultivar itself failed
    repeated = models.BooleanField(default=False)  # scored anew each round, or seen once
    samples = models.PositiveSmallIntegerField(default=1)  # plants of a plot that are looked at; 1 is the plot as a whole
    choices = models.JSONField(default=list, blank=True)  # of a category: its kinds, in words
    fits = models.JSONField(default=list, blank=True)  # families or crops it is for; empty is every one
    of = models.ForeignKey("self", null=True, blank=True, on_delete=models.PROTECT, related_name="derived")  # reckoned from

    class Meta:
        ordering = ["name"]

    def __str__(self) -> str:
        return self.name

    @property
    def shown_unit(self) -> str:
        """The unit of a compared value: a date is compared as days from sowing."""
        return "days" if self.kind == self.Kind.DATE else self.unit

    @property
    def with_unit(self) -> str:
        """Its name and unit, as it stands in a choice."""
        return f"{self.name}, {self.shown_unit}" if self.shown_unit else self.name

    @property
    def compared(self) -> bool:
        """Whether entries can be set against each other by it: a kind has no more and no less."""
        return self.kind != self.Kind.CATEGORY

    def is_for(self, crop: Crop) -> bool:
        return not self.fits or crop.name in self.fits or str(crop.profile.get("family", "")) in self.fits

    @property
    def fits_in_words(self) -> str:
        """The crops it is for; a pest's own traits are offered where that is watched for."""
        if any(str(name).startswith("problem ") for name in self.fits):
            return "where it is watched for"
        return ", ".join(self.fits) or "every crop"

    @property
    def sign(self) -> int:
        return 1 if self.direction == self.Direction.HIGHER else -1


class Guide(models.Model):
    """How a trait is scored, in words and drawings; the newest version counts, and records keep which one they were made by.

    `anchors` are places on the scale, each with `at`, `words` and `drawing` (a name that `ui.draw.anchor` knows, or nothing);
    `alike` is what can be taken for it, each with `what` and the `tell` that sets it apart.
    """

    trait = models.ForeignKey(Trait, on_delete=models.CASCADE, related_name="guides")
    version = models.PositiveSmallIntegerField()
    anchors = models.JSONField(default=list)
    alike = models.JSONField(default=list)
    why = models.CharField(max_length=200, blank=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, blank=True, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField(null=True, blank=True)  # None for what ships

    class Meta:
        ordering = ["version"]
        constraints = [models.UniqueConstraint(fields=["trait", "version"], name="one_guide_a_version")]

    def __str__(self) -> str:
        return f"{self.trait}, guide {self.version}"


class Problem(models.Model):
    """A pest, disease, weed or disorder that trials are watched for, with what can be taken for it and when something is done."""

    class Kind(models.TextChoices):
        PEST = "pest", "pest"
        DISEASE = "disease", "disease"
        WEED = "weed", "weed"
        DISORDER = "disorder", "disorder"

    class Measure(models.TextChoices):
        PLANTS = "plants", "of the plants"
        AREA = "area", "of the area"

    name = models.CharField(max_length=40)
    kind = models.CharField(max_length=8, choices=Kind.choices)
    signs = models.CharField(max_length=300, blank=True)
    alike = models.JSONField(default=list, blank=True)  # each with `what` and the `tell` that sets it apart
    confirmed_by = models.CharField(max_length=200, blank=True)  # how a suspicion is made sure of
    threshold = models.FloatField(null=True, blank=True)  # percent at which something is done
    threshold_of = models.CharField(max_length=6, choices=Measure.choices, default=Measure.PLANTS)
    fits = models.JSONField(default=list, blank=True)  # families or crops it lives on; empty is every one

    class Meta:
        ordering = ["name"]
        constraints = [models.UniqueConstraint(Lower("name"), name="one_problem_a_name")]

    def __str__(self) -> str:
        return self.name

    def is_for(self, crop: Crop) -> bool:
        return not self.fits or crop.name in self.fits or str(crop.profile.get("family", "")) in self.fits
