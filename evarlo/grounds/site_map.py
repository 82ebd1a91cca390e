"""The beds of a site as they lie: what stands on each now, and which of them a tall crop shades."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date

from django.urls import reverse
from django.utils.safestring import SafeString

from evarlo.grounds.history import Lain, history_of
from evarlo.grounds.models import Bed, Site
from evarlo.grounds.registry import registry
from evarlo.ui.draw.site import DrawnBed, placed, site_plan
from trialcore.layouts.shade import Standing, shaded

TALL_CM = 120.0  # from which a crop's shade on the next bed is worth a word


def stands_now(lain: Sequence[Lain], today: date) -> Lain | None:
    """What stands on a bed today, the last that came."""
    here = [x for x in lain if x.grew and x.use.since <= today and (x.use.until is None or today <= x.use.until)]
    return here[-1] if here else None


def drawn_beds(beds: Sequence[Bed], history: Mapping[int, Sequence[Lain]], today: date) -> list[DrawnBed]:
    made = []
    for bed in beds:
        now = stands_now(history.get(bed.pk, ()), today)
        url = reverse("grounds:bed", args=[bed.pk])
        size = (bed.east_m, bed.north_m, bed.length_m, bed.width_m, bed.bearing)
        made.append(DrawnBed(bed.pk, bed.name, *size, now.use.name if now else "", url))
    return made


def site_drawn(site: Site, beds: Sequence[Bed], today: date, movable: bool) -> tuple[SafeString, list[str]]:
    """The drawing of a site and what is to be said of it."""
    heights = {name: high for source in registry.heights for name, high in source()}
    history = history_of(beds)
    drawn = drawn_beds(beds, history, today)
    said = []
    loose = [b.name for b in drawn if b.east is None]
    if loose and movable:
        said.append(
            f"{', '.join(loose[:3])}{' and others' if len(loose) > 3 else ''} {'is' if len(loose) == 1 else 'are'} not placed yet "
            "(dashed): drag each to where it lies, or give its place in figures on its page."
        )
    known = [(b, x, y) for b, x, y in placed(drawn) if b.east is not None]
    stand = [Standing(b.name, x, y, b.length, b.width, b.bearing, _tall(heights.get(b.now))) for b, x, y in known]
    for tall, other, metres in shaded(stand, site.latitude or 50.0):
        what = next(b.now for b, _, _ in known if b.name == tall)
        said.append(f"{what} on {tall} shades up to {metres:.1f} m of {other} at noon in spring and autumn.")
    return site_plan(drawn, f"{site.name}, north up", movable), said


def _tall(height: float | None) -> float | None:
    return height if height is not None and height >= TALL_CM else None
