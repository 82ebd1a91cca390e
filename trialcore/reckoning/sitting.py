"""A sitting of sowing held against what the crop is known to want."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date, timedelta
from typing import Any

from trialcore.field.degree_days import day_length_hours

LONG_DAY = 14.0  # hours, about where plants of long days bolt or form bulbs; cultivars differ by an hour or two either way
NO_LONG_DAY = 13.0  # hours; where no day is longer, they do not
SURFACE_MM = 3.0  # beyond which a seed that wants light is buried
TOO_DEEP = 1.5  # times the usual depth from which it is asked about
TOO_SHALLOW = 0.4


def sitting_doubts(profile: Mapping[str, Any], depth_mm: float | None, warmth_c: float | None, cover: str = "") -> list[str]:
    """What of a sitting is unlike what the crop wants, each with its reason, in words; nothing where it is as usual.

    `profile` may hold `germination` (`light`, `dark` or other), `depth_mm` (usual depth) and `soil_c` (lowest and highest
    temperature to sow in, °C). `depth_mm` and `warmth_c` are those of the sitting, None where not said.
    """
    said = []
    usual, way = profile.get("depth_mm"), profile.get("germination")
    if way == "light" and depth_mm is not None and depth_mm > SURFACE_MM:
        said.append(f"It germinates in light, and {depth_mm:g} mm buries it: sow on the surface, {SURFACE_MM:g} mm at most")
    elif usual and depth_mm is not None and depth_mm > TOO_DEEP * usual:
        said.append(f"{depth_mm:g} mm is deep for it, {usual:g} mm are usual: small seeds run out of food on the way")
    elif usual and way != "light" and depth_mm is not None and depth_mm < TOO_SHALLOW * usual:
        said.append(f"{depth_mm:g} mm is shallow for it, {usual:g} mm are usual: it dries out and roots badly")
    if way == "dark" and depth_mm is not None and depth_mm < SURFACE_MM and not cover:
        said.append("It germinates in the dark: cover it")
    soil = profile.get("soil_c")
    if soil and warmth_c is not None and not soil[0] <= warmth_c <= soil[1]:
        worse = "it rots before it comes" if warmth_c < soil[0] else "it rests or dies in such heat"
        said.append(f"{warmth_c:g} °C lies outside {soil[0]:g} to {soil[1]:g} °C: {worse}")
    return said


def daylight_doubts(profile: Mapping[str, Any], on: date, latitude: float | None) -> list[str]:
    """What the length of the days until harvest is in the way of, for a sowing `on` a day at a latitude in degrees; nothing where
    it is as usual or the latitude is not known.

    `profile` may hold `daylength` in words (`long day to bolt`, `long day to bulb`, `short day hastens`), `flower_days` and
    `edible_days` from sowing.
    """
    habit, ready = str(profile.get("daylength") or ""), profile.get("edible_days")
    if latitude is None or not ready:
        return []
    first, last = (on + timedelta(days=int(n)) for n in ready)
    hours, when = _longest(latitude, on + (first - on) / 2, first)  # once it is of some size
    if "long day to bolt" in habit and "cold" not in habit and hours >= LONG_DAY:
        return [
            f"It bolts in long days, and before it is ready on {first:%-d %b} they reach {hours:.1f} h on {when:%-d %b}: sow it to "
            "be ready before they do, or once they shorten"
        ]
    if "long day to bulb" in habit and _longest(latitude, on, last)[0] < NO_LONG_DAY:
        return [f"It forms its bulb in long days, and none until it is ready has {NO_LONG_DAY:g} h: take a type of short days"]
    flowers = profile.get("flower_days")
    if "short day" in habit and flowers:
        begins = on + timedelta(days=int(flowers[0]))
        hours = _hours(latitude, begins)
        if hours >= LONG_DAY + 1:
            still = f"on {begins:%-d %b} they still have {hours:.1f} h"
            return [f"It flowers as days shorten, and {still}: expect it later, or take an early type"]
    return []


def _longest(latitude: float, first: date, last: date) -> tuple[float, date]:
    """The longest day of some, in hours, and which it is."""
    return max((_hours(latitude, day), day) for day in (first + timedelta(days=i) for i in range((last - first).days + 1)))


def _hours(latitude: float, day: date) -> float:
    return day_length_hours(latitude, day.timetuple().tm_yday)
