"""Seed lots with their ledgers, and what the trials of this season need besides."""

from __future__ import annotations

from datetime import date, timedelta

from django.utils import timezone

from evarlo.catalogue.models import Cultivar
from evarlo.demo import world
from evarlo.people.models import User
from evarlo.seeds.models import Move
from evarlo.seeds.services import keep_lot, write_by_hand
from evarlo.trials.models import Trial
from evarlo.trials.protocol import keep_protocol
from evarlo.trials.services import add_material
from evarlo.trials.task_services import add_task

SUPPLIERS = ("SUP-02", "SUP-04", "SUP-09")


def fill_the_store(by: User, today: date) -> None:
    """Lots of nearly every cultivar: some fresh, some old, one treated, one that was counted and found short."""
    names = (*(t.name for t in world.FENNEL), *world.EDAMAME, *world.RADICCHIO)
    for n, cultivar in enumerate(Cultivar.objects.filter(name__in=names).order_by("name")):
        if n % 7 == 5:
            continue
        large = cultivar.crop.name == "Edamame soybean"
        known = {
            "name": f"{today.year - n % 4 - 1}-{31 + 7 * n}",
            "supplier": SUPPLIERS[n % 3],
            "year": today.year - 1 - (n % 4),
            "germination": float(92 - 3 * (n % 5)),
            "packet": 250 if large else 500,
            "price": 4.2 if large else 3.6,
            "thousand_g": 320.0 if large else 3.1,
            "treatment": "fungicide dust, marked pink" if n == 4 else "",
        }
        lot = keep_lot(None, cultivar, known, by)
        came = today - timedelta(days=40 + n)
        write_by_hand(lot, Move.Why.RECEIVED, (4 if large else 2) * known["packet"], came, by, today)  # type: ignore[operator]
        if n % 3 == 0:
            write_by_hand(lot, Move.Why.TAKEN, 140, came + timedelta(days=20), by, today, "germination test and spare pots")
        if n % 5 == 2:
            write_by_hand(lot, Move.Why.COUNTED, 700 if large else 180, today - timedelta(days=4), by, today)


def equip(trial: Trial, by: User) -> None:
    """Materials for every plot, and tasks of the manager's own."""
    add_material(trial, {"name": "Compost mulch", "kind": "layer", "amount": 3, "pack": 60, "price": 5.5})
    feed = {"name": "Nitrogen feed, 21 %", "kind": "nutrient", "amount": 10, "grade": 21, "soil": 14, "pack": 5000, "price": 9}
    add_material(trial, feed)
    steps = {
        "sow": "One seed a cell, 10 mm deep, 60-cell trays on the warm bench.",
        "plant": "Rows 35 cm apart, 30 cm in the row; 15 mm of water on the day.",
        "grow": "20 mm of water a week, rain counted; hoe every second week; no cover.",
        "walk": "Inner plants only; damage is scored before weeds are pulled.",
        "pick": "Heads firm under the thumb, cut at ground level, two outer leaves left on.",
    }
    keep_protocol(trial, steps, timezone.localdate(), "", by)
    add_task(trial, "Lay drip lines", None, "plant", -2, "", by)
    add_task(trial, "Blanch under pots", None, "", 0, "hearts as large as a fist", by)
