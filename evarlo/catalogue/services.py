"""Keeping what is known of a crop."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from django.db import transaction
from django.utils import timezone

from evarlo.catalogue.models import Claim, Crop, Cultivar, Different, Synonym, Trait
from evarlo.catalogue.names import singular_forms
from evarlo.catalogue.profile import FIELDS, SHIPPED, SPACING, shipped_crops
from evarlo.people.models import User
from evarlo.ui.refused import Refused
from trialcore.reckoning.names import near_duplicates


@transaction.atomic
def keep_crop(crop: Crop | None, typed: Mapping[str, Any], by: User) -> Crop:
    """Keep a crop's name, spacing and profile as typed and checked; a new crop when `crop` is None."""
    kept = crop or Crop()
    figures = {name: typed[name] for name in SPACING}
    profile = {key: typed[key] for key in FIELDS if typed.get(key) is not None}
    same = profile == kept.profile and all(getattr(kept, name) == figure for name, figure in figures.items())
    if not same or not kept.source:
        kept.source = f"Set by {by} on {timezone.localdate():%-d %b %Y}."
    kept.name = typed["name"]
    for name, figure in figures.items():
        setattr(kept, name, figure)
    kept.profile = profile
    kept.save()
    return kept


def crop_named(name: str) -> Crop | None:
    """The crop of that name, whatever its capitals; else the one that is also called so, one or many of it (“eggplants”)."""
    asked = " ".join(name.split()).casefold()
    if not asked:
        return None
    by_name = Crop.objects.filter(name__iexact=asked).first()
    if by_name is not None:
        return by_name
    found = {called: crop for crop in Crop.objects.all() for called in crop.names}
    return next((found[form] for form in singular_forms(asked) if form in found), None)


def crop_on_record(name: str, **figures: Any) -> Crop:
    """The crop of that name, put on record with `figures` when it is new."""
    return crop_named(name) or Crop.objects.create(name=name, **figures)


STANDS_IN = re.compile(r"Entry [0-9]{1,3}")  # what a plan calls an entry that nobody has named yet
CULTIVAR_FIELDS = ("note", "breeding", "pollination", "species", "crossing", "habit", "height_cm", "maturity", "use")
CLAIMS, SYNONYMS = 40, 30  # the most of one cultivar


def cultivar_of(crop: Crop, name: str) -> Cultivar | None:
    """The cultivar of that name or synonym, whatever its capitals."""
    return (
        Cultivar.objects.filter(crop=crop, name__iexact=name).first()
        or Cultivar.objects.filter(crop=crop, synonyms__name__iexact=name).first()
    )


@transaction.atomic
def keep_cultivar(cultivar: Cultivar, typed: Mapping[str, Any]) -> None:
    """Keep what is known of a cultivar. Raises Refused for a relation to itself, or to another crop's."""
    for field in CULTIVAR_FIELDS:
        setattr(cultivar, field, typed[field])
    related, name = None, typed.get("related") or ""
    if name:
        related = cultivar_of(cultivar.crop, name)
        if related is None:
            raise Refused(f"“{name[:24]}” is not on the list of {cultivar.crop.name}. Expected a cultivar on the list.", "related")
        if related == cultivar:
            raise Refused("A cultivar is not its own parent.", "related")
        if typed["relation"] == Cultivar.Relation.SAME and related.relation == Cultivar.Relation.SAME:
            raise Refused(f"{related.name} is another name itself. Expected the cultivar that both are.", "related")
        if typed["relation"] == Cultivar.Relation.SAME and cultivar.offspring.filter(relation=Cultivar.Relation.SAME).exists():
            raise Refused(f"Others are called another name of {cultivar.name}. Expected it to stay the one they are.", "related")
    cultivar.related, cultivar.relation = related, typed["relation"] if related else ""
    cultivar.save()


@transaction.atomic
def add_cultivar(crop: str, name: str, note: str = "", **known: Any) -> Cultivar:
    """Put a cultivar on the list of a crop, which is put on record when it is new."""
    return Cultivar.objects.create(crop=crop_on_record(crop), name=name, note=note, **known)


@transaction.atomic
def add_claim(cultivar: Cultivar, claim: Mapping[str, Any]) -> Claim:
    """Keep what a catalogue says of a cultivar. Raises Refused beyond the most that one holds."""
    if cultivar.claims.count() >= CLAIMS:
        raise Refused(f"A cultivar holds {CLAIMS} claims at most.", "says")
    trait = Trait.objects.filter(key=claim["trait"]).first() if claim["trait"] else None
    said = {name: claim[name] for name in ("says", "value", "source", "climate")}
    return Claim.objects.create(cultivar=cultivar, trait=trait, **said)


