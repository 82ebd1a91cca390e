"""Figures of a tasting panel: entries over judges by scores and by ranks, and the judges themselves."""

from __future__ import annotations

from dataclasses import asdict

from trialcore.analyses.panel import Panel
from trialcore.formats.figures.blocks import Json, block_figures, interval
from trialcore.formats.figures.ranks import friedman_figures


def panel_figures(found: Panel, check: str | None, scores: int) -> Json:
    """Every figure of a panel of `scores` tastings. Raises ValueError for a check that nobody tasted."""
    entries = [m.entry for m in found.blocks.means]
    if check is not None and check not in entries:
        raise ValueError(f"no line has the entry “{check}”")
    whole = block_figures(found.blocks, check)
    judge = next((row for row in whole["anova_adjusted"] if row["source"] == "judge"), None)
    agreed = found.concordance
    figures: Json = {
        "kind": "tasting panel",
        "check": check,
        "n_scores": scores,
        "n_judges": len(found.judges),
        "n_entries": len(entries),
        "complete": agreed is not None,
        "raw": [{"entry": m.entry, "judges": m.n, "mean": m.raw_mean} for m in found.blocks.means],
        "judges": [{"judge": j.judge, "entries": j.entries, "mean": j.mean, "sd": j.sd} for j in found.judges],
        "anova_judge_as_block": {
            "table": [row | {"source": "Residuals"} if row["source"] == "Residual" else row for row in whole["anova_sequential"]],
            "judge_adjusted": {"F": judge["f"], "p": judge["p"]} if judge else None,
            **{k: whole[k] for k in ("f_entry", "p_entry", "mse", "df_error", "entry_means")},
            "df": whole["df_error"],
            "sed_average": whole.get("sed", {}).get("average"),
            "pairwise": whole.get("pairwise", []),
            "vs_check": [row | interval(row) for row in whole.get("vs_check", {}).get("table", [])],
        },
        "rank_test_any_pattern": asdict(found.ranks) if found.ranks else None,
        "kendall_w": {
            "w_ties": agreed.w,
            "w_without_tie_correction": agreed.w_uncorrected,
            "chisq": agreed.chi_square,
            "df": agreed.df,
            "p": agreed.p,
            "mean_spearman_between_judges": (len(found.judges) * agreed.w - 1) / (len(found.judges) - 1),
        }
        if agreed
        else None,
        "judge_agreement": [{"judge": j.judge, "correlation_with_mean_of_others": j.agreement} for j in found.judges],
        "consistency_all": {"pairs": found.pairs, "sd_within": found.sd_within, "pearson": found.pearson},
    }
    if found.pairs:
        figures["judge_consistency"] = [
            {
                "judge": j.judge,
                "pairs": j.pairs,
                "mean_difference": j.mean_difference,
                "mean_absolute_difference": j.mean_absolute_difference,
                "sd_within": j.sd_within,
                "exact_agreement": j.exact,
            }
            for j in found.judges
        ]
    if agreed:
        figures["friedman"] = friedman_figures([(j, e, v) for (j, e), v in found.cells.items()], check)
    return figures
