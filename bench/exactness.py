"""Does what is promised hold? Simulated trials of known truth: intervals, families, the ground, and verdicts.

`python -m bench.coverage` prints the figures that docs/exactness.md sums up; `--quick` takes a tenth of the trials.
"""

from __future__ import annotations

import sys
from dataclasses import dataclass

import numpy as np

from trialcore.analyses.blocks import analyse_blocks
from trialcore.analyses.incomplete import analyse_incomplete
from trialcore.analyses.linear import Floats
from trialcore.analyses.spatial import analyse_spatial
from trialcore.inference.comparisons import against_check, all_pairs
from trialcore.inference.distributions import t_quantile
from trialcore.inference.verdict import Evidence, Verdict, suggest
from trialcore.layouts.incomplete import alpha


@dataclass(frozen=True)
class Share:
    """A share of trials with the standard error that its number leaves."""

    hits: int
    of: int

    def __str__(self) -> str:
        p = self.hits / self.of
        return f"{100 * p:.2f} % (± {196 * np.sqrt(p * (1 - p) / self.of):.2f})"


def blocks_of(rng: np.random.Generator, truth: Floats, reps: int, lost: float) -> tuple[list[str], list[float | None], list[str]]:
    entry = [f"E{i:02d}" for _ in range(reps) for i in range(len(truth))]
    rep = [str(r) for r in range(reps) for _ in range(len(truth))]
    y = np.tile(truth, reps) + np.repeat(rng.normal(0, 2, reps), len(truth)) + rng.normal(0, 1, len(entry))
    return entry, [None if rng.random() < lost else float(v) for v in y], rep


