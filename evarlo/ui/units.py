"""Amounts in the units that a person uses: typed in any, shown in theirs. What is kept is always metric."""

from __future__ import annotations

import re
from contextvars import ContextVar, Token

from django.utils import timezone

from evarlo.ui.words import fixed, plain_number

# How many of the first unit of each family one of each makes.
LENGTH = {
    "mm": 0.001,
    "cm": 0.01,
    "m": 1.0,
    "km": 1000.0,
    "in": 0.0254,
    "inch": 0.0254,
    "inches": 0.0254,
    '"': 0.0254,
    "″": 0.0254,
    "ft": 0.3048,
    "foot": 0.3048,
    "feet": 0.3048,
    "'": 0.3048,
    "′": 0.3048,
    "yd": 0.9144,
}
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


# What a unit is shown as to a person who uses imperial ones, and how many of it one of the other makes.
IMPERIAL = {
    "m": ("ft", 0.3048),
    "cm": ("in", 2.54),
    "mm": ("in", 25.4),
    "km": ("mi", 1.609344),
    "m²": ("sq ft", 0.09290304),
    "kg": ("lb", 0.45359237),
    "g": ("oz", 28.349523125),
    "l": ("gal", 3.785411784),
    "ml": ("fl oz", 29.5735295625),
}
_imperial: ContextVar[bool] = ContextVar("imperial", default=False)


_CLOCK12: ContextVar[bool] = ContextVar("clock12", default=False)


def clock_format() -> str:
    """How a time is written for whoever asks: 16:40, or 4:40 pm."""
    return "g:i a" if _CLOCK12.get() else "H:i"


def looks() -> tuple[bool, bool, str]:
    """How amounts and times look to whoever asks: what was drawn for one is not shown to another who has it otherwise."""
    return _imperial.get(), _CLOCK12.get(), timezone.get_current_timezone_name()


def use_clock12(wanted: bool) -> None:
    """Write times with am and pm from now on, in this request."""
    _CLOCK12.set(wanted)


def use_imperial(imperial: bool) -> Token[bool]:
    """From here on, for this request alone, amounts are shown in imperial units or in metric ones."""
    return _imperial.set(imperial)


def stop_using(token: Token[bool]) -> None:
    """Back to what was before `use_imperial`."""
    _imperial.reset(token)


def unit_shown(unit: str) -> str:
    """The unit in which amounts of `unit` are shown to this person."""
    if not _imperial.get():
        return unit
    return "°F" if unit == "°C" else IMPERIAL[unit][0] if unit in IMPERIAL else unit


def value_shown(value: float, unit: str) -> float:
    """An amount kept in `unit` as a figure in the unit that is shown."""
    if not _imperial.get() or (unit != "°C" and unit not in IMPERIAL):
        return value
    return value * 9 / 5 + 32 if unit == "°C" else value / IMPERIAL[unit][1]


def value_kept(value: float, unit: str) -> float:
    """A figure typed in the unit that is shown, in `unit`, to a thousandth."""
    if not _imperial.get() or (unit != "°C" and unit not in IMPERIAL):
        return value
    return round((value - 32) * 5 / 9 if unit == "°C" else value * IMPERIAL[unit][1], 3)


def figure_shown(value: float, unit: str, digits: int | None = None) -> str:
    """The figure alone, with as many decimals as asked; else as it was given, or with three figures where it was converted."""
    found = value_shown(value, unit)
    if digits is not None:
        return fixed(found, digits)
    if found == value:
        return plain_number(value)
    return plain_number(found, 3) if abs(found) < 100 else fixed(found, 0)


def measured(value: float, unit: str, digits: int | None = None) -> str:
    """An amount kept in `unit` with the unit in which this person reads it: 2.4 m, or 7.87 ft."""
    return f"{figure_shown(value, unit, digits)} {unit_shown(unit)}"
