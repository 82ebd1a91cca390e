"""Room for trays: what stands where from when to when, and when it would be too much."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta


@dataclass(frozen=True)
class Stay:
    """`trays` of `what` in a place from `since` until the day before `until`; without an end until they are moved."""

    what: str
    trays: float
    since: date
    until: date | None = None


@dataclass(frozen=True)
class Crowded:
    """Days on which a place holds more than it can: from the first to the last, the most trays, and what stands there."""

    since: date
    until: date | None
    trays: float
    what: tuple[str, ...]


def held(stays: Sequence[Stay], on: date) -> float:
    """Trays in a place on a day."""
    return sum(s.trays for s in stays if s.since <= on and (s.until is None or on < s.until))


def crowded(stays: Sequence[Stay], capacity: float) -> list[Crowded]:
    """When a place holds more than `capacity` trays, in time order. Raises ValueError for an end that is not after its start."""
    for s in stays:
        if s.until is not None and s.until <= s.since:
            raise ValueError(f"{s.what} would leave on {s.until:%-d %b %Y}, before it came")
    turns = sorted({s.since for s in stays} | {s.until for s in stays if s.until})
    found: list[Crowded] = []
    for i, day in enumerate(turns):
        there = [s for s in stays if s.since <= day and (s.until is None or day < s.until)]
        trays = sum(s.trays for s in there)
        if trays <= capacity + 1e-9:
            continue
        end = turns[i + 1] if i + 1 < len(turns) else None
        what = tuple(dict.fromkeys(s.what for s in there))
        last = found[-1] if found else None
        if last and last.until == day - timedelta(days=1):
            both = tuple(dict.fromkeys((*last.what, *what)))
            found[-1] = Crowded(last.since, end - timedelta(days=1) if end else None, max(last.trays, trays), both)
        else:
            found.append(Crowded(day, end - timedelta(days=1) if end else None, trays, what))
    return found
