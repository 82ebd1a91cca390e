"""How much of a material a plot gets, from a label rate, a nutrient wanted, a depth, or a number a plant."""

from __future__ import annotations

from collections.abc import Mapping
from math import ceil

PER_M2 = {"g/m²": 1.0, "ml/m²": 1.0, "kg/ha": 0.1, "l/ha": 0.1, "t/ha": 100.0}
"""What one unit of a rate puts on a square metre, in g or ml."""


def from_rate(rate: float, unit: str, area_m2: float) -> float:
    """A label rate over an area, in g (or ml for litres): 1 kg/ha is 0.1 g/m².

    Raises ValueError for a unit that is not in `PER_M2`, or figures below nought.
    """
    if unit not in PER_M2:
        raise ValueError(f"“{unit}” is not a rate; expected one of {', '.join(PER_M2)}")
    if rate < 0 or area_m2 < 0:
        raise ValueError("the rate and the area must not be negative")
    return rate * PER_M2[unit] * area_m2


def soil_supply_g_m2(test_mg_kg: float, depth_m: float = 0.2, density_kg_m3: float = 1300.0) -> float:
    """What a soil test says lies in the dug layer, in g/m²: mg/kg × the weight of the layer."""
    if min(test_mg_kg, depth_m, density_kg_m3) < 0:
        raise ValueError("a soil test, its depth and density must not be negative")
    return test_mg_kg * depth_m * density_kg_m3 / 1000


def fertiliser_g(wanted_g_m2: float, grade_percent: float, area_m2: float, supply_g_m2: float = 0.0) -> float:
    """Fertiliser of a grade (percent of the nutrient) that brings what the soil lacks of `wanted_g_m2`, in g over the area.

    Nothing where the soil supplies enough. Raises ValueError for a grade outside 0–100 % or figures below nought.
    """
    if not 0 < grade_percent <= 100:
        raise ValueError("a grade is above 0 and at most 100 %")
    if min(wanted_g_m2, area_m2, supply_g_m2) < 0:
        raise ValueError("nutrients and areas must not be negative")
    return max(0.0, wanted_g_m2 - supply_g_m2) * area_m2 * 100 / grade_percent


def layer_litres(depth_cm: float, area_m2: float) -> float:
    """A layer such as mulch or compost: 1 cm on 1 m² is 10 litres."""
    if depth_cm < 0 or area_m2 < 0:
        raise ValueError("the depth and the area must not be negative")
    return 10 * depth_cm * area_m2


def tank(area_m2: float, water_l_m2: float, dilution_ml_l: float) -> tuple[float, float]:
    """Water (litres) and product (ml) for a spray: `water_l_m2` over the area, `dilution_ml_l` of product in each litre."""
    if min(area_m2, water_l_m2, dilution_ml_l) < 0:
        raise ValueError("areas, water and dilution must not be negative")
    water = area_m2 * water_l_m2
    return water, water * dilution_ml_l


def by_parts(total: float, parts: Mapping[str, float]) -> dict[str, float]:
    """A mixture by parts: what each takes of `total`, in its unit. Raises ValueError without a part above nought."""
    whole = sum(parts.values())
    if whole <= 0 or min(parts.values()) < 0 or total < 0:
        raise ValueError("a recipe needs parts, none of them below nought")
    return {name: total * part / whole for name, part in parts.items()}


def packs(amount: float, each: float) -> int:
    """Whole packs that hold an amount. Raises ValueError for a pack that holds nothing."""
    if each <= 0 or amount < 0:
        raise ValueError("a pack holds something, and the amount is not negative")
    return ceil(amount / each - 1e-9)
