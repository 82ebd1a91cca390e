"""What was typed wrongly and is put right: the thing is changed, and what it was stays on record with the reason."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django.db import models, transaction
from django.utils import timezone

from evarlo.people.models import Correction, User
from evarlo.ui.refused import Refused

PUT_RIGHT = 8  # of the newest are shown beside a thing


@transaction.atomic
def correct(thing: models.Model, wanted: Mapping[str, Any], called: Mapping[str, str], why: str, by: User) -> Correction:
    """Put the fields of `thing` right that differ from `wanted`; `called` names each field. Raises Refused without a reason, and
    where nothing differs."""
    changed = {name: value for name, value in wanted.items() if getattr(thing, name) != value}
    if not changed:
        raise Refused("Nothing differs from what is on record. Expected at least one other value.", next(iter(wanted)))
    if not why.strip():
        raise Refused("Nothing was typed. Expected why it is corrected.", "why")
    said = "; ".join(f"{called[name]} {_shown(getattr(thing, name))} → {_shown(value)}" for name, value in changed.items())
    for name, value in changed.items():
        setattr(thing, name, value)
    thing.save(update_fields=list(changed))
    return Correction.objects.create(
        about=thing._meta.label_lower, thing=thing.pk, said=said[:300], why=why.strip(), by=by, at=timezone.now()
    )


def corrections_of(thing: models.Model) -> list[Correction]:
    """The newest corrections of a thing."""
    found = Correction.objects.filter(about=thing._meta.label_lower, thing=thing.pk).select_related("by")
    return list(found.order_by("-at")[:PUT_RIGHT])


def _shown(value: Any) -> str:
    return "not said" if value is None or value == "" else f"{value:g}" if isinstance(value, float | int) else f"“{value}”"
