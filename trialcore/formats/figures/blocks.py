"""Results as plain dictionaries of numbers, for JSON: the form in which one program checks another's figures."""

from __future__ import annotations

import math
from contextvars import ContextVar
from typing import Any

import numpy as np

from trialcore.analyses.blocks import AnovaRow, BlockAnalysis
from trialcore.inference import distributions
from trialcore.inference.comparisons import AgainstCheck, Difference, against_check, all_pairs, sed_of_differences

Json = dict[str, Any]


def block_figures(analysis: BlockAnalysis, check: str | None = None) -> Json:
    """Every figure of a fixed-effects analysis, with comparisons against `check` when there is one.

    Raises KeyError when the trial has no entry `check`.
    """
    entry = next((row for row in analysis.anova_adjusted if row.source == "entry"), None)
    known = [m.lsmean for m in analysis.means if m.lsmean is not None]
    figures: Json = {
        "model": " + ".join(["value ~", *analysis.blocking, "entry"]).replace("~ +", "~"),
        "check": check,
        "n_plots": analysis.n_plots,
        "n_observed": analysis.n_observed,
        "n_missing": analysis.n_plots - analysis.n_observed,
        "n_entries": len(analysis.means),
        "balanced": analysis.balanced,
        "anova_sequential": [anova_figures(row) for row in analysis.anova_sequential],
        "anova_adjusted": [anova_figures(row) for row in analysis.anova_adjusted],
        "mse": analysis.mse,
        "df_error": analysis.df_error,
        "grand_mean": analysis.grand_mean,
        "mean_of_lsmeans": float(np.mean(known)) if known else None,
        "cv_percent": analysis.cv_percent,
        "r_squared": analysis.r_squared,
        "f_entry": entry.f if entry else None,
        "p_entry": entry.p if entry else None,
        "entry_means": [
            {
                "entry": m.entry,
                "n": m.n,
                "raw_mean": m.raw_mean,
                "lsmean": m.lsmean,
                "se": m.se,
                "df": analysis.df_error,
                "lower95": m.lower95,
                "upper95": m.upper95,
                "why": m.why,
            }
            for m in analysis.means
        ],
        "cannot_say": list(analysis.cannot_say),
    }
    spread = sed_of_differences(analysis)
    if spread is not None:
        t_crit = distributions.t_quantile(0.975, analysis.df_error)
        compared = sum(1 for s in analysis.connected_set if s and analysis.connected_set.count(s) > 1)
        q_crit = distributions.studentized_range_quantile(0.05, compared, analysis.df_error)
        figures["sed"] = {
            "average": spread.average,
            "root_mean_square": spread.root_mean_square,
            "min": spread.smallest,
            "max": spread.largest,
            "n_pairs": spread.n_pairs,
        }
        figures["lsd5"] = {
            "t_crit": t_crit,
            "df": analysis.df_error,
            "average": t_crit * spread.average,
            "min": t_crit * spread.smallest,
            "max": t_crit * spread.largest,
        }
        figures["tukey_hsd5"] = {"q_crit": q_crit, "average": q_crit * spread.average / np.sqrt(2)}
        figures["pairwise"] = [pair_figures(d) for d in all_pairs(analysis)] if pairs_wanted(len(analysis.means)) else []
    versus = against_check(analysis, check) if check is not None else None
    if versus is not None:
        figures["vs_check"] = versus_figures(versus)
    return figures


MOST_PAIRED = 80
ALL_PAIRS: ContextVar[bool] = ContextVar("all_pairs", default=False)
"""Whether every pair was asked for, also of more than `MOST_PAIRED` entries."""


def pairs_wanted(entries: int) -> bool:
    """Whether pairs are listed: of 500 entries they would be 124,750 lines and take ten times the analysis."""
    return entries <= MOST_PAIRED or ALL_PAIRS.get()


def interval(row: Json) -> Json:
    """The 95 % interval of a line that has an estimate, its standard error and degrees of freedom."""
    half = distributions.t_quantile(0.975, row["df"]) * row["se"]
    return {"lower95": row["estimate"] - half, "upper95": row["estimate"] + half}


def anova_figures(row: AnovaRow) -> Json:
    """A line of an analysis of variance."""
    return {"source": row.source, "df": row.df, "ss": row.ss, "ms": row.ms, "f": row.f, "p": row.p}


def pair_figures(d: Difference) -> Json:
    """A difference with its probabilities."""
    return {
        "a": d.a,
        "b": d.b,
        "estimate": d.estimate,
        "se": d.se,
        "df": d.df,
        "t": d.t,
        "p_unadjusted": d.p_unadjusted,
        "p_tukey": d.p_family,
        "p_bonferroni": d.p_bonferroni,
        "p_holm": d.p_holm,
    }


def versus_figures(versus: AgainstCheck) -> Json:
    """Every entry minus the check."""
    off = versus.correlation[~np.eye(len(versus.correlation), dtype=bool)]
    return {
        "check": versus.check,
        "n_comparisons": len(versus.held),
        "correlation_min": float(off.min()) if off.size else None,
        "correlation_max": float(off.max()) if off.size else None,
        "critical_value_5pct_two_sided": versus.critical_family,
        "table": [
            {
                "entry": d.a,
                "check": d.b,
                "estimate": d.estimate,
                "se": d.se,
                "df": d.df,
                "t": d.t,
                "p_unadjusted": d.p_unadjusted,
                "p_bonferroni": d.p_bonferroni,
                "p_holm": d.p_holm,
                "p_sidak": d.p_sidak,
                "p_dunnett": d.p_family,
            }
            for d in versus.held
        ],
    }


def plain(value: Any) -> Any:
    """Only what JSON knows: no NaN and no infinity, which become null."""
    if isinstance(value, dict):
        return {k: plain(v) for k, v in value.items()}
    if isinstance(value, list | tuple):
        return [plain(v) for v in value]
    if hasattr(value, "item"):
        value = value.item()
    return None if isinstance(value, float) and not math.isfinite(value) else value
