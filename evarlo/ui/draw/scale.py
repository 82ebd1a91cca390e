"""From figures to places on a drawing."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import ceil, floor, log10

SHADES = ("#f6efd2", "#dfe3bd", "#bcd3b2", "#92bfae", "#65a6a6", "#3f899a", "#246b86", "#154c66")


@dataclass(frozen=True)
class Scale:
    """A straight map of `low`…`high` onto `start`…`end`."""

    low: float
    high: float
    start: float = 0.0
    end: float = 1.0

    def __call__(self, value: float) -> float:
        span = self.high - self.low
        share = (value - self.low) / span if span else 0.5
        return self.start + share * (self.end - self.start)

    def ticks(self, about: int = 5) -> list[float]:
        """Round figures within the scale, about so many."""
        span = self.high - self.low
        if span <= 0:
            return [self.low]
        raw = span / about
        magnitude = 10.0 ** floor(log10(raw))
        step = next(m * magnitude for m in (1, 2, 2.5, 5, 10) if m * magnitude >= raw)
        near = 1e-12 * max(abs(self.low), abs(self.high))  # what rounding may put a tick beside the end on which it lies
        some = (n * step for n in range(floor(self.low / step), ceil(self.high / step) + 1))
        return [tick for tick in some if self.low - near <= tick <= self.high + near]


def shade_of(value: float, low: float, high: float) -> int:
    """Which of the eight shades a value gets, the lowest 0."""
    if high <= low:
        return 4
    return min(len(SHADES) - 1, int((value - low) / (high - low) * len(SHADES)))


def bounds(values: Sequence[float]) -> tuple[float, float]:
    """Lowest and highest, a little apart even when all are equal."""
    low, high = min(values), max(values)
    return (low, high) if high > low else (low - 0.5, high + 0.5)


def tick_text(value: float, step: float) -> str:
    digits = max(0, -floor(log10(abs(step)))) if step else 0
    digits = digits + 1 if step and round(step, digits) != step else digits
    return f"{value:.{min(digits, 6)}f}".replace("-", "−")
