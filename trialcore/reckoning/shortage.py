"""Too few plants of an entry: the ways out, and what each does to what the trial can tell apart."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum

from trialcore.inference.power import Precision, smallest_found

SMITH_B = 0.5  # how fast the variance of a plot's mean falls with its plants, between 0 (not at all) and 1 (independent plants)


class Way(StrEnum):
    """A way out when plants are short."""

    AS_PLANNED = "as planned"
    FEWER_A_PLOT = "fewer plants a plot for all"
    FEWER_BLOCKS = "fewer plots of this entry"
    THINNER_PLOTS = "thinner plots of this entry"
    BOUGHT = "bought plants"
    LATER = "gaps filled later"


@dataclass(frozen=True)
class Choice:
    """One way out: plants in a plot of the short entry and of the others, plots of the short entry, and the smallest
    difference (% of the mean) of it from the check, and of the others among themselves, that is found with 80 % chance. None
    where nothing could be told."""

    way: Way
    plants: int
    plants_of_others: int
    plots: int
    tells: float | None
    tells_others: float | None


def plot_cv(cv_percent: float, plants: int, planned: int, b: float = SMITH_B) -> float:
    """The CV of plots with `plants` instead of `planned`: variance ∝ plants⁻ᵇ (Fairfield Smith 1938, J. Agric. Sci. 28).

    Raises ValueError for counts below one or an index outside 0 to 1.
    """
    if plants < 1 or planned < 1 or not 0 <= b <= 1:
        raise ValueError("plots need at least one plant, and the index lies between nought and one")
    return float(cv_percent * (planned / plants) ** (b / 2))


def ways_out(
    available: Mapping[str, int], short: str, planned: int, plots: int, cv_percent: float, entries: int, b: float = SMITH_B
) -> list[Choice]:
    """The ways out for the entry `short`, of which `available` plants are fit, where each of `plots` complete blocks should
    have `planned` in a plot. `available` holds every entry, since fewer plants a plot for all depends on the shortest.

    The variance of a difference is cv₁²/r₁ + cv₂²/r₂ on the error's (plots − 1)(entries − 1) degrees of freedom, less one for
    every plot that falls out. Raises KeyError for an entry that is not among them, ValueError for fewer than two plots.
    """
    if plots < 2 or planned < 1 or entries < 2:
        raise ValueError("two blocks, two entries and a plant in a plot are the least")
    there = available[short]
    df = (plots - 1) * (entries - 1)

    def tells(one: float, of_one: int, other: float, of_other: int, less: int = 0) -> float | None:
        if of_one < 1 or df - less < 1:
            return None
        factor = (one**2 / of_one + other**2 / of_other) / cv_percent**2
        return smallest_found(cv_percent, Precision(df - less, factor))

    full = cv_percent
    usual = tells(full, plots, full, plots)
    made = [Choice(Way.AS_PLANNED, planned, planned, plots, usual, usual)]
    for_all = min(planned, min(available.values()) // plots)
    if 1 <= for_all < planned:
        cv = plot_cv(full, for_all, planned, b)
        told = tells(cv, plots, cv, plots)
        made.append(Choice(Way.FEWER_A_PLOT, for_all, for_all, plots, told, told))
    whole = min(plots, there // planned)
    lost = plots - whole
    others = tells(full, plots, full, plots, lost) if whole < plots else usual
    if whole < plots:
        made.append(Choice(Way.FEWER_BLOCKS, planned, planned, whole, tells(full, whole, full, plots, lost), others))
    thin = min(planned, there // plots)
    if 1 <= thin < planned:
        cv = plot_cv(full, thin, planned, b)
        made.append(Choice(Way.THINNER_PLOTS, thin, planned, plots, tells(cv, plots, full, plots), usual))
    made.append(Choice(Way.BOUGHT, planned, planned, plots, usual, usual))
    made.append(Choice(Way.LATER, planned, planned, plots, usual, usual))
    return made