@transaction.atomic
def drop_claim(cultivar: Cultivar, pk: int) -> None:
    cultivar.claims.filter(pk=pk).delete()


@transaction.atomic
def drop_synonym(cultivar: Cultivar, pk: int) -> None:
    cultivar.synonyms.filter(pk=pk).delete()


@transaction.atomic
def add_synonym(cultivar: Cultivar, name: str) -> None:
    """Another name of a cultivar. Raises Refused when the crop has a cultivar or synonym of that name."""
    found = cultivar_of(cultivar.crop, name)
    if found is not None:
        what = "has that name already" if found == cultivar else f"is on the list as {found.name}; make the two one instead"
        raise Refused(f"“{name}” {what}.", "synonym")
    if cultivar.synonyms.count() >= SYNONYMS:
        raise Refused(f"A cultivar holds {SYNONYMS} synonyms at most.", "synonym")
    Synonym.objects.create(cultivar=cultivar, name=name)


@transaction.atomic
def keep_apart(one: Cultivar, other: Cultivar) -> None:
    """Two names that look alike are two cultivars, and are not pointed out again."""
    first, second = sorted((one, other), key=lambda c: c.pk)
    Different.objects.get_or_create(one=first, other=second)


def likely_duplicates() -> list[tuple[Cultivar, Cultivar, str]]:
    """Cultivars of a crop whose names or synonyms look like one, but for those known to be two."""
    named: dict[int, dict[str, int]] = defaultdict(dict)
    kin: dict[int, int | None] = {}
    for pk, crop, name, related in Cultivar.objects.filter(stands_in=False).values_list("pk", "crop_id", "name", "related_id"):
        named[crop][name], kin[pk] = pk, related
    for pk, crop, name in Synonym.objects.values_list("cultivar_id", "cultivar__crop_id", "name"):
        named[crop].setdefault(name, pk)
    apart = {frozenset(pair) for pair in Different.objects.values_list("one", "other")}
    found: dict[frozenset[int], tuple[int, int, str]] = {}
    for names in named.values():
        for alike in near_duplicates(sorted(names)):
            one, other = names[alike.a], names[alike.b]
            pair = frozenset((one, other))
            if len(pair) == 2 and pair not in apart and kin.get(other) != one and kin.get(one) != other:
                found.setdefault(pair, (one, other, alike.why))
    known = Cultivar.objects.select_related("crop").in_bulk({pk for pair in found for pk in pair})
    return [(known[one], known[other], why) for one, other, why in found.values()]


def put_in_shipped_crops(crops: Any) -> None:
    """Put the shipped crops on record; a crop of that name that is there already keeps what it has."""
    for shipped in shipped_crops():
        made, new = crops.objects.get_or_create(name=shipped.name, defaults={name: getattr(shipped, name) for name in SPACING})
        if new or not made.profile:
            made.profile, made.source = shipped.profile, SHIPPED[:160]
            made.save()


def cultivar_named(crop: Crop, name: str) -> Cultivar:
    """The cultivar of that name or synonym, whatever its capitals; put on the list when it is new."""
    return cultivar_of(crop, name) or Cultivar.objects.create(crop=crop, name=name, stands_in=bool(STANDS_IN.fullmatch(name)))


@transaction.atomic
def cultivars_named(crop: Crop, names: Sequence[str]) -> dict[str, Cultivar]:
    """The cultivars of many names or synonyms at once; those that are new are put on the list."""
    known = {name.casefold(): cultivar for name, cultivar in _on_the_list(crop)}
    new = {name.casefold(): Cultivar(crop=crop, name=name) for name in names if name.casefold() not in known}
    known |= {cultivar.name.casefold(): cultivar for cultivar in Cultivar.objects.bulk_create(new.values())}
    return {name: known[name.casefold()] for name in names}


def _on_the_list(crop: Crop) -> Iterator[tuple[str, Cultivar]]:
    """Every name of a crop's cultivars, synonyms first: where one is another's own name, that counts."""
    listed = list(crop.cultivars.prefetch_related("synonyms"))
    for cultivar in listed:
        yield from ((s.name, cultivar) for s in cultivar.synonyms.all())
    yield from ((cultivar.name, cultivar) for cultivar in listed)
