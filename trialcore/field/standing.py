"""How long what is ready stays fit to sell in the field: known only to lie between two looks at either end."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

from trialcore.analyses.linear import Labels
from trialcore.field.stages import StageDates, analyse_stage


@dataclass(frozen=True)
class Stood:
    """Days from first ready to no longer marketable: `least` for certain, `most` where its end was seen (None while it stands).

    Ready came between the last look before and the first that found it so; the end between the last that found it so and the one
    after."""

    least: float
    most: float | None

    @property
    def middle(self) -> float:
        """The middle of what is possible; what is certain while it stands still."""
        return self.least if self.most is None else (self.least + self.most) / 2


def stood(looks: Sequence[tuple[float, bool]]) -> Stood | None:
    """From looks at one plot as (day, whether it could be sold), in any order; None where it never could.

    Only the first stretch of marketable looks counts: what comes again after it is another crop. Raises ValueError for two
    looks on one day that do not say the same.
    """
    by_day = dict(looks)
    if any(by_day[day] != fit for day, fit in looks):
        raise ValueError("two looks on one day say different things")
    days = sorted(by_day)
    first = next((i for i, d in enumerate(days) if by_day[d]), None)
    if first is None:
        return None
    last = next((i for i, (_, after) in enumerate(pairwise(days)) if i >= first and not by_day[after]), len(days) - 1)
    before = days[first - 1] if first else days[first]
    most = days[last + 1] - before if last + 1 < len(days) else None
    return Stood(days[last] - days[first], most)


def analyse_standing(entry: Labels, seen: Sequence[Stood | None], block: Labels | None = None) -> StageDates:
    """Days standing by entry: normal with interval-censored times, as `analyse_stage` for dates. A plot that was never ready is
    missing. Raises ValueError as that."""
    after = [None if s is None else s.least for s in seen]
    by = [None if s is None else s.most for s in seen]
    return analyse_stage(entry, after, by, block)
