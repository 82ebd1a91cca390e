"""Days and hours for which a treatment keeps people out of a plot, and its harvest off the table.

The label and local rules decide; these are the figures somebody read from them, reckoned onto the calendar.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, datetime, timedelta


@dataclass(frozen=True)
class Interval:
    """What was done when, the hours nobody enters after it and the days nothing is picked after it."""

    what: str
    done: datetime
    entry_hours: float = 0.0
    pick_days: int = 0


@dataclass(frozen=True)
class Held:
    """How long a plot is closed to people, and the first day on which it may be picked, each with what asks for it; None where
    nothing does any more."""

    entry_until: datetime | None
    entry_for: str
    pick_from: date | None
    pick_for: str


def entry_until(interval: Interval) -> datetime:
    """The moment from which a treated plot may be entered again. Raises ValueError for hours below nought."""
    if interval.entry_hours < 0:
        raise ValueError("hours cannot be below nought")
    return interval.done + timedelta(hours=interval.entry_hours)


def pick_from(interval: Interval) -> date:
    """The first day on which a treated plot may be picked: the day of treatment counts as day nought. Raises ValueError for
    days below nought."""
    if interval.pick_days < 0:
        raise ValueError("days cannot be below nought")
    return interval.done.date() + timedelta(days=interval.pick_days)


def held(intervals: Iterable[Interval], now: datetime) -> Held:
    """The strictest of what still holds at `now`."""
    out: tuple[datetime, str] | None = None
    pick: tuple[date, str] | None = None
    for t in intervals:
        until, first = entry_until(t), pick_from(t)
        if until > now and (out is None or until > out[0]):
            out = (until, t.what)
        if first > now.date() and (pick is None or first > pick[0]):
            pick = (first, t.what)
    return Held(out[0] if out else None, out[1] if out else "", pick[0] if pick else None, pick[1] if pick else "")


def next_times(first: date, every_days: int, done: Iterable[date], until: date) -> date | None:
    """When a repeated treatment is next to be done: `every_days` after the last time; None beyond `until`. Raises ValueError
    for an interval below a day."""
    if every_days < 1:
        raise ValueError("it is repeated after one day at least")
    last = max([first, *done])
    due = last + timedelta(days=every_days)
    return due if due <= until else None
