"""Weights brought to one moisture, so that a dry and a damp harvest can be set against each other.

Moistures are % of fresh weight.
"""

from __future__ import annotations


def moisture_of(fresh: float, dried: float) -> float:
    """The moisture of a sample in % of its fresh weight, from its weight before and after drying (same unit).

    Raises ValueError for a sample that weighs nothing, or more once it is dry.
    """
    if fresh <= 0 or not 0 < dried <= fresh:
        raise ValueError(f"{fresh:g} before and {dried:g} after drying cannot both be right")
    return 100 * (fresh - dried) / fresh


def at_standard_moisture(weight: float, moisture: float, standard: float) -> float:
    """What `weight` at `moisture` would weigh at the `standard`: the dry matter stays. Raises ValueError outside 0 to 100."""
    if not (0 <= moisture < 100 and 0 <= standard < 100):
        raise ValueError(f"moistures of {moisture:g} and {standard:g} %; expected from 0 to less than 100")
    return weight * (100 - moisture) / (100 - standard)
