"""Time between what was done and what was seen."""

from __future__ import annotations

from datetime import date


def days_between(start: date | None, end: date | None) -> int | None:
    """Whole days from `start` to `end`, None when either is unknown.

    Raises ValueError when `end` lies before `start`.
    """
    if start is None or end is None:
        return None
    if end < start:
        raise ValueError(f"{end:%-d %b %Y} lies before {start:%-d %b %Y}")
    return (end - start).days
