"""Names that may mean one cultivar: written otherwise, misheard, or a letter wrong."""

from __future__ import annotations

import re
import string
import unicodedata
from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from difflib import SequenceMatcher
from functools import lru_cache

import numpy as np

ALIKE = 0.84  # share of letters in the same order from which two names of some length are taken to be alike
LETTERS = string.ascii_lowercase + string.digits
LEAST = 5  # letters below which only the very same name counts


@dataclass(frozen=True)
class Likeness:
    """Two names that may be one, and why."""

    a: str
    b: str
    why: str


@lru_cache(maxsize=4096)
def folded(name: str) -> str:
    """A name without what people write differently: capitals, accents, spaces, hyphens, quotes and “cv.”."""
    plain = "".join(c for c in unicodedata.normalize("NFKD", name.casefold()) if not unicodedata.combining(c))
    return re.sub(r"\bcv\b|[^a-z0-9]", "", plain.replace("ß", "ss"))


@lru_cache(maxsize=4096)
def _parts(name: str) -> tuple[list[str], list[str]]:
    """The numbers in a name, and its words in order of the alphabet."""
    return re.findall(r"\d+", folded(name)), sorted(re.findall(r"\w+", name.casefold()))


def likeness(a: str, b: str) -> Likeness | None:
    """Why two names may be one cultivar, or None. Names that differ in a number are series, not slips, and do not count."""
    one, other = folded(a), folded(b)
    if not one or not other:
        return None
    if one == other:
        return Likeness(a, b, "the same name, written otherwise")
    (numbers, words), (other_numbers, other_words) = _parts(a), _parts(b)
    if numbers != other_numbers:
        return None
    if words == other_words:
        return Likeness(a, b, "the same words in another order")
    if min(len(one), len(other)) < LEAST:
        return None
    if one in other or other in one:
        return Likeness(a, b, "one name within the other: a selection, or the same")
    if SequenceMatcher(None, one, other, autojunk=False).ratio() >= ALIKE:
        return Likeness(a, b, "nearly the same letters")
    return None


def near_duplicates(names: Sequence[str], different: Iterable[tuple[str, str]] = ()) -> list[Likeness]:
    """All pairs of names that may be one, but for those that are known to be `different`, in the order of the names.

    Only names with the same numbers can be alike, and only ones that share enough letters, whatever their order: among hundreds of
    names few pairs are left to be compared letter by letter.
    """
    known = {frozenset(pair) for pair in different}
    by_numbers: dict[tuple[str, ...], list[int]] = defaultdict(list)
    for i, name in enumerate(names):
        by_numbers[tuple(_parts(name)[0])].append(i)
    pairs = sorted(pair for group in by_numbers.values() if len(group) > 1 for pair in _sharing_letters(names, group))
    return [alike for i, j in pairs if frozenset((names[i], names[j])) not in known and (alike := likeness(names[i], names[j]))]


def _sharing_letters(names: Sequence[str], group: Sequence[int]) -> Iterable[tuple[int, int]]:
    """The pairs of a group whose letters could be in the same order for the share `ALIKE` or more, or one within the other."""
    plain = [folded(names[i]) for i in group]
    counts = np.array([[name.count(c) for c in LETTERS] for name in plain])
    lengths = counts.sum(axis=1)
    for k in range(len(group) - 1):
        shared = np.minimum(counts[k], counts[k + 1 :]).sum(axis=1)
        others = lengths[k + 1 :]
        likely = (2 * shared >= ALIKE * (lengths[k] + others)) | (shared == np.minimum(lengths[k], others))
        for j in np.flatnonzero(likely):
            yield group[k], group[k + 1 + int(j)]
