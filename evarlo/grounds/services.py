"""Every write to sites and beds, but for their weather (`weather`) and what stood in them (`history`)."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date
from typing import Any

from django.db import transaction
from django.utils import timezone

from evarlo.grounds.models import Bed, Obstacle, Site, SoilTest
from evarlo.people.corrections import correct
from evarlo.people.models import User
from evarlo.ui.refused import Refused

SITE_FIGURES = ("latitude", "longitude", "last_frost", "first_frost", "time_zone")
SLACK_M = 1e-6
ROUNDED_M = 5e-4  # a length shown in another unit and sent back differs by less than this
BED_TRAITS = ("environment", "zone", "gradient", "gradient_note", "shade_hours", "pests")


def bed_named(site: str, name: str) -> Bed | None:
    """The bed of that name at a site, whatever their capitals."""
    return Bed.objects.filter(site__name__iexact=site, name__iexact=name).first()


def site_on_record(name: str, **figures: Any) -> Site:
    """The site of that name, put on record with `figures` when it is new."""
    return Site.objects.filter(name__iexact=name).first() or Site.objects.create(name=name, **figures)


@transaction.atomic
def add_bed(site: Site, name: str, length_m: float, width_m: float, bearing: int) -> Bed:
    """Put a bed on record; one of that name which is there already is taken as it is."""
    known = Bed.objects.filter(site=site, name__iexact=name).first()
    return known or Bed.objects.create(site=site, name=name, length_m=length_m, width_m=width_m, bearing=bearing)


@transaction.atomic
def keep_site(site: Site, figures: Mapping[str, Any]) -> None:
    """Keep where a site lies and when frost goes and comes, of which `figures` may name some."""
    for name, value in figures.items():
        setattr(site, name, value)
    site.save(update_fields=list(figures))


@transaction.atomic
def keep_bed(bed: Bed, traits: Mapping[str, Any]) -> None:
    """Keep what a bed is like, of which `traits` may name some."""
    for name, value in traits.items():
        setattr(bed, name, value)
    bed.save(update_fields=list(traits))


@transaction.atomic
def place_bed(bed: Bed, east_m: float, north_m: float, bearing: float, by: User) -> None:
    """Where a bed lies on its site, and where its length points. That it was turned stays on record."""
    turned = round(bearing - bed.bearing, 1) % 360
    if turned:
        correct(bed, {"bearing": bearing}, {"bearing": "direction of its length, °,"}, "turned where it lies on the site", by)
    Bed.objects.filter(pk=bed.pk).update(east_m=east_m, north_m=north_m)


def correct_bed(bed: Bed, name: str, length_m: float, width_m: float, why: str, by: User) -> None:
    """Put a bed's name and size right, on record. Raises Refused for the name of another bed of the site, and for a size that does
    not hold what is in it: plots, obstacles and what stood there."""
    if Bed.objects.filter(site=bed.site, name__iexact=name).exclude(pk=bed.pk).exists():
        raise Refused(f"{bed.site.name} has a bed {name} already.", "name")
    along, across = _reach(bed)
    if length_m < along - SLACK_M:
        raise Refused(f"Found {length_m:g} m; what is in it reaches to {along:g} m along.", "length_m")
    if width_m < across - SLACK_M:
        raise Refused(f"Found {width_m:g} m; what is in it reaches to {across:g} m across.", "width_m")
    wanted: dict[str, Any] = {"name": name}
    wanted["length_m"] = bed.length_m if abs(length_m - bed.length_m) < ROUNDED_M else length_m
    wanted["width_m"] = bed.width_m if abs(width_m - bed.width_m) < ROUNDED_M else width_m
    correct(bed, wanted, {"name": "name", "length_m": "length, m,", "width_m": "width, m,"}, why, by)


def _reach(bed: Bed) -> tuple[float, float]:
    """How far what is in a bed reaches, in metres along and across."""
    lain = [(o.x + o.length, o.y + o.width) for o in bed.obstacles.in_force()]
    lain += [(use.to_m, 0.0) for use in bed.uses.in_force()]
    lain += [(x + length, y + width) for x, y, length, width in bed.plots.values_list("x", "y", "length", "width")]
    return max((along for along, _ in lain), default=0.0), max((across for _, across in lain), default=0.0)


@transaction.atomic
def add_soil_test(bed: Bed, found: Mapping[str, Any], today: date) -> SoilTest:
    """Keep a soil test. Raises Refused for a day to come."""
    if found["on"] > today:
        raise Refused("That day is in the future. Expected the day the soil was taken.", "on")
    return SoilTest.objects.create(bed=bed, **found)


@transaction.atomic
def add_obstacle(bed: Bed, what: str, x: float, y: float, length: float, width: float) -> Obstacle:
    """Something that stands in a bed, metres from its corner. Raises Refused when it reaches over the edge."""
    if x + length > bed.length_m or y + width > bed.width_m:
        raise Refused(f"It reaches over the edge of {bed.length_m:g} × {bed.width_m:g} m.", "x")
    return Obstacle.objects.create(bed=bed, what=what, x=x, y=y, length=length, width=width)


@transaction.atomic
def drop_obstacle(bed: Bed, pk: int) -> bool:
    """Take an obstacle off a bed; whether there was one. Its row stays on record."""
    return bed.obstacles.in_force().filter(pk=pk).update(undone_at=timezone.now()) > 0


@transaction.atomic
def drop_use(bed: Bed, pk: int) -> bool:
    """Take back what was written down of a part of a bed; whether there was anything. Its row stays on record."""
    return bed.uses.in_force().filter(pk=pk).update(undone_at=timezone.now()) > 0
