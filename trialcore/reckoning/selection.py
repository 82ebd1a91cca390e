"""Segregating generations: how many plants to grow, and how fixed a line is."""

from __future__ import annotations

from math import ceil, log


def plants_to_grow(share: float, at_least: int, chance: float) -> int:
    """The fewest plants among which at least `at_least` of a genotype are found with probability `chance`.

    `share` is the genotype's expected share, such as 1/16 for two recessives in F₂. Binomial; for one plant it is
    log(1 − chance) / log(1 − share) (Sedcole 1977). Raises ValueError for shares or chances outside (0, 1).
    """
    if not 0 < share <= 1 or not 0 < chance < 1 or at_least < 1:
        raise ValueError("the share must lie above nought, the chance between nought and one, and at least one plant be wanted")
    if share == 1:
        return at_least
    from scipy.special import bdtrc

    low = at_least - 1
    high = max(at_least, ceil(log(1 - chance) / log(1 - share)))
    while float(bdtrc(at_least - 1, high, share)) < chance:
        low, high = high, high * 2
    while high - low > 1:
        middle = (low + high) // 2
        low, high = (middle, high) if float(bdtrc(at_least - 1, middle, share)) < chance else (low, middle)
    return high


def share_of_recessives(loci: int, generation: int = 2) -> float:
    """Expected share of plants that are homozygous for the wanted allele at all of `loci` unlinked loci, in generation
    Fₙ under selfing: (½ fixation)ˡᵒᶜⁱ."""
    if loci < 1:
        raise ValueError("at least one locus is needed")
    return (fixation(generation) / 2) ** loci


def fixation(generation: int) -> float:
    """Expected share of loci that are homozygous in Fₙ under selfing: 1 − ½ⁿ⁻¹, nought in F₁ (Falconer and Mackay 1996)."""
    if generation < 1:
        raise ValueError("generations are counted from F1")
    return 1 - 0.5 ** (generation - 1)


def chance_all_fixed(generation: int, loci: int) -> float:
    """Chance that a plant of Fₙ is homozygous at all of `loci` unlinked loci that segregated in F₂."""
    if loci < 1:
        raise ValueError("at least one locus is needed")
    return fixation(generation) ** loci


def generation_for(fixed: float) -> int:
    """The first generation in which the expected fixation reaches `fixed`."""
    if not 0 <= fixed < 1:
        raise ValueError("fixation must lie from nought to below one")
    generation = 1
    while fixation(generation) < fixed:
        generation += 1
    return generation
