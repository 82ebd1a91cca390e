"""How a crop sets seed, and what that says of seed saved of a plant."""

from __future__ import annotations

from evarlo.breeding.models import How, Isolation
from evarlo.catalogue.models import Crop

COVERED = (Isolation.BAGGED, Isolation.CAGED)


def selfs(crop: Crop) -> bool:
    """Whether a plant of the crop mostly pollinates itself."""
    return str(crop.profile.get("pollination", "")).removeprefix("mostly ").startswith("self")


def purity_in_words(crop: Crop, mating: str, isolation: str) -> str:
    """What the way in which seed was set says of its purity."""
    if mating == How.CLONED:
        return "The same plant again, but for sports."
    if isolation in COVERED:
        return "No other pollen came near it." if mating != How.OPEN else "Pollinated among its own under cover."
    if selfs(crop):
        return "Mostly its own pollen; a few seeds in a hundred may be crosses, more where insects are many."
    metres = crop.profile.get("isolation_m")
    far = f" {metres:g} m are usually asked for." if metres else ""
    if isolation == Isolation.DISTANCE:
        return f"As pure as the distance makes it.{far}"
    return f"Other plants of its crossing group in reach may have pollinated it.{far}"
