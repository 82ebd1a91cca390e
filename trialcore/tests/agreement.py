"""Holds computed figures against expected ones, each to the tolerance its kind deserves."""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import Any

PASSED_OVER = {"name", "design", "source", "model"}
ROW_NAMES = (("a", "b"), ("entry", "check"), ("source",), ("entry",))


def disagreements(expected: Any, actual: Any, dunnett: float, path: str = "") -> Iterator[str]:
    """Every figure of `expected` that `actual` lacks or has otherwise."""
    if isinstance(expected, dict):
        for key, value in expected.items():
            informative = key.endswith(("_note", "_method", "_error", "_tolerance", "_mvt", "_approx"))
            if key not in PASSED_OVER and not informative:
                yield from disagreements(value, (actual or {}).get(key), dunnett, f"{path}/{key}")
    elif isinstance(expected, list):
        names = next(n for n in ROW_NAMES if all(k in expected[0] for k in n))
        rows = {tuple(str(row[n]) for n in names): row for row in actual or ()}
        for row in expected:
            key = tuple(str(row[n]) for n in names)
            yield from disagreements(row, rows.get(key), dunnett, f"{path}/{'|'.join(key)}")
    elif isinstance(expected, bool) or not isinstance(expected, int | float):
        if expected != actual:
            yield f"{path}: expected {expected!r}, got {actual!r}"
    elif not isinstance(actual, int | float) or not math.isclose(
        expected, actual, rel_tol=_relative(path), abs_tol=_absolute(path, dunnett)
    ):
        yield f"{path}: expected {expected!r}, got {actual!r}"


def _relative(path: str) -> float:
    return 1e-6 if path.rsplit("/", 1)[-1].startswith("p_") else 1e-8


def _absolute(path: str, dunnett: float) -> float:
    last = path.rsplit("/", 1)[-1]
    if last == "p_dunnett":
        return dunnett
    if last.startswith("critical_value"):
        return 0.01
    if last == "p_tukey":
        return 1e-6
    if last.startswith("p_") or last == "p":
        return 1e-9
    return 1e-6 if last in ("estimate", "t") else 1e-10  # a difference of nought is nought beside the means
