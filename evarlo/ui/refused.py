"""An act that cannot be done, and the two ways in which a page says so."""

from collections.abc import Iterator
from contextlib import contextmanager
from datetime import date

from django import forms
from django.http import HttpRequest

from evarlo.ui.notice import warn


class Refused(ValueError):
    """An act that cannot be done, with the reason in words for the person. `field` is where it was typed."""

    def __init__(self, message: str, field: str = "") -> None:
        super().__init__(message)
        self.field = field


def only_done(on: date, today: date, field: str = "on") -> None:
    """Refuse a day to come: what is kept has been done."""
    if on > today:
        raise Refused(f"{on:%-d %b %Y} is in the future. Record it once it is done.", field)


@contextmanager
def said_beside(form: forms.Form, field: str = "") -> Iterator[None]:
    """Let an act be tried: when it is refused, its form says why, beside the field where the form has that (or beside `field`),
    else above the form. What follows the block is the way back to the form."""
    try:
        yield
    except Refused as refusal:
        beside = field or refusal.field
        form.add_error(beside if beside in form.fields else None, str(refusal))


@contextmanager
def said_on_top(request: HttpRequest) -> Iterator[None]:
    """Let an act be tried: when it is refused, the next page says why on top."""
    try:
        yield
    except Refused as refusal:
        warn(request, str(refusal))
