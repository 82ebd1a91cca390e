"""Figures of entries against several checks, in the shape in which other software's are kept."""

from __future__ import annotations

from trialcore.analyses.blocks import BlockAnalysis
from trialcore.formats.figures.blocks import Json, block_figures, interval
from trialcore.inference.checks import AgainstChecks


def checks_figures(analysis: BlockAnalysis, found: AgainstChecks) -> Json:
    """Every entry against each check, the joint probability over all of them, and each against all checks at once."""
    checks = [found.names[i] for i in found.base]
    whole = block_figures(analysis)
    within = {(d.a, c): d.p_family for c in checks for d in found.one(c).held}
    rows = [
        {
            "entry": d.a,
            "check": d.b,
            "estimate": d.estimate,
            "se": d.se,
            "df": d.df,
            "t": d.t,
            "p_unadjusted": d.p_unadjusted,
            "p_joint": d.p_family,
            "p_bonferroni": d.p_bonferroni,
            "p_holm": d.p_holm,
            "p_dunnett_this_check": within[d.a, d.b],
        }
        for d in found.held
    ]
    return {
        "kind": "several checks",
        "checks": checks,
        **{k: whole[k] for k in ("n_plots", "n_observed", "mse", "df_error", "f_entry", "p_entry", "entry_means")},
        "comparisons": [row | interval(row) for row in rows],
        "n_comparisons": len(rows),
        "critical_value_5pct_joint": found.critical_family,
        "above_or_below_all_checks": [
            {
                "entry": r.entry,
                "smallest_t": r.smallest_t,
                "largest_t": r.largest_t,
                "p_above_all_checks_one_sided": r.p_above,
                "p_below_all_checks_one_sided": r.p_below,
            }
            for r in found.all_checks
        ],
        "mean_of_checks": [
            {"entry": d.a, "estimate": d.estimate, "se": d.se, "t": d.t, "p_unadjusted": d.p_unadjusted}
            for d in found.mean_of_checks
        ],
    }
