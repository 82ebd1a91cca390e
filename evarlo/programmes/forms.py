"""Forms of a programme."""

from __future__ import annotations

from typing import Any

from django import forms

from evarlo.programmes.models import Programme
from evarlo.ui.fields import Words

BARS = [(0.90, "90 %"), (0.95, "95 %"), (0.97, "97 %")]
FRESH = [(1.0, "new entries are waiting"), (0.5, "none are waiting: keep more"), (2.0, "plenty are waiting: keep fewer")]


EITHER = ("flat", "good_check", "second_signature", "several")


def _either(label: str, no: str, yes: str) -> forms.ChoiceField:
    return forms.ChoiceField(label=label, choices=[("yes", yes), ("no", no)])


class ProgrammeName(forms.Form):
    """What a new programme is called."""

    name = Words(label="Name", most=80, error_messages={"required": "Nothing was typed. Expected a name."})


class Settings(ProgrammeName):
    """The schools of a programme."""

    flat = _either("Seasons", "all seasons and entries in one fit", "each season by itself")
    bar = forms.TypedChoiceField(label="Recommend from a chance of", choices=BARS, coerce=float)
    dropping = forms.ChoiceField(label="Drop", choices=Programme.School.choices)
    fresh = forms.TypedChoiceField(label="New entries", choices=FRESH, coerce=float)
    good_check = _either("The check", "is an entry like the others", "was chosen for being good")
    second_signature = _either("A board is signed by", "one person", "two persons")
    several = _either("What is grown", "one best", "several as insurance")

    def clean(self) -> dict[str, Any]:
        data = super().clean() or {}
        return data | {name: data.get(name) == "yes" for name in EITHER}

    @staticmethod
    def of(programme: Programme, typed: Any = None) -> Settings:
        """The form of a programme as it is set, or as it was typed."""
        yes = {name: "yes" if getattr(programme, name) else "no" for name in EITHER}
        initial = {"name": programme.name, "bar": programme.bar, "dropping": programme.dropping, "fresh": programme.fresh, **yes}
        return Settings(typed, initial=initial)
