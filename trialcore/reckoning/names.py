"""Names that may mean one cultivar: written otherwise, misheard, or a letter wrong."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from difflib import SequenceMatcher
from functools import lru_cache

ALIKE = 0.84  # share of letters in the same order from which two names of some length are taken to be alike
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
    """All pairs of names that may be one, but for those that are known to be `different`."""
    known = {frozenset(pair) for pair in different}
    pairs = ((a, b) for i, a in enumerate(names) for b in names[i + 1 :])
    return [alike for a, b in pairs if frozenset((a, b)) not in known and (alike := likeness(a, b))]
