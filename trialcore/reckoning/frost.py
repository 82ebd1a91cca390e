"""One frost risk for a place: from typed dates or from the record, moved by what the bed stands under."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import date, timedelta
from typing import Literal

SPREAD_DAYS = 13  # between the even chance and one year in ten where only the even chance is known (a usual spread of 10 days)
OUTVOTES = 5  # years of record from which it counts for more than typed dates
SHELTER_DAYS: Mapping[str, int] = {"tunnel": 14, "glass": 28}  # by which frost ends earlier and begins later there, unheated

Source = Literal["typed", "record"]


@dataclass(frozen=True)
class Frost:
    """Month and day (as `04-12`) after which frost still comes, and before which it comes again, by risk: 0.9, 0.5 and 0.1.
    `years` are those of the record, nought for typed dates; `moved` the days by which shelter moves both ends."""

    last: Mapping[float, str]
    first: Mapping[float, str]
    source: Source
    years: int = 0
    moved: int = 0

    @property
    def last_text(self) -> str:
        """The last frost in half of the years, as people write it: 12 Apr."""
        return _said(self.last[0.5])

    @property
    def first_text(self) -> str:
        """The first frost in half of the years."""
        return _said(self.first[0.5])


def _said(month_day: str) -> str:
    return f"{date.fromisoformat(f'2000-{month_day}'):%-d %b}"


def frost_at(
    typed: tuple[str, str] | None, record: tuple[Mapping[float, str], Mapping[float, str], int] | None, by: Source | None = None
) -> Frost | None:
    """The frost of a place. `typed` are its last and first frost in half of the years; `record` both ends by risk and its years.

    Where both are known the record counts from five years on, else what was typed; `by` names one that a person chose. None
    where neither is known.
    """
    known = record is not None and (typed is None or record[2] >= OUTVOTES)
    if record is not None and (by == "record" or (known and by != "typed") or typed is None):
        return Frost(dict(record[0]), dict(record[1]), "record", record[2])
    if typed is None:
        return None
    last, first = typed
    return Frost(
        {0.9: _moved(last, -SPREAD_DAYS), 0.5: last, 0.1: _moved(last, SPREAD_DAYS)},
        {0.9: _moved(first, SPREAD_DAYS), 0.5: first, 0.1: _moved(first, -SPREAD_DAYS)},
        "typed",
    )


def sheltered(frost: Frost, environment: str) -> Frost:
    """The frost under a tunnel or glass without heating; in the open and in containers as it is."""
    days = SHELTER_DAYS.get(environment, 0)
    if not days:
        return frost
    last = {risk: _moved(day, -days) for risk, day in frost.last.items()}
    first = {risk: _moved(day, days) for risk, day in frost.first.items()}
    return replace(frost, last=last, first=first, moved=days)


def comes_on(frost: Frost, day: date, risk: float = 0.5) -> bool:
    """Whether frost still comes after `day` in the cold half of the year, with that risk."""
    at, last, first = f"{day:%m-%d}", frost.last[risk], frost.first[risk]
    return at < last or at >= first if first > last else first <= at < last


def _moved(month_day: str, days: int) -> str:
    start = date.fromisoformat(f"2001-{'02-28' if month_day == '02-29' else month_day}")
    return f"{start + timedelta(days=days):%m-%d}"
