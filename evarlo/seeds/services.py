"""Keeping lots and their ledgers."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date
from typing import Any

from django.db import transaction
from django.db.models import Sum
from django.utils import timezone

from evarlo.catalogue.models import Cultivar
from evarlo.people.models import User
from evarlo.seeds.models import Lot, Move
from evarlo.ui.refused import Refused, only_done

FIELDS = (
    "name",
    "supplier",
    "material",
    "year",
    "grade",
    "thousand_g",
    "diameter_mm",
    "germination",
    "treatment",
    "packet",
    "price",
    "note",
)


@transaction.atomic
def keep_lot(lot: Lot | None, cultivar: Cultivar, typed: Mapping[str, Any], by: User) -> Lot:
    """Keep what is known of a lot; a new one when `lot` is None. Raises Refused when the cultivar has one of that number."""
    named = Lot.objects.filter(cultivar=cultivar, name__iexact=typed["name"])
    if (named.exclude(pk=lot.pk) if lot else named).exists():
        raise Refused(f"{cultivar.name} has a lot {typed['name']} already.", "name")
    kept = lot or Lot(made_by=by, made_at=timezone.now())
    kept.cultivar = cultivar
    for field in FIELDS:
        if field in typed:
            setattr(kept, field, typed[field])
    kept.material = kept.material or Lot.Material.SEED
    kept.save()
    return kept


def stock_of(lot: Lot) -> int:
    """Seeds that the ledger leaves."""
    return lot.moves.aggregate(total=Sum("seeds"))["total"] or 0


@transaction.atomic
def move_stock(lot: Lot, why: str, seeds: int, on: date, by: User, today: date, note: str = "", sure: bool = False) -> Move:
    """Write a line in a lot's ledger: `seeds` received, taken out or thrown away, or counted in the packet.

    Raises Refused for a day to come, and for taking more than there is unless the person is `sure`: then the ledger says so.
    """
    lot = Lot.objects.select_for_update().get(pk=lot.pk)
    only_done(on, today)
    there = stock_of(lot)
    if why == Move.Why.COUNTED:
        stated = f"Counted {seeds}, the ledger said {there}."
        return _line(lot, why, seeds - there, on, by, f"{stated} {note}".strip())
    if seeds < 1:
        raise Refused("Expected at least one.", "seeds")
    change = seeds if why == Move.Why.RECEIVED else -seeds
    if there + change < 0 and not sure:
        over = f"The ledger has {there} {lot.counted_in}; {seeds} is {seeds - there} too many."
        raise Refused(f"{over} Count the packet, or keep it anyway.", "seeds")
    if there + change < 0:
        note = f"{-(there + change)} below zero. {note}".strip()
    return _line(lot, why, change, on, by, note)


def _line(lot: Lot, why: str, seeds: int, on: date, by: User, note: str) -> Move:
    return Move.objects.create(lot=lot, why=why, seeds=seeds, on=on, by=by, at=timezone.now(), note=note[:200])
