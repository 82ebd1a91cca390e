"""Pests, diseases, weeds and disorders: what ships, what people add, and the traits by which each is followed."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django.db import transaction

from evarlo.catalogue.models import Guide, Problem, Trait
from evarlo.catalogue.traits import guide_of
from evarlo.ui.refused import Refused

MOST = 300
PLANTS, AREA = Problem.Measure.PLANTS, Problem.Measure.AREA

# name, kind, signs, what can be taken for it, how a suspicion is made sure of, threshold %, of what, families
SHIPPED: tuple[tuple[str, str, str, tuple[tuple[str, str], ...], str, float | None, str, tuple[str, ...]], ...] = (
    (
        "Aphids",
        "pest",
        "Clusters under young leaves; leaves curl, honeydew.",
        (("Leaf curl from cold", "No insects when the leaf is unrolled."), ("Old colonies", "Only pale skins are left.")),
        "Living aphids under a hand lens.",
        20,
        PLANTS,
        (),
    ),
    (
        "Slugs",
        "pest",
        "Ragged holes, slime, seedlings gone overnight.",
        (("Birds", "Leaves torn upwards, no slime."), ("Caterpillars", "Droppings on the leaf, no slime.")),
        "Slime in the morning, or slugs by torchlight.",
        10,
        PLANTS,
        (),
    ),
    (
        "Flea beetles",
        "pest",
        "Many small round holes in young leaves.",
        (("Sand blown by wind", "Marks on one side only."),),
        "Beetles that jump when the leaf is touched.",
        30,
        AREA,
        ("Brassicaceae",),
    ),
    (
        "Caterpillars",
        "pest",
        "Large holes, droppings, frass in heads.",
        (("Slugs", "Slime and no droppings."),),
        "Caterpillars or fresh eggs.",
        15,
        PLANTS,
        (),
    ),
    (
        "Leaf spot",
        "disease",
        "Round spots with a dark edge, older leaves first.",
        (
            ("Flecks of the cultivar", "The same on every leaf, no edge."),
            ("Spray or fertiliser burn", "On one day, where drops lay."),
        ),
        "Fruiting bodies under a hand lens, or a laboratory.",
        5,
        AREA,
        (),
    ),
    (
        "Powdery mildew",
        "disease",
        "White bloom on the upper side, rubs off.",
        (("Silvering of the cultivar", "Along the veins, does not rub off."), ("Dust", "Wipes off and is grey.")),
        "White threads under a hand lens.",
        5,
        AREA,
        (),
    ),
    (
        "Downy mildew",
        "disease",
        "Yellow patches bounded by veins, down below them in the morning.",
        (("Powdery mildew", "Bloom on the upper side."), ("Lack of magnesium", "Yellow between all veins, no down.")),
        "Grey down under the leaf after a humid night.",
        2,
        AREA,
        (),
    ),
    (
        "Rust",
        "disease",
        "Orange or brown pustules that leave dust on a finger.",
        (("Leaf spot", "Nothing comes off on the finger."),),
        "Orange spores on a finger.",
        5,
        AREA,
        (),
    ),
    (
        "Vascular wilt",
        "disease",
        "Wilts on one side first and does not recover overnight; brown ring in the stem.",
        (("Dry soil", "Recovers at night."), ("Root rot", "Roots brown, stem clean.")),
        "The stem cut across.",
        2,
        PLANTS,
        (),
    ),
    (
        "Root rot",
        "disease",
        "Stunted, wilts at noon; roots brown and soft.",
        (("Vascular wilt", "Roots sound, ring in the stem."), ("Wet soil", "Whole wet places alike.")),
        "Roots washed.",
        5,
        PLANTS,
        (),
    ),
    (
        "Virus",
        "disease",
        "Mottle, mosaic, narrow or crinkled leaves.",
        (("Weedkiller drift", "All plants on one side on one day."), ("Cold", "New leaves are sound again.")),
        "A laboratory.",
        2,
        PLANTS,
        (),
    ),
    ("Weeds among the crop", "weed", "Anything green that was not sown.", (), "", 20, AREA, ()),
    (
        "Tip burn",
        "disorder",
        "Edges of inner leaves brown; no mould.",
        (("Botrytis", "Grey mould grows on it."), ("Frost", "Outer leaves, after a cold night.")),
        "Edge dry and without mould.",
        10,
        PLANTS,
        (),
    ),
)


def put_in_problems(problems: Any) -> None:
    """Put in what ships, where nothing of that name is there. Takes the model, so that a migration can hand over its own."""
    there = {name.casefold() for name in problems.objects.values_list("name", flat=True)}
    problems.objects.bulk_create(
        problems(
            name=name,
            kind=kind,
            signs=signs,
            alike=[{"what": a, "tell": b} for a, b in alike],
            confirmed_by=sure,
            threshold=threshold,
            threshold_of=of,
            fits=list(fits),
        )
        for name, kind, signs, alike, sure, threshold, of, fits in SHIPPED
        if name.casefold() not in there
    )


@transaction.atomic
def add_problem(typed: Mapping[str, Any]) -> Problem:
    """Put in one of one's own; the same one sent twice is put in once. Raises Refused for a name that is taken."""
    there = Problem.objects.filter(name__iexact=typed["name"]).first()
    if there and (there.name, there.kind, there.signs) == (typed["name"], typed["kind"], typed["signs"]):
        return there
    if there:
        raise Refused(f"“{typed['name']}” is in the list already.", "name")
    if Problem.objects.count() >= MOST:
        raise Refused(f"There are {MOST} in the list already.", "name")
    return Problem.objects.create(
        name=typed["name"],
        kind=typed["kind"],
        signs=typed["signs"],
        threshold=typed["threshold"],
        threshold_of=typed["threshold_of"],
    )


def plants_trait(problem: Problem) -> Trait:
    """How many of the plants looked at have it."""
    return _trait(problem, "plants", Trait.Kind.AFFECTED, f"How many of the plants looked at have it. {problem.signs}", 10)


def area_trait(problem: Problem) -> Trait:
    """How much of the leaves, or of the ground for a weed, it takes."""
    where = "the plot's ground" if problem.kind == Problem.Kind.WEED else "the leaf area"
    trait = _trait(problem, "area", Trait.Kind.PERCENT, f"Share of {where} it takes, mean over the plot. {problem.signs}", 1)
    if guide_of(trait) is None:
        scale = {"weed": "weeds", "pest": "leaf-eaten"}.get(problem.kind, "leaf-disease")
        like = Guide.objects.filter(trait__key=scale).order_by("version").first()
        Guide.objects.create(trait=trait, version=1, anchors=like.anchors if like else [], alike=problem.alike)
    return trait


def _trait(problem: Problem, end: str, kind: str, method: str, samples: int) -> Trait:
    words = {"plants": "plants", "area": "cover" if problem.kind == Problem.Kind.WEED else "leaf area"}[end]
    made, _ = Trait.objects.get_or_create(
        key=f"problem-{problem.pk}-{end}",
        defaults={
            "name": f"{problem.name}, {words}",
            "kind": kind,
            "unit": "%",
            "low": 0,
            "high": 100,
            "direction": "lower",
            "repeated": True,
            "matters": 10,
            "samples": samples,
            "method": method[:300],
            "fits": [f"problem {problem.pk}"],
        },
    )
    return made
