"""A trial: its question, entries, plots and the record of what was decided about it."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, TypeVar

from django.conf import settings
from django.db import models
from django.db.models import Q
from django.urls import reverse

from evarlo.catalogue.models import Crop, Cultivar, Trait
from evarlo.databases import marks
from evarlo.grounds.models import Bed
from evarlo.ui.in_force import Liftable, Undoable
from evarlo.ui.words import counted

if TYPE_CHECKING:
    from trialcore.layouts.bed import Spacing

PERSON = settings.AUTH_USER_MODEL
T = TypeVar("T")
MOST_YEARS = 60  # of one chain of trials on the same plots


class Trial(models.Model):
    class Design(models.TextChoices):
        BLOCKS = "blocks", "randomised complete blocks"
        NO_BLOCKS = "no_blocks", "completely randomised"
        INCOMPLETE = "incomplete", "incomplete blocks"
        LATIN = "latin", "Latin square"
        AUGMENTED = "augmented", "augmented blocks"
        SPLIT = "split", "split-plot"
        STRIP = "strip", "strip-plot"
        FACTORIAL = "factorial", "factorial in complete blocks"
        PAIRS = "pairs", "pairs with the check"
        PLANTS = "plants", "single plants with checks among them"

    class Origin(models.TextChoices):
        PLANNED = "planned", "planned here"
        SHEET = "sheet", "brought in from a sheet"

    slug = models.SlugField(max_length=80, unique=True)
    name = models.CharField(max_length=80)
    question = models.CharField(max_length=300, blank=True)
    crop = models.ForeignKey(Crop, on_delete=models.PROTECT)
    season = models.CharField(max_length=20)
    bed = models.ForeignKey(Bed, null=True, blank=True, on_delete=models.PROTECT)
    more_beds = models.ManyToManyField(Bed, blank=True, related_name="further_trials")  # blocks that the first does not hold
    each_bed = models.BooleanField(default=False)  # every bed holds as many blocks, so that the bed is a factor of the trial
    follows = models.ForeignKey("self", null=True, blank=True, on_delete=models.SET_NULL, related_name="followers")  # same plots
    output_unit = models.CharField(max_length=20, blank=True)  # in which the output of such years is summed
    output_per_kg = models.FloatField(default=1)  # units in a marketable kilogram
    origin = models.CharField(max_length=8, choices=Origin.choices, default=Origin.PLANNED)
    design = models.CharField(max_length=10, choices=Design.choices, default=Design.BLOCKS)
    blocks = models.PositiveSmallIntegerField()  # complete blocks; the replicates where blocks are incomplete
    block_size = models.PositiveSmallIntegerField(null=True, blank=True)  # plots in an incomplete block
    check_plots = models.PositiveSmallIntegerField(default=1)  # of the check in each complete block
    treatments = models.BooleanField(default=False)  # entries are treatments of one cultivar: alike names are no slips
    factor = models.CharField(max_length=40, blank=True)  # the second factor, such as a sowing date or a spacing
    levels = models.JSONField(default=list, blank=True)  # of the second factor, in words
    entries_whole = models.BooleanField(default=False)  # in a split-plot: entries on whole plots, levels within them
    plot_length_m = models.FloatField(null=True)
    plot_width_m = models.FloatField(null=True)
    path_m = models.FloatField(default=0.5)
    guard_m = models.FloatField(default=0)  # of guard plants at the edges of a bed
    border = models.PositiveSmallIntegerField(default=0)  # outer rows and plants of a plot that are not judged
    between_rows_cm = models.FloatField(null=True)
    in_row_cm = models.FloatField(null=True)
    per_station = models.PositiveSmallIntegerField(default=1)  # plants wanted at a station: in a hill, a clump or a hole
    staggered = models.BooleanField(default=False)  # each plant opposite the gap of the next row
    cv_percent = models.FloatField(default=15)
    blind = models.BooleanField(default=True)
    earlier_shown = models.BooleanField(default=False)  # whether those who score see what the round before found
    organic_only = models.BooleanField(default=False)  # whether only what organic growing permits may be put on its plots
    opened_at = models.DateTimeField(null=True, blank=True)  # when names were shown to those who score
    layout_seed = models.BigIntegerField(null=True)
    layout_fixed_at = models.DateTimeField(null=True, blank=True)
    saves_seed = models.BooleanField(default=False)  # seed is to be saved from its plots, so pollen from elsewhere spoils it
    breach_reason = models.CharField(max_length=200, blank=True)  # why a rotation too short is accepted in this trial
    sow_on = models.DateField(null=True, blank=True)
    plant_on = models.DateField(null=True, blank=True)
    pick_on = models.DateField(null=True, blank=True)
    family_guard = models.BooleanField(default=False)  # all comparisons with the check are held to 5 % together, not each
    placed = models.BooleanField(default=True)  # where its plots stood is known; a sheet without rows and columns does not say
    practice = models.BooleanField(default=False)  # a season that is only played: it counts nowhere
    archived_at = models.DateTimeField(null=True, blank=True)  # put away: it stays whole, and no list or reminder names it
    arriving = models.BooleanField(default=False)  # a long sheet is being brought in piece by piece: nobody sees the trial yet
    decided_at = models.DateTimeField(null=True, blank=True)  # when verdicts were last signed
    made_by = models.ForeignKey(PERSON, on_delete=models.PROTECT, related_name="+")
    made_at = models.DateTimeField()

    class Meta:
        ordering = ["-season", "name"]

    def __str__(self) -> str:
        return self.name

    def get_absolute_url(self) -> str:
        return reverse("trials:plan", args=[self.slug])

    def once(self, name: str, read: Callable[[], T]) -> T:
        """What `read` gives, read once for this object: a page asks for the same plots and values in several places."""
        kept = self.__dict__.setdefault("_read", {})
        if name not in kept:
            with marks.apart(marks.tables_under(self)) as own:
                kept[name] = (read(), own)
        found: tuple[T, marks.Resting] = kept[name]
        marks.note(found[1].names, found[1].told)
        return found[0]

    def read_anew(self) -> None:
        """Forget what `once` has read: something of it was changed."""
        self.__dict__.pop("_read", None)

    @property
    def named_entries(self) -> list[Entry]:
        """The entries with their cultivars, read once for this object."""
        return self.once("entries", lambda: list(self.entries.select_related("cultivar")))

    @property
    def is_fixed(self) -> bool:
        """Whether the layout may no longer be shuffled."""
        return self.layout_fixed_at is not None

    @property
    def beds(self) -> list[Bed]:
        """The beds in the order in which blocks fill them; the first is the trial's own."""
        own = self.bed
        if own is None:
            return []
        return self.once("beds", lambda: [own, *sorted(self.more_beds.all(), key=lambda bed: bed.name)])

    @property
    def blocks_a_bed(self) -> int:
        """Blocks in each bed where every bed holds as many, else all of them."""
        return self.blocks // len(self.beds) if self.each_bed and self.beds else self.blocks

    @property
    def only_observed(self) -> bool:
        """Whether each entry has one plot, so that luck cannot be told from cultivar: seen, and never judged."""
        return self.blocks == 1 and self.design in (self.Design.BLOCKS, self.Design.NO_BLOCKS)

    @property
    def of_single_plants(self) -> bool:
        """Whether each plot is one plant."""
        return self.design == self.Design.PLANTS

    @property
    def years(self) -> list[Trial]:
        """This trial and the ones on the same plots before it, the oldest first."""
        found, at = [self], self.follows
        while at is not None and len(found) < MOST_YEARS:
            found.append(at)
            at = at.follows
        return list(reversed(found))

    @property
    def two_factors(self) -> bool:
        return self.design in TWO_FACTORS

    @property
    def repeats(self) -> str:
        """What an entry stands once in, in the plural."""
        words = {self.Design.INCOMPLETE: "replicates", self.Design.NO_BLOCKS: "plots", self.Design.PAIRS: "passes"}
        return words.get(self.Design(self.design), "blocks")

    @property
    def design_in_words(self) -> str:
        """What stands how often where, as a reader wants it."""
        said = self._blocks_in_words
        return f"{said}; {counted(self.blocks_a_bed, self.repeats[:-1])} in each bed" if self.each_bed else said

    @property
    def _blocks_in_words(self) -> str:
        once, levels = "in random order", f"{counted(len(self.levels), 'level')} of {self.factor.lower()}"
        match self.design:
            case self.Design.BLOCKS:
                more = f", the check on {self.check_plots} plots of each" if self.check_plots > 1 else ""
                return f"{counted(self.blocks, 'complete block')}, each entry once in every block and {once}{more}"
            case self.Design.INCOMPLETE:
                size = f" of at most {self.block_size} plots" if self.block_size else ""
                repeats = counted(self.blocks, "replicate")
                return f"{repeats}, each cut into small blocks{size}, each entry once in every replicate and {once}"
            case self.Design.LATIN:
                return "a Latin square, each entry once in every row and every column"
            case self.Design.AUGMENTED:
                return f"{counted(self.blocks, 'block')}, the checks in every one and each other entry in one, {once}"
            case self.Design.PLANTS:
                return "single plants, each a place of its own, the check planted among them"
            case self.Design.PAIRS:
                return f"{counted(self.blocks, 'pass', 'passes')}, each entry beside a plot of the check in every one"
            case self.Design.FACTORIAL:
                return f"{counted(self.blocks, 'complete block')}, each entry with each of {levels} once in every block"
            case self.Design.SPLIT:
                whole, within = ("entries", levels) if self.entries_whole else (levels, "entries")
                return f"{counted(self.blocks, 'block')}, {whole} on whole plots and {within} within them, both {once}"
            case self.Design.STRIP:
                return f"{counted(self.blocks, 'block')}, entries in strips one way and {levels} in strips the other, both {once}"
        return f"completely randomised, each entry on {self.blocks} plots" if self.blocks > 1 else "completely randomised"

    @property
    def spacing(self) -> Spacing | None:
        """How the plants of a plot stand; None while a size or a distance is not known."""
        return self.spacing_at(self.in_row_cm)

    def spacing_of(self, entry: Entry) -> Spacing | None:
        """The same for the plots of one entry, whose habit may want other distances in the row."""
        return self.spacing_at(entry.in_row_cm or self.in_row_cm)

    def spacing_at(self, in_row_cm: float | None) -> Spacing | None:
        return self.once(f"spacing {in_row_cm}", lambda: self._spacing_at(in_row_cm))

    def _spacing_at(self, in_row_cm: float | None) -> Spacing | None:
        if not (self.plot_length_m and self.plot_width_m and self.between_rows_cm and in_row_cm):
            return None
        from trialcore.layouts.bed import Spacing

        size = (self.plot_length_m, self.plot_width_m, self.between_rows_cm / 100, in_row_cm / 100)
        return Spacing(*size, self.per_station, self.border, self.staggered)

    @property
    def plot_area_m2(self) -> float | None:
        return self.plot_length_m * self.plot_width_m if self.plot_length_m and self.plot_width_m else None


