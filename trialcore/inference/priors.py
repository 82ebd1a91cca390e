"""What is taken of a programme before its first figure: how far entries differ, how much of that goes by season, and how good the
check is; from the library, or learnt from other programmes of the place."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from trialcore.analyses.linear import Floats

RATIOS = np.geomspace(0.1, 32, 26)
"""Spread (standard deviation) of entries, in standard deviations of a plot."""
SEASONALS = np.array([0.0, 0.25, 0.75, 2.0, 6.0])
"""Entry × season variance, by the variance of entries."""
STANDINGS = np.arange(-2.25, 3.51, 0.25)
"""Lead of the check over the mean entry, in spreads of entries; each stands for those within about `WIDTH` of it."""
WIDTH = 0.2
USUAL_SEASONALS = (0.25, 0.43, 0.26, 0.05, 0.01)
AHEAD = 0.75
"""Lead, in spreads of entries, that a check chosen for being good is presumed to have, with a standard deviation of 1."""
TAILS = 4
"""Degrees of freedom of the spread of entries (Gelman 2006)."""
COUNTS = 2.0
"""Programmes as which the usual seasonal shares count beside those that were seen."""
ROUNDS = 12
OWN_WIDTHS = np.array([0.15, 0.4, 0.65, 0.9])
"""Standard deviations of the standings of checks of one kind of programme, beyond `WIDTH`."""
OWN_SPREADS = np.array([0.1, 0.3, 0.6])
"""Standard deviations of the logs of the spreads of entries in one kind of programme."""


@dataclass(frozen=True)
class Prior:
    """Chances of each of `RATIOS`, `SEASONALS` and `STANDINGS`, independent of each other; `programmes` from which they were
    learnt (0: the library's)."""

    ratios: tuple[float, ...]
    seasonals: tuple[float, ...]
    standings: tuple[float, ...]
    programmes: int = 0

    @cached_property
    def logs(self) -> Floats:
        """The log of the chance of each point: ratios × seasonals × standings."""
        ratio, seasonal, standing = (np.log(np.maximum(part, 1e-300)) for part in (self.ratios, self.seasonals, self.standings))
        return np.asarray(ratio[:, None, None] + seasonal[:, None] + standing)

    @property
    def ahead(self) -> float:
        """Expected lead of the check over the mean entry, in spreads of entries."""
        return float(np.asarray(self.standings) @ STANDINGS)


def library(ahead: float = AHEAD) -> Prior:
    """Half-t on the spread of entries, its scale one plot's standard deviation, so that far larger ones stay possible; a check
    `ahead` spreads of entries better than their mean, give or take one such spread."""
    ratios = RATIOS * (1 + RATIOS**2 / TAILS) ** (-(TAILS + 1) / 2)
    standings = np.exp(-((STANDINGS - ahead) ** 2) / (2 * (1 - WIDTH**2)))
    return Prior(tuple((ratios / ratios.sum()).tolist()), USUAL_SEASONALS, tuple((standings / standings.sum()).tolist()))


LIBRARY = library()
ANY_CHECK = library(0.0)
"""Where the check was not chosen for being good."""


def learn(programmes: Sequence[Floats], base: Prior = LIBRARY) -> Prior:
    """The prior of a new programme, from the `log_likelihoods` of others of its kind.

    Programmes are draws around a spread, a seasonal share and a standing of the place, with a variance of their own, all unknown:
    normal for the standing and for the log of the spread, a share for each of `SEASONALS` (its prior worth `COUNTS` programmes).
    Each is averaged over what is unknown of it, given the others (Gelman et al. 2013, ch. 5, on a grid; `ROUNDS` times in turn).
    The centre of standings and spreads is distributed as they are in `base`, which is what stands where there are no programmes.
    """
    if not len(programmes):
        return base
    likelihoods = np.array([np.exp(logs - logs.max()) for logs in programmes])
    ratios, seasonals, standings = (np.asarray(part) for part in (base.ratios, base.seasonals, base.standings))
    usual, spreads, places = seasonals, _family(np.log(RATIOS), OWN_SPREADS), _family(STANDINGS, OWN_WIDTHS)
    centres = np.repeat(ratios, len(OWN_SPREADS)), np.repeat(_narrower(base), len(OWN_WIDTHS))
    for _ in range(ROUNDS):
        ratios = _averaged(spreads, centres[0], np.einsum("prst,s,t->pr", likelihoods, seasonals, standings))
        standings = _averaged(places, centres[1], np.einsum("prst,r,s->pt", likelihoods, ratios, seasonals))
        each = np.einsum("prst,r,t->ps", likelihoods, ratios, standings) * seasonals
        seasonals = (COUNTS * usual + (each / np.maximum(each.sum(axis=1, keepdims=True), 1e-300)).sum(axis=0)) / (
            COUNTS + len(programmes)
        )
    ratio, seasonal, standing = (tuple(part.tolist()) for part in (ratios, seasonals, standings))
    return Prior(ratio, seasonal, standing, base.programmes + len(programmes))


def _family(points: Floats, widths: Floats) -> Floats:
    """Normal chances of the points, of each centre among them with each width: (points · widths) × points."""
    gaps = (points[None, None, :] - points[:, None, None]) / widths[None, :, None]
    chances = np.exp(-(gaps**2) / 2)
    return np.asarray((chances / chances.sum(axis=2, keepdims=True)).reshape(-1, len(points)))


def _narrower(base: Prior) -> Floats:
    """Chances of the centre of standings such that one programme's own is about as uncertain as in `base`."""
    apart = STANDINGS - base.ahead
    variance = max(float(np.asarray(base.standings) @ apart**2) - float(np.mean(OWN_WIDTHS**2)), WIDTH**2)
    chances = np.exp(-(apart**2) / (2 * variance))
    return np.asarray(chances / chances.sum())


def _averaged(family: Floats, centres: Floats, likelihoods: Floats) -> Floats:
    """Chances of the points, averaged over members of the family as likely as all programmes make them (programmes × points)."""
    logs = np.log(np.maximum(centres, 1e-300)) + np.log(np.maximum(likelihoods @ family.T, 1e-300)).sum(axis=0)
    weights = np.exp(logs - logs.max())
    return np.asarray(weights @ family / weights.sum())
