"""What stood where before: years since a family, legumes that feed the next crop, and two crops that want one place."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from itertools import pairwise

YEAR = 365.25


@dataclass(frozen=True)
class Use:
    """A stretch of a bed, from `start_m` to `end_m` along its length, taken by something from a day until a day (None: not
    ended). `family` is blank for what belongs to none; `fixes` tells a legume that leaves nitrogen."""

    name: str
    family: str
    start_m: float
    end_m: float
    since: date
    until: date | None
    fixes: bool = False


@dataclass(frozen=True)
class Breach:
    """A family that would return too soon, over a stretch of the bed."""

    before: Use
    start_m: float
    end_m: float
    years: float
    wanted: float


@dataclass(frozen=True)
class Stretch:
    """A part of a bed whose history is the same all along: what stood there last, and whether a legume did."""

    start_m: float
    end_m: float
    last: str
    legume: bool


def _shared(a: Use, b: Use) -> tuple[float, float] | None:
    start, end = max(a.start_m, b.start_m), min(a.end_m, b.end_m)
    return (start, end) if end - start > 1e-6 else None


def breaches(history: Sequence[Use], planned: Use, wanted_years: float) -> list[Breach]:
    """Where the family of `planned` stood fewer than `wanted_years` before it, the shortest gap first.

    Years are counted from the end of the earlier crop (its start while it has no end) to the start of the planned one.
    """
    found = []
    for use in history:
        part = _shared(use, planned)
        if part is None or not use.family or use.family.casefold() != planned.family.casefold() or use.since >= planned.since:
            continue
        years = max(0.0, (planned.since - (use.until or use.since)).days / YEAR)
        if years < wanted_years:
            found.append(Breach(use, *part, years, wanted_years))
    return sorted(found, key=lambda b: (b.years, b.start_m))


def clashes(uses: Sequence[Use]) -> list[tuple[Use, Use]]:
    """Pairs of uses that want the same part of a bed at the same time."""
    found = []
    for i, a in enumerate(uses):
        for b in uses[i + 1 :]:
            together = a.since < (b.until or date.max) and b.since < (a.until or date.max)
            if together and _shared(a, b):
                found.append((a, b))
    return found


def years_since(history: Sequence[Use], on: date) -> dict[str, float]:
    """For each family that stood in a bed, on any part of it: years from its last end to `on`; nought while it stands."""
    found: dict[str, float] = {}
    for use in history:
        if use.family and use.since <= on:
            years = max(0.0, (on - min(use.until or on, on)).days / YEAR)
            found[use.family] = min(years, found.get(use.family, years))
    return found


def stretches(history: Sequence[Use], length_m: float, on: date, legume_years: float = 2.0) -> list[Stretch]:
    """Cut a bed where its history changes: what stood last before `on` on each part, and whether a legume did within
    `legume_years`. Neighbouring parts with the same history are one."""
    past = [u for u in history if u.since < on]
    cuts = sorted({0.0, length_m, *(min(max(m, 0.0), length_m) for u in past for m in (u.start_m, u.end_m))})
    made: list[Stretch] = []
    for start, end in pairwise(cuts):
        middle = (start + end) / 2
        here = [u for u in past if u.start_m <= middle <= u.end_m]
        last = max(here, key=lambda u: u.until or on, default=None)
        legume = any(u.fixes and (on - (u.until or on)).days <= legume_years * YEAR for u in here)
        name = last.name if last else ""
        if made and (made[-1].last, made[-1].legume) == (name, legume):
            made[-1] = Stretch(made[-1].start_m, end, name, legume)
        else:
            made.append(Stretch(start, end, name, legume))
    return made


def confounded(stretches_: Sequence[Stretch], plots: Sequence[tuple[str, float, float]]) -> dict[str, set[str]]:
    """Entries of which every plot lies on one kind of ground while others lie on several: entry → what stood there before.

    `plots` are (entry, start, end along the bed). Empty where the bed has one history or every entry meets each part of it.
    """
    if len({(s.last, s.legume) for s in stretches_}) < 2:
        return {}
    met: dict[str, set[str]] = {}
    for entry, start, end in plots:
        middle = (start + end) / 2
        here = next((s for s in stretches_ if s.start_m <= middle <= s.end_m), None)
        if here is not None:
            met.setdefault(entry, set()).add(here.last or "nothing on record")
    everywhere = set().union(*met.values()) if met else set()
    return {entry: seen for entry, seen in met.items() if len(seen) == 1 < len(everywhere)}
