"""Keeping what is known of a crop."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django.db import transaction
from django.utils import timezone

from evarlo.catalogue.models import Crop
from evarlo.catalogue.profile import FIELDS, SHIPPED, SPACING, shipped_crops
from evarlo.people.models import User


@transaction.atomic
def keep_crop(crop: Crop | None, typed: Mapping[str, Any], by: User) -> Crop:
    """Keep a crop's name, spacing and profile as typed and checked; a new crop when `crop` is None."""
    kept = crop or Crop()
    figures = {name: typed[name] for name in SPACING}
    profile = {key: typed[key] for key in FIELDS if typed.get(key) is not None}
    same = profile == kept.profile and all(getattr(kept, name) == figure for name, figure in figures.items())
    if not same or not kept.source:
        kept.source = f"Set by {by} on {timezone.localdate():%-d %b %Y}."
    kept.name = typed["name"]
    for name, figure in figures.items():
        setattr(kept, name, figure)
    kept.profile = profile
    kept.save()
    return kept


def put_in_shipped_crops(crops: Any) -> None:
    """Put the shipped crops on record; a crop of that name that is there already keeps what it has."""
    for shipped in shipped_crops():
        made, new = crops.objects.get_or_create(name=shipped.name, defaults={name: getattr(shipped, name) for name in SPACING})
        if new or not made.profile:
            made.profile, made.source = shipped.profile, SHIPPED[:160]
            made.save()
