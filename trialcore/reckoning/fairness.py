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


@dataclass(frozen=True)
class Unlike:
    """Entries that differ from the others in one thing. `apart` when they share no value with the rest at all, so that a
    difference between them can be due to either; otherwise only the shares differ."""

    about: str
    entries: tuple[str, ...]
    theirs: tuple[str, ...]
    usual: tuple[str, ...]
    apart: bool


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
