"""Figures of augmented blocks."""

from __future__ import annotations

import numpy as np

from trialcore.analyses.augmented import Augmented, RandomNewEntries
from trialcore.formats.figures.blocks import Json, anova_figures
from trialcore.inference import distributions


def augmented_figures(found: Augmented, n_plots: int) -> Json:
    """Every figure of augmented blocks; `n_plots` is the number laid out."""
    a = found.analysis
    t = distributions.t_quantile(0.975, a.df_error) if a.df_error > 0 else None
    figures: Json = {
        "checks": list(found.checks),
        "model": "value ~ block + entry, all fixed (OLS); entry means averaged over blocks with equal weight",
        "n_plots": n_plots,
        "n_observed": a.n_observed,
        "n_blocks": len(found.block_effects),
        "n_checks": len(found.checks),
        "n_new": len(found.new),
        "grand_mean": a.grand_mean,
        "anova_blocks_first": [anova_figures(r) for r in found.blocks_first],
        "anova_entries_first": [anova_figures(r) for r in found.entries_first],
        "anova_entry_partition": [anova_figures(r) for r in found.partition],
        "mse": a.mse,
        "df_error": a.df_error,
        "cv_percent": a.cv_percent,
        "cv_checks_percent": found.cv_checks_percent,
        "block_effects": [{"block": b, "effect": v} for b, v in found.block_effects.items()],
        "entry_means": [
            {
                "entry": m.entry,
                "type": "check" if m.entry in found.checks else "new",
                "n": m.n,
                "raw_mean": m.raw_mean,
                "adjusted_mean": m.lsmean,
                "se": m.se,
                "df": a.df_error,
            }
            for m in a.means
        ],
        "sed": {
            kind: {"average": s.average, "min": s.smallest, "max": s.largest, "n_pairs": s.n_pairs}
            for kind, s in found.spread.items()
        },
        "sed_closed_form": found.closed_form,
        "lsd5": {kind: {"average": t * s.average} for kind, s in found.spread.items()} if t else {},
        "best_check": found.best_check,
        "new_vs_best_check": [
            {
                "entry": d.a,
                "check": d.b,
                "estimate": d.estimate,
                "se": d.se,
                "df": d.df,
                "t": d.t,
                "p_unadjusted": d.p_unadjusted,
                "p_holm": d.p_holm,
                "p_bonferroni": d.p_bonferroni,
            }
            for d in found.versus
        ],
        "cannot_say": list(found.cannot_say),
    }
    if found.random is not None:
        figures["mixed_model"] = _mixed(found.random)
    return figures


def _mixed(found: RandomNewEntries) -> Json:
    return {
        "model": "checks and the mean of new entries fixed; new entries and blocks random; REML",
        "variance_components": dict(found.fit.variances),
        "reml_loglik": found.fit.loglik,
        "fixed": found.fixed,
        "blups": [
            {"entry": b.entry, "blup": b.effect, "predicted_mean": b.predicted_mean, "se_blup": float(np.sqrt(b.pev))}
            for b in found.blups
        ],
    }
