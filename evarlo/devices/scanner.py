"""Code scanners: they type what they read and Enter, as a keyboard does; and the simulated one that ships."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Protocol

ENTER = "Enter"


class CodeScanner(Protocol):
    """Whatever reads the code of a stake."""

    def keys(self, code: str) -> Iterator[str]:
        """The keys it presses for a code that is held before it; none where it reads nothing."""
        ...


class SimulatedScanner:
    """A scanner that does not exist: it reads every code as it is."""

    def keys(self, code: str) -> Iterator[str]:
        yield from code
        yield ENTER


def typed_by(keys: Iterator[str]) -> str:
    """The text in a field after these keys, up to Enter; empty where Enter did not come."""
    text = ""
    for key in keys:
        if key == ENTER:
            return text
        text += key
    return ""
