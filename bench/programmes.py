"""Does the rule over seasons keep what its study found, and what becomes of it where the study did not look?

`python -m bench.programmes` prints what docs/exactness.md sums up; `--quick` takes a tenth of the worlds.
"""

from __future__ import annotations

import sys
from collections.abc import Callable
from dataclasses import replace
from itertools import pairwise
from multiprocessing import Pool
from typing import Any

import numpy as np

from trialcore.analyses.entries import compare_entries
from trialcore.analyses.linear import Floats
from trialcore.inference.another_season import Retest
from trialcore.inference.season_means import SeasonMeans, season_of
from trialcore.inference.shrunken import Shrunken, shrink
from trialcore.inference.simulated_programme import Played, Station, complete_blocks, figures_of, play
from trialcore.inference.verdict import Dropping, Evidence, Prospect, Rule, Verdict, suggest
from trialcore.layouts.incomplete import alpha

SPREAD = 0.6
CHECKS: dict[str, float | None] = {"random": None, "+1": SPREAD}
UNKNOWN = (-0.5, 0.0, 0.5, 1.0, 1.5)
# Entries × blocks, plots of the check; worlds; and of each check what the study found: wrong and found in %, regret of the best bet.
STUDY: tuple[tuple[Station, int, dict[str, tuple[float, float, float]]], ...] = (
    (Station(4, 4, 2), 3000, {"random": (1.1, 19, 0.44), "+1": (8.0, 4.3, 0.39), "unknown": (1.5, 11, 0.41)}),
    (Station(12, 4, 2), 1500, {"random": (0.9, 23, 0.53), "+1": (7.0, 5.5, 0.505), "unknown": (1.7, 13, 0.515)}),
    (Station(30, 3, 3), 500, {"random": (1.1, 24, 0.64), "+1": (8.0, 4.3, 0.615), "unknown": (2.7, 13, 0.59)}),
    (Station(100, 2, 5), 1000, {"random": (1.0, 21, 0.78), "+1": (9.5, 2.6, 0.79), "unknown": (3.2, 13, 0.84)}),
)
TOLERANCE = {"random": 0.8, "+1": 4.0, "unknown": 4.0}  # of wrong, points; the study's own
EDGES = (0.0, 0.05, 0.1, 0.2, 0.35, 0.5, 0.65, 0.8, 1.01)
STATED = (0.0, 0.1, 0.3, 0.5, 0.7, 0.8, 0.9, 0.95, 0.97, 1.01)
Job = tuple[Station, int, Rule | None, str]


