"""Traits and their guides: what ships, what people add, and which version a record was made by."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from django.db import transaction
from django.utils import timezone
from django.utils.text import slugify

from evarlo.catalogue.library import GUIDES, LATER, LIBRARY, SAMPLED
from evarlo.catalogue.models import Crop, Guide, Trait
from evarlo.people.models import User
from evarlo.ui.draw.anchor import known_drawing
from evarlo.ui.refused import Refused

MOST_ANCHORS, MOST_ALIKE, MOST_TRAITS = 12, 8, 600


def put_in_library(traits: Any, guides: Any) -> None:
    """Put in what ships; a trait of that key that is there already keeps what it has. Takes models, so that a migration can
    hand over those of its time."""
    there = set(traits.objects.values_list("key", flat=True))
    traits.objects.bulk_create(traits(**t) for t in (LIBRARY if not there else LATER) if t["key"] not in there)
    for key, samples in SAMPLED.items():
        traits.objects.filter(key=key).update(samples=samples)
    by_key = {t.key: t for t in traits.objects.filter(key__in=GUIDES, guides__isnull=True)}
    guides.objects.bulk_create(
        guides(
            trait=trait,
            version=1,
            anchors=[{"at": at, "words": words, "drawing": drawing} for at, words, drawing in GUIDES[key][0]],
            alike=[{"what": what, "tell": tell} for what, tell in GUIDES[key][1]],
        )
        for key, trait in by_key.items()
    )


def library() -> list[Trait]:
    """The traits that are walked or picked: what ships and what people added, not the columns of sheets nor what is reckoned."""
    return list(Trait.objects.exclude(key__startswith="sheet-").filter(of__isnull=True))


def guide_of(trait: Trait) -> Guide | None:
    """The guide that counts now."""
    return trait.guides.order_by("-version").first()


def _asked_by_kind(kind: str, typed: Mapping[str, Any]) -> dict[str, Any]:
    """What a kind of trait settles by itself. Raises Refused for a category without kinds."""
    match kind:
        case Trait.Kind.SCORE:
            return {"low": 1, "high": 9, "unit": ""}
        case Trait.Kind.PERCENT | Trait.Kind.AFFECTED:
            return {"low": 0, "high": 100, "unit": "%"}
        case Trait.Kind.DATE:
            return {"low": None, "high": None, "unit": "", "repeated": False, "samples": 1}
        case Trait.Kind.YES_NO:
            return {"low": 0, "high": 1, "unit": "", "samples": 1}
        case Trait.Kind.CATEGORY:
            kinds = [k for k in (" ".join(k.split()) for k in typed["choices"].split(",")) if k]
            if not 2 <= len(kinds) <= 9 or len({k.casefold() for k in kinds}) < len(kinds):
                raise Refused("Expected two to nine different kinds, with commas between.", "choices")
            return {"low": None, "high": None, "unit": "", "samples": 1, "choices": kinds}
        case Trait.Kind.COUNT:
            return {"low": typed["low"] or 0}
        case Trait.Kind.MEASURE:
            return {"decimals": 2}
    return {}


@transaction.atomic
def add_trait(typed: Mapping[str, Any], crop: Crop | None) -> Trait:
    """Put in a trait of one's own, for one crop or for all; the same one sent twice is put in once. Raises Refused for a name that
    is taken, a range that ends before it begins, or a category without kinds."""
    if Trait.objects.count() >= MOST_TRAITS:
        raise Refused(f"There are {MOST_TRAITS} traits already. Use one of those.", "name")
    name, kind = typed["name"], typed["kind"]
    there = next((t for t in library() if t.name.casefold() == name.casefold()), None)
    if there and (there.name, there.kind, there.method) == (name, kind, typed["method"]):
        return there
    if there:
        raise Refused(f"“{name}” is in the list already. Expected another name, or use that one.", "name")
    known = {
        "name": name,
        "kind": kind,
        "method": typed["method"],
        "unit": typed["unit"],
        "direction": typed["direction"],
        "samples": typed["samples"] or 1,
        "repeated": typed["repeated"],
        "low": typed["low"],
        "high": typed["high"],
        "matters": typed["matters"],
        "decimals": 0,
        "fits": [crop.name] if crop else [],
    }
    known |= _asked_by_kind(kind, typed)
    if known["low"] is not None and known["high"] is not None and known["high"] <= known["low"]:
        raise Refused("Expected a highest value above the lowest.", "high")
    return Trait.objects.create(key=_free_key(name), **known)


@transaction.atomic
def add_test(typed: Mapping[str, Any]) -> Trait:
    """Put in a test of one's own that is made on samples after the pick. Raises Refused for a name that is taken, or a range that
    ends before it begins."""
    name = typed["name"]
    if next((t for t in library() if t.name.casefold() == name.casefold()), None):
        raise Refused(f"“{name}” is in the list already. Expected another name, or use that one.", "name")
    if typed["high"] <= typed["low"]:
        raise Refused("Expected a highest value above the lowest.", "high")
    better = Trait.Direction.LOWER if typed["lower"] else Trait.Direction.HIGHER
    known = {n: typed[n] for n in ("name", "unit", "method", "low", "high")}
    return Trait.objects.create(
        key=_free_key(name), kind=Trait.Kind.MEASURE, source=Trait.Source.TEST, direction=better, decimals=1, **known
    )


def _free_key(name: str) -> str:
    base = f"own-{slugify(name)[:50] or 'trait'}"
    taken = set(Trait.objects.filter(key__startswith=base).values_list("key", flat=True))
    return next(k for k in (base, *(f"{base}-{n}" for n in range(2, MOST_TRAITS + 2))) if k not in taken)


@transaction.atomic
def keep_guide(
    trait: Trait, anchors: Sequence[Mapping[str, Any]], alike: Sequence[Mapping[str, str]], why: str, by: User
) -> Guide | None:
    """A new version of a trait's guide; None when nothing changed. Earlier ones stay, with the records made by them. Raises
    Refused for an anchor off the scale or unknown drawing, too many of either, or a change without its reason."""
    if len(anchors) > MOST_ANCHORS or len(alike) > MOST_ALIKE:
        raise Refused(f"A guide has at most {MOST_ANCHORS} places on the scale and {MOST_ALIKE} look-alikes.", "anchors")
    for a in anchors:
        if (trait.low is not None and a["at"] < trait.low) or (trait.high is not None and a["at"] > trait.high):
            raise Refused(f"{a['at']:g} is off the scale, {trait.low:g} to {trait.high:g}.", "anchors")
        if a["drawing"] and not known_drawing(a["drawing"]):
            raise Refused(f"There is no drawing “{str(a['drawing'])[:24]}”.", "anchors")
    placed, told = sorted((dict(a) for a in anchors), key=lambda a: float(a["at"])), [dict(a) for a in alike]
    last = Trait.objects.select_for_update().get(pk=trait.pk).guides.last()
    if last and (last.anchors, last.alike) == (placed, told):
        return None
    if not last and not placed and not told:
        raise Refused("Nothing was typed. Expected a place on the scale, or what can be taken for it.", "anchors")
    if last and not why.strip():
        raise Refused("Records were made by the guide as it is. Say why it changes.", "why")
    version = last.version + 1 if last else 1
    return Guide.objects.create(trait=trait, version=version, anchors=placed, alike=told, why=why.strip(), by=by, at=timezone.now())


@transaction.atomic
def trait_of_column(column: str) -> Trait:
    """The trait that a value column stands for: one without range or unit, shared by sheets that use the name."""
    key = f"sheet-{slugify(column)[:60] or 'value'}"
    trait = Trait.objects.filter(key__startswith=key, name=column).first()
    if trait is None:
        taken = Trait.objects.filter(key__startswith=key).count()
        key = key if not taken else f"{key}-{taken + 1}"
        trait = Trait.objects.create(key=key, name=column, kind=Trait.Kind.MEASURE, decimals=0)
    return trait
