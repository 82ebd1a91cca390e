"""A sitting of sowing held against what the crop is known to want."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

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
