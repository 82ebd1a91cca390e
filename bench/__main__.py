"""How fast the core is, as ratios against a plain way of doing the same in the same run, and how it grows."""

import time
from collections.abc import Callable

import numpy as np

from trialcore.bed import Bed, PlotSize, place_blocks
from trialcore.blocks import analyse_blocks
from trialcore.comparisons import against_check, all_pairs
from trialcore.distributions import studentized_range_above


def best_of(act: Callable[[], object], times: int = 3) -> float:
    """Seconds of the fastest of some runs."""
    taken = []
    for _ in range(times):
        start = time.perf_counter()
        act()
        taken.append(time.perf_counter() - start)
    return min(taken)


def trial(entries: int, blocks: int) -> tuple[list[str], list[float], list[str]]:
    rng = np.random.default_rng(entries * 100 + blocks)
    entry = [f"E{i:04d}" for i in range(entries)] * blocks
    rep = [str(b) for b in range(blocks) for _ in range(entries)]
    return entry, rng.normal(100, 10, entries * blocks).tolist(), rep


def plain_least_squares(entry: list[str], value: list[float], rep: list[str]) -> None:
    """The same model as a full 0/1 matrix handed to a general solver."""
    x = np.column_stack([np.array([[e == name for name in sorted(set(entry))] for e in entry], dtype=float),
                         np.array([[r == name for name in sorted(set(rep))] for r in rep], dtype=float)])  # fmt: skip
    np.linalg.lstsq(x, np.array(value), rcond=None)


def analysis() -> None:
    print("Analysis of complete blocks (everything but pairs), against a plain least-squares solve of the same data")
    before = 0.0
    for entries, blocks in ((16, 4), (60, 4), (250, 4), (500, 10)):
        entry, value, rep = trial(entries, blocks)
        ours = best_of(lambda e=entry, v=value, r=rep: analyse_blocks(e, v, {"rep": r}), 2)
        plain = best_of(lambda e=entry, v=value, r=rep: plain_least_squares(e, v, r), 1)
        growth = f", {ours / before:.1f} times the one before" if before else ""
        print(f"  {entries * blocks:5d} plots: {ours:7.3f} s, {ours / plain:5.2f} of the plain solve{growth}")
        before = ours


def comparisons() -> None:
    from scipy.stats import studentized_range

    print("Comparisons, against scipy's general quadrature for one pair at a time")
    for entries in (16, 60, 200):
        entry, value, rep = trial(entries, 4)
        found = analyse_blocks(entry, value, {"rep": rep})
        pairs = best_of(lambda f=found: all_pairs(f), 2)
        count = entries * (entries - 1) // 2
        one = best_of(lambda k=entries, d=found.df_error: studentized_range.sf(3.3, k, d), 2)
        print(f"  {count:6d} pairs: {pairs:7.3f} s, {pairs / (one * count):.5f} of pair by pair")
        dunnett = best_of(lambda f=found: against_check(f, "E0000"), 1)
        print(f"         against the check with Dunnett: {dunnett:7.3f} s")
    agreed = float(studentized_range_above(3.3, 60, 177)) - float(studentized_range.sf(3.3, 60, 177))
    print(f"  difference of the two at q = 3.3, 60 means, 177 df: {agreed:.1e}")


def fitting() -> None:
    print("Fitting blocks into a bed")
    for entries, blocks in ((12, 4), (60, 6), (200, 10)):
        taken = best_of(lambda e=entries, b=blocks: place_blocks(e, b, PlotSize(2, 1.5, 0.5), Bed(400, 60)))
        print(f"  {entries:4d} entries × {blocks:2d} blocks: {1000 * taken:7.2f} ms")


if __name__ == "__main__":
    analysis()
    comparisons()
    fitting()
