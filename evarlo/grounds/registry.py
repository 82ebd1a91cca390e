"""What later places of work add to a bed's history, without the ground knowing them."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from trialcore.reckoning.rotation import Use

if TYPE_CHECKING:
    from evarlo.grounds.models import Bed


@dataclass(frozen=True)
class Taken:
    """A use of a bed from elsewhere, and where it can be looked at."""

    bed: int
    use: Use
    url: str
    yield_kg: float | None = None  # as weighed there; None where nothing was


@dataclass
class Registry:
    """`uses` what stood, stands and is planned on beds; `heights` how tall (cm) what stands by a name grows."""

    uses: list[Callable[[Sequence[Bed]], Iterable[Taken]]] = field(default_factory=list)
    heights: list[Callable[[], Iterable[tuple[str, float]]]] = field(default_factory=list)


registry = Registry()
