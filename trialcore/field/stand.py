"""How many plants a plot carries on a day."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date


@dataclass(frozen=True)
class Stand:
    """The plants of one plot over a season, in whole plants: how many were set out (None when nobody knows), what was counted on
    which day, and by how many there were fewer or more from a day on (a plant lost is −1, one put in or come again +1)."""

    set_out: int | None = None
    counts: Sequence[tuple[date, int]] = ()
    changes: Sequence[tuple[date, int]] = ()

    def on(self, day: date) -> int | None:
        """Plants on `day`: the newest count on or before it and what changed since; before the first count those set out and
        what changed. A count made later never reaches back. None when neither is known."""
        known = [(on, n) for on, n in self.counts if on <= day]
        since, plants = max(known, default=(None, self.set_out))
        if plants is None:
            return None
        return max(0, plants + sum(n for on, n in self.changes if on <= day and (since is None or on > since)))

    @property
    def over(self) -> int:
        """By how many the largest count is above what was set out and put in since; nought when it is not."""
        if self.set_out is None:
            return 0
        put_in = sum(n for _, n in self.changes if n > 0)
        return max(0, max((n for _, n in self.counts), default=0) - self.set_out - put_in)
