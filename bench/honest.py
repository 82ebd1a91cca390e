"""Is the stated chance right, and does the interval of the best hold? Simulated seasons against checks nobody knows.

`python -m bench.honest` prints what docs/exactness.md sums up; `--quick` takes a tenth of the worlds.
"""

from __future__ import annotations

import sys
from itertools import pairwise

import numpy as np

from trialcore.inference.distributions import t_below, t_quantile
from trialcore.inference.season_means import SeasonMeans
from trialcore.inference.shrunken import shrink

EDGES = (0.0, 0.1, 0.3, 0.5, 0.7, 0.8, 0.9, 0.95, 1.01)
WORLDS = 2400


def main() -> None:
    worlds = WORLDS // (10 if "--quick" in sys.argv else 1)
    for v, reps, checks in ((4, 4, 1), (12, 4, 1), (30, 3, 1), (12, 4, 2)):
        one_kind(v, reps, checks, worlds)


def one_kind(v: int, reps: int, checks: int, worlds: int) -> None:
    rng = np.random.default_rng(31)
    stated, flat, happened = [], [], []
    inside = raw_inside = 0
    over = []
    for n in range(worlds):
        spread, phi = (0.4, 0.6, 1.0)[n % 3], (0.0, 0.25, 0.5)[n // 3 % 3]
        true = rng.normal(0, spread, v)
        check = float(rng.choice([-0.5, 0, 0.5, 1, 1.5])) * spread
        lasting = np.sqrt(phi) * spread
        df = (v + checks - 1) * (reps - 1)
        square = rng.chisquare(df) / df
        means = true + rng.normal(0, np.sqrt(lasting**2 + 1 / reps), v)
        base = check + float(rng.normal(0, np.sqrt(lasting**2 + 1 / reps / checks)))
        own, own_check = square / reps, square / reps / checks
        found = shrink([SeasonMeans([f"{i}" for i in range(v)], means.tolist(), [own] * v, base, own_check, square, df)])
        assert found
        stated += [a.chance for a in found.advantages]
        flat += t_below((means - base) / np.sqrt(own + own_check), df).tolist()
        happened += (true > check).tolist()
        top = int(np.argmax(means))
        half = t_quantile(0.975, df)
        a = found.advantages[top]
        inside += abs(a.kept - (true[top] - check)) <= half * np.sqrt(a.variance)
        raw_inside += abs(means[top] - base - (true[top] - check)) <= half * np.sqrt(own + own_check)
        over.append((means[top] - base - (true[top] - check)) / spread)
    yes = np.array(happened)
    print(f"  {v} entries × {reps} blocks, {checks} check plots a block, {worlds} worlds")
    for name, said in (("shrunken", np.array(stated)), ("flat", np.array(flat))):
        bins = [(said >= a) & (said < b) for a, b in pairwise(EDGES)]
        told = ", ".join(f"{said[k].mean():.2f} → {yes[k].mean():.2f}" for k in bins if k.any())
        print(f"    {name}: stated → happened {told}")
    print(
        f"    95 % interval of the entry on top: holds {100 * inside / worlds:.0f} %, flat {100 * raw_inside / worlds:.0f} %; "
        f"it shows {np.mean(over):.1f} spreads more than it has"
    )


if __name__ == "__main__":
    main()
