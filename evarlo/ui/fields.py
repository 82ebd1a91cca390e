"""Form fields that say what was found and what is expected."""

from __future__ import annotations

import math
import re
from datetime import date
from typing import Any

from django import forms
from django.core.exceptions import ValidationError

from evarlo.ui.refused import Refused, only_done
from evarlo.ui.units import figure_shown, in_unit, unit_shown, value_kept, value_shown

NUMBER = re.compile(r"[+-]?([0-9]+([.,][0-9]*)?|[.,][0-9]+)")
MONTHS = {m: i for i, m in enumerate(["jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec"], start=1)}


class Number(forms.Field):
    """A number with its unit. A decimal comma is read as a point, another unit of the same kind (3 ft, 18 in, 2 lb) is turned
    into the field's own; the range is part of the message."""

    widget = forms.TextInput

    def __init__(
        self, *, low: float, high: float, unit: str = "", whole: bool = False, unmarked: bool = False, **kwargs: Any
    ) -> None:
        super().__init__(**kwargs)
        self.low, self.high, self.unit, self.whole = low, high, unit, whole
        self.unmarked = unmarked  # may be empty without the label saying so
        self.widget.attrs.update(inputmode="numeric" if whole else "decimal", autocomplete="off")

    @property
    def expected(self) -> str:
        kind = "a whole number" if self.whole else "a number"
        low, high = (figure_shown(end, self.unit) for end in (self.low, self.high))
        return f"{kind} from {low} to {high} {unit_shown(self.unit)}".strip()

    def to_python(self, value: Any) -> float | int | None:
        text = str(value or "").strip().replace("−", "-")
        own = bool(self.unit) and text.casefold().endswith(f" {self.unit}".casefold())
        if own:
            text = text[: -len(self.unit)].strip()
        if not text:
            return None
        other = in_unit(text, self.unit) if len(text) < 30 else None
        typed = float(text.replace(",", ".")) if NUMBER.fullmatch(text) and len(text) < 30 else math.nan
        number = other if other is not None else typed if own else value_kept(typed, self.unit)
        whole = self.whole and number != math.floor(number) if math.isfinite(number) else False
        if not math.isfinite(number) or whole or not self.low <= number <= self.high:
            raise ValidationError(f"Found “{text[:24]}”. Expected {self.expected}.")
        return int(number) if self.whole else number

    def prepare_value(self, value: Any) -> Any:
        """A number on record as people would type it: 18, not 18.0."""
        return f"{round(value_shown(value, self.unit), 3):.10g}" if isinstance(value, float) else value


class Day(forms.Field):
    """A date as the browser sends it, or as people write it: 14 Jul 2026, 14 Jul, 14.7.2026, 2026-07-14."""

    widget = forms.DateInput(attrs={"type": "date"}, format="%Y-%m-%d")

    def to_python(self, value: Any) -> date | None:
        if isinstance(value, date):
            return value
        text = str(value or "").strip()
        if not text:
            return None
        found = read_day(text)
        if found is None:
            raise ValidationError(f"Found “{text[:24]}”. Expected a date such as 14 Jul 2026 or 2026-07-14.")
        if not 1900 <= found.year <= 2200:
            raise ValidationError(f"Found the year {found.year}. Expected one from 1900 to 2200.")
        return found

    def prepare_value(self, value: Any) -> Any:
        return value.isoformat() if isinstance(value, date) else value


def day_done(text: str, today: date) -> date:
    """The day on which something was done, as typed beside an act; today where nothing was. Raises Refused for what is no day, or
    one to come."""
    try:
        on: date | None = Day(required=False).clean(text)
    except ValidationError as error:
        raise Refused(str(error.messages[0]), "on") from None
    if on is None:
        return today
    only_done(on, today)
    return on


def read_day(text: str, this_year: int | None = None) -> date | None:
    """The date in `text`, or None. Without a year it is taken in `this_year`."""
    iso = re.fullmatch(r"([0-9]{4})-([0-9]{1,2})-([0-9]{1,2})", text)
    dotted = re.fullmatch(r"([0-9]{1,2})[./]([0-9]{1,2})[./]([0-9]{4})", text)
    worded = re.fullmatch(r"([0-9]{1,2})\.?\s+([A-Za-z]{3})[a-z]*\.?(?:\s+([0-9]{4}))?", text)
    try:
        if iso:
            return date(int(iso[1]), int(iso[2]), int(iso[3]))
        if dotted:
            return date(int(dotted[3]), int(dotted[2]), int(dotted[1]))
        if worded and worded[2].casefold() in MONTHS and (worded[3] or this_year):
            return date(int(worded[3] or this_year or 0), MONTHS[worded[2].casefold()], int(worded[1]))
    except ValueError:
        return None
    return None


class Words(forms.CharField):
    """One line of text, its length part of the message."""

    def __init__(self, *, most: int, **kwargs: Any) -> None:
        said = {"required": "Nothing was typed. Expected a few words.", **kwargs.pop("error_messages", {})}
        super().__init__(strip=True, error_messages=said, **kwargs)
        self.most = most
        self.widget.attrs.update(autocomplete="off")

    def clean(self, value: Any) -> str:
        text = " ".join(str(super().clean(value)).split())
        if len(text) > self.most:
            raise ValidationError(f"Found {len(text)} characters. Expected at most {self.most}.")
        if any(not c.isprintable() for c in text):
            raise ValidationError("Found control characters. Expected plain text.")
        return text


class OwnIds(forms.Form):
    """A form whose fields have ids of their own, so that several forms stand on one page. Fields named in `unmarked` may be
    empty without their labels saying so."""

    unmarked: tuple[str, ...] = ()

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        kwargs.setdefault("auto_id", f"{type(self).__name__.lower()}_%s")
        super().__init__(*args, **kwargs)
        for name in self.unmarked:
            self.fields[name].unmarked = True  # type: ignore[attr-defined]

    def choose_from(self, name: str, choices: list[tuple[str, str]]) -> None:
        """What can be chosen in a field."""
        field = self.fields[name]
        assert isinstance(field, forms.ChoiceField)
        field.choices = choices
