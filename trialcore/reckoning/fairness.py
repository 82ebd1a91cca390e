"""Whether entries were treated alike in all but their names."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

MISLEADS = 0.2  # by how much the share of an entry's plants under a treatment may differ from that of all before it is said


@dataclass(frozen=True)
class Fact:
    """That `plants` of an entry (or plots, seeds: one measure for each `about`) had `value` of what `about` names."""

    about: str
    entry: str
    value: str
    plants: float = 1.0
    amount: float | None = None  # the value as a number, where a small difference is no difference: days, millimetres, plants


@dataclass(frozen=True)
class Unlike:
    """Entries that differ from the others in one thing. `apart` when they share no value with the rest at all, so that a
    difference between them can be due to either; otherwise only the shares differ."""

    about: str
    entries: tuple[str, ...]
    theirs: tuple[str, ...]
    usual: tuple[str, ...]
    apart: bool


@dataclass(frozen=True)
class Besides:
    """In what an entry differs from the check besides its name: `theirs` against what the `check` had, and by how much where both
    are amounts. `apart` when they share no value, so that a difference between them can be due to either."""

    about: str
    theirs: tuple[str, ...]
    check: tuple[str, ...]
    by: float | None
    apart: bool


def besides(facts: Sequence[Fact], check: str, slack: Mapping[str, float] | None = None) -> dict[str, tuple[Besides, ...]]:
    """In what each entry differs from the check, what stands apart first; entries that differ in nothing are not in it.

    `slack` is by how much the mean amounts of a thing may differ and still count as alike. Where entry and check had the same
    values a difference is said when one value's share of the plants is more than a fifth off. A thing of which nothing is known
    for one of the two says nothing.
    """
    had: dict[str, dict[str, list[Fact]]] = defaultdict(lambda: defaultdict(list))
    for f in facts:
        had[f.about][f.entry].append(f)
    found: dict[str, list[Besides]] = defaultdict(list)
    for about, by_entry in had.items():
        theirs = by_entry.get(check)
        if not theirs:
            continue
        for entry, own in by_entry.items():
            if entry != check and (unlike := _beside(about, own, theirs, (slack or {}).get(about, 0.0))):
                found[entry].append(unlike)
    return {entry: tuple(sorted(some, key=lambda b: (not b.apart, b.about))) for entry, some in found.items()}


def _beside(about: str, own: Sequence[Fact], theirs: Sequence[Fact], slack: float) -> Besides | None:
    mine, others = _counts(own), _counts(theirs)
    by = None
    if all(f.amount is not None for f in (*own, *theirs)):
        by = _mean_amount(own) - _mean_amount(theirs)
        if abs(by) <= slack:
            return None
    apart = not set(mine) & set(others)
    if not apart and all(abs(_share(mine, v) - _share(others, v)) <= MISLEADS for v in {*mine, *others}):
        return None
    return Besides(about, tuple(sorted(mine)), tuple(sorted(others)), by, apart)


def _counts(facts: Sequence[Fact]) -> Counter[str]:
    counted: Counter[str] = Counter()
    for f in facts:
        counted[f.value] += f.plants  # type: ignore[assignment]
    return counted


def _share(counted: Counter[str], value: str) -> float:
    of = sum(counted.values())
    return counted[value] / of if of else 0.0


def _mean_amount(facts: Sequence[Fact]) -> float:
    return sum((f.amount or 0.0) * f.plants for f in facts) / sum(f.plants for f in facts)


def audit(facts: Sequence[Fact]) -> list[Unlike]:
    """What differs between entries, the gravest first; nothing where all had the same shares of the same.

    For each thing the usual treatment is that of most entries. An entry differs when the set of values it had is another, or
    when a value's share of its plants lies more than a fifth off the share among the usual entries.
    """
    about: dict[str, dict[str, Counter[str]]] = defaultdict(lambda: defaultdict(Counter))
    for f in facts:
        about[f.about][f.entry][f.value] += f.plants  # type: ignore[assignment]
    found = []
    for thing, by_entry in about.items():
        found += _unlike(thing, by_entry)
    return sorted(found, key=lambda u: (not u.apart, u.about, u.entries))


def _unlike(thing: str, by_entry: Mapping[str, Counter[str]]) -> list[Unlike]:
    sets: dict[frozenset[str], list[str]] = defaultdict(list)
    for entry, had in by_entry.items():
        sets[frozenset(had)].append(entry)
    usual, entries = max(sets.items(), key=lambda x: (len(x[1]), sorted(x[0])))
    shares = _shares([by_entry[e] for e in entries])
    found = []
    for values, some in sets.items():
        if values != usual:
            found.append(Unlike(thing, tuple(sorted(some)), _sorted(values), _sorted(usual), not values & usual))
    for entry in entries:
        own = _shares([by_entry[entry]])
        if any(abs(own[v] - shares[v]) > MISLEADS for v in usual):
            found.append(Unlike(thing, (entry,), _parts(own), _parts(shares), False))
    return found


def _shares(counted: Sequence[Counter[str]]) -> dict[str, float]:
    """Each value's share, every entry with the same weight."""
    total: dict[str, float] = defaultdict(float)
    for had in counted:
        of = sum(had.values())
        for value, n in had.items():
            total[value] += n / of / len(counted) if of else 0.0
    return total


def _sorted(values: frozenset[str]) -> tuple[str, ...]:
    return tuple(sorted(values))


def _parts(shares: Mapping[str, float]) -> tuple[str, ...]:
    return tuple(f"{100 * share:.0f} % {value}" for value, share in sorted(shares.items()))
