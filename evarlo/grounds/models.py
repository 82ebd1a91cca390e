"""Where trials stand."""

from datetime import date

from django.db import models


class Site(models.Model):
    name = models.CharField(max_length=60, unique=True)
    latitude = models.FloatField(null=True, blank=True)
    # Month and day, as 04-12, that frost passes or comes in half of the years.
    last_frost = models.CharField(max_length=5, blank=True)
    first_frost = models.CharField(max_length=5, blank=True)

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

    site = models.ForeignKey(Site, on_delete=models.PROTECT, related_name="beds")
    name = models.CharField(max_length=40)
    length_m = models.FloatField()
    width_m = models.FloatField()
    bearing = models.FloatField(default=90)

    class Meta:
        ordering = ["site__name", "name"]
        constraints = [models.UniqueConstraint(fields=["site", "name"], name="one_bed_a_name")]

    def __str__(self) -> str:
        return f"{self.name}, {self.length_m:g} × {self.width_m:g} m"

    @property
    def area_m2(self) -> float:
        return self.length_m * self.width_m


class WeatherDay(models.Model):
    """One day of a site's record: temperatures in °C, rain in mm. A later reading of the day takes the earlier one's place."""

    class Source(models.TextChoices):
        STATION = "station", "the simulated station"
        SHEET = "sheet", "a sheet"

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