def main() -> None:
    quick = 10 if "--quick" in sys.argv else 1
    with Pool(2) as pool:
        tables(pool, quick)
        chances(pool, quick)
        beyond(pool, quick)
        two_criteria(pool, 300 // quick)


def one(job: Job) -> Played:
    at, seed, rule, how = job
    if at.check == "unknown":  # type: ignore[comparison-overlap]
        at = replace(at, check=UNKNOWN[seed % len(UNKNOWN)] * SPREAD)
    return play(at, seed, rule, GROWN[how])


def many(pool: Any, at: Station, worlds: int, check: str, rule: Rule | None = None, how: str = "complete blocks") -> list[Played]:
    known: Any = CHECKS.get(check, check)
    return list(pool.map(one, [(replace(at, check=known), seed, rule, how) for seed in range(worlds)], chunksize=8))


def tables(pool: Any, quick: int) -> None:
    print("Three seasons, bar 0.95: reckoned (of the study); standard errors count worlds")
    for at, worlds, study in STUDY:
        for check, (wrong, found, regret) in study.items():
            f = figures_of(many(pool, at, max(20, worlds // quick), check), SPREAD)
            off = abs(100 * f.wrong - wrong) > TOLERANCE[check] + 200 * f.se_wrong
            print(
                f"  {at.places} × {at.blocks}, check {check}: wrong {100 * f.wrong:.1f} ± {100 * f.se_wrong:.1f} ({wrong:g}) %, found "
                f"{100 * f.found:.1f} ({found:g}) %, regret {f.regret:.2f} ± {f.se_regret:.2f} ({regret:g}); ranking wrong "
                f"{100 * f.wrong_ranked:.0f} %, regret {f.regret_ranked:.2f}; best bet worse {100 * f.best_bet_worse:.0f} %, interval "
                f"of the top holds {100 * f.top_held:.0f} %{'  OUTSIDE' if off else ''}"
            )


def chances(pool: Any, quick: int) -> None:
    """Stated chances and foretold verdicts over kinds of world and checks."""
    stated: list[tuple[float, bool, int]] = []
    foretold: list[tuple[float, float, int]] = []
    for at, worlds in ((Station(12, 4, 2), 400), (Station(30, 3, 3), 150)):
        for phi in (0.0, 0.25, 0.5):
            for check in (None, 0.3, 0.6):
                for p in pool.map(
                    one, [(replace(at, phi=phi, check=check), s, None, "complete blocks") for s in range(worlds // quick)]
                ):
                    stated += p.stated
                    foretold += p.foretold
    said, better = np.array([s for s, _, _ in stated]), np.array([b for _, b, _ in stated])
    print("Stated → happened:", binned(said, better, STATED))
    up, down, came = (np.array(column) for column in zip(*foretold, strict=True))
    print(f"Foretold → happened, {len(came)} entry-seasons")
    for name, chance, happened in (("recommend", up, came == 1), ("drop", down, came == -1), ("settled", up + down, came != 0)):
        print(f"  {name}: {binned(chance, happened, EDGES)}")


def binned(said: Floats, happened: Any, edges: tuple[float, ...]) -> str:
    bins = [(said >= a) & (said < b) for a, b in pairwise(edges)]
    return ", ".join(f"{said[k].mean():.2f} → {happened[k].mean():.2f}" for k in bins if k.sum() > 50)


def unequal(values: Floats, check: float, entries: list[int], at: Station, rng: np.random.Generator) -> SeasonMeans:
    """A season whose plots vary from half to twice as much as others', as years do."""
    times = float(rng.choice([0.6, 1.0, 1.6]))
    s = complete_blocks(values / times, check / times, entries, at, rng)
    means, square = tuple(m * times for m in s.means), times**2
    variances = tuple(v * square for v in s.variances)
    return SeasonMeans(s.entries, means, variances, s.check * times, s.check_variance * square, s.plot_variance * square, s.df)


def plots(how: str, whole: bool) -> Callable[..., SeasonMeans]:
    """Seasons of single plots, analysed as the product does it: `alpha` layouts on uneven ground, or blocks with `lost` plots; with
    the whole covariance of means, or as if each had an error of its own."""

    def grow(values: Floats, check: float, entries: list[int], at: Station, rng: np.random.Generator) -> SeasonMeans:
        names = ["check", *(str(e) for e in entries)]
        true = dict(zip(names, [check, *values.tolist()], strict=True))
        if how == "alpha":
            laid = alpha(names, 4, at.blocks, int(rng.integers(1 << 30)))
            labels = {"entry": [p.entry for p in laid.plots], "rep": [str(p.rep) for p in laid.plots]}
            labels["block"] = [f"{p.rep}/{p.block}" for p in laid.plots]
            shift = {b: rng.normal(0, 0.7) for b in sorted(set(labels["block"]))}
            y: list[float | None] = [
                true[e] + shift[b] + rng.normal() for e, b in zip(labels["entry"], labels["block"], strict=True)
            ]
            found = compare_entries("alpha", "plain", labels, y, "check")
        else:
            labels = {"entry": names * at.blocks, "rep": [str(b) for b in range(at.blocks) for _ in names]}
            gone = rng.random(len(labels["entry"])) < 0.125
            gone[: len(names)] &= rng.random(len(names)) < 0.5  # nobody loses every plot
            gone[-len(names) :] &= ~gone[: len(names)]
            y = [None if lost else true[e] + rng.normal() for lost, e in zip(gone, labels["entry"], strict=True)]
            found = compare_entries("rcbd", "plain", labels, y, "check")
        season = season_of(found, "check", 1, {n: n for n in names})
        if season is None:
            return complete_blocks(values, check, entries, at, rng)
        return season if whole else replace(season, covariance=None)

    return grow


GROWN: dict[str, Callable[..., SeasonMeans]] = {
    "complete blocks": complete_blocks,
    "errors that differ by season": unequal,
    "alpha layouts, whole covariance": plots("alpha", whole=True),
    "alpha layouts, own errors": plots("alpha", whole=False),
    "one plot in eight lost, whole covariance": plots("lost", whole=True),
    "one plot in eight lost, own errors": plots("lost", whole=False),
}


def beyond(pool: Any, quick: int) -> None:
    print("Where the study did not look (12 entries)")
    single = Station(12, 3, 1)
    for how in GROWN:
        by_plots = "layouts" in how or "lost" in how
        at, worlds = (single, 120) if by_plots else (Station(12, 4, 2), 600)
        told(pool, how, at, worlds // quick, None, how)
    told(pool, "four seasons", Station(12, 4, 2, seasons=4), 600 // quick)
    told(pool, "one season of history", Station(12, 4, 2, history=1), 600 // quick)
    told(pool, "three seasons of history", Station(12, 4, 2, history=3), 600 // quick)
    for dropping in (Dropping.ONE_BAD, Dropping.TWO_BAD, Dropping.CLEAR):
        told(pool, f"dropping: {dropping.value}", Station(12, 4, 2), 600 // quick, Rule(dropping=dropping))
    told(pool, "each season by itself", Station(12, 4, 2), 600 // quick, Rule(flat=True, dropping=Dropping.CLEAR))


def told(pool: Any, name: str, at: Station, worlds: int, rule: Rule | None = None, how: str = "complete blocks") -> None:
    said = []
    for check in CHECKS:
        f = figures_of(many(pool, at, max(12, worlds), check, rule, how), SPREAD)
        said.append(
            f"check {check}: wrong {100 * f.wrong:.1f} ± {100 * f.se_wrong:.1f}, found {100 * f.found:.1f} %, regret {f.regret:.2f}, "
            f"top holds {100 * f.top_held:.0f} %"
        )
    print(f"  {name}: {'; '.join(said)}")


def two_criteria(pool: Any, worlds: int) -> None:
    """A second criterion that goes with the first, or against it; one error for both in a plot."""
    print("Two criteria, three seasons of 12 × 4 with a check like the entries: recommended, and worse in one of them")
    for together in (-0.6, 0.0, 0.6):
        counts = np.array(pool.map(both, [(together, seed) for seed in range(worlds)], chunksize=8)).sum(axis=0)
        named, worse_first, worse_second, good = counts
        print(
            f"  correlation {together:+.1f}: {named} recommended, {100 * worse_first / max(1, named):.1f} % worse in the first, "
            f"{100 * worse_second / max(1, named):.1f} % worse by what matters in the second; {100 * named / max(1, good):.0f} % as many "
            "as are truly good in both"
        )


def both(job: tuple[float, int]) -> tuple[int, int, int, int]:
    together, seed = job
    rng = np.random.default_rng([seed, 77])
    at, root = Station(12, 4, 2), np.linalg.cholesky([[1, together], [together, 1]])
    value = SPREAD * rng.normal(size=(at.places, 2)) @ root.T
    check = SPREAD * rng.normal(size=2)
    named: set[int] = set()
    gone: set[int] = set()
    seasons: tuple[list[SeasonMeans], list[SeasonMeans]] = ([], [])
    for _ in range(at.seasons):
        here = [i for i in range(at.places) if i not in named | gone]
        if not here:
            break
        noise = rng.normal(size=(len(here) + 1, 2)) @ root.T / np.sqrt(at.blocks)
        own = rng.normal(size=(len(here) + 1, 2)) @ root.T * SPREAD * np.sqrt(at.phi)
        for k in range(2):
            seen = value[here, k] + own[:-1, k] + noise[:-1, k]
            square = float(rng.chisquare(at.df)) / at.df
            base = float(check[k] + own[-1, k] + noise[-1, k] / np.sqrt(at.check_plots))
            seasons[k].append(
                SeasonMeans(
                    tuple(str(i) for i in here),
                    tuple(seen.tolist()),
                    (square / at.blocks,) * len(here),
                    base,
                    square / at.blocks / at.check_plots,
                    square,
                    at.df,
                )
            )
        fits = [shrink(s) for s in seasons]
        if any(f is None for f in fits):
            break
        for i in here:
            verdict = suggest([evidence(f, i, at, k) for k, f in enumerate(fits) if f]).verdict
            named |= {i} if verdict == Verdict.RECOMMEND else set()
            gone |= {i} if verdict == Verdict.DROP else set()
    lead = value - check
    good = int(((lead[:, 0] > 0) & (lead[:, 1] > -at.matters)).sum())
    some = sorted(named)
    return len(some), int((lead[some, 0] <= 0).sum()), int((lead[some, 1] < -at.matters).sum()), good


def evidence(found: Shrunken, i: int, at: Station, k: int) -> Evidence:
    place = found.place(str(i))
    a = found.advantages[place]
    error = Retest(at.blocks, 1.0, at.check_plots).of_difference(0.0)
    promise, fresh = found.promise(str(i), error), found.promise_of_a_fresh_one(error)
    prospect = Prospect(lambda by: float(found.chance_above(by)[place]), a.kept, promise, fresh)
    return Evidence(f"criterion {k}", a.kept, float(np.sqrt(a.variance)), found.df, at.matters, prospect=prospect)


if __name__ == "__main__":
    main()
