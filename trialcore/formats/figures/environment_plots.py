"""Figures of several environments with plots in each."""

from __future__ import annotations

import numpy as np

from trialcore.analyses.environment_plots import Combined, EnvironmentPlots
from trialcore.formats.figures.blocks import Json
from trialcore.formats.figures.environments import ammi_figures, index_figures, stability_figures
from trialcore.formats.figures.strata import stratum_figures
from trialcore.inference.distributions import f_above, t_quantile


def environment_plot_figures(found: EnvironmentPlots, check: str | None) -> Json:
    """Every figure of plots in several environments."""
    figures: Json = {
        "check": check,
        "n_plots": found.n_plots,
        "n_observed": found.n_observed,
        "n_entries": len(found.entries),
        "n_environments": len(found.environments),
        "n_reps": found.reps,
        "grand_mean": found.grand_mean,
        "by_environment": [_alone(name, found) for name in found.environments],
        "pooled_error_ms": found.pooled_ms,
        "df_pooled_error": found.pooled_df,
        "table_of_means": {
            "entries": list(found.entries),
            "environments": list(found.environments),
            "values": [[None if np.isnan(v) else v for v in row] for row in found.table.tolist()],
        },
        "cannot_say": list(found.cannot_say),
    }
    if found.bartlett is not None:
        b = found.bartlett
        figures["bartlett_error_variances"] = {"statistic": b.statistic, "df": b.df, "p": b.p}
    if found.fixed is not None and found.random is not None:
        figures |= _mixed(found)
    if found.combined is not None and found.pooled_ms:
        figures |= _combined(found, found.combined, found.pooled_ms)
    if found.two_stage is not None:
        two = found.two_stage
        se = np.sqrt(np.diag(two.covariance))
        figures["two_stage"] = {
            "model": "means of each environment ~ entry + environment, entry x environment random, weighted by their variances",
            "entry_environment": two.interaction,
            "average_sed": two.average_sed,
            "entry_means": [
                {"entry": e, "mean": float(m), "se_of_deviation": float(s)}
                for e, m, s in zip(two.entries, two.means, se, strict=True)
            ],
        }
    return figures


def _alone(name: str, found: EnvironmentPlots) -> Json:
    a = found.by_environment[name]
    entry = next((r for r in a.anova_adjusted if r.source == "entry"), None)
    return {
        "environment": name,
        "n": a.n_observed,
        "mean": a.grand_mean,
        "mse": a.mse,
        "df_error": a.df_error,
        "cv_percent": a.cv_percent,
        "f_entry": entry.f if entry else None,
        "p_entry": entry.p if entry else None,
        "lsmeans": [{"entry": m.entry, "lsmean": m.lsmean, "se": m.se} for m in a.means if m.lsmean is not None],
    }


def _mixed(found: EnvironmentPlots) -> Json:
    assert found.fixed is not None and found.random is not None
    rows = np.eye(len(found.fixed.beta))
    means, pairs = found.fixed.contrasts(rows), found.fixed.differences(rows)
    names = [e for e, row in zip(found.entries, found.table, strict=True) if not np.isnan(row).all()]
    pev = np.diag(found.random.effect_covariance["entry"])
    return {
        "reml_entry_fixed": {
            "model": "value ~ entry fixed; environment, rep within environment and entry x environment random (REML)",
            "degrees_of_freedom": "Kenward-Roger",
            "variance_components": dict(found.fixed.variances),
            "reml_loglik": found.fixed.loglik,
            "entry_means": [
                {
                    "entry": e,
                    "mean": float(means.estimate[i]),
                    "se_model": float(means.se_model[i]),
                    "se_kr": float(means.se_kr[i]),
                    "df_kr": float(means.df_kr[i]),
                }
                for i, e in enumerate(names)
            ],
            "average_sed_model": float(pairs.se_model.mean()),
            "average_sed_kr": float(pairs.se_kr.mean()),
        },
        "reml_all_random": {
            "model": "value ~ 1; entry, environment, rep within environment and entry x environment random (REML)",
            "variance_components": dict(found.random.variances),
            "reml_loglik": found.random.loglik,
            "overall_mean": float(found.random.beta[0]),
            "entry_blups": [
                {"entry": e, "blup": float(u), "se_blup": float(np.sqrt(v))}
                for e, u, v in zip(names, found.random.effects["entry"], pev, strict=True)
            ],
            "heritability_line_mean": found.line_mean,
            "heritability_cullis": found.cullis,
        },
    }


def _combined(found: EnvironmentPlots, c: Combined, pooled: float) -> Json:
    figures: Json = {
        "combined_anova": [{k: v for k, v in stratum_figures(r).items() if k != "stratum"} for r in c.rows],
        "entry_test_environments_fixed": {"f": c.f_fixed, "p": c.p_fixed},
        "sed_entry_means": {
            "environments_random": c.sed_random,
            "df": c.df_random,
            "lsd5": t_quantile(0.975, c.df_random) * c.sed_random,
            "environments_fixed": c.sed_fixed,
            "lsd5_fixed": t_quantile(0.975, found.pooled_df) * c.sed_fixed,
        },
    }
    if c.stability is not None:
        table = [stability_figures(s) | {"s2d": s.deviations_ms - pooled / found.reps} for s in c.stability]
        figures["stability"] = {"environment_index": index_figures(found.environments, found.table), "table": table}
    if c.ammi is not None:
        made = ammi_figures(found.entries, found.environments, c.ammi)
        for axis in made["axes"]:
            axis["ss"] *= found.reps
            axis["ms"] = axis["ss"] / axis["gollob_df"]
            axis["f"] = axis["ms"] / pooled
            axis["p"] = f_above(axis["f"], axis["gollob_df"], found.pooled_df)
        figures["ammi"] = made
    return figures
