"""What was reckoned from records that are only ever added to, kept by what it was reckoned from: a change gives another key."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Hashable, Mapping
from threading import Lock
from typing import Generic, TypeVar

K = TypeVar("K", bound=Hashable)
V = TypeVar("V")


class Reckoned(Generic[K, V]):
    """The newest results by their keys, at most `most` of them; what is missing is made for all missing keys at once."""

    def __init__(self, most: int) -> None:
        self.most = most
        self._kept: OrderedDict[K, V] = OrderedDict()
        self._lock = Lock()

    def get(self, wanted: Mapping[int, K], make: Callable[[set[int]], Mapping[int, V]]) -> dict[int, V]:
        """The result of each thing (by id) from its key; `make` is asked once for those that are not kept."""
        with self._lock:
            found = {pk: self._kept[key] for pk, key in wanted.items() if key in self._kept}
        missing = set(wanted) - set(found)
        if missing:
            made = make(missing)
            found |= made
            with self._lock:
                for pk, value in made.items():
                    self._kept[wanted[pk]] = value
                while len(self._kept) > self.most:
                    self._kept.popitem(last=False)
        return found
