"""Letters beside means: entries that share a letter could not be told apart."""

from __future__ import annotations

from collections.abc import Collection, Sequence

Pair = tuple[str, str]


def letter_display(order: Sequence[str], different: Collection[Pair]) -> dict[str, str]:
    """Letters for `order` (best first) such that two entries share a letter exactly when they are not in `different`.

    Insert and absorb (Piepho 2004). Pairs may stand either way round; the first entry gets an `a`. After 26 columns
    letters double (`aa`). Raises ValueError for a pair that names an entry not in `order`.
    """
    place = {name: i for i, name in enumerate(order)}
    if any(name not in place for pair in different for name in pair):
        raise ValueError("a pair names an entry that is not in the order")
    columns: list[frozenset[str]] = [frozenset(order)] if order else []
    for a, b in sorted(different, key=lambda pair: sorted(place[n] for n in pair)):
        split = [c for c in columns if a in c and b in c]
        columns = [c for c in columns if c not in split]
        for column in (part for c in split for part in (c - {a}, c - {b})):
            if not any(column <= other for other in columns):
                columns = [c for c in columns if not c <= column] + [column]
    columns.sort(key=lambda c: sorted(place[n] for n in c))
    marks = {column: _letter(i) for i, column in enumerate(columns)}
    return {name: "".join(marks[c] for c in columns if name in c) for name in order}


def _letter(i: int) -> str:
    return chr(ord("a") + i % 26) * (i // 26 + 1)
