"""Amounts typed in another unit than the field's own: what is kept is always the field's."""

from __future__ import annotations

import re

# How many of the first unit of each family one of each makes.
LENGTH = {"mm": 0.001, "cm": 0.01, "m": 1.0, "km": 1000.0, "in": 0.0254, "inch": 0.0254, "inches": 0.0254, '"': 0.0254, "″": 0.0254,
          "ft": 0.3048, "foot": 0.3048, "feet": 0.3048, "'": 0.3048, "′": 0.3048, "yd": 0.9144}  # fmt: skip
WEIGHT = {"g": 0.001, "kg": 1.0, "oz": 0.028349523125, "lb": 0.45359237, "lbs": 0.45359237}
VOLUME = {"ml": 0.001, "l": 1.0, "fl oz": 0.0295735295625, "gal": 3.785411784}
FAMILIES = (LENGTH, WEIGHT, VOLUME)

NUMBER = r"[+-]?(?:[0-9]+(?:[.,][0-9]*)?|[.,][0-9]+)"
PART = re.compile(rf"({NUMBER})\s*([a-z′″'\"]+(?: oz)?)", re.IGNORECASE)


def in_unit(text: str, unit: str) -> float | None:
    """The amount `text` names, in `unit`, when it is written with a unit of the same family: “3 ft”, “5 ft 6 in”, “18"”,
    “1,5 m”, “50 °F”. None when it is not written so."""
    plain = " ".join(text.replace("−", "-").split())
    if unit == "°C" and (warm := re.fullmatch(rf"({NUMBER})\s*°?F", plain, re.IGNORECASE)):
        return (_number(warm[1]) - 32) * 5 / 9
    family = next((f for f in FAMILIES if unit.casefold() in f), None)
    if family is None or not re.fullmatch(rf"(?:{PART.pattern}\s*)+", plain, re.IGNORECASE):
        return None
    parts = [(_number(number), name.casefold()) for number, name in PART.findall(plain)]
    if not parts or any(name not in family for _, name in parts):
        return None
    sign = -1.0 if parts[0][0] < 0 else 1.0
    total = sum(abs(number) * family[name] for number, name in parts) * sign
    return round(total / family[unit.casefold()], 6)


def _number(text: str) -> float:
    return float(text.replace(",", "."))
