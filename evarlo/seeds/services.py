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
    """Write a line in a lot's ledger: `seeds` received, put back, taken out or thrown away, or counted in the packet.

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
    change = seeds if why in (Move.Why.RECEIVED, Move.Why.UNDONE) else -seeds
    if there + change < 0 and not sure:
        over = f"The ledger has {there} {lot.counted_in}; {seeds} is {seeds - there} too many."
        raise Refused(f"{over} Count the packet, or keep it anyway.", "seeds")
    if there + change < 0:
        note = f"{-(there + change)} below zero. {note}".strip()
    return _line(lot, why, change, on, by, note)


@transaction.atomic
def write_by_hand(lot: Lot, why: str, seeds: int, on: date, by: User, today: date, note: str = "", sure: bool = False) -> Move:
    """Write a line in the ledger itself, as `move_stock`: it can be taken back there."""
    line = move_stock(lot, why, seeds, on, by, today, note, sure)
    line.by_hand = True
    line.save(update_fields=["by_hand"])
    return line


@transaction.atomic
def undo_line(line: Move, by: User, today: date) -> None:
    """Take back a line that was written by hand: a line against it sets the stock as if it had not been. Twice does nothing more.
    Raises Refused for a line of a sowing or a test, and once the packet was counted: then what was counted stands."""
    Lot.objects.select_for_update().get(pk=line.lot_id)
    if Move.objects.filter(takes_back=line).exists():
        return
    if not line.by_hand or line.takes_back_id:
        raise Refused("This line goes with a sowing, a test or seed saved. Take that back where it was done.")
    counted = line.lot.moves.standing().filter(why=Move.Why.COUNTED, pk__gt=line.pk).first()
    if counted:
        raise Refused(f"The packet was counted since, on {counted.on:%-d %b %Y}. What was counted stands.")
    left = stock_of(line.lot) - line.seeds
    note = f"of {line.on:%-d %b %Y}, {line.get_why_display()}" + (f"; {-left} below zero" if left < 0 else "")
    _line(line.lot, Move.Why.UNDONE, -line.seeds, today, by, note, takes_back=line)


def _line(lot: Lot, why: str, seeds: int, on: date, by: User, note: str, takes_back: Move | None = None) -> Move:
    return Move.objects.create(
        lot=lot, why=why, seeds=seeds, on=on, by=by, at=timezone.now(), note=note[:200], takes_back=takes_back
    )
