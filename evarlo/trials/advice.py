"""Which design to choose: each in a sentence, with when it is the right one."""

from __future__ import annotations

from dataclasses import dataclass

from evarlo.trials.models import Trial

Design = Trial.Design


@dataclass(frozen=True)
class Explained:
    """A design as it is offered: its name, what it does, and when to choose it."""

    key: str
    name: str
    does: str
    when: str

    @property
    def said(self) -> str:
        return f"{self.does} {self.when}"


DESIGNS = (
    Explained(
        Design.BLOCKS,
        "Complete blocks",
        "Every entry stands once in every block.",
        "Choose it for up to about 16 entries on ground that differs from place to place.",
    ),
    Explained(
        Design.INCOMPLETE,
        "Incomplete blocks",
        "Each replicate is cut into small blocks on ground of one kind.",
        "Choose it for more than about 16 entries.",
    ),
    Explained(
        Design.LATIN,
        "Latin square",
        "Every entry stands once in every row and once in every column.",
        "Choose it for 4 to 8 entries when the ground changes both ways.",
    ),
    Explained(
        Design.NO_BLOCKS,
        "Completely randomised",
        "Every plot may hold any entry.",
        "Choose it only where the ground is even: pots, a bench, a small tunnel.",
    ),
    Explained(
        Design.AUGMENTED,
        "Augmented blocks",
        "New entries stand once, checks in every block tell how blocks differ.",
        "Choose it for many new entries with too little seed to repeat them.",
    ),
    Explained(
        Design.FACTORIAL,
        "Factorial in blocks",
        "Every entry meets every level of a second factor in every block.",
        "Choose it when the levels can be changed plot by plot.",
    ),
    Explained(
        Design.SPLIT,
        "Split-plot",
        "One factor lies on large plots, the other on plots within them.",
        "Choose it when a level, such as a sowing date or a cover, needs a larger piece of ground.",
    ),
    Explained(
        Design.STRIP,
        "Strip-plot",
        "Both factors lie in strips across each other.",
        "Choose it when both need long strips; it tells best where the ranking of entries changes.",
    ),
    Explained(
        Design.PAIRS,
        "Pairs with the check",
        "Every entry stands beside a plot of the check.",
        "Choose it for a few entries on growers' own ground, or where ground is very uneven.",
    ),
)
MANY = 16


def advised_design(design: str, entries: int, checks: int = 1, gradient: bool = False, beds: int = 1) -> str:
    """Whether a design suits a number of entries, ground with a known gradient and so many beds, in a sentence; what would suit
    it better when it does not. Nothing where the design itself says enough."""
    if design == Design.NO_BLOCKS and (gradient or beds > 1) and entries <= MANY:
        why = "The ground changes along a known line" if gradient else f"{beds} beds are never quite alike"
        return f"{why}. Complete blocks, each on one kind of ground, take that out; without blocks it all counts as error."
    if entries > MANY and design in (Design.BLOCKS, Design.NO_BLOCKS):
        size = max(3, round(entries**0.5))
        return (
            f"With {entries} entries a complete block reaches over uneven ground. Incomplete blocks of about {size} plots "
            "hold the ground more alike and take more of its differences out."
        )
    if design == Design.INCOMPLETE and entries <= MANY // 2:
        return f"{entries} entries fit complete blocks well; small blocks would cost precision here."
    if design == Design.AUGMENTED and checks < 2:
        return "Augmented blocks are judged by their checks alone: name further checks."
    if design == Design.LATIN and not 4 <= entries <= 8:
        return f"A Latin square of {entries} entries takes {entries * entries} plots; 4 to 8 entries suit it best."
    if design == Design.BLOCKS and beds > 1 and entries > MANY // 2:
        return (
            f"Keep every complete block of {entries} plots within one bed, or choose incomplete blocks, which fit beds more easily."
        )
    if design == Design.BLOCKS:
        return f"{entries} entries fit complete blocks well: each block stays small enough to lie on one kind of ground."
    return ""
