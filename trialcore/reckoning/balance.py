"""The balance book of plants being raised: what was sown is alive, planted, lost for a cause, not up, or unexplained."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from enum import StrEnum


class Kind(StrEnum):
    """What can be written down of plants being raised."""

    COUNTED = "counted"  # plants standing now
    LOST = "lost"  # plants that were up, for a cause
    THINNED = "thinned"  # cut out
    PRICKED_OUT = "pricked out"  # moved to cells of their own: they leave this lot of cells
    PLANTED = "planted"
    GRADED_OUT = "graded out"  # alive but not fit to plant
    GIVEN = "given away"  # surplus
    NOT_UP = "not up"  # seeds of which it is known why they did not come up


@dataclass(frozen=True)
class Event:
    """Something that happened to `plants` of one sowing. `cause` in words for what was lost or did not come up."""

    kind: Kind
    plants: int
    cause: str = ""


@dataclass(frozen=True)
class Balance:
    """`sown` = `standing` + `left` by kind + `lost` by cause + `missing` + `not_up` by cause + `waiting`.

    `came_up` counts every plant that was ever up; `missing` those that were and vanished without a cause; `waiting` the seeds
    that are not up and of which nothing is known.
    """

    sown: int
    standing: int = 0
    missing: int = 0
    came_up: int = 0
    left: Mapping[Kind, int] = field(default_factory=dict)
    lost: Mapping[str, int] = field(default_factory=dict)
    not_up: Mapping[str, int] = field(default_factory=dict)

    @property
    def waiting(self) -> int:
        """Seeds that are not up and of which nothing else is known."""
        return self.sown - self.came_up - sum(self.not_up.values())

    @property
    def planted(self) -> int:
        """Plants that stand in their plots."""
        return self.left.get(Kind.PLANTED, 0)

    @property
    def taken_out(self) -> int:
        """Plants that left alive otherwise than into a plot."""
        return sum(self.left.values()) - self.planted

    @property
    def not_up_known(self) -> int:
        """Seeds that did not come up for a known cause."""
        return sum(self.not_up.values())

    @property
    def unexplained(self) -> int:
        """What nobody can account for: vanished, or never up without a cause."""
        return self.missing + self.waiting


def balance(sown: int, events: Iterable[Event]) -> Balance:
    """Replay what happened, in order.

    A count above what the book has means that more came up, or that some taken for lost are there again; one below it means
    that some went missing. Plants that leave or are lost without having been counted must have come up.

    Raises ValueError, in words, for a count below nought or for more plants than were sown and can still be.
    """
    if sown < 0:
        raise ValueError("the number sown must not be negative")
    standing = missing = came_up = 0
    left: dict[Kind, int] = defaultdict(int)
    lost: dict[str, int] = defaultdict(int)
    not_up: dict[str, int] = defaultdict(int)
    for event in events:
        n = event.plants
        if n < 0:
            raise ValueError(f"{n} plants cannot be")
        if event.kind == Kind.NOT_UP:
            not_up[event.cause] += n
        else:
            more = n - standing
            if more > 0:  # more than the book has: taken for missing, or newly up
                back = min(missing, more)
                missing, came_up, standing = missing - back, came_up + more - back, standing + more
            if event.kind == Kind.COUNTED:
                missing, standing = missing + standing - n, n
            else:
                standing -= n
                if event.kind == Kind.LOST:
                    lost[event.cause] += n
                else:
                    left[event.kind] += n
        most = sown - sum(not_up.values())
        if came_up > most:
            raise ValueError(f"{n} {event.kind} would make {came_up} plants up in all, of {most} seeds that could come up")
    return Balance(sown, standing, missing, came_up, dict(left), dict(lost), dict(not_up))


def together(balances: Iterable[Balance], pricked_out: int = 0) -> Balance:
    """The balances of several sowings as one. Of these, `pricked_out` plants stand in cells that are among the sowings
    themselves, so they neither left nor were sown anew."""
    sown = standing = missing = came_up = 0
    left: dict[Kind, int] = defaultdict(int)
    lost: dict[str, int] = defaultdict(int)
    not_up: dict[str, int] = defaultdict(int)
    for b in balances:
        sown, standing, missing, came_up = sown + b.sown, standing + b.standing, missing + b.missing, came_up + b.came_up
        for total, part in ((left, b.left), (lost, b.lost), (not_up, b.not_up)):
            for key, n in part.items():
                total[key] += n  # type: ignore[index]
    if pricked_out:
        left[Kind.PRICKED_OUT] -= pricked_out
    return Balance(
        sown - pricked_out, standing, missing, came_up - pricked_out, {k: n for k, n in left.items() if n}, dict(lost), dict(not_up)
    )