WITHOUT_BLOCKS = (Trial.Design.NO_BLOCKS, Trial.Design.PLANTS)
TWO_FACTORS = (Trial.Design.SPLIT, Trial.Design.STRIP, Trial.Design.FACTORIAL)


class BlockPlace(models.Model):
    """Where a person moved a block or replicate to; the others lie where the plan puts them. Metres in the bed."""

    trial = models.ForeignKey(Trial, on_delete=models.CASCADE, related_name="block_places")
    block = models.PositiveSmallIntegerField()
    bed = models.ForeignKey(Bed, on_delete=models.PROTECT, related_name="+")
    x = models.FloatField()
    y = models.FloatField()
    turned = models.BooleanField(default=False)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["trial", "block"], name="one_place_a_block")]

    def __str__(self) -> str:
        return f"block {self.block} in {self.bed.name}"


class Entry(models.Model):
    """A cultivar as it stands in one trial, under a code that tells nothing."""

    trial = models.ForeignKey(Trial, on_delete=models.CASCADE, related_name="entries")
    code = models.CharField(max_length=60)
    cultivar = models.ForeignKey(Cultivar, on_delete=models.PROTECT, related_name="entries")
    is_check = models.BooleanField(default=False)  # the one the others are set against
    in_row_cm = models.FloatField(null=True, blank=True)  # where its habit wants other distances than the trial's
    repeated = models.BooleanField(default=False)  # a further check: it has no verdict, and others can be set against it

    class Meta:
        ordering = ["code"]
        constraints = [
            models.UniqueConstraint(fields=["trial", "code"], name="one_entry_a_code"),
            models.UniqueConstraint(fields=["trial"], condition=Q(is_check=True), name="one_check_a_trial"),
        ]

    def __str__(self) -> str:
        return self.code

    @property
    def any_check(self) -> bool:
        """Whether it is the check or a further one."""
        return self.is_check or self.repeated


