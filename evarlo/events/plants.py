"""Which plants of a plot an event hurt and which of them live, from what is marked at their stations."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass

from evarlo.events.models import Event, Hit
from evarlo.nursery.models import StationMark
from evarlo.nursery.queries import marks_in
from evarlo.trials.models import Trial

What = StationMark.What


@dataclass(frozen=True)
class Lives:
    """Of the plants that stood before: how many were hurt or killed, how many of those are dead, and how many there again."""

    stood: int
    hurt: int
    dead: int
    back: int

    @property
    def damage(self) -> float:
        """Plants hurt, in percent of those that stood."""
        return 100 * self.hurt / self.stood if self.stood else 0.0

    @property
    def recovery(self) -> float | None:
        """Plants there again, in percent of those hurt; None where none was."""
        return 100 * self.back / self.hurt if self.hurt else None


def marks_by_plot(trial: Trial) -> dict[int, list[StationMark]]:
    """Every mark at a station that stands, the oldest first."""
    found: dict[int, list[StationMark]] = defaultdict(list)
    for mark in marks_in(trial):
        found[mark.plot_id].append(mark)
    return found


def lives_of(event: Event, hit: Hit, marks: Sequence[StationMark]) -> Lives | None:
    """What became of a plot's plants since the event; None where nobody looked yet."""
    before: dict[int, str] = {}
    newest: dict[int, str] = {}
    touched: set[int] = set()
    for mark in marks:
        if mark.on < event.on:
            before[mark.station] = mark.what
        else:
            newest[mark.station] = mark.what
            touched |= {mark.station} if mark.what in (What.GAP, What.HURT) else set()
    if not newest and hit.looked_on is None:
        return None
    gone = {station for station, what in before.items() if what == What.GAP}
    hurt = touched - gone
    spacing = event.trial.spacing_of(hit.plot.entry)
    stood = max(len(hurt), (spacing.stations if spacing else 0) - len(gone))
    dead = sum(newest[s] == What.GAP for s in hurt)
    return Lives(stood, len(hurt), dead, sum(newest[s] == What.BACK for s in hurt))
