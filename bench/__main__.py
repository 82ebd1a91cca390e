"""How fast the core is: ratios against plain ways of doing the same in the same run, and how it grows with size."""

from __future__ import annotations

import warnings

import numpy as np

from bench.timing import best_of, growth
from trialcore.analyses.blocks import BlockAnalysis, analyse_blocks
from trialcore.analyses.environments import analyse_environments
from trialcore.analyses.incomplete import analyse_incomplete
from trialcore.analyses.programme import TrialMeans, analyse_programme
from trialcore.analyses.spatial import analyse_spatial
from trialcore.inference.comparisons import against_check, all_pairs
from trialcore.inference.distributions import studentized_range_above
from trialcore.inference.season_means import SeasonMeans
from trialcore.inference.shrunken import shrink
from trialcore.layouts.bed import Bed, PlotSize
from trialcore.layouts.incomplete import alpha
from trialcore.layouts.placing import place
from trialcore.layouts.whole import randomised_blocks

Trial = tuple[list[str], list[float], list[str]]


def blocks(entries: int, count: int) -> Trial:
    rng = np.random.default_rng(entries * 100 + count)
    entry = [f"E{i:04d}" for i in range(entries)] * count
    rep = [str(b) for b in range(count) for _ in range(entries)]
    return entry, rng.normal(100, 10, entries * count).tolist(), rep


def dense(labels: list[str]) -> np.ndarray:
    levels = sorted(set(labels))
    return np.array([[label == level for level in levels] for label in labels], dtype=float)


def linear_models() -> None:
    import statsmodels.api as sm

    print("Complete blocks (everything but pairs), against statsmodels' OLS of the same model")
    before = size = 0.0
    for entries, count in ((16, 4), (60, 4), (250, 4), (500, 10)):
        entry, value, rep = blocks(entries, count)

        def ours(entry: list[str] = entry, value: list[float] = value, rep: list[str] = rep) -> BlockAnalysis:
            return analyse_blocks(entry, value, {"rep": rep})

        x = np.column_stack([dense(entry), dense(rep)[:, 1:]])
        taken = best_of(ours)
        other = best_of(lambda x=x, y=value: sm.OLS(y, x).fit().summary2, 1)  # type: ignore[misc]
        plots = float(entries * count)
        print(
            f"  {plots:5.0f} plots: {taken:6.3f} s, {taken / other:.3f} of OLS{growth(taken, before, plots / size if size else 1)}"
        )
        before, size = taken, plots


def mixed_models() -> None:
    import statsmodels.api as sm

    print("Incomplete blocks (fixed, recovered with Kenward–Roger, and entries random), against one statsmodels MixedLM")
    before = size = 0.0
    for entries, reps, block in ((24, 3, 4), (96, 3, 8), (200, 3, 10), (500, 3, 10)):
        layout = alpha([f"E{i:04d}" for i in range(entries)], reps, block, 1)
        rng = np.random.default_rng(entries)
        where = [f"{p.rep}/{p.block}" for p in layout.plots]
        effect = dict(zip(sorted(set(where)), rng.normal(0, 5, len(set(where))), strict=True))
        y = [100 + float(effect[w]) + rng.normal(0, 5) for w in where]
        entry = [p.entry for p in layout.plots]
        rep, inside = [str(p.rep) for p in layout.plots], [str(p.block) for p in layout.plots]
        taken = best_of(lambda e=entry, v=y, b=inside, r=rep: analyse_incomplete(e, v, b, r), 1)  # type: ignore[misc]
        said = ""
        if entries <= 200:
            x = np.column_stack([dense(entry), dense(rep)[:, 1:]])
            with warnings.catch_warnings():
                warnings.simplefilter("ignore")
                other = best_of(lambda x=x, y=y, w=where: sm.MixedLM(y, x, groups=w).fit(reml=True), 1)  # type: ignore[misc]
            said = f", {taken / other:.3f} of MixedLM"
        plots = float(len(y))
        print(f"  {plots:5.0f} plots: {taken:6.3f} s{said}{growth(taken, before, plots / size if size else 1)}")
        before, size = taken, plots


def layouts() -> None:
    print("Alpha layouts with their search, against drawing blocks at random and reckoning concurrences in plain loops")
    for entries, reps, block in ((24, 3, 4), (100, 3, 10), (500, 3, 10)):
        names = [f"E{i:04d}" for i in range(entries)]
        taken = best_of(lambda n=names, r=reps, b=block: alpha(n, r, b, 1), 2)  # type: ignore[misc]

        def plain(names: list[str] = names, reps: int = reps, block: int = block) -> int:
            rng = np.random.default_rng(1)
            met: dict[tuple[str, str], int] = {}
            for _ in range(reps):
                order = [names[i] for i in rng.permutation(len(names))]
                for start in range(0, len(order), block):
                    inside = sorted(order[start : start + block])
                    for i, a in enumerate(inside):
                        for b in inside[i + 1 :]:
                            met[a, b] = met.get((a, b), 0) + 1
            return max(met.values())

        other = best_of(plain, 2)
        print(
            f"  {entries} entries × {reps} in blocks of {block}: {taken:6.3f} s, {taken / other:.1f} times one random draw (which meets "
            f"{plain()} times)"
        )


