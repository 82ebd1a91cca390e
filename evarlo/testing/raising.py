"""A small trial that is raised in trays, for tests."""

from __future__ import annotations

from datetime import date, timedelta

from evarlo.grounds.services import site_on_record
from evarlo.nursery.models import Sowing, Tray
from evarlo.nursery.raising import Act, happen
from evarlo.nursery.sowing import Put, new_tray, session_of, sow_cells
from evarlo.people.models import User
from evarlo.seeds.models import Lot, Move
from evarlo.seeds.services import keep_lot, move_stock
from evarlo.testing import world
from evarlo.trials.models import Entry, Trial
from trialcore.reckoning.balance import Kind


class Nursery:
    """Four fennels in three blocks of 18 plants a plot, with a lot of 300 seeds each, `days` after their sowing."""

    def __init__(self, by: User, today: date, days: int = 16) -> None:
        self.by, self.today, self.sown = by, today, today - timedelta(days=days)
        site_on_record("Ostrel Flats")  # without frost dates: whenever the tests run, there is time to sow again
        self.trial: Trial = world.trial(by, sow_on=self.sown, plant_on=self.sown + timedelta(days=34))
        self.entries = {e.code: e for e in self.trial.entries.select_related("cultivar", "trial")}
        self.lots: dict[str, Lot] = {}
        for code, entry in self.entries.items():
            known = {"name": f"K17-{code}", "material": "seed", "germination": 90.0, "year": today.year - 1}
            self.lots[code] = keep_lot(None, entry.cultivar, known, by)
            move_stock(self.lots[code], Move.Why.RECEIVED, 300, self.sown - timedelta(days=9), by, today)
        self.trays: list[Tray] = []

    @property
    def codes(self) -> list[str]:
        return list(self.entries)

    def tray(self, rows: int = 6, cols: int = 12) -> Tray:
        self.trays.append(new_tray(f"T{len(self.trays) + 1}", rows, cols, 40, None, self.sown, self.by))
        return self.trays[-1]

    def sow(self, code: str, tray: Tray, cells: range, medium: str = "sterile", again: bool = False, days: int = 0) -> Sowing:
        session = session_of(self.sown + timedelta(days=days), self.by, {"medium": medium})
        entry: Entry = self.entries[code]
        return sow_cells(Put(entry, self.lots[code], 1, again=again), tray, list(cells), session, self.today)

    def sow_all(self, cells: int = 72) -> dict[str, Sowing]:
        """Each entry in a tray of its own."""
        return {code: self.sow(code, self.tray(), range(cells)) for code in self.codes}

    def count(self, sowing: Sowing, day: int, plants: int, cells: str = "") -> None:
        happen(sowing, Act(Kind.COUNTED, plants, self.sown + timedelta(days=day), cells=cells), self.by, self.today)

    def lose(self, sowing: Sowing, plants: int, cause: str, whose: str = "accident", kind: Kind = Kind.LOST) -> None:
        happen(sowing, Act(kind, plants, self.today, cause, whose), self.by, self.today)
