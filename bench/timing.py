"""How a benchmark times and tells."""

from __future__ import annotations

import time
from collections.abc import Callable


def best_of(act: Callable[[], object], times: int = 2) -> float:
    """Seconds of the fastest of some runs."""
    taken = []
    for _ in range(times):
        start = time.perf_counter()
        act()
        taken.append(time.perf_counter() - start)
    return min(taken)


def growth(now: float, before: float, size: float) -> str:
    return "" if not before else f"; {now / before:.1f} times the one before at {size:.1f} times the plots"
