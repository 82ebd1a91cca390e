"""Words that every page needs: counts in the singular and the plural, numbers spelt out."""

from __future__ import annotations

from datetime import date, timedelta
from decimal import ROUND_HALF_UP, Decimal
from math import isfinite

SPELT = ("No", "One", "Two", "Three", "Four", "Five", "Six", "Seven", "Eight", "Nine", "Ten", "Eleven", "Twelve")


NO_NUMBER = "–"
TOO_LONG = 1e12
MOST_DECIMALS = 12


def plain_number(value: float, figures: int = 10) -> str:
    """A number as it was given, with a true minus; a dash for what is no finite number. Never raises."""
    return f"{value:.{figures}g}".replace("-", "−") if isfinite(value) else NO_NUMBER


def percent_text(share: float) -> str:
    """A chance (0 to 1) in percent that never claims to be certain; a dash for what is no number."""
    if not isfinite(share):
        return NO_NUMBER
    if share >= 0.995:
        return ">99%"
    return "<1%" if share <= 0.005 else f"{int(100 * share + 0.5)}%"


def days_later(start: date, days: float | None) -> date | None:
    """The day that lies so many days after another, rounded; None where there is no such day in the calendar. Never raises."""
    if days is None or not isfinite(days):
        return None
    try:
        return start + timedelta(days=round(days))
    except OverflowError:
        return None


def fixed(value: float, digits: int) -> str:
    """A number with that many decimals and a true minus, halves rounded away from 0: what binary fractions leave behind the
    twelfth figure decides nothing, so that a mean and a difference of the same figures end alike. Never raises: a dash for what is
    no finite number, a power of ten for what no page has room for."""
    if not isfinite(value):
        return NO_NUMBER
    if abs(value) >= TOO_LONG:
        return f"{value:.2e}".replace("-", "−").replace("+", "")
    step = Decimal(1).scaleb(-max(0, min(digits, MOST_DECIMALS)))
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
