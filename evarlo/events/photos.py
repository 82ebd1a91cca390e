"""Pictures of plots: checked, turned upright, shrunk, and without where they were taken unless that is wished."""

from __future__ import annotations

import io
import uuid
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date
from typing import Any

from django.db import transaction
from django.db.models import QuerySet
from django.urls import reverse
from django.utils import timezone

from evarlo.databases.journal import acknowledge
from evarlo.events.models import Photo
from evarlo.people.models import User
from evarlo.trials.models import Plot
from evarlo.trials.registry import DiaryLine
from evarlo.ui.refused import Refused

MOST_BYTES = 12_000_000
MOST_PIXELS = 60_000_000  # of a picture that can be read at a fraction of its size
MOST_WHOLE_PIXELS = 25_000_000  # of one that has to be in memory as a whole, at four bytes each
MOST_OF_A_PLOT = 60
LONG_SIDE, SMALL_SIDE = 1600, 320
FORMATS = ("JPEG", "PNG", "WEBP")
GPS = 0x8825  # of the directory in a picture's metadata that says where it was taken


@dataclass(frozen=True)
class Picture:
    """A picture as it is kept: JPEG, upright, in two sizes; where it was taken in degrees, when that was wished and known."""

    image: bytes
    small: bytes
    width: int
    height: int
    latitude: float | None
    longitude: float | None


def read_picture(raw: bytes, keep_place: bool) -> Picture:
    """Check and shrink what was sent. Everything but the picture itself is left behind. Raises Refused for what is no picture,
    or too large."""
    from PIL import Image, ImageOps, UnidentifiedImageError

    if not raw:
        raise Refused("Nothing was sent. Expected a picture.", "photo")
    if len(raw) > MOST_BYTES:
        raise Refused(f"Found {len(raw) / 1e6:.0f} MB. Expected at most {MOST_BYTES / 1e6:.0f} MB.", "photo")
    try:
        opened = Image.open(io.BytesIO(raw), formats=FORMATS)
        most = MOST_PIXELS if opened.format == "JPEG" and not opened.info.get("progressive") else MOST_WHOLE_PIXELS
        if opened.width * opened.height > most:
            found = f"Found {opened.width} × {opened.height} pixels"
            raise Refused(f"{found}. Expected a picture of at most {most / 1e6:.0f} million pixels.", "photo")
        place = _place(opened) if keep_place else (None, None)
        opened.draft("RGB", (LONG_SIDE, LONG_SIDE))
        opened.thumbnail((LONG_SIDE, LONG_SIDE))
        upright = ImageOps.exif_transpose(opened).convert("RGB")
    except Refused:
        raise
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError, Image.DecompressionBombError) as error:
        raise Refused("That is not a picture this can read. Expected JPEG, PNG or WebP.", "photo") from error
    small = upright.copy()
    small.thumbnail((SMALL_SIDE, SMALL_SIDE))
    return Picture(_jpeg(upright, 82), _jpeg(small, 76), upright.width, upright.height, *place)


def _jpeg(picture: Any, quality: int) -> bytes:
    out = io.BytesIO()
    picture.save(out, "JPEG", quality=quality, optimize=True)
    return out.getvalue()


def _place(picture: Any) -> tuple[float | None, float | None]:
    """Latitude and longitude in degrees; None where the picture does not say."""
    found = picture.getexif().get_ifd(GPS)
    try:
        north = _degrees(found[2]) * (-1 if str(found[1]).upper().startswith("S") else 1)
        east = _degrees(found[4]) * (-1 if str(found[3]).upper().startswith("W") else 1)
    except (KeyError, TypeError, ValueError, ZeroDivisionError, IndexError):
        return None, None
    return (north, east) if -90 <= north <= 90 and -180 <= east <= 180 else (None, None)


def _degrees(parts: Any) -> float:
    return round(float(parts[0]) + float(parts[1]) / 60 + float(parts[2]) / 3600, 6)


def keep_photo(plot: Plot, key: uuid.UUID, raw: bytes, note: str, taken_on: date, keep_place: bool, by: User, today: date) -> Photo:
    """Keep a picture of a plot; the same key sent again is kept once. It is read and shrunk before the database is held. Raises
    Refused for what cannot be kept."""
    again = Photo.objects.filter(pk=key).first()
    if again is not None:
        return again
    return _keep(read_picture(raw, keep_place), plot, key, note, min(taken_on, today), by)


@transaction.atomic
def _keep(p: Picture, plot: Plot, key: uuid.UUID, note: str, taken_on: date, by: User) -> Photo:
    again = Photo.objects.filter(pk=key).first()  # the same may have come in while this one was being read
    if again is not None:
        return again
    if plot.photos.in_force().count() >= MOST_OF_A_PLOT:
        raise Refused(f"Plot {plot.number} has {MOST_OF_A_PLOT} pictures already.", "photo")
    acknowledge(Photo, [key], by.username, f"/trials/{plot.trial.slug}/plot/{plot.pk}/pictures/")
    return Photo.objects.create(
        id=key,
        plot=plot,
        note=note.strip()[:200],
        taken_on=taken_on,
        latitude=p.latitude,
        longitude=p.longitude,
        width=p.width,
        height=p.height,
        image=p.image,
        small=p.small,
        by=by,
        at=timezone.now(),
    )


@transaction.atomic
def withdraw_photo(photo: Photo) -> None:
    """Take a picture out of the diary; it stays on record."""
    Photo.objects.in_force().filter(pk=photo.pk).update(withdrawn_at=timezone.now())


def photos_of(plot: Plot) -> QuerySet[Photo]:
    """The pictures of a plot without their contents, newest first."""
    some = plot.photos.in_force().select_related("by")
    return some.defer("image", "small").order_by("-taken_on", "-at")


def diary(plot: Plot, _names: bool) -> Iterable[DiaryLine]:
    for photo in plot.photos.defer("image", "small").select_related("by"):
        text = f"Picture taken.{' ' + photo.note if photo.note else ''}"
        yield DiaryLine(photo.taken_on, text, str(photo.by), 8, photo.withdrawn_at is not None)


def ways(plot: Plot) -> Iterable[tuple[str, str]]:
    """The page of a plot's pictures."""
    pictures = plot.photos.in_force().count()
    yield reverse("events:photos", args=[plot.trial.slug, plot.pk]), f"Pictures ({pictures})" if pictures else "Pictures"
