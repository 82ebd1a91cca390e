"""What every new place begins with: traits with their guides, problems and crops."""

from __future__ import annotations

from evarlo.catalogue.models import Crop, Guide, Problem, Trait
from evarlo.catalogue.problems import put_in_problems
from evarlo.catalogue.services import put_in_shipped_crops
from evarlo.catalogue.traits import put_in_library


def put_in_what_ships() -> None:
    """Put it into a new database, as the migrations do."""
    put_in_library(Trait, Guide)
    put_in_problems(Problem)
    put_in_shipped_crops(Crop)
