"""Do the models of each kind of record keep their level and find what is there? Simulated trials of 8 entries × 4 blocks.

`python -m bench.kinds` prints the figures that docs/exactness.md sums up; `--quick` takes a tenth of the trials.
"""

from __future__ import annotations

import sys

import numpy as np

from bench.exactness import Share
from trialcore.analyses.entries import compare_entries
from trialcore.analyses.generalised import Generalised, analyse_generalised
from trialcore.field.stages import analyse_stage

ENTRIES, BLOCKS, PLANTS = 8, 4, 20
NAMES = [f"E{i}" for i in range(ENTRIES) for _ in range(BLOCKS)]
REP = [str(b) for _ in range(ENTRIES) for b in range(BLOCKS)]


def told_apart(found: Generalised) -> bool:
    """Whether the first entry after the check is told from it at 5 %."""
    return next(c for c in found.against("E0") if c.entry == "E1").p < 0.05


def shares(rng: np.random.Generator, trials: int, check: float, others: float, first: float, rho: float) -> Share:
    """20 plants a plot; the check, the entry beside it and the six others with their shares, plants of a plot alike by `rho`."""
    truth = np.repeat([check, first, *[others] * (ENTRIES - 2)], BLOCKS)
    hits = 0
    for _ in range(trials):
        p = rng.beta(truth * (1 / rho - 1), (1 - truth) * (1 / rho - 1)) if rho else truth
        y = rng.binomial(PLANTS, p).tolist()
        hits += told_apart(analyse_generalised("binomial", NAMES, y, [PLANTS] * len(y), {"rep": REP}))
    return Share(hits, trials)


def counts(rng: np.random.Generator, trials: int, check: float, first: float, clumped: bool) -> Share:
    truth = np.repeat([check, first, *[check] * (ENTRIES - 2)], BLOCKS)
    hits = 0
    for _ in range(trials):
        y = rng.negative_binomial(2, 2 / (2 + truth)) if clumped else rng.poisson(truth)
        hits += told_apart(analyse_generalised("poisson", NAMES, y.tolist(), None, {"rep": REP}))
    return Share(hits, trials)


def scores(rng: np.random.Generator, trials: int, middle: float, apart: float, spread: float) -> Share:
    """Scores from 1 to 9 around a middle, one entry `apart` from the check: how often that is found, by their means."""
    hits = 0
    for _ in range(trials):
        truth = np.full(ENTRIES * BLOCKS, float(middle))
        truth[BLOCKS : 2 * BLOCKS] += apart
        truth += np.tile(rng.normal(0, 0.3, BLOCKS), ENTRIES)
        y = np.clip(np.rint(truth + rng.normal(0, spread, len(truth))), 1, 9)
        found = compare_entries("rcbd", "score", {"entry": NAMES, "rep": REP}, y.tolist(), "E0").versus
        hits += bool(found and next(d for d in found.differences if d.a == "E1").p_unadjusted < 0.05)
    return Share(hits, trials)


def weights(rng: np.random.Generator, trials: int, in_proportion: bool, apart: float) -> tuple[Share, Share]:
    """Weights whose plots vary in proportion to their mean, or alike, the other entries from a third to three times the check: how
    often a difference of one entry is found, on the scale that is chosen and as recorded."""
    own = np.array([10, 10 * apart, 5, 8, 12, 18, 25, 32.0])
    hits = plain = 0
    for _ in range(trials):
        mean = np.repeat(own, BLOCKS)
        y = mean * np.exp(rng.normal(0, 0.25, len(mean)) - 0.25**2 / 2) if in_proportion else mean + rng.normal(0, 1.5, len(mean))
        for kind in ("measure", "plain"):
            value = np.maximum(y, 0.01).tolist()
            found = compare_entries("rcbd", kind, {"entry": NAMES, "rep": REP}, value, "E0").versus
            sure = bool(found and next(d for d in found.differences if d.a == "E1").p_unadjusted < 0.05)
            hits, plain = (hits + sure, plain) if kind == "measure" else (hits, plain + sure)
    return Share(hits, trials), Share(plain, trials)


def dates(rng: np.random.Generator, trials: int) -> None:
    """Walks a week apart until a third of one entry's plots are not there yet; a true difference of 10 days from the check."""
    inside, gaps = 0, []
    for _ in range(trials):
        truth = np.repeat([50.0, 60.0, *[55.0] * (ENTRIES - 2)], BLOCKS) + np.tile(rng.normal(0, 1, BLOCKS), ENTRIES)
        day = truth + rng.normal(0, 3, len(truth))
        walks = np.arange(37, 62, 7) + rng.integers(0, 7)  # the last near day 61
        after = [float(max((w for w in walks if w < d), default=walks[0] - 7)) for d in day]
        by = [float(w) if (w := next((w for w in walks if w >= d), None)) is not None else None for d in day]
        found = analyse_stage(NAMES, after, by, REP)
        row = next((r for r in found.against("E0") if r[0] == "E1"), None) if found.sd else None
        if row is None:
            continue
        from trialcore.inference.distributions import t_quantile

        gaps.append(row[1])
        inside += abs(row[1] - 10) <= t_quantile(0.975, found.df) * row[2]
    print(f"  true difference 10 days: found {np.mean(gaps):.2f} on average; 95 % intervals hold it in {Share(inside, len(gaps))}")


def main() -> None:
    trials = 200 if "--quick" in sys.argv else 2000
    rng = np.random.default_rng(21)
    print("Shares of 20 plants, no difference")
    for check, others in ((0.02, 0.02), (0.05, 0.05), (0.5, 0.5), (0.5, 0.02)):
        first = check
        for rho in (0.0, 0.05):
            found = shares(rng, trials, check, others, first, rho)
            print(f"  check {100 * check:.0f} %, the others {100 * others:.0f} %, alike within plots {rho}: finds {found}")
    print("Shares, a difference that is there")
    for check, first, rho in ((0.02, 0.15, 0.0), (0.02, 0.20, 0.05), (0.5, 0.75, 0.0), (0.5, 0.80, 0.05)):
        print(f"  {100 * check:.0f} against {100 * first:.0f} %, {rho}: finds {shares(rng, trials, check, check, first, rho)}")
    print("Counts, no difference, then one that is there")
    for mean, first, clumped in ((1, 4, False), (1, 5, True), (5, 10, False), (5, 15, True)):
        nothing, there = counts(rng, trials, mean, mean, clumped), counts(rng, trials, mean, first, clumped)
        print(f"  mean {mean}{', clumped' if clumped else ''}: finds {nothing}; {mean} against {first}: {there}")
    print("Dates, walks a week apart")
    print("Scores from 1 to 9, no difference, then one that is there")
    for middle, apart, spread in ((1.5, 2, 1.2), (5, 2.5, 1.6), (5, 1, 0.6)):
        nothing, there = scores(rng, trials, middle, 0, spread), scores(rng, trials, middle, apart, spread)
        print(f"  around {middle}, spread {spread}: finds {nothing}; a difference of {apart:g}: {there}")
    print("Weights, on the scale that is chosen (as recorded)")
    for in_proportion in (True, False):
        alike, half = weights(rng, trials, in_proportion, 1.0), weights(rng, trials, in_proportion, 0.5)
        said = "in proportion to their mean" if in_proportion else "alike"
        print(f"  plots vary {said}: finds {alike[0]} ({alike[1]}); half as much: {half[0]} ({half[1]})")
    dates(rng, trials)


if __name__ == "__main__":
    main()
