"""How fixed a line is to be expected after so many generations of each kind of mating."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum


class Mating(StrEnum):
    """How the plants of a generation came from the one before."""

    SELFED = "selfed"
    SIBBED = "sibbed"
    OPEN = "open"
    BACKCROSSED = "backcrossed"
    CLONED = "cloned"


@dataclass(frozen=True)
class Fixation:
    """What is to be expected of the loci at which two fixed parents of a cross differ: `fixed` the share at which a plant has two
    like alleles, `sisters` the chance that an allele drawn from each of two sister plants is alike, `first_parent` the share of
    alleles from the first parent."""

    fixed: float = 0.0
    sisters: float = 0.5
    first_parent: float = 0.5

    @property
    def segregating(self) -> float:
        """The share of these loci that still segregates within a plant's offspring."""
        return 1 - self.fixed


F1 = Fixation()  # of two fixed parents: every plant the same, no locus fixed


def after(parent: Fixation, mating: Mating) -> Fixation:
    """The next generation, where unselected plants are the parents.

    Selfing halves what segregates, so F_n is fixed at 1 − ½ⁿ⁻¹ of the loci. Sisters mated in pairs: F' = θ and
    θ' = (1 + F + 2θ)/4, with F fixed and θ alike between sisters; left to open pollination in a large, isolated family F' = θ and
    θ stays. A backcross to the first parent halves the other's alleles, and as many loci segregate as its gametes carried of them.
    (Falconer and Mackay 1996, chapters 3 and 5.)
    """
    f, theta, first = parent.fixed, parent.sisters, parent.first_parent
    match mating:
        case Mating.SELFED:
            return Fixation((1 + f) / 2, (1 + f) / 2, first)
        case Mating.SIBBED:
            return Fixation(theta, (1 + f + 2 * theta) / 4, first)
        case Mating.OPEN:
            return Fixation(theta, theta, first)
        case Mating.BACKCROSSED:
            return Fixation(first, 0.25 + first / 2 + (1 + f) / 8, (1 + first) / 2)
    return parent


def along(path: Sequence[Mating]) -> Fixation:
    """The expectation after a `path` of matings that begins with the F1: after one selfing it is the F2."""
    state = F1
    for mating in path:
        state = after(state, mating)
    return state


def generation(path: Sequence[Mating]) -> str:
    """What a generation is called: F1, F4, BC2F3; sibbed or open-pollinated ones count on as F."""
    crosses = 0
    while crosses < len(path) and path[crosses] == Mating.BACKCROSSED:
        crosses += 1
    later = sum(m != Mating.CLONED for m in path[crosses:])
    return f"BC{crosses}F{later + 1}" if crosses else f"F{later + 1}"


def full_sib_inbreeding(generations: int) -> float:
    """Wright's coefficient after so many generations of full sibs from unrelated, outbred parents: F_t = (1 + 2F_{t−1} + F_{t−2})/4
    (Falconer and Mackay 1996, table 5.1)."""
    before, now = 0.0, 0.0
    for _ in range(generations):
        before, now = now, (1 + 2 * now + before) / 4
    return now
