"""Whether to sow an entry again: what waiting brings, what another sowing would, and whether there is time for it."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from enum import StrEnum

import numpy as np

from trialcore.analyses.linear import Floats


class Advice(StrEnum):
    """What to do about an entry of which too few plants have come up."""

    ENOUGH = "enough"
    WAIT = "wait"
    SOW_AGAIN = "sow again"
    SOW_THE_REST = "sow what is left"
    TOO_LATE = "too late"
    NO_SEED = "no seed"


@dataclass(frozen=True)
class Resowing:
    """`seeds` to sow now; the chance of having the plants needed by waiting alone, and with these seeds sown as well;
    `days_left` until the last day on which sowing still makes plants in time, None where no such day is known."""

    advice: Advice
    seeds: int
    chance_waiting: float
    chance_resown: float | None
    days_left: int | None


def chance_of_plants(
    needed: int, alive: int, rest: int, comes: float, seeds: int = 0, share: tuple[float, float] = (1.0, 1.0)
) -> float:
    """Chance that `alive` plants, those still to come of `rest` seeds (each with chance `comes`) and those of `seeds` sown anew
    make at least `needed`.

    What is known of the new seeds is a beta distribution with parameters `share` (those that made a plant and those that did
    not, each plus a half or one), so their number is beta-binomial: a lot tested on few seeds is less sure. Raises ValueError
    for counts below nought, a chance outside 0 to 1, or parameters not above nought.
    """
    if min(alive, rest, seeds) < 0 or not 0 <= comes <= 1 or min(share) <= 0:
        raise ValueError("counts must not be negative, the chance between nought and one, and the share's parameters above nought")
    lack = needed - alive
    if lack <= 0:
        return 1.0
    if lack > rest + seeds:
        return 0.0
    waiting, new = _binomial(rest, comes), _beta_binomial(seeds, *share)
    more = np.convolve(waiting, new)
    return float(min(1.0, more[lack:].sum()))


def _log_choose(n: int, k: Floats) -> Floats:
    from scipy.special import gammaln

    return np.asarray(gammaln(n + 1) - gammaln(k + 1) - gammaln(n - k + 1))


def _binomial(n: int, p: float) -> Floats:
    from scipy.special import xlog1py, xlogy

    k = np.arange(n + 1.0)
    return np.asarray(np.exp(_log_choose(n, k) + xlogy(k, p) + xlog1py(n - k, -p)))


def _beta_binomial(n: int, a: float, b: float) -> Floats:
    from scipy.special import betaln

    k = np.arange(n + 1.0)
    return np.asarray(np.exp(_log_choose(n, k) + betaln(k + a, n - k + b) - betaln(a, b)))


def resowing(
    needed: int,
    alive: int,
    rest: int,
    comes: float,
    stock: int,
    share: tuple[float, float],
    today: date,
    last_sowing: date | None,
    wanted: float = 0.9,
) -> Resowing:
    """What to do about an entry that needs `needed` plants. The rest as for `chance_of_plants`; `stock` seeds are left, and
    `last_sowing` is the last day on which sowing is still in time.

    Enough or waiting when these reach the `wanted` chance; else the fewest seeds that do, or all that are left where even
    these do not.
    """
    days_left = (last_sowing - today).days if last_sowing else None
    waiting = chance_of_plants(needed, alive, rest, comes)
    if alive >= needed:
        return Resowing(Advice.ENOUGH, 0, 1.0, None, days_left)
    if waiting >= wanted:
        return Resowing(Advice.WAIT, 0, waiting, None, days_left)
    if days_left is not None and days_left < 0:
        return Resowing(Advice.TOO_LATE, 0, waiting, None, days_left)
    if stock < 1:
        return Resowing(Advice.NO_SEED, 0, waiting, None, days_left)

    def chance(seeds: int) -> float:
        return chance_of_plants(needed, alive, rest, comes, seeds, share)

    with_all = chance(stock)
    if with_all < wanted:
        return Resowing(Advice.SOW_THE_REST, stock, waiting, with_all, days_left)
    low, high = 0, stock
    while high - low > 1:
        middle = (low + high) // 2
        low, high = (low, middle) if chance(middle) >= wanted else (middle, high)
    return Resowing(Advice.SOW_AGAIN, high, waiting, chance(high), days_left)
