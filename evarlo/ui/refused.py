"""An act that cannot be done, said to the person."""

from datetime import date


class Refused(ValueError):
    """An act that cannot be done, with the reason in words for the person. `field` is where it was typed."""

    def __init__(self, message: str, field: str = "") -> None:
        super().__init__(message)
        self.field = field


def only_done(on: date, today: date, field: str = "on") -> None:
    """Refuse a day to come: what is kept has been done."""
    if on > today:
        raise Refused(f"{on:%-d %b %Y} is still to come. Keep it on the day it is done.", field)
