"""Figures of a second factor in blocks, and of paired strips."""

from __future__ import annotations

from trialcore.analyses.factorial import BETWEEN, Factorial, MarginalMeans, differences_within
from trialcore.analyses.paired import PairedStrips
from trialcore.formats.figures.blocks import Json, anova_figures, block_figures


def factorial_figures(found: Factorial, check: str | None) -> Json:
    """Every figure of two factors crossed in complete blocks."""
    plain = block_figures(found.cells)
    kept = ("n_plots", "n_observed", "n_missing", "balanced", "mse", "df_error", "grand_mean", "cv_percent", "sed", "lsd5")
    figures: Json = {"model": "value ~ rep + entry + factor2 + entry:factor2", "check": check}
    figures |= {k: plain[k] for k in kept if k in plain}
    figures["anova"] = [anova_figures(r) for r in found.rows]
    figures["cell_means"] = [
        {"entry": m.entry.split(BETWEEN)[0], "factor2": m.entry.split(BETWEEN)[1], "n": m.n, "lsmean": m.lsmean, "se": m.se}
        for m in found.cells.means
    ]
    figures["entry_means"] = _means(found.entries, "entry")
    figures["factor2_means"] = _means(found.seconds, "factor2")
    figures["pairwise"] = [
        {"a": a, "b": b, "estimate": d, "se": se, "df": found.cells.df_error, "t": d / se, "p_unadjusted": p}
        for a, b, d, se, p in differences_within(found)
    ]
    figures["cannot_say"] = list(found.cannot_say)
    return figures


def _means(m: MarginalMeans, name: str) -> list[Json]:
    return [{name: level, "mean": mean, "se": se} for level, mean, se in zip(m.levels, m.means, m.se, strict=True)]


def paired_figures(found: PairedStrips) -> Json:
    """Every figure of paired strips: each entry minus the check, seasons being the replicates."""
    return {
        "check": found.check,
        "vs_check": [
            {
                "entry": r.entry,
                "check": found.check,
                "n_seasons": r.seasons,
                "estimate": r.mean,
                "se": r.se,
                "df": r.df,
                "t": r.t,
                "p_unadjusted": r.p,
                "lower95": r.lower95,
                "upper95": r.upper95,
                "chance_better": r.chance_better,
                "wins": r.wins,
                "p_sign": r.p_sign,
                "differences": [{"environment": s, "difference": d} for s, d in r.differences],
            }
            for r in found.rows
        ],
        "cannot_say": list(found.cannot_say),
    }
