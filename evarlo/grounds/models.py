"""Where trials stand."""

from datetime import date

from django.db import models

from evarlo.catalogue.models import Crop
from evarlo.ui.in_force import Undoable
from evarlo.ui.units import figure_shown, measured


class Site(models.Model):
    name = models.CharField(max_length=60, unique=True)
    latitude = models.FloatField(null=True, blank=True)
    longitude = models.FloatField(null=True, blank=True)
    time_zone = models.CharField(max_length=40, blank=True)  # by its usual name, Area/City; empty goes by the place's setting
    # Month and day, as 04-12, that frost passes or comes in half of the years.
    last_frost = models.CharField(max_length=5, blank=True)
    first_frost = models.CharField(max_length=5, blank=True)
    frost_by = models.CharField(max_length=6, blank=True)  # `typed` or `record` where a person chose; else as the record is long
    # What the record tells: month-days by risk at both ends, and its years. Empty while it tells nothing, null while not reckoned.
    frost_record = models.JSONField(null=True, blank=True)

    class Meta:
        ordering = ["name"]

    def __str__(self) -> str:
        return self.name

    @property
    def last_frost_text(self) -> str:
        return day_text(self.last_frost)

    @property
    def first_frost_text(self) -> str:
        return day_text(self.first_frost)


def day_text(month_day: str) -> str:
    """04-12 as people write it: 12 Apr."""
    return f"{date.fromisoformat(f'2001-{month_day}'):%-d %b}" if month_day else ""


class Bed(models.Model):
    """A rectangle of ground in metres. `bearing` is the compass direction, in degrees, in which its length runs."""

    class Environment(models.TextChoices):
        OPEN = "open", "open ground"
        TUNNEL = "tunnel", "tunnel"
        GLASS = "glass", "glass"
        CONTAINERS = "containers", "containers"

    class Gradient(models.TextChoices):
        ALONG = "along", "along its length"
        ACROSS = "across", "across its width"

    site = models.ForeignKey(Site, on_delete=models.PROTECT, related_name="beds")
    name = models.CharField(max_length=40)
    length_m = models.FloatField()
    width_m = models.FloatField()
    bearing = models.FloatField(default=90)
    east_m = models.FloatField(null=True, blank=True)  # of its middle, from a corner of the site; None while nobody has placed it
    north_m = models.FloatField(null=True, blank=True)
    environment = models.CharField(max_length=10, choices=Environment.choices, default=Environment.OPEN)
    zone = models.CharField(max_length=40, blank=True)  # of the site, such as a frost pocket or a warm wall
    gradient = models.CharField(max_length=6, choices=Gradient.choices, blank=True)  # in which the ground is known to change
    gradient_note = models.CharField(max_length=120, blank=True)
    shade_hours = models.FloatField(null=True, blank=True)  # without sun on a clear midsummer day
    pests = models.CharField(max_length=200, blank=True)  # soil-borne

    class Meta:
        ordering = ["site__name", "name"]
        constraints = [models.UniqueConstraint(fields=["site", "name"], name="one_bed_a_name")]

    def __str__(self) -> str:
        return f"{self.name}, {figure_shown(self.length_m, 'm')} × {measured(self.width_m, 'm')}"

    @property
    def area_m2(self) -> float:
        return self.length_m * self.width_m


class BedUse(models.Model):
    """Something that stood on a part of a bed, or was done to it, from a day until a day. What trials take is not kept here:
    it follows from their plots."""

    class Kind(models.TextChoices):
        CROP = "crop", "a crop"
        GREEN = "green", "a green manure"
        AMENDMENT = "amendment", "something put on"
        REST = "rest", "rest"

    bed = models.ForeignKey(Bed, on_delete=models.CASCADE, related_name="uses")
    kind = models.CharField(max_length=10, choices=Kind.choices, default=Kind.CROP)
    crop = models.ForeignKey(Crop, null=True, blank=True, on_delete=models.PROTECT, related_name="+")
    what = models.CharField(max_length=80)
    from_m = models.FloatField()
    to_m = models.FloatField()
    since = models.DateField()
    until = models.DateField(null=True, blank=True)
    together = models.BooleanField(default=False)  # shares its ground on purpose: an intercrop, or a relay
    yield_kg = models.FloatField(null=True, blank=True)
    note = models.CharField(max_length=200, blank=True)

    undone_at = models.DateTimeField(null=True, blank=True)

    objects = Undoable.as_manager()

    class Meta:
        ordering = ["since", "id"]

    def __str__(self) -> str:
        return f"{self.what} in {self.bed.name}"


class SoilTest(models.Model):
    """What a laboratory or a kit said of a bed's soil. Nutrients in mg/kg."""

    bed = models.ForeignKey(Bed, on_delete=models.CASCADE, related_name="soil_tests")
    on = models.DateField()
    ph = models.FloatField(null=True, blank=True)
    organic = models.FloatField(null=True, blank=True)  # %
    nitrogen = models.FloatField(null=True, blank=True)
    phosphorus = models.FloatField(null=True, blank=True)
    potassium = models.FloatField(null=True, blank=True)
    note = models.CharField(max_length=120, blank=True)

    class Meta:
        ordering = ["-on", "-id"]

    def __str__(self) -> str:
        return f"soil of {self.bed.name}, {self.on}"


class Obstacle(models.Model):
    """Something in a bed where no plant can stand. Metres from the origin mark."""

    bed = models.ForeignKey(Bed, on_delete=models.CASCADE, related_name="obstacles")
    what = models.CharField(max_length=40)
    x = models.FloatField()
    y = models.FloatField()
    length = models.FloatField()
    width = models.FloatField()

    undone_at = models.DateTimeField(null=True, blank=True)

    objects = Undoable.as_manager()

    def __str__(self) -> str:
        return f"{self.what} in {self.bed.name}"


class WeatherDay(models.Model):
    """One day of a site's record: temperatures in °C, rain in mm. A later reading of the day takes the earlier one's place."""

    class Source(models.TextChoices):
        STATION = "station", "the simulated station"
        SHEET = "sheet", "a sheet"
        PROGRAM = "program", "a program"

    site = models.ForeignKey(Site, on_delete=models.CASCADE, related_name="weather")
    day = models.DateField()
    tmin = models.FloatField()
    tmax = models.FloatField()
    rain_mm = models.FloatField(null=True, blank=True)
    soil_c = models.FloatField(null=True, blank=True)
    source = models.CharField(max_length=8, choices=Source.choices)

    class Meta:
        ordering = ["day"]
        constraints = [models.UniqueConstraint(fields=["site", "day"], name="one_record_a_day")]

    def __str__(self) -> str:
        return f"{self.site}, {self.day:%-d %b %Y}"
