"""What happened to every record, in one view: who kept, took back, lifted or settled what, the newest first."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime
from functools import cache
from typing import Any

from django.db import models
from django.urls import reverse

from evarlo.exchange.packages.tables import Model, all_models
from evarlo.people.models import User
from evarlo.trials.models import Trial

# Of what a record says of its own: when, by whom (else nobody is named), and in words.
DID = (
    ("at", "by", "kept"),
    ("made_at", "made_by", "made"),
    ("second_at", "second_by", "signed as the second"),
    ("settled_at", "settled_by", "settled"),
    ("lifted_at", "lifted_by", "lifted"),
    ("undone_at", "undone_by", "took back"),
    ("withdrawn_at", "withdrawn_by", "took back"),
)
LONGEST = 120  # characters of what a record says


@dataclass(frozen=True)
class Happened:
    """Something that was done to a record: when, by whom, in words, to what kind of record, and what it says now."""

    at: datetime
    who: str
    did: str
    what: str
    said: str
    trial: str
    url: str


@cache
def _tellers() -> list[tuple[Model, str, str, str]]:
    """Tables with a moment that says what was done, the person who did it where that is known, and the words."""
    told = []
    for model in all_models():
        there = {f.name for f in model._meta.concrete_fields}
        for at, by, did in DID:
            if at in there:
                told.append((model, at, by if by in there else "", did))
    return told


def kinds() -> dict[str, str]:
    """What can be asked for: tables by their words."""
    return {model._meta.label_lower: str(model._meta.verbose_name) for model, *_ in _tellers()}


def happened(most: int, who: User | None, since: datetime | None, until: datetime | None, kind: str) -> list[Happened]:
    """The last things that were done, of one person, within a time, to one kind of record, where these are asked for."""
    found: list[Happened] = []
    for model, at, by, did in _tellers():
        if (kind and model._meta.label_lower != kind) or (who and not by):
            continue
        asked = model._default_manager.filter(**{f"{at}__isnull": False})
        for wanted, value in ((by, who), (f"{at}__gte", since), (f"{at}__lt", until)):
            asked = asked.filter(**{wanted: value}) if value is not None else asked
        rows = asked.select_related(*_beside(model)).defer(*_heavy(model)).order_by(f"-{at}")[:most]
        found += (_told(row, at, by, did) for row in rows)
    return sorted(found, key=lambda h: h.at, reverse=True)[:most]


def _beside(model: Model) -> list[str]:
    """What a record is called by often stands in those it refers to."""
    there = [f.name for f in model._meta.concrete_fields if f.is_relation]
    beyond = [f"{name}__trial" for name in there if name in ("plot", "round", "entry")]
    return there + beyond + (["round__trait"] if "round" in there else [])


def _heavy(model: Model) -> list[str]:
    return [f.name for f in model._meta.concrete_fields if isinstance(f, models.BinaryField | models.JSONField)]


def _told(row: Any, at: str, by: str, did: str) -> Happened:
    person = getattr(row, by) if by else None
    if did == "kept" and getattr(row, "withdrawn", False):
        did = "took back"
    elif did == "kept" and getattr(row, "supersedes_id", None):
        did = "put right"
    trial = next(_trials_of(row), None)
    url = reverse("trials:plan", args=[trial.slug]) if trial else ""
    asked = f"{row.round.trait}, plot " if hasattr(row, "round") else ""
    name, said = str(trial or ""), asked + " ".join(str(row).split())[:LONGEST]
    return Happened(getattr(row, at), str(person or ""), did, str(row._meta.verbose_name), said, name, url)


def _trials_of(row: Any) -> Iterator[Any]:
    """The trial that a record belongs to, found by way of what it refers to."""
    if isinstance(row, Trial):
        yield row
    for way in (("trial",), ("plot", "trial"), ("round", "trial"), ("entry", "trial")):
        here = row
        for name in way:
            here = getattr(here, name, None) if here is not None else None
        if here is not None:
            yield here
