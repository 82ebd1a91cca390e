"""Do 95 % intervals against the check hold the truth in untidy trials, and do they miss on both sides alike?

`python -m bench.coverage` prints the table of docs/exactness.md; `--quick` takes a fifth of the trials.
"""

from __future__ import annotations

import sys
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from trialcore.analyses.blocks import analyse_blocks
from trialcore.analyses.entries import compare_entries
from trialcore.analyses.generalised import analyse_generalised
from trialcore.analyses.programme import TrialMeans, analyse_programme

BLOCKS = 4
Draw = Callable[[np.random.Generator], np.ndarray]


@dataclass
class Tally:
    """How often intervals lay above the truth, below it, and in all."""

    above: int = 0
    below: int = 0
    all: int = 0

    def add(self, low: float, high: float, truth: float) -> None:
        self.above += low > truth
        self.below += high < truth
        self.all += 1

    def __str__(self) -> str:
        n = max(1, self.all)
        return f"{100 * (1 - (self.above + self.below) / n):.1f} % (above {100 * self.above / n:.1f}, below {100 * self.below / n:.1f})"


def labels(entries: int) -> tuple[list[str], list[str]]:
    return [f"E{i:03}" for i in range(entries) for _ in range(BLOCKS)], [str(b) for _ in range(entries) for b in range(BLOCKS)]


def counted(name: str, truth: np.ndarray, draw: Draw, trials: int, plants: int | None) -> None:
    """Differences from the first entry, of shares of `plants` or of counts."""
    entry, rep = labels(len(truth))
    tally, models = Tally(), {"chance": 0, "negative binomial": 0, "zero-inflated Poisson": 0}
    rng = np.random.default_rng(1)
    for _ in range(trials):
        among = [plants] * len(entry) if plants else None
        found = analyse_generalised("binomial" if plants else "poisson", entry, draw(rng).tolist(), among, {"rep": rep})
        models[found.clumped.name if found.clumped else "chance"] += 1
        for c in found.against("E000"):
            tally.add(c.lower95, c.upper95, float(truth[found.place[c.entry]] - truth[0]))
    chosen = "" if plants else "; " + ", ".join(f"{n} {m}" for m, n in models.items() if n)
    print(f"  {name}: {tally}{chosen}", flush=True)


def shares(p: np.ndarray, plants: int, alike: float = 0.0) -> Draw:
    each = np.repeat(p, BLOCKS)

    def draw(rng: np.random.Generator) -> np.ndarray:
        own = rng.beta(each * (1 / alike - 1), (1 - each) * (1 / alike - 1)) if alike else each
        return rng.binomial(plants, own)

    return draw


def clumps(m: np.ndarray, size: float) -> Draw:
    each = np.repeat(m, BLOCKS)
    return lambda rng: rng.negative_binomial(size, size / (size + each)) if size else rng.poisson(each)


def zeros(m: np.ndarray, extra: float) -> Draw:
    each = np.repeat(m, BLOCKS)
    return lambda rng: rng.poisson(each / (1 - extra)) * (rng.random(len(each)) > extra)


def weights(cv: float, trials: int) -> None:
    """Six entries from 5 to 20, the check in every place in turn."""
    entry, rep = labels(6)
    tally, rng = Tally(), np.random.default_rng(2)
    spread = np.log(1 + cv**2)
    for n in range(trials):
        mean = np.roll(np.linspace(5, 20, 6), n)
        y = np.repeat(mean, BLOCKS) * np.exp(rng.normal(0, spread**0.5, len(entry)) - spread / 2)
        versus = compare_entries("rcbd", "measure", {"entry": entry, "rep": rep}, y.tolist(), "E000").versus
        if versus is not None:
            low, high = versus.interval(versus.critical_each)
            for d, a, b in zip(versus.differences, low, high, strict=True):
                tally.add(float(a), float(b), float(mean[int(d.a[1:])] - mean[0]))
    print(f"  weights, coefficient of variation {cv}: {tally}", flush=True)


def programmes(seasons: int, entries: int, seasonal: float, trials: int) -> None:
    """Small trials over seasons, three blocks each, entries that truly do not differ on average."""
    tally, rng = Tally(), np.random.default_rng(3)
    entry, rep = [f"E{i}" for i in range(entries) for _ in range(3)], [str(b) for _ in range(entries) for b in range(3)]
    for _ in range(trials):
        means = []
        for season in range(seasons):
            own = np.repeat(rng.normal(0, seasonal**0.5, entries), 3)
            a = analyse_blocks(entry, (own + rng.normal(0, 1, len(entry))).tolist(), {"rep": rep})
            names = tuple(m.entry for m in a.means)
            means.append(
                TrialMeans(str(season), str(season), "s", names, a.level, (a.mse or 0.0) * a.covariance, float(a.df_error))
            )
        for lead in analyse_programme(means, "E0").leads:
            tally.add(lead.lower95, lead.upper95, 0.0)
    print(f"  {seasons} trials of {entries} × 3, entry × season variance {seasonal}: {tally}", flush=True)


def main() -> None:
    trials = 200 if "--quick" in sys.argv else 1000
    varied = np.array([0, 0.05, 0.1, 0.15, 0.2, 0.3, 0.1, 0.05])
    print("Shares, 8 entries × 4 blocks")
    for plants in (10, 20, 40):
        counted(f"check at 0, {plants} plants", varied, shares(varied, plants), trials, plants)
    for p, alike in ((0.02, 0), (0.02, 0.05), (0.05, 0), (0.05, 0.05), (0.5, 0), (0.5, 0.05), (0.5, 0.15)):
        every = np.full(8, p)
        counted(f"all at {100 * p:g} %, alike {alike}", every, shares(every, 20, alike), trials, 20)
    print("Counts")
    mixed, alike_ = np.array([5, 10, 3, 8, 5, 15, 2, 5.0]), np.full(8, 4.0)
    for name, m in (("from 2 to 15", mixed), ("all 4", alike_)):
        for size in (0, 2, 1.5):
            counted(f"{name}, k {size or 'endless'}", m, clumps(m, size), trials, None)
        counted(f"{name}, 40 % extra zeros", m, zeros(m, 0.4), trials, None)
    print("Weights")
    for cv in (0.25, 0.5):
        weights(cv, trials)
    print("Programmes")
    for seasons, entries, seasonal in ((2, 3, 0.0), (2, 3, 0.25), (3, 4, 0.25), (4, 8, 0.25)):
        programmes(seasons, entries, seasonal, trials // 4)


if __name__ == "__main__":
    main()
