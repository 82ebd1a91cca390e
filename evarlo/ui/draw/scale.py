"""From figures to places on a drawing."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import ceil, floor, isfinite, log10

from evarlo.ui.words import plain_number

FAR = 1e3  # lengths of the drawing beyond which nothing is drawn
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
        if not isfinite(share):  # what no drawing can show lies at its nearer end
            share = 1.0 if value > self.low else 0.0
        return self.start + max(-FAR, min(FAR, share)) * (self.end - self.start)

    def ticks(self, about: int = 5) -> list[float]:
        """Round figures within the scale, about so many."""
        span = self.high - self.low
        if not isfinite(span) or span < 1e-300 or span <= 1e-12 * max(abs(self.low), abs(self.high)):
            return [self.low] if isfinite(self.low) else []
        raw = span / about
        magnitude = 10.0 ** floor(log10(raw))
        step = next(m * magnitude for m in (1, 2, 2.5, 5, 10) if m * magnitude >= raw)
        near = 1e-12 * max(abs(self.low), abs(self.high))  # what rounding may put a tick beside the end on which it lies
        some = (n * step for n in range(floor(self.low / step), ceil(self.high / step) + 1))
        return [tick for tick in some if self.low - near <= tick <= self.high + near]


def shade_of(value: float, low: float, high: float) -> int:
    """Which of the eight shades a value gets, the lowest 0."""
    if not high > low or not isfinite(share := (value - low) / (high - low)):
        return 4
    return max(0, min(len(SHADES) - 1, int(share * len(SHADES))))


def bounds(values: Sequence[float]) -> tuple[float, float]:
    """Lowest and highest, a little apart even when all are equal."""
    finite = [v for v in values if isfinite(v)] or [0.0]
    low, high = min(finite), max(finite)
    return (low, high) if high > low else (low - 0.5, high + 0.5)


def tick_text(value: float, step: float) -> str:
    if not isfinite(value) or abs(value) >= 1e12:
        return plain_number(value, 3)
    digits = max(0, -floor(log10(abs(step)))) if step and isfinite(step) else 0
    digits = digits + 1 if step and round(step, digits) != step else digits
    return f"{value:.{min(digits, 6)}f}".replace("-", "−")
