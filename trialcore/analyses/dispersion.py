"""How much more than chance alone plots vary, and how surely that is known."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from trialcore.analyses.linear import Floats

NO_CLUMPING = 0.35
"""Prior probability that units of a plot are no more alike than units of two plots."""
SHAPE = 1.0  # of the Lomax prior of the clumping where there is some
GRID = np.concatenate([np.linspace(0.0, 1.0, 401)[1:], np.exp(np.linspace(0.0, np.log(1e3), 200))[1:]])


@dataclass(frozen=True)
class Dispersion:
    """`value` multiplies the variance that chance alone gives, never below 1; `df` are the degrees of freedom of the t distribution
    that allows for not knowing it exactly. They match the posterior mean and coefficient of variation of the dispersion."""

    value: float
    df: float


@dataclass(frozen=True)
class Clumping:
    """What is known beforehand of how alike units of one plot are: dispersion = 1 + `reach` × clumping.

    For counted units the clumping is their correlation within a plot (at most 1) and `reach` the units less one; for counts it is
    1 / k of the negative binomial and `reach` the mean count. `usual` is the scale of the prior."""

    reach: float
    usual: float
    most: float


def shares_clump(units: float) -> Clumping:
    """Of plots of so many units on average; plants of one plot are usually alike by some hundredths."""
    return Clumping(max(0.0, units - 1), 0.1, 1.0)


def counts_clump(mean: float) -> Clumping:
    """Of plots with so many on average."""
    return Clumping(mean, 1.0, float("inf"))


def dispersion_of(pearson: float, df: int, variance: float, clumping: Clumping) -> Dispersion:
    """The dispersion behind a Pearson chi-square of `pearson` on `df` degrees of freedom whose variance without any dispersion is
    `variance` (2 · df for large counts, more for sparse ones).

    Pearson's chi-square is taken as a scaled chi-square (McCullagh and Nelder 1989, sec. 4.5) on the degrees of freedom that give
    it this variance. The prior has half of its mass on no clumping and the rest on a Lomax tail, so that a ratio below 1 is read as
    chance, and one above 1 as dispersion by as much as the data say. Raises ValueError for a negative statistic.
    """
    if pearson < 0:
        raise ValueError("a chi-square is never negative")
    if df < 1 or clumping.reach <= 0:
        return Dispersion(1.0, float("inf"))
    own = min(float(df), 2.0 * df * df / max(variance, 1e-9))
    clumps = GRID[GRID * clumping.usual <= clumping.most] * clumping.usual
    prior = np.gradient(clumps) * (1 + clumps / clumping.usual) ** -(SHAPE + 1)
    weights = np.concatenate([[NO_CLUMPING], (1 - NO_CLUMPING) * prior / prior.sum()])
    values = 1 + clumping.reach * np.concatenate([[0.0], clumps])
    log_density = _log_density(values, pearson / df, own)
    weights = weights * np.exp(log_density - log_density.max())
    weights /= weights.sum()
    mean = float(weights @ values)
    spread = float(weights @ (values - mean) ** 2) / mean**2
    if spread < 1e-12:
        return Dispersion(mean, float("inf"))
    t_df = 4 + 2 / spread
    return Dispersion(max(1.0, mean * (t_df - 2) / t_df), t_df)


def _log_density(dispersion: Floats, ratio: float, df: float) -> Floats:
    """Of the ratio of the statistic to its degrees of freedom, up to a constant."""
    scaled = max(ratio, 1e-3) / dispersion
    return np.asarray((df / 2 - 1) * np.log(scaled) - df * scaled / 2 - np.log(dispersion))
