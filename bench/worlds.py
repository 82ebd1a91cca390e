"""Is the stated chance right in each kind of world, not only on average, and what do verdicts cost there?

`python -m bench.worlds` plays programmes of three seasons in thirteen worlds, as the first of a place and after earlier programmes
from whose figures the prior is learnt, and prints what docs/exactness.md shows; `--quick` takes a tenth of the programmes.
"""

from __future__ import annotations

import sys
from dataclasses import dataclass, replace
from functools import partial
from itertools import pairwise
from multiprocessing import Pool
from typing import Any

import numpy as np

from trialcore.analyses.linear import Floats
from trialcore.inference.priors import LIBRARY, Prior, learn
from trialcore.inference.shrunken import log_likelihoods
from trialcore.inference.simulated_programme import Played, Station, figures_of, play

SPREAD = 0.6
DECILES = (0.0, 0.1, 0.2, 0.3, 0.4, 0.5, 0.6, 0.7, 0.8, 0.9, 1.01)
FEWEST = 150
"""Chances in a decile below which it says nothing, being luck of a few programmes."""
PROGRAMMES = 400
EARLIER = (0, 4, 16)
DROPPED = -1


@dataclass(frozen=True)
class World:
    name: str
    at: Station


TWELVE = Station(12, 4, 2, spread=SPREAD)
WORLDS = (
    World("check like an entry", TWELVE),
    World("check like the mean entry", replace(TWELVE, check=0.0)),
    World("check +0.5", replace(TWELVE, check=0.5 * SPREAD)),
    World("check +1", replace(TWELVE, check=SPREAD)),
    World("check +1.5", replace(TWELVE, check=1.5 * SPREAD)),
    World("check +2", replace(TWELVE, check=2 * SPREAD)),
    World("check −1", replace(TWELVE, check=-SPREAD)),
    World("years do not interact", replace(TWELVE, phi=0.0)),
    World("years interact much (1.5)", replace(TWELVE, phi=1.5)),
    World("entries little unlike (0.3)", replace(TWELVE, spread=0.3, matters=0.075)),
    World("entries much unlike (1.2)", replace(TWELVE, spread=1.2, matters=0.3)),
    World("entries alike, years interact", replace(TWELVE, spread=0.05, phi=36.0)),
    World("few far out (t, 3 df)", replace(TWELVE, tails=3)),
)


@dataclass(frozen=True)
class Told:
    """What a world's programmes came to."""

    off: float
    """The largest distance of a stated chance from how often it came true, over deciles, points."""
    bins: str
    wrong: float
    dropped_better: float
    found: float
    regret: float
    top_held: float
    recommended: float


def main() -> None:
    programmes = PROGRAMMES // (10 if "--quick" in sys.argv else 1)
    with Pool(2) as pool:
        for earlier in EARLIER:
            print(f"{earlier} earlier programmes of the place")
            regrets = []
            for world in WORLDS:
                told = told_of(pool, world, earlier, programmes)
                regrets.append(told.regret)
                print(
                    f"  {world.name}: chance off by {told.off:.1f} points, wrong {told.wrong:.1f} %, dropped though better "
                    f"{told.dropped_better:.1f} %, found {told.found:.1f} %, regret {told.regret:.3f}, top held {told.top_held:.0f} %, "
                    f"{told.recommended:.2f} recommended; {told.bins}",
                    flush=True,
                )
            print(f"  regret over all worlds {np.mean(regrets):.3f}", flush=True)


def told_of(pool: Any, world: World, earlier: int, programmes: int) -> Told:
    before: list[Floats] = [
        known for known in pool.map(partial(_likelihood, world), range(10**6, 10**6 + 8 * earlier)) if known is not None
    ]
    priors = [learn(before[n * earlier : (n + 1) * earlier]) for n in range(8)] if earlier else [LIBRARY]
    jobs = [(world, seed, priors[seed % len(priors)]) for seed in range(programmes)]
    played: list[Played] = pool.map(_played, jobs, chunksize=8)
    stated = [s for p in played for s in p.stated if s[2] >= 2]
    said, better = np.array([s[0] for s in stated]), np.array([s[1] for s in stated])
    bins = [(said >= a) & (said < b) for a, b in pairwise(DECILES)]
    pairs = [(100 * said[k].mean(), 100 * better[k].mean()) for k in bins if k.sum() >= FEWEST]
    figures = figures_of(played, world.at.spread)
    dropped = np.array(
        [[np.sum(p.true[p.verdict == DROPPED] >= world.at.matters), np.sum(p.verdict == DROPPED)] for p in played]
    ).sum(axis=0)
    return Told(
        max((abs(a - b) for a, b in pairs), default=float("nan")),
        " ".join(f"{a:.0f}→{b:.0f}" for a, b in pairs),
        100 * figures.wrong,
        100 * dropped[0] / max(1, dropped[1]),
        100 * figures.found,
        figures.regret * world.at.spread,
        100 * figures.top_held,
        figures.recommended,
    )


def _played(job: tuple[World, int, Prior]) -> Played:
    world, seed, prior = job
    return play(world.at, seed, prior=prior)


def _likelihood(world: World, seed: int) -> Floats | None:
    return log_likelihoods(_played((world, seed, LIBRARY)).seasons)


if __name__ == "__main__":
    main()