def environments() -> None:
    print("Entries × environments, one mean a cell, stability and mixed models with it")
    before = size = 0.0
    for entries, places in ((10, 12), (50, 100), (50, 400), (50, 1000)):
        rng = np.random.default_rng(places)
        table = rng.normal(0, 1, (entries, places)) + rng.normal(0, 2, places) + rng.normal(0, 1, (entries, 1))
        entry = [f"E{i}" for i in range(entries) for _ in range(places)]
        site = [f"S{j}" for _ in range(entries) for j in range(places)]
        value: list[float] = table.ravel().tolist()
        taken = best_of(lambda e=entry, v=value, s=site: analyse_environments(e, v, s, ["1"] * len(s)), 1)  # type: ignore[misc]
        cells = float(entries * places)
        print(f"  {entries} × {places}: {taken:6.3f} s{growth(taken, before, cells / size if size else 1)}")
        before, size = taken, cells


def programmes() -> None:
    """Means of trials over years and places in one fit, and all seasons in one shrunken fit, against inverting the covariance
    once."""
    print("Programmes: two stages by REML, and the shrunken fit that judges by all seasons")
    before = size = 0.0
    for years, entries in ((4, 20), (6, 30), (10, 40)):
        rng = np.random.default_rng(years)
        pool, trials, seasons = rng.normal(0, 0.6, 5 * entries), [], []
        for year in range(years):
            here = [0, *(1 + rng.choice(len(pool) - 1, entries - 1, replace=False)).tolist()]
            this = pool[here] + rng.normal(0, 0.3, entries)
            for site in "abc":
                means = this + rng.normal(0, 0.5, entries)
                names = tuple(f"E{i:03d}" for i in here)
                trials.append(TrialMeans(f"{year}{site}", str(year), site, names, means, 0.25 * np.eye(entries)))
                rest = tuple(means[1:].tolist())
                seasons.append(
                    SeasonMeans(names[1:], rest, (0.25,) * (entries - 1), float(means[0]), 0.25, 1.0, 3.0 * (entries - 1))
                )
        n = sum(len(t.entries) for t in trials)
        whole = 0.25 * np.eye(n) + 0.1
        once = best_of(lambda v=whole: np.linalg.inv(v), 2)  # type: ignore[misc]
        taken = best_of(lambda t=trials: analyse_programme(t, "E000"), 1)  # type: ignore[misc]
        shrunken = best_of(lambda s=seasons: shrink(s), 2)  # type: ignore[misc]
        print(
            f"  {len(trials)} trials, {n} means: {taken:6.3f} s, {taken / once:.0f} inversions{growth(taken, before, n / size if size else 1)}; "
            f"shrunken {shrunken:6.3f} s"
        )
        before, size = taken, float(n)


def comparisons() -> None:
    from scipy.stats import studentized_range

    print("Comparisons, against scipy's general quadrature for one pair at a time")
    for entries in (16, 60, 200):
        entry, value, rep = blocks(entries, 4)
        found = analyse_blocks(entry, value, {"rep": rep})
        pairs = best_of(lambda f=found: all_pairs(f))  # type: ignore[misc]
        count = entries * (entries - 1) // 2
        one = best_of(lambda k=entries, d=found.df_error: studentized_range.sf(3.3, k, d))  # type: ignore[misc]
        dunnett = best_of(lambda f=found: against_check(f, "E0000"), 1)  # type: ignore[misc]
        print(
            f"  {count:6d} pairs: {pairs:6.3f} s, {pairs / (one * count):.5f} of pair by pair; Dunnett against the check {dunnett:6.3f} s"
        )
    agreed = float(studentized_range_above(3.3, 60, 177)) - float(studentized_range.sf(3.3, 60, 177))
    print(f"  difference of the two at q = 3.3, 60 means, 177 df: {agreed:.1e}")


def ground() -> None:
    print("The ground: five models (AR1 × AR1 three times, surfaces twice), and how they grow")
    before = size = 0.0
    for rows, cols in ((6, 8), (10, 12), (14, 20)):
        rng = np.random.default_rng(rows)
        plots = rows * cols
        entry = [f"E{i % (plots // 4):03d}" for i in rng.permutation(plots)]
        row, col = [i // cols for i in range(plots)], [i % cols for i in range(plots)]
        y = (rng.normal(0, 1, plots) + 3 * np.sin(np.array(col) / 3)).tolist()
        taken = best_of(lambda e=entry, v=y, r=row, c=col: analyse_spatial(e, v, r, c), 1)  # type: ignore[misc]
        print(f"  {plots:4d} plots: {taken:6.3f} s{growth(taken, before, plots / size if size else 1)}")
        before, size = taken, float(plots)


def fitting() -> None:
    print("Fitting blocks into a bed")
    for entries, count in ((12, 4), (60, 6), (200, 10)):
        drawn = randomised_blocks([str(i) for i in range(entries)], count, 1)
        taken = best_of(lambda d=drawn: place(d, PlotSize(2, 1.5, 0.5), Bed(400, 60)))  # type: ignore[misc]
        print(f"  {entries:4d} entries × {count:2d} blocks: {1000 * taken:7.2f} ms")


if __name__ == "__main__":
    for part in (linear_models, mixed_models, environments, programmes, comparisons, layouts, ground, fitting):
        part()
