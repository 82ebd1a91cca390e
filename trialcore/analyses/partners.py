"""How far the records of a partner's small trial can be gone by: how complete they are, and whether its check stands among the
entries as it does at the main site.

The weight is Huber's (1964, Annals of Mathematical Statistics 35): one while the check's lead lies within two standard errors of
the main site's, and two standard errors over the distance beyond, times the share of values that came back."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from math import sqrt

FAR = 2.0  # standard errors up to which a partner's check may stand otherwise
LEAST = 0.05  # below which nothing is gained by a smaller weight


@dataclass(frozen=True)
class Agreement:
    """The check's lead over the other entries at both places, in the trait's unit, and the weight: of the partner's records against
    as many plots of the main site. `apart` is how many standard errors lie between; None where it cannot be said."""

    complete: float
    here: float | None
    there: float | None
    apart: float | None
    weight: float


def lead_of_check(means: Mapping[str, float], check: str, shared: frozenset[str]) -> float | None:
    """By how much the check lies above the mean of the other `shared` entries; None where either is missing."""
    others = [m for e, m in means.items() if e != check and e in shared]
    return means[check] - sum(others) / len(others) if check in means and others else None


def variance_of_lead(entries: int, plot_variance: float, plots_an_entry: float) -> float:
    """The error variance of such a lead: a mean of n plots has s²/n, and the mean of the other k − 1 entries s²/(n (k − 1))."""
    return plot_variance / plots_an_entry * (1 + 1 / (entries - 1))


def agreement(
    partner: Mapping[str, float],
    main: Mapping[str, float],
    check: str,
    complete: float,
    plots: tuple[float, float],
    plot_variances: tuple[float, float],
) -> Agreement:
    """Set a partner's entry means beside the main site's, by entries that stand in both. `plots` are the plots an entry has at the
    partner and at the main site, `plot_variances` the variance of a plot there. Raises ValueError for a share beyond 0 to 1."""
    if not 0 <= complete <= 1:
        raise ValueError("A share lies between 0 and 1.")
    shared = frozenset(partner) & frozenset(main)
    here, there = (lead_of_check(m, check, shared) for m in (partner, main))
    if here is None or there is None or min(plots) <= 0:
        return Agreement(complete, here, there, None, max(LEAST, complete))
    error = sum(variance_of_lead(len(shared), v, n) for v, n in zip(plot_variances, plots, strict=True))
    apart = abs(here - there) / sqrt(error) if error > 0 else None
    agree = 1.0 if apart is None or apart <= FAR else FAR / apart
    return Agreement(complete, here, there, apart, max(LEAST, complete * agree))
