"""When a crop that is picked again and again is ripe for the next round: by the interval agreed, what the last rounds held, and the
warmth since."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from statistics import fmean

MUCH = 0.10  # over-mature part of a round's weight from which a rise shortens the wait
MOST_BY_HEAT = 0.5  # of the interval, by which warmth can move a round


@dataclass(frozen=True)
class Wait:
    """Days from the last round to the next, and how many of them less than agreed are owed to over-mature fruit and to warmth
    (negative where it was cool)."""

    days: int
    for_overmature: int
    for_heat: int


def wait_until_next(every: int, overmature: Sequence[float], warm: Sequence[float] = (), usual: float | None = None) -> Wait:
    """The wait in days after a round.

    `every` is the interval agreed. `overmature` are the over-mature parts (0 to 1) of the rounds so far, the last at the end: one
    that is a tenth or more and above the one before shortens the wait by a day. `warm` are the degree days of each day since the
    last round and `usual` those of a day before it: the round is due once the warmth of an agreed interval has come, days not yet
    on record taken as the mean of those since (or as usual), and by no more than half of the interval. Never below one day.

    Raises ValueError for an interval below a day.
    """
    if every < 1:
        raise ValueError(f"an interval of {every} days")
    late = 1 if len(overmature) > 1 and overmature[-1] >= MUCH and overmature[-1] > overmature[-2] else 0
    by_heat = 0
    if usual and usual > 0 and warm:
        by_heat = every - _days_for(every * usual, warm, usual)
        most = int(every * MOST_BY_HEAT)
        by_heat = max(-most, min(most, by_heat))
    days = max(1, every - late - by_heat)
    return Wait(days, min(late, every - 1), every - late - days if days == 1 else by_heat)


def _days_for(need: float, warm: Sequence[float], usual: float) -> int:
    """Whole days until the warmth is there; it is nearest to it at their end."""
    mean = fmean(warm) or usual
    total, day = 0.0, 0
    while total < need - mean / 2 and day < 400:
        total += warm[day] if day < len(warm) else mean
        day += 1
    return max(1, day)


def overmature_by_wait(days: Sequence[float], overmature_kg: Sequence[float], total_kg: Sequence[float]) -> dict[int, float]:
    """The over-mature part (0 to 1) of all weight by the days since the round before, rounds of one wait taken together. The first
    round has no wait; rounds of no weight tell nothing. Raises ValueError for unequal lengths or days that do not rise."""
    if not len(days) == len(overmature_kg) == len(total_kg):
        raise ValueError("each round needs its day and both weights")
    if any(b <= a for a, b in pairwise(days)):
        raise ValueError("the days of rounds must rise")
    sums: dict[int, list[float]] = {}
    for (before, day), over, total in zip(pairwise(days), overmature_kg[1:], total_kg[1:], strict=True):
        if total > 0:
            kept = sums.setdefault(round(day - before), [0.0, 0.0])
            kept[0] += over
            kept[1] += total
    return {wait: over / total for wait, (over, total) in sorted(sums.items())}
