"""Getting raised plants used to the open, and whether a day is fit for planting."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, timedelta
from enum import StrEnum


@dataclass(frozen=True)
class HardeningDay:
    """One day of hardening off: hours outside, and how."""

    on: date
    hours: float
    how: str


def hardening_steps(plant_on: date, days: int) -> list[HardeningDay]:
    """Stepwise over `days` that end the day before planting: from two hours in shade to day and night in the open.

    The first third is spent in shade out of the wind, the second in the sun with the nights under cover, the last out day and
    night. Raises ValueError for fewer than three days or more than thirty.
    """
    if not 3 <= days <= 30:
        raise ValueError("hardening off takes from three to thirty days")
    made = []
    for n in range(days):
        share = n / (days - 1)
        how = "in shade, out of the wind" if share < 1 / 3 else "in the sun, the night under cover" if share < 2 / 3 else "out"
        hours = 24.0 if share >= 2 / 3 else round(2 * (2 + 12 * share)) / 2
        made.append(HardeningDay(plant_on - timedelta(days=days - n), hours, how))
    return made


class Go(StrEnum):
    """Whether a day is fit for planting out."""

    GO = "go"
    PROTECT = "protect"
    WAIT = "wait"


@dataclass(frozen=True)
class Outlook:
    """The next days as somebody typed them: lowest and highest temperature (°C), strongest wind (m/s), rain in all (mm)."""

    tmin: float
    tmax: float
    wind: float = 0.0
    rain: float = 0.0


FROST_KILLS = {"tender": 0.0, "half-hardy": -2.0, "hardy": -6.0}  # °C that young hardened plants of a class still stand
COVER_GIVES = 3.0  # °C under fleece
HOT, WINDY, WET = 30.0, 12.0, 40.0


def planting_day(outlook: Outlook, frost_class: str, hurt_below: float | None = None, hardened: bool = True) -> tuple[Go, str]:
    """Whether to plant out with this weather ahead: go, wait or protect, and the reason in words.

    `frost_class` is tender, half-hardy or hardy, `hurt_below` the temperature (°C) below which the crop is chilled. Plants that
    are not hardened stand 2 °C less. Raises ValueError for a highest temperature below the lowest, or a class that is not known.
    """
    if outlook.tmax < outlook.tmin:
        raise ValueError(f"the highest of {outlook.tmax:g} °C lies below the lowest of {outlook.tmin:g} °C")
    if frost_class not in FROST_KILLS:
        raise ValueError(f"“{frost_class}” is no class; expected tender, half-hardy or hardy")
    soft = 0.0 if hardened else 2.0
    kills = FROST_KILLS[frost_class] + soft
    low = f"{outlook.tmin:g} °C is ahead"
    if outlook.tmin < kills - COVER_GIVES:
        return Go.WAIT, f"{low}; below {kills:g} °C {frost_class} plants die, and a cover gives only about {COVER_GIVES:g} °C."
    if outlook.tmin < kills:
        return Go.PROTECT, f"{low}; below {kills:g} °C {frost_class} plants die. A cover gives about {COVER_GIVES:g} °C."
    if hurt_below is not None and outlook.tmin < hurt_below + soft:
        return Go.PROTECT, f"{low}; below {hurt_below + soft:g} °C the crop is chilled and stands still. Cover it or wait."
    if outlook.rain > WET:
        return Go.WAIT, f"{outlook.rain:g} mm of rain is ahead: the ground smears and roots stand wet."
    if outlook.wind > WINDY:
        return Go.PROTECT, f"Wind of {outlook.wind:g} m/s is ahead: shelter the plants, or wait."
    if outlook.tmax > HOT:
        return Go.PROTECT, f"{outlook.tmax:g} °C is ahead: plant in the evening, water in, and shade the first days."
    return Go.GO, f"From {outlook.tmin:g} to {outlook.tmax:g} °C, wind to {outlook.wind:g} m/s: nothing speaks against it."