def intervals(trials: int) -> None:
    """95 % intervals of differences and means in complete blocks with missing plots, and in recovered incomplete blocks."""
    rng = np.random.default_rng(11)
    inside = total = 0
    for _ in range(trials):
        truth = rng.normal(0, 1, 10)
        entry, value, rep = blocks_of(rng, truth, 4, 0.08)
        found = analyse_blocks(entry, value, {"rep": rep})
        if not found.mse or not np.isfinite(found.level).all():
            continue
        v = found.covariance
        se = np.sqrt(found.mse * (np.diag(v) + v[0, 0] - 2 * v[0]))[1:]
        gap = np.abs(found.level[1:] - found.level[0] - (truth[1:] - truth[0]))
        inside += int((gap <= t_quantile(0.975, found.df_error) * se).sum())
        total += 9
    print(f"  95 % intervals against the check, 10 entries × 4 blocks, 8 % of plots lost: {Share(inside, total)}")
    inside = total = 0
    for n in range(trials // 10):
        layout = alpha([f"E{i:02d}" for i in range(12)], 3, 4, n)
        truth = rng.normal(0, 1, 12)
        effect = {key: rng.normal(0, 1.0) for key in {(p.rep, p.block) for p in layout.plots}}
        y = [float(truth[int(p.entry[1:])] + effect[p.rep, p.block] + rng.normal()) for p in layout.plots]
        recovered = analyse_incomplete(
            [p.entry for p in layout.plots], y, [str(p.block) for p in layout.plots], [str(p.rep) for p in layout.plots]
        ).recovered
        if recovered is None:
            continue
        d = recovered.fit.differences(recovered.rows)
        from scipy.special import stdtrit

        first, second = np.triu_indices(12, k=1)
        gap = np.abs(d.estimate - (truth[first] - truth[second]))
        inside += int((gap <= stdtrit(d.df_kr, 0.975) * d.se_kr).sum())
        total += len(gap)
    print(f"  95 % intervals of all pairs, alpha 12 × 3 in blocks of 4, Kenward–Roger: {Share(inside, total)}")


def families(trials: int) -> None:
    """How often a family of comparisons finds anything where there is nothing."""
    rng = np.random.default_rng(12)
    dunnett = tukey = 0
    for _ in range(trials):
        entry, value, rep = blocks_of(rng, np.zeros(8), 4, 0.0)
        found = analyse_blocks(entry, value, {"rep": rep})
        versus = against_check(found, "E00")
        assert versus is not None
        dunnett += min(d.p_family or 0.0 for d in versus.held) < 0.05
        tukey += min(d.p_family or 0.0 for d in all_pairs(found)) < 0.05
    print(f"  false finds, 8 equal entries × 4 blocks: Dunnett {Share(dunnett, trials)}, Tukey {Share(tukey, trials)}")


def ground(trials: int) -> None:
    """What modelling the ground does to the error of entry differences, on flat ground and on a gradient."""
    rng = np.random.default_rng(13)
    for name, trend in (("flat", 0.0), ("gradient", 3.0)):
        plain_error, spatial_error, chosen_error, chosen = [], [], [], 0
        for _ in range(trials):
            truth = rng.normal(0, 1, 16)
            entry, row, col, rep = [], [], [], []
            for k in range(4):
                for n, i in enumerate(rng.permutation(16)):
                    entry.append(f"E{i:02d}")
                    rep.append(str(k))
                    row.append(2 * (k // 2) + n // 8 + 1)
                    col.append(8 * (k % 2) + n % 8 + 1)
            wave = trend * (np.sin(np.array(col) / 3 + rng.uniform(0, 6)) + 0.3 * np.array(row))
            y = truth[[int(e[1:]) for e in entry]] + wave + rng.normal(0, 1, 64)
            found = analyse_spatial(entry, y.tolist(), row, col, rep)
            centred = truth - truth.mean()
            plain = np.array([m.lsmean for m in found.plain.means], dtype=float)
            spatial = found.models["ar1_ar1_entry"]
            plain_error.append(float(((plain - plain.mean() - centred) ** 2).mean()))
            spatial_error.append(float(((spatial.deviations - centred) ** 2).mean()))
            kept = found.chosen == spatial.name
            chosen += kept
            chosen_error.append(spatial_error[-1] if kept else plain_error[-1])
        p, s, c = (float(np.sqrt(np.mean(e))) for e in (plain_error, spatial_error, chosen_error))
        print(
            f"  {name} ground: error of an entry mean {p:.3f} by blocks, {s:.3f} by neighbours, {c:.3f} by what is chosen "
            f"(neighbours in {Share(chosen, trials)} of trials)"
        )


def verdicts(trials: int) -> None:
    """One season of 12 entries × 4 blocks: the rule, and recommending the best raw mean (or all raw means above the check)."""
    rng = np.random.default_rng(14)
    rule_wrong = rule_made = top_wrong = above_wrong = above_made = 0
    regret_rule, regret_top = [], []
    for _ in range(trials):
        truth = rng.normal(0, 0.6, 12)
        truth[0] = 0.3  # the check is a good cultivar
        entry, value, rep = blocks_of(rng, truth, 4, 0.05)
        found = analyse_blocks(entry, value, {"rep": rep})
        versus = against_check(found, "E00")
        if versus is None:
            continue
        raw = {m.entry: m.raw_mean for m in found.means}
        others = [e for e in raw if e != "E00" and raw[e] is not None]
        top = max(others, key=lambda e: raw[e] or 0.0)
        top_wrong += truth[int(top[1:])] < truth[0]
        above = [e for e in others if (raw[e] or 0.0) > (raw["E00"] or 0.0)]
        above_made += len(above)
        above_wrong += sum(truth[int(e[1:])] < truth[0] for e in above)
        good = [d for d in versus.differences if suggest([Evidence("y", d.estimate, d.se, d.df, 0.3)]).verdict == Verdict.RECOMMEND]
        rule_made += len(good)
        rule_wrong += sum(truth[int(d.a[1:])] < truth[0] for d in good)
        best = float(truth.max())
        picked = max(good, key=lambda d: d.estimate).a if good else "E00"
        regret_rule.append(best - truth[int(picked[1:])])
        regret_top.append(best - truth[int(top[1:])])
    print(
        f"  recommended though worse than the check: by the rule {Share(rule_wrong, max(1, rule_made))} of {rule_made}, "
        f"by a raw mean above the check's {Share(above_wrong, above_made)} of {above_made}, the highest raw mean {Share(top_wrong, trials)}"
    )
    print(
        f"  mean regret of growing what is recommended (else the check): {np.mean(regret_rule):.3f} by the rule, "
        f"{np.mean(regret_top):.3f} by the highest raw mean, in standard deviations of a plot"
    )


def main() -> None:
    share = 10 if "--quick" in sys.argv else 1
    print("Intervals")
    intervals(4000 // share)
    print("Families")
    families(4000 // share)
    print("Ground")
    ground(120 // share)
    print("Verdicts of one season")
    verdicts(3000 // share)


if __name__ == "__main__":
    main()