class Plot(models.Model):
    """One plot on the ground. `block` is the complete block or replicate, `inner` the incomplete block, whole plot, strip or
    pair within it, `level` that of the second factor. `place` counts along the walking path; x, y, length and width are
    metres in `bed`."""

    trial = models.ForeignKey(Trial, on_delete=models.CASCADE, related_name="plots")
    entry = models.ForeignKey(Entry, on_delete=models.PROTECT, related_name="plots")
    planned = models.ForeignKey(Entry, null=True, blank=True, on_delete=models.PROTECT, related_name="+")  # where another was sown
    number = models.CharField(max_length=60)
    block = models.CharField(max_length=60, blank=True)
    inner = models.CharField(max_length=60, blank=True)
    level = models.CharField(max_length=60, blank=True)
    bed = models.ForeignKey(Bed, null=True, blank=True, on_delete=models.PROTECT, related_name="plots")
    environment = models.CharField(max_length=60, blank=True)  # where a sheet says it stands; else what its bed is
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
    must = models.FloatField(null=True, blank=True)  # an entry on the wrong side of this is out, however good it is otherwise
    weight = models.FloatField(default=1)  # among the criteria

    class Meta:
        ordering = ["rank"]
        constraints = [models.UniqueConstraint(fields=["trial", "trait"], name="one_criterion_a_trait")]

    def __str__(self) -> str:
        return f"{self.trait} ({self.get_direction_display()})"

    @property
    def sign(self) -> int:
        return 1 if self.direction == Trait.Direction.HIGHER else -1

    @property
    def must_in_words(self) -> str:
        """What an entry must have; empty when nothing is asked."""
        if self.must is None:
            return ""
        return f"at {'least' if self.sign > 0 else 'most'} {self.must:g} {self.trait.shown_unit}".strip()


