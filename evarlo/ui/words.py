"""Words that every page needs: counts in the singular and the plural, numbers spelt out."""

from __future__ import annotations

from decimal import ROUND_HALF_UP, Decimal

SPELT = ("No", "One", "Two", "Three", "Four", "Five", "Six", "Seven", "Eight", "Nine", "Ten", "Eleven", "Twelve")


def fixed(value: float, digits: int) -> str:
    """A number with that many decimals and a true minus, halves rounded away from nought: what binary fractions leave behind the
    twelfth figure decides nothing, so that a mean and a difference of the same figures end alike."""
    step = Decimal(1).scaleb(-digits)
    rounded = Decimal(f"{value:.12g}").quantize(step, ROUND_HALF_UP) + 0  # no minus before a nought
    return f"{rounded or abs(rounded):f}".replace("-", "−")


def counted(n: int, one: str, many: str = "") -> str:
    """“1 plant”, “2 plants”; `many` where the plural is not `one` with an s (“2 entries”)."""
    return f"{n} {plural(n, one, many)}"


def plural(n: int, one: str, many: str = "") -> str:
    """The noun that goes with a number: “plant” with 1, “plants” with any other."""
    if n == 1:
        return one
    return many or (f"{one[:-1]}ies" if one.endswith("y") and one[-2:-1] not in "aeiou" else f"{one}s")


def names_in(text: str) -> list[str]:
    """Names with commas between, as they were typed; blanks folded, empty ones left out."""
    return [name for part in text.split(",") if (name := " ".join(part.split()))]


def number_word(n: int) -> str:
    """“Three”, up to twelve; figures beyond."""
    return SPELT[n] if n < len(SPELT) else str(n)
