"""Numbers as people write them: decimal points or commas, thousands, units beside; a column that can be read in two ways says
so."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass

DECIMALS = {  # how a number is written; `{}` is the number in question
    "point": "the point stands before decimals: {} is read so",
    "comma": "the comma stands before decimals: {} is read so",
    "point_thousands": "points stand between thousands: {} is over a thousand",
    "comma_thousands": "commas stand between thousands: {} is over a thousand",
    "both": "both stand before decimals, as each cell has it",
}
_CELL = re.compile(
    r"^([<>~≈]?\s*)([+\-−]?[0-9][0-9.,'’\u00a0\u202f ]*|[+\-−]?[.,][0-9]+)"
    r"(?:([eE][+-]?[0-9]{1,3}))?\s*(%|[^\W\d_][\w/²³°.·^-]{0,11}|°C)?\s*$"
)
_AMBIGUOUS = re.compile(r"[+\-−]?[1-9][0-9]{0,2}([.,][0-9]{3})+")


@dataclass(frozen=True)
class Numerals:
    """A cell taken apart: the digits with their signs, and the unit beside them. `digits` is empty for what is no number."""

    digits: str
    unit: str
    power: str = ""

    @classmethod
    def split(cls, cell: str) -> Numerals:
        """A cell, taken apart."""
        found = _CELL.match(cell)
        if not found or found[1].strip():
            return cls("", "")
        digits = re.sub(r"[\s'’\u00a0\u202f]", "", found[2]).replace("−", "-")
        return cls(digits, (found[4] or "").rstrip("."), found[3] or "")

    def read(self, how: str) -> float | None:
        """The number, its signs taken as `how` says; None for what is none."""
        text = self.digits
        if not text:
            return None
        decimal = _decimal_of(text, how)
        for sign in ".,":
            if sign != decimal:
                text = text.replace(sign, "")
        text = text.replace(decimal, ".") if decimal else text
        try:
            return float(text + self.power)
        except ValueError:
            return None


def _decimal_of(text: str, how: str) -> str:
    """Which sign of a number stands before its decimals."""
    if "." in text and "," in text:
        return max(".,", key=text.rfind)
    if how in ("point_thousands", "comma_thousands"):
        return "," if how == "point_thousands" else "."
    if how == "both":
        return "," if "," in text else "."
    return "," if how == "comma" else "."


@dataclass(frozen=True)
class Written:
    """How a column writes its numbers: `how` is a key of `DECIMALS`, or empty where it can be read in the several `ways`."""

    how: str
    ways: tuple[str, ...] = ()
    likelier: str = ""
    examples: tuple[str, ...] = ()


def numerals_of(cells: Sequence[str]) -> Written:
    """How the numbers of a column are written, as far as they tell.

    “12,5” tells a decimal comma and “12.5” a point; “1.234” tells neither, unless another cell of the column does. Cells that tell
    both are asked about, and so are ones that tell nothing.
    """
    told: dict[str, str] = {}
    unsure: list[str] = []
    for cell in cells:
        digits = Numerals.split(cell).digits
        if not re.search(r"[.,]", digits):
            continue
        if "." in digits and "," in digits:
            told.setdefault("comma" if digits.rfind(",") > digits.rfind(".") else "point", cell)
        elif _AMBIGUOUS.fullmatch(digits):
            (
                told.setdefault("comma" if "." in digits else "point", cell)
                if re.search(r"[.,].*[.,]", digits)
                else unsure.append(cell)
            )
        else:
            told.setdefault("comma" if "," in digits else "point", cell)
    if len(told) > 1:
        return Written("", ("both", "comma", "point"), "both", (told["comma"], told["point"]))
    if told:
        return Written(next(iter(told)))  # the other sign can only stand between thousands
    if not unsure:
        return Written("point")
    return _asked(cells, unsure)


def _asked(cells: Sequence[str], unsure: Sequence[str]) -> Written:
    """A column in which every number with a sign may be thousands: what is likelier goes by the numbers beside them."""
    sign = "point" if "." in unsure[0] else "comma"
    if any(("." if sign == "comma" else ",") in c for c in unsure):
        return Written(
            "", ("both", "point_thousands", "comma_thousands"), "", (unsure[0], next(c for c in unsure if c != unsure[0]))
        )
    beside = [c for c in cells if re.fullmatch(r"[0-9]+", Numerals.split(c).digits)]
    sizes = sorted(n for c in beside if (n := Numerals.split(c).read("point")) is not None)
    middle = sizes[len(sizes) // 2] if sizes else 0.0
    if (
        not beside
        and all(len(re.split(r"[.,]", Numerals.split(c).digits)[-1]) == 3 for c in unsure)
        and len(unsure) == len(cells) > 3
    ):
        return Written(sign)  # three decimals throughout
    likelier = f"{sign}_thousands" if middle >= 50 else sign if middle else ""
    return Written("", (sign, f"{sign}_thousands"), likelier, (unsure[0], *beside[:1]))
