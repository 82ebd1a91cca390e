"""The trait by which single plants are marked while they are walked."""

from __future__ import annotations

from evarlo.catalogue.models import SINGLE_PLANTS, Trait

MARK = "plant-mark"
MARKS = ("keep", "seed", "pull")
PULL = 3  # as a value of the trait: the third of its kinds


def mark_trait() -> Trait:
    """Keep, seed or pull, with the reason as its note: walked like any trait, so it comes in from the field like any."""
    return Trait.objects.get_or_create(
        key=MARK,
        defaults={
            "name": "Mark of a plant",
            "kind": Trait.Kind.CATEGORY,
            "method": "Keep to look again, seed to save seed of it, pull to take it out. Say why in the note.",
            "choices": list(MARKS),
            "repeated": True,
            "fits": [SINGLE_PLANTS],
        },
    )[0]
