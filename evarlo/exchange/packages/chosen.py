"""Which records belong to a trial, a programme or the whole place: the trial's own, whatever these refer to, and what goes along
with that. A trial that is referred to comes as a whole."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from functools import cache

from django.db import models

from evarlo.exchange.packages.tables import Model, all_models, batched, label_of
from evarlo.people.models import Correction
from evarlo.programmes.models import Membership, Programme
from evarlo.trials.models import Trial

Picked = dict[Model, set[int]]

# What is a trial's own although deleting the trial would not take it along.
ALSO_OWN = {
    "walks.Observation": ("round",),
    "walks.Rival": ("round",),
    "harvest.Picking": ("plot",),
    "harvest.TestedSample": ("plot",),
    "verdicts.SignedBoard": ("trial",),
    "breeding.Saved": ("plot",),
    "breeding.Named": ("saved",),
}
# What belongs to a trial and still does not come with it.
NOT_WITH_A_TRIAL = {"programmes.Membership"}
# What goes along with something that is referred to.
ALONG = {
    "catalogue.Cultivar": ("catalogue.Synonym", "catalogue.Claim"),
    "catalogue.Trait": ("catalogue.Guide",),
    "grounds.Bed": ("grounds.BedUse", "grounds.SoilTest", "grounds.Obstacle"),
    "grounds.Site": ("grounds.WeatherDay", "nursery.Place", "harvest.Crate"),
    "nursery.Place": ("nursery.Reading",),
    "nursery.Tray": ("nursery.Stay", "nursery.Tending"),
    "seeds.Lot": ("seeds.Move", "seeds.GerminationTest"),
    "seeds.GerminationTest": ("seeds.GerminationCount",),
}


def of_place() -> Picked:
    """Every record that a package may hold."""
    return {m: set(m._default_manager.values_list("pk", flat=True)) for m in all_models()}


def of_trial(trial: Trial) -> Picked:
    """A trial, and what it rests on."""
    return _gathered({Trial: {trial.pk}})


def of_programme(programme: Programme) -> Picked:
    """A programme with its trials."""
    members = set(Membership.objects.filter(programme=programme).values_list("pk", flat=True))
    return _gathered({Programme: {programme.pk}, Membership: members})


def _gathered(roots: Picked) -> Picked:
    models_here = all_models()
    by_label = {label_of(m): m for m in models_here}
    picked: Picked = defaultdict(set)
    fresh: Picked = roots
    while any(fresh.values()):
        for model, ids in fresh.items():
            picked[model] |= ids
        found: Picked = defaultdict(set)
        for model, ids in fresh.items():
            for other, refers in _referred(model, ids):
                found[other] |= refers
            for child, names in _children(model):
                found[child] |= _ids(child, names, ids)
            for label in ALONG.get(label_of(model), ()):
                child = by_label[label]
                found[child] |= _ids(child, [f.name for f in child._meta.concrete_fields if f.related_model is model], ids)
        fresh = {m: ids - picked[m] for m, ids in found.items()}
    for model, ids in list(picked.items()):
        about = Correction.objects.filter(about=model._meta.label_lower).values_list("pk", "thing")
        picked[Correction] |= {pk for pk, thing in about if thing in ids}
    people = by_label["people.User"]
    picked[people] |= set(Correction.objects.filter(pk__in=picked[Correction]).values_list("by", flat=True))
    return {m: picked[m] for m in models_here if picked[m]}


def _referred(model: Model, ids: set[int]) -> Iterable[tuple[Model, set[int]]]:
    keys = [f for f in model._meta.concrete_fields if isinstance(f, models.ForeignKey)]
    if not keys:
        return
    for some in batched(sorted(ids)):
        for row in model._default_manager.filter(pk__in=some).values_list(*(f.attname for f in keys)):
            for f, pk in zip(keys, row, strict=True):
                if pk is not None:
                    yield f.related_model, {pk}


@cache
def _children(model: Model) -> list[tuple[Model, list[str]]]:
    """Tables whose rows are a row's own, where it is a trial or something of one, with the columns that say so."""
    if not (model is Trial or _of_a_trial(model)):
        return []
    others = [m for m in all_models() if m is not model and label_of(m) not in NOT_WITH_A_TRIAL]
    own = [(m, [f.name for f in m._meta.concrete_fields if f.related_model is model and _owns(m, f)]) for m in others]
    return [(m, names) for m, names in own if names]


def _owns(child: Model, field: models.Field) -> bool:  # type: ignore[type-arg]
    return getattr(field.remote_field, "on_delete", None) is models.CASCADE or field.name in ALSO_OWN.get(label_of(child), ())


def _of_a_trial(model: Model, seen: frozenset[Model] = frozenset()) -> bool:
    if model in seen:
        return False
    ways = [f.related_model for f in model._meta.concrete_fields if f.is_relation and _owns(model, f)]
    return any(m is Trial or (m in all_models() and _of_a_trial(m, seen | {model})) for m in ways)


def _ids(child: Model, names: list[str], ids: set[int]) -> set[int]:
    found: set[int] = set()
    for name in names:
        for some in batched(sorted(ids)):
            found |= set(child._default_manager.filter(**{f"{name}__in": some}).values_list("pk", flat=True))
    return found