class Cause(models.TextChoices):
    """Why a value or a plot is missing. An accident is kept apart from a weakness of the cultivar."""

    ACCIDENT = "accident", "accident"
    FAILED = "failed", "cultivar failed"
    NOT_REACHED = "not_reached", "not reached"
    LOST_LABEL = "lost_label", "lost label"


IDENTITY = "identity"  # what stands in the plot is in doubt: a plot is left out for it, a value is not
WITHDRAWN = "withdrawn"  # its entry was taken out of the trial
LEFT_OUT = [*Cause.choices, (IDENTITY, "identity in doubt"), (WITHDRAWN, "entry withdrawn")]


class Exclusion(models.Model):
    """A plot left out of every comparison, from when, by whom and why; lifted rather than deleted."""

    plot = models.ForeignKey(Plot, on_delete=models.CASCADE, related_name="exclusions")
    cause = models.CharField(max_length=12, choices=LEFT_OUT)
    note = models.CharField(max_length=200)
    on = models.DateField()
    by = models.ForeignKey(PERSON, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
    lifted_by = models.ForeignKey(PERSON, null=True, blank=True, on_delete=models.PROTECT, related_name="+")
    lifted_at = models.DateTimeField(null=True, blank=True)

    objects = Liftable.as_manager()

    class Meta:
        ordering = ["at"]
        constraints = [
            models.UniqueConstraint(fields=["plot"], condition=Q(lifted_at__isnull=True), name="one_standing_exclusion_a_plot")
        ]

    def __str__(self) -> str:
        return f"{self.plot}: {self.get_cause_display()}"


class NeedPlan(models.Model):
    """How a trial's seed, trays and spares are reckoned. Shares in percent; set from the crop's profile when first looked at."""

    trial = models.OneToOneField(Trial, on_delete=models.CASCADE, related_name="need_plan")
    per_station = models.PositiveSmallIntegerField(default=1)  # seeds a station, or a cell
    germination = models.FloatField(default=85)  # where a lot says nothing
    field_percent = models.FloatField(default=90)  # of the seeds that germinate, how many make a plant
    spare_percent = models.FloatField(default=10)
    spare = models.PositiveIntegerField(default=0)  # seeds an entry, besides
    transplant = models.BooleanField(default=False)
    tray_cells = models.PositiveSmallIntegerField(default=60)
    cell_ml = models.FloatField(default=50)
    lead_days = models.PositiveSmallIntegerField(default=21)  # from an order to its arrival

    def __str__(self) -> str:
        return f"needs of {self.trial}"


class Material(models.Model):
    """Something every plot gets, or every plant, and how its amount is found."""

    class Kind(models.TextChoices):
        RATE = "rate", "a label rate over the plot"
        NUTRIENT = "nutrient", "a nutrient the soil lacks"
        LAYER = "layer", "a layer on the plot"
        PLANT = "plant", "pieces for each plant"
        ROW = "row", "metres along each row"

    trial = models.ForeignKey(Trial, on_delete=models.CASCADE, related_name="materials")
    name = models.CharField(max_length=60)
    kind = models.CharField(max_length=8, choices=Kind.choices)
    amount = models.FloatField()  # of the rate, g/m² of the nutrient, cm of the layer, pieces or lines
    unit = models.CharField(max_length=8, blank=True)  # of a label rate
    grade = models.FloatField(null=True, blank=True)  # % of the nutrient in the material
    soil = models.FloatField(null=True, blank=True)  # mg/kg by the soil test
    pack = models.FloatField(null=True, blank=True)  # g, ml, litres, pieces or metres in a pack
    price = models.FloatField(null=True, blank=True)  # of a pack
    plots = models.CharField(max_length=400, blank=True)  # numbers or runs of the plots that get it; empty is every one

    undone_at = models.DateTimeField(null=True, blank=True)

    objects = Undoable.as_manager()

    class Meta:
        ordering = ["id"]

    def __str__(self) -> str:
        return self.name


class Protocol(models.Model):
    """One version of what every plot should get, by stage; the newest one counts from its day on, the earlier ones stay."""

    trial = models.ForeignKey(Trial, on_delete=models.CASCADE, related_name="protocols")
    number = models.PositiveSmallIntegerField()
    since = models.DateField()
    why = models.CharField(max_length=200, blank=True)
    steps = models.JSONField()
    by = models.ForeignKey(PERSON, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()

    class Meta:
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["trial", "number"], name="one_version_a_number")]

    def __str__(self) -> str:
        return f"{self.trial}, version {self.number}"


