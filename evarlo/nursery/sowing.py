"""Sowing: trays, sessions, seeds in cells or plots, and taking a sowing back."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from typing import Any

from django.db import transaction
from django.utils import timezone

from evarlo.nursery.models import Place, Session, Sowing, Stay, Step, Tray
from evarlo.nursery.queries import step_rows
from evarlo.nursery.services import keep_step, withdraw_steps
from evarlo.people.corrections import correct
from evarlo.people.models import User
from evarlo.seeds.models import Lot, Move
from evarlo.seeds.services import move_stock
from evarlo.trials.laying import fixed_or_refused
from evarlo.trials.models import Entry, Plot
from evarlo.ui.refused import Refused, only_done
from trialcore.reckoning.trays import MOST_COLS, MOST_ROWS, cell_name, read_cells

SHARED = ("medium", "depth_mm", "orientation", "soak_h", "cover", "warmth_c", "hygiene")  # what a sitting's seeds have in common
MOST_TRAYS = 2000


def cells_typed(text: str, tray: Tray) -> list[int]:
    """The cells of a tray that a text such as “A1-A6, B3” names. Raises Refused for what is no cell of it."""
    try:
        return read_cells(text, tray.rows, tray.cols)
    except ValueError as error:
        raise Refused(str(error), "cells") from error


@transaction.atomic
def new_tray(name: str, rows: int, cols: int, cell_ml: float | None, place: Place | None, on: date, by: User) -> Tray:
    """A tray to sow into, in its place. Raises Refused for a name that another has, or a size beyond reason."""
    if not name.strip() or Tray.objects.filter(name__iexact=name.strip()).exists():
        raise Refused(f"There is a tray {name} already." if name.strip() else "Expected a name for the tray.", "tray_name")
    if not (1 <= rows <= MOST_ROWS and 1 <= cols <= MOST_COLS):
        raise Refused(f"Expected a tray of at most {MOST_ROWS} rows of {MOST_COLS} cells.", "rows")
    if Tray.objects.count() >= MOST_TRAYS:
        raise Refused(f"There are {MOST_TRAYS} trays already; use one that was put away.", "tray_name")
    tray = Tray.objects.create(name=name.strip(), rows=rows, cols=cols, cell_ml=cell_ml, made_at=timezone.now())
    if place:
        Stay.objects.create(tray=tray, place=place, since=on, by=by)
    return tray


@transaction.atomic
def correct_tray(tray: Tray, name: str, rows: int, cols: int, cell_ml: float | None, why: str, by: User) -> None:
    """Put a tray right, on record. Raises Refused for the name of another, and for a shape that would move what is sown."""
    if Tray.objects.filter(name__iexact=name).exclude(pk=tray.pk).exists():
        raise Refused(f"There is a tray {name} already.", "tray_name")
    held = [cell for sowing in tray.sowings.in_force() for cell in sowing.cells]
    if held and cols != tray.cols:
        raise Refused(
            f"Seeds lie in its rows of {tray.cols}: with rows of {cols} they would lie elsewhere. Undo them first.", "cols"
        )
    if held and max(held) >= rows * cols:
        raise Refused(f"Seeds lie in row {max(held) // cols + 1}. Expected at least as many rows.", "rows")
    wanted = {"name": name, "rows": rows, "cols": cols, "cell_ml": cell_ml}
    called = {"name": "name", "rows": "rows", "cols": "cells in a row", "cell_ml": "cell, ml,"}
    correct(tray, wanted, called, why, by)


def session_of(on: date, by: User, shared: Mapping[str, Any]) -> Session:
    """The sitting of that day and person in which everything was as `shared`; a new one where something differs."""
    given = {name: shared.get(name, "" if name in ("medium", "orientation", "cover", "hygiene") else None) for name in SHARED}
    found = Session.objects.filter(on=on, by=by, **given).first()
    return found or Session.objects.create(on=on, by=by, at=timezone.now(), **given)


def taken_cells(tray: Tray) -> dict[int, Sowing]:
    """The sowing in each cell that is not free."""
    rows = tray.sowings.in_force().select_related("entry__trial", "lot")
    return {cell: sowing for sowing in rows for cell in sowing.cells}


@dataclass(frozen=True)
class Put:
    """What is sown: an entry's seeds, for one level of a second factor or for all, from a lot or from one not on record."""

    entry: Entry
    lot: Lot | None
    per_cell: int
    level: str = ""
    again: bool = False


