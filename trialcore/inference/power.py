"""What difference a trial can tell apart, before it is sown."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from trialcore.inference import distributions


@dataclass(frozen=True)
class Precision:
    """How a design measures a difference of two entries: degrees of freedom of its error, and the variance of the
    difference per unit of plot variance (2 / r for means of r plots)."""

    df: int
    factor: float

    def shift(self, difference: float, sd: float) -> float:
        """Noncentrality of a true difference when plots vary with standard deviation `sd`, both in one unit."""
        return float(difference / (sd * np.sqrt(self.factor)))


def error_df(entries: int, blocks: int) -> int:
    """Degrees of freedom for error of randomised complete blocks: (entries − 1)(blocks − 1)."""
    return (entries - 1) * (blocks - 1)


def precision(
    design: str,
    entries: int,
    replicates: int,
    *,
    block_size: int = 0,
    efficiency: float | None = None,
    checks: int = 0,
    levels: int = 0,
    of: str = "entry",
) -> Precision:
    """The precision of a difference of two entries in each design, balanced and nothing missing.

    crd, rcbd, latin (`replicates` = `entries`), alpha (`block_size`; `efficiency` of the layout, else its upper bound after
    Patterson and Williams 1976), augmented (`checks` in `replicates` blocks, `entries` new ones; the difference is a new
    entry against a check), split-plot, strip-plot and factorial (`levels` of the second factor; `of` is `entry` or
    `factor2`; a split-plot's entry is its whole plot, so `sd` is then that of error (a) per sub-plot), paired-strips
    (`replicates` seasons; `sd` is that of a difference).

    Raises ValueError for a design that is not known or leaves no degree of freedom.
    """
    v, r = entries, replicates
    made: dict[str, Callable[[], tuple[int, float]]] = {
        "crd": lambda: (v * (r - 1), 2 / r),
        "rcbd": lambda: (error_df(v, r), 2 / r),
        "latin": lambda: ((v - 1) * (v - 2), 2 / v),
        "alpha": lambda: _alpha(v, r, block_size, efficiency),
        "augmented": lambda: ((r - 1) * (checks - 1), 1 + 1 / r + 1 / checks - 1 / (r * checks)),
        "split-plot": lambda: ((v - 1) * (r - 1), 2 / (r * levels)) if of == "entry" else (v * (levels - 1) * (r - 1), 2 / (r * v)),
        "strip-plot": lambda: ((v - 1) * (r - 1), 2 / (r * levels)) if of == "entry" else ((levels - 1) * (r - 1), 2 / (r * v)),
        "factorial": lambda: ((v * levels - 1) * (r - 1), 2 / (r * (levels if of == "entry" else v))),
        "paired-strips": lambda: (r - 1, 1 / r),
    }
    if design not in made:
        raise ValueError(f"“{design}” is not a design; expected one of {', '.join(made)}")
    try:
        df, factor = made[design]()
    except ZeroDivisionError:
        raise ValueError(f"{design} needs its block size, checks or levels") from None
    if df < 1 or factor <= 0:
        raise ValueError(f"{design} with {v} entries and {r} replicates leaves no degree of freedom for error")
    return Precision(df, factor)


def _alpha(v: int, r: int, size: int, efficiency: float | None) -> tuple[int, float]:
    blocks = -(-v // size)
    bound = (v - 1) * (r - 1) / ((v - 1) * (r - 1) + r * (blocks - 1))
    return v * r - v - r * blocks + 1, 2 / (r * (efficiency or bound))


def chance_found(difference: float, sd: float, given: Precision, alpha: float = 0.05) -> float:
    """Chance that a true difference of two entries is found, testing two-sided at `alpha` (noncentral t, both tails)."""
    if sd <= 0 or difference < 0 or not 0 < alpha < 1:
        raise ValueError("the spread must be above nought, the difference not below it, alpha between 0 and 1")
    bound = distributions.t_quantile(1 - alpha / 2, given.df)
    return distributions.noncentral_t_beyond(bound, given.df, given.shift(difference, sd))


def smallest_found(sd: float, given: Precision, alpha: float = 0.05, chance: float = 0.8) -> float:
    """The smallest true difference that is found with probability `chance`, in the unit of `sd`."""
    low, high = 0.0, sd
    while chance_found(high, sd, given, alpha) < chance:
        low, high = high, high * 2
    for _ in range(60):
        middle = (low + high) / 2
        low, high = (middle, high) if chance_found(middle, sd, given, alpha) < chance else (low, middle)
    return (low + high) / 2


def chance_any_found(differences: list[float], sd: float, replicates: int, df: int, alpha: float = 0.05) -> float:
    """Chance that the F test of all entries finds something: noncentral F with λ = r Σ (τ − τ̄)² / σ² (Cohen 1988, ch. 8).

    `differences` are the true entry effects in the unit of `sd`. Raises ValueError for fewer than two.
    """
    from scipy.special import ncfdtr

    if len(differences) < 2 or sd <= 0:
        raise ValueError("two entries and a spread above nought are the least")
    effect = np.array(differences) - np.mean(differences)
    top = len(differences) - 1
    bound = _f_quantile(1 - alpha, top, df)
    return float(1 - ncfdtr(top, df, replicates * float(effect @ effect) / sd**2, bound))


def _f_quantile(p: float, df1: int, df2: int) -> float:
    from scipy.special import fdtri

    return float(fdtri(df1, df2, p))


def power(difference: float, cv: float, blocks: int, entries: int, alpha: float = 0.05) -> float:
    """Chance that a true difference between two entries of complete blocks is found, testing two-sided at `alpha`.

    `difference` and `cv` are in percent of the mean. Noncentral t on (blocks − 1)(entries − 1) degrees of freedom with
    noncentrality difference / (cv · sqrt(2 / blocks)), both tails counted (Cohen 1988, ch. 2; Steel and Torrie 1980).

    Raises ValueError for fewer than two entries or blocks, or figures that are not positive.
    """
    if entries < 2 or blocks < 2:
        raise ValueError("two entries and two blocks are the least that can be compared")
    if cv <= 0 or difference < 0 or not 0 < alpha < 1:
        raise ValueError("the CV must be above nought, the difference not below it, alpha between 0 and 1")
    return chance_found(difference, cv, precision("rcbd", entries, blocks), alpha)


def detectable_difference(cv: float, blocks: int, entries: int, alpha: float = 0.05, chance: float = 0.8) -> float:
    """The smallest true difference of complete blocks, in percent of the mean, that is found with probability `chance`."""
    return smallest_found(cv, precision("rcbd", entries, blocks), alpha, chance)


def blocks_needed(
    difference: float, cv: float, entries: int, alpha: float = 0.05, chance: float = 0.8, most: int = 1000
) -> int | None:
    """The fewest blocks (at least 2) that find `difference` percent with probability `chance`; None beyond `most`."""
    return replicates_needed("rcbd", difference, cv, entries, alpha, chance, most)


def replicates_needed(
    design: str, difference: float, sd: float, entries: int, alpha: float = 0.05, chance: float = 0.8, most: int = 1000, **more: int
) -> int | None:
    """The fewest replicates (at least 2; seasons for paired strips) of a design that find `difference` with probability
    `chance`; `difference` and `sd` in one unit, `more` as for `precision`. None beyond `most`."""
    for r in range(2, most + 1):
        try:
            given = precision(design, entries, r, **more)  # type: ignore[arg-type]
        except ValueError:
            continue
        if chance_found(difference, sd, given, alpha) >= chance:
            return r
    return None
