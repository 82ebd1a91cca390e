"""What is known of a crop: every figure of its profile, in one list that the form, the page and the shipped data share."""

from __future__ import annotations

import csv
import re
from dataclasses import dataclass
from pathlib import Path

SHIPPED = "General horticultural knowledge, shipped with Evarlo. Ranges where it varies; set your own where you know better."


@dataclass(frozen=True)
class Field:
    """One figure: `kind` is `number`, `range` (two numbers, the lower first), `choice` or `words`."""

    key: str
    label: str
    kind: str
    unit: str = ""
    choices: tuple[str, ...] = ()
    low: float = -60
    high: float = 3000
    hint: str = ""


GROUPS: tuple[tuple[str, tuple[Field, ...]], ...] = (
    (
        "What it is",
        (
            Field("also", "Also called", "words", hint="With commas between"),
            Field("species", "Species", "words"),
            Field("family", "Family", "words", hint="For rotation"),
            Field("life", "Life", "words"),
            Field("cutoff", "Harvest ends with", "words"),
        ),
    ),
    (
        "Warmth and light",
        (
            Field("frost", "Frost", "choice", choices=("hardy", "half-hardy", "tender")),
            Field("chilling_c", "Hurt below", "number", "°C"),
            Field("base_c", "Grows above", "number", "°C", hint="Base of degree days"),
            Field("upper_c", "No faster above", "number", "°C", hint="Upper limit of degree days"),
            Field("heat_limit_c", "Sets poorly above", "number", "°C"),
            Field("night_limit_c", "And on nights above", "number", "°C", hint="Lowest temperature of the night"),
            Field("daylength", "Day length", "words"),
        ),
    ),
    (
        "Ground",
        (
            Field("soil_c", "Soil to sow in", "range", "°C"),
            Field("ph", "pH", "range", low=3, high=10),
            Field("feeding", "Feeding", "words"),
            Field("rotation_years", "Years between", "number", "years", low=0, high=30),
        ),
    ),
    (
        "Sowing and raising",
        (
            Field("raising", "Raised", "words"),
            Field("germination", "Germinates in", "choice", choices=("either", "light", "dark", "tuber", "clove", "crown")),
            Field("depth_mm", "Depth", "number", "mm", low=0, high=500),
            Field("transplant_days", "Age to plant out", "range", "days", low=0, high=400),
            Field("cell_ml", "Cell", "number", "ml", low=0, high=20000),
            Field("seed_years", "Seed keeps", "range", "years", low=0, high=30),
            Field("support", "Support", "words"),
        ),
    ),
    (
        "Time",
        (
            Field("emergence_days", "Sowing to emergence", "range", "days", low=0, high=400),
            Field("flower_days", "Sowing to flower", "range", "days", low=0, high=400),
            Field("edible_days", "Sowing to first edible", "range", "days", low=0, high=1200),
            Field("edible_rule", "Edible when", "words"),
            Field("picking", "Picked", "choice", choices=("once over", "repeated")),
        ),
    ),
    (
        "Seed saving",
        (
            Field("pollination", "Pollination", "words"),
            Field("crossing", "Crosses with", "words", hint="Crops of one group cross"),
            Field("isolation_m", "Isolation", "number", "m", low=0, high=10000),
        ),
    ),
    (
        "Size",
        (
            Field("height_cm", "Height", "range", "cm", low=0, high=1000),
            Field("spread_cm", "Spread", "range", "cm", low=0, high=1000),
        ),
    ),
    (
        "Watch for",
        (
            Field("vulnerable", "Vulnerable", "words"),
            Field("lookalikes", "Look-alike troubles", "words"),
            Field("cautions", "Caution", "words"),
        ),
    ),
)
FIELDS = {field.key: field for _, fields in GROUPS for field in fields}
LONGEST = 200
SPACING = ("between_rows_cm", "in_row_cm", "cv_percent")  # what a new trial is filled in with; columns of their own


def read_value(field: Field, text: str) -> object:
    """What was typed for a field: a number, a pair of numbers, or words; None for nothing. Raises ValueError in words."""
    text = " ".join(text.split())
    if not text:
        return None
    if field.kind == "words":
        if len(text) > LONGEST or any(not c.isprintable() for c in text):
            raise ValueError(f"Found {len(text)} characters. Expected plain words, {LONGEST} characters at most.")
        return text
    if field.kind == "choice":
        if text not in field.choices:
            raise ValueError(f"Found “{text[:24]}”. Expected one of {', '.join(field.choices)}.")
        return text
    plain = text.removesuffix(field.unit).strip() if field.unit else text
    number = r"[-−]?[0-9]+(?:[.,][0-9]+)?"
    found = re.fullmatch(rf"({number})(?:\s*(?:-|–|to)\s*({number}))?", plain)
    if not found or (field.kind == "number" and found[2]):
        wanted = "one or two numbers, such as 18–25" if field.kind == "range" else "a number, such as 12"
        raise ValueError(f"Found “{text[:24]}”. Expected {wanted} {field.unit}".strip() + ".")
    values = [float(v.replace("−", "-").replace(",", ".")) for v in found.groups() if v]
    if any(not field.low <= v <= field.high for v in values):
        raise ValueError(f"Found “{text[:24]}”. Expected {field.low:g} to {field.high:g} {field.unit}".strip() + ".")
    if field.kind == "number":
        return values[0]
    low, high = values[0], values[-1]
    if high < low:
        raise ValueError(f"Found “{text[:24]}”. Expected the lower number first.")
    return [low, high]


def shown(field: Field, value: object, unit: bool = True) -> str:
    """A value as people write it, empty for None."""
    if value is None or value == "":
        return ""
    tail = f" {field.unit}" if unit and field.unit else ""
    if isinstance(value, list):
        low, high = value
        text = f"{low:g}" if low == high else f"{low:g}–{high:g}"
    else:
        text = f"{value:g}" if isinstance(value, int | float) else str(value)
    return text.replace("-", "−" if isinstance(value, int | float | list) else "-") + tail


@dataclass(frozen=True)
class ShippedCrop:
    name: str
    between_rows_cm: float
    in_row_cm: float
    cv_percent: float
    profile: dict[str, object]


def shipped_crops() -> list[ShippedCrop]:
    """The crops that come with Evarlo."""
    with (Path(__file__).parent / "crops.csv").open(encoding="utf-8", newline="") as file:
        rows = list(csv.DictReader(file, delimiter=";"))
    return [
        ShippedCrop(
            row["name"],
            float(row["between_rows_cm"]),
            float(row["in_row_cm"]),
            float(row["cv_percent"]),
            {key: value for key, field in FIELDS.items() if (value := read_value(field, row[key])) is not None},
        )
        for row in rows
    ]
