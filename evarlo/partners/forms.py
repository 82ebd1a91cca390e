"""What a manager types about a partner."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

from django import forms
from django.utils import timezone

from evarlo.partners.services import MOST_BLOCKS, traits_to_ask
from evarlo.trials.models import Trial
from evarlo.trials.queries import entry_names
from evarlo.ui.fields import Day, Number, Words

NOT_CHOSEN = "Nothing was chosen. Expected one or more."


class NewPartner(forms.Form):
    name = Words(label="Grower", most=80, error_messages={"required": "Nothing was typed. Expected the grower's name."})
    where = Words(label="Place", most=60, error_messages={"required": "Nothing was typed. Expected where it stands."})
    blocks = Number(label="Blocks", low=1, high=MOST_BLOCKS, whole=True)
    ends_on = Day(label="The link works until")
    entries = forms.MultipleChoiceField(
        label="Entries beside the check", widget=forms.CheckboxSelectMultiple, error_messages={"required": NOT_CHOSEN}
    )
    traits = forms.MultipleChoiceField(
        label="What is asked", widget=forms.CheckboxSelectMultiple, error_messages={"required": NOT_CHOSEN}
    )

    def __init__(self, main: Trial, user: Any, given: Any = None) -> None:
        until = timezone.localdate() + timedelta(days=300)
        super().__init__(given, initial={"blocks": 2, "ends_on": until})
        names = entry_names(main, user)
        self.known = {str(e.pk): e for e in main.entries.select_related("cultivar") if not e.is_check}
        self.asked = {t.key: t for t in traits_to_ask(main)}
        for name, choices in (
            ("entries", [(pk, f"{e.code} {names[e.pk]}" if names[e.pk] != e.code else e.code) for pk, e in self.known.items()]),
            ("traits", [(key, t.with_unit) for key, t in self.asked.items()]),
        ):
            self.fields[name].choices = choices  # type: ignore[attr-defined]


class Weigh(forms.Form):
    weight = Number(label="Counts", low=5, high=100, unit="%", required=False)
    why = Words(label="Why", most=200, required=False)
