"""Where single plants stand: along the rows of a bed and back, the check after every few."""

from __future__ import annotations

from dataclasses import dataclass

from evarlo.grounds.models import Bed
from evarlo.ui.refused import Refused
from evarlo.ui.units import measured

MOST_PLANTS = 2000
CHECK_ROUND = 0.5  # of a run, at which the first check stands, so that both ends of a row have one near


@dataclass(frozen=True)
class Row:
    """One place: the family by its position (None is the check), what stands on its stake, and where it lies, in metres."""

    family: int | None
    number: str
    row: int
    col: int
    x: float
    y: float


def rows_of(families: int, plants: int, every: int, bed: Bed, between_cm: float, in_row_cm: float) -> list[Row]:
    """The places of `families` of so many plants in walking order, a check after `every` plants and in the middle of the first run.
    Raises Refused where the bed does not hold them."""
    along, across = int(bed.length_m * 100 / in_row_cm + 1e-9), int(bed.width_m * 100 / between_cm + 1e-9)
    order: list[int | None] = []
    since = int(every * CHECK_ROUND)
    for n in range(families * plants):
        if since == every:
            order.append(None)
            since = 0
        order.append(n // plants)
        since += 1
    order.append(None)
    if along < 1 or len(order) > along * across:
        held = max(0, along * across)
        raise Refused(
            f"{bed.name} holds {held} plants at {measured(between_cm, 'cm')} × {measured(in_row_cm, 'cm')}; these are {len(order)} "
            "with the checks.",
            "plants",
        )
    digits = len(str(len(order)))
    made = []
    for place, family in enumerate(order):
        row, step = divmod(place, along)
        col = step if row % 2 == 0 else along - 1 - step
        x, y = col * in_row_cm / 100, row * between_cm / 100
        made.append(Row(family, f"{place + 1:0{digits}d}", row + 1, col + 1, x, y))
    return made
