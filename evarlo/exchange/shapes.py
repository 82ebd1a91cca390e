"""What a sheet holds, before anything is made of it: which sheet of the workbook, what its columns mean, what is doubtful."""

from __future__ import annotations

from collections.abc import Mapping
from functools import lru_cache
from hashlib import sha256

from django.db import transaction
from django.utils import timezone

from evarlo.exchange.models import Shape, Sheet
from evarlo.people.models import User
from evarlo.ui.fields import read_day
from evarlo.ui.refused import Refused
from evarlo.ui.uploads import grids_of
from trialcore.formats.messy import Understood, understand

REMEMBERED = ("header", "mean:", "decimal:", "together:")  # of what was chosen: what the next sheet of the shape is taken by


@transaction.atomic
def keep_sheet(name: str, raw: bytes, by: User) -> Sheet:
    """Keep what was uploaded, to be looked at. Raises Refused when it is no sheet."""
    try:
        grids = grids_of(raw)
    except ValueError as error:
        raise Refused(str(error), "file") from None
    kept = [{"name": g.name, "rows": g.rows} for g in grids]
    sheet = Sheet.objects.create(name=name[:120] or "pasted", text="", grids=kept, by=by, at=timezone.now())
    sheet.chosen = {"sheet": str(_fullest(sheet))} if len(kept) > 1 else {}
    before = Shape.objects.filter(names=_digest(understood(sheet))).first()
    choose(sheet, {**sheet.chosen, **(before.chosen if before else {})})
    return sheet


def _fullest(sheet: Sheet) -> int:
    """Which sheet of a workbook is looked at unasked: that with most lines under names of columns. A cover page is no trial."""
    lines = []
    for i, _ in enumerate(sheet.grids):
        sheet.chosen = {"sheet": str(i)}
        told = understood(sheet)
        lines.append(len(rows_of(sheet)) - told.header - len(told.left_out) if told.columns else 0)
    return lines.index(max(lines))


@transaction.atomic
def choose(sheet: Sheet, chosen: Mapping[str, str]) -> Understood:
    """Take a sheet as somebody says, and keep the plain table that comes of it once nothing is open."""
    sheet.chosen = {key: str(value)[:200] for key, value in chosen.items() if value}
    told = understood(sheet)
    sheet.text = told.tidy
    sheet.save(update_fields=["chosen", "text"])
    return told


@transaction.atomic
def remember(sheet: Sheet) -> None:
    """What the columns of a sheet meant, for the next one of that shape."""
    kept = {key: value for key, value in sheet.chosen.items() if key.startswith(REMEMBERED)}
    if kept:
        names = _digest(understood(sheet, proposed=True))
        Shape.objects.update_or_create(names=names, defaults={"chosen": kept, "at": timezone.now()})


def understood(sheet: Sheet, *, proposed: bool = False) -> Understood:
    """A sheet as it is understood with what was chosen, or as it was proposed."""
    rows = rows_of(sheet)
    return _read(tuple(tuple(r) for r in rows), tuple(sorted(() if proposed else sheet.chosen.items())))


@lru_cache(maxsize=4)
def _read(rows: tuple[tuple[str, ...], ...], chosen: tuple[tuple[str, str], ...]) -> Understood:
    """A long sheet is asked for several times in a row."""
    return understand(rows, dict(chosen), read_day)


def rows_of(sheet: Sheet) -> list[list[str]]:
    """The cells of the sheet of a workbook that was chosen, else of its first."""
    at = str(sheet.chosen.get("sheet", "0"))
    index = int(at) if at.isdecimal() and int(at) < len(sheet.grids) else 0
    rows: list[list[str]] = sheet.grids[index]["rows"] if sheet.grids else []
    return rows


def _digest(told: Understood) -> str:
    return sha256("\n".join(c.name.casefold() for c in told.columns).encode()).hexdigest()