@transaction.atomic
def sow_cells(put: Put, tray: Tray, cells: Sequence[int], session: Session, today: date, sure: bool = False) -> Sowing:
    """Sow an entry into cells of a tray. Its seeds leave the lot, and its plots get the day where they have none.

    Raises Refused for cells that are not free or not there, more seeds than the lot has unless the person is `sure`, and as
    `keep_step`.
    """
    tray = Tray.objects.select_for_update().get(pk=tray.pk)
    trial = put.entry.trial
    fixed_or_refused(trial)
    if not cells:
        raise Refused("Nothing was chosen. Expected the cells that were sown, such as A1-A12.", "cells")
    if put.per_cell < 1:
        raise Refused("Expected at least one seed a cell.", "per_cell")
    taken = taken_cells(tray)
    if wrong := next((c for c in cells if not 0 <= c < tray.cells), None):
        raise Refused(f"{cell_name(wrong, tray.cols)} is no cell of tray {tray}.", "cells")
    if there := next((taken[c] for c in cells if c in taken), None):
        which = cell_name(next(c for c in cells if c in taken), tray.cols)
        raise Refused(f"{which} holds {there.entry.code} already. Choose free cells, or take that sowing back.", "cells")
    seeds = put.per_cell * len(cells)
    sowing = _sown(put, session, seeds, today, sure, tray=tray, cells=sorted(cells))
    plots = trial.plots.filter(entry=put.entry, **({"level": put.level} if put.level else {}))
    if not put.again:
        dated = {row.plot_id for row in step_rows(trial, Step.SOWN)}
        keep_step(trial, Step.SOWN, session.on, [p for p in plots if p.pk not in dated], session.by, today)
    return sowing


@transaction.atomic
def sow_plots(plots: Sequence[Plot], lots: Mapping[int, Lot], seeds: int, session: Session, today: date, sure: bool = False) -> int:
    """Sow plots where they stand, `seeds` in each, from the lot of its entry (by id) where one is named; how many were sown. A
    plot that is sown already is left as it is. Raises Refused as `sow_cells`."""
    if not plots:
        return 0
    trial = plots[0].trial
    done = set(Sowing.objects.in_force().filter(plot__trial=trial).values_list("plot_id", flat=True))
    by_entry: dict[int, list[Plot]] = defaultdict(list)
    for plot in plots:
        if plot.pk not in done:
            by_entry[plot.entry_id].append(plot)
    for entry_id, some in by_entry.items():
        put = Put(some[0].entry, lots.get(entry_id), seeds)
        if put.lot:
            move_stock(put.lot, Move.Why.TAKEN, seeds * len(some), session.on, session.by, today, _why(put), sure)
        Sowing.objects.bulk_create(
            Sowing(session=session, entry=p.entry, level=p.level, lot=put.lot, plot=p, per_cell=seeds, seeds=seeds) for p in some
        )
    sown = [p for some in by_entry.values() for p in some]
    keep_step(trial, Step.SOWN, session.on, sown, session.by, today)
    return len(sown)


def _why(put: Put) -> str:
    return f"sown for {put.entry.trial.name} {put.entry.trial.season}, {put.entry.code}"


def _sown(put: Put, session: Session, seeds: int, today: date, sure: bool, **where: Any) -> Sowing:
    only_done(session.on, today)
    if put.lot:
        move_stock(put.lot, Move.Why.TAKEN, seeds, session.on, session.by, today, _why(put), sure)
    return Sowing.objects.create(
        session=session, entry=put.entry, level=put.level, lot=put.lot, per_cell=put.per_cell, seeds=seeds, again=put.again, **where
    )


@transaction.atomic
def undo_sowing(sowing: Sowing, by: User, today: date) -> None:
    """Take a sowing back: its cells are free, its seeds are in the lot again, and plots that were sown by it alone have no day.
    It stays on record. Raises Refused once something happened to its plants."""
    sowing = Sowing.objects.select_for_update().get(pk=sowing.pk)
    if sowing.undone_at:
        return
    if sowing.happenings.in_force().exists() or sowing.pricked_out.in_force().exists():
        raise Refused("Something was recorded of its plants since. Take that back first.")
    sowing.undone_at, sowing.undone_by = timezone.now(), by
    sowing.save(update_fields=["undone_at", "undone_by"])
    if sowing.lot:
        note = f"sowing of {sowing.entry.code}"
        move_stock(sowing.lot, Move.Why.UNDONE, sowing.seeds, today, by, today, note)
    trial, left = sowing.entry.trial, Sowing.objects.in_force().filter(entry=sowing.entry)
    if sowing.plot_id:
        plots = {sowing.plot_id}
    elif left.filter(level__in=("", sowing.level)).exists():
        return
    else:
        plots = set(trial.plots.filter(entry=sowing.entry).values_list("pk", flat=True))
        if sowing.level:
            plots &= set(trial.plots.filter(level=sowing.level).values_list("pk", flat=True))
    sown = step_rows(trial, Step.SOWN)
    withdraw_steps((row for row in sown if row.plot_id in plots and row.on == sowing.session.on), by)