class Deviation(models.Model):
    """A plot that got something other than the protocol says."""

    plot = models.ForeignKey(Plot, on_delete=models.CASCADE, related_name="deviations")
    on = models.DateField()
    said = models.CharField(max_length=200)
    by = models.ForeignKey(PERSON, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()

    class Meta:
        ordering = ["on", "id"]

    def __str__(self) -> str:
        return f"{self.plot}: {self.said}"


class Task(models.Model):
    """What a person said of a task of the season: one of those that every trial of the crop has, by its key, or one of their
    own. Without a word here a task falls where the crop's profile puts it."""

    trial = models.ForeignKey(Trial, on_delete=models.CASCADE, related_name="tasks")
    key = models.SlugField(max_length=40)
    what = models.CharField(max_length=80, blank=True)  # of an own task
    after = models.CharField(max_length=40, blank=True)  # the task it follows, by key
    days = models.IntegerField(default=0)  # from that one
    condition = models.CharField(max_length=80, blank=True)  # a state of the plants that it waits for, in words
    # What records have to say before it falls due: a trait, how far it has come, and in the first plot or in half of them.
    trait = models.ForeignKey(Trait, null=True, blank=True, on_delete=models.PROTECT, related_name="+")
    reaches = models.FloatField(null=True, blank=True)  # of a number; a day of a stage has only to be there
    in_first = models.BooleanField(default=False)
    care = models.CharField(max_length=10, blank=True)  # the kind of care that closes it when it is recorded
    on = models.DateField(null=True, blank=True)  # where a person put it
    done_on = models.DateField(null=True, blank=True)
    dropped = models.BooleanField(default=False)  # not wanted in this trial

    class Meta:
        constraints = [models.UniqueConstraint(fields=["trial", "key"], name="one_task_a_key")]

    def __str__(self) -> str:
        return self.what or self.key

    @property
    def waits_for(self) -> str:
        """What it waits for, in words."""
        if self.trait is None:
            return self.condition
        where = "the first plot" if self.in_first else "half of the plots"
        far = "" if self.reaches is None else f" reaches {self.reaches:g} {self.trait.shown_unit}".rstrip()
        after = f"{self.days} days after " if self.days else "when "
        return f"{after}{self.trait.name.lower()}{far or ' is there'} in {where}"


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
