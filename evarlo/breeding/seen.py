"""What was seen of single plants."""

from __future__ import annotations

from evarlo.catalogue.models import Trait
from evarlo.trials.models import Trial
from evarlo.trials.queries import plots_of, readings_of

CLASSES = (Trait.Kind.CATEGORY, Trait.Kind.YES_NO)  # kinds of traits that part plants and are no amounts


def numbers_of(trial: Trial, trait: Trait) -> dict[int, float]:
    """The figure of every plot that has one, by its id."""
    read = readings_of(trial, trait)
    return {p.pk: r.number for p in plots_of(trial) if (r := read.get(p.pk)) is not None and r.number is not None}
