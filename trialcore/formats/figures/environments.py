"""Figures of several environments with one mean a cell."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from trialcore.analyses.environments import Ammi, Environments, Stability, biplot_of
from trialcore.analyses.linear import Floats
from trialcore.formats.figures.blocks import Json, anova_figures, block_figures


def environment_figures(found: Environments, check: str | None) -> Json:
    """Every figure of a table of entries by environments."""
    whole = bool(np.isfinite(found.table).all())
    plain = block_figures(found.additive, check)
    own = ("check", "n_entries", "mse", "df_error", "cv_percent", "grand_mean", "cannot_say")
    kept = (*own, "entry_means", "sed", "lsd5", "tukey_hsd5", "pairwise", "vs_check")
    figures: Json = {"environment": "site x season", **{k: plain[k] for k in kept if k in plain}}
    figures["n_environments"] = len(found.environments)
    if whole:
        figures["table_of_means"] = {
            "entries": list(found.entries),
            "environments": list(found.environments),
            "values": found.table.tolist(),
        }
        figures["combined_anova"] = [anova_figures(r) for r in found.environment_first]
        figures["site_season_anova"] = [anova_figures(r) for r in found.site_season]
        figures["eberhart_russell_anova"] = [anova_figures(r) for r in found.eberhart_russell]
    else:
        figures |= {"n_cells": plain["n_plots"], "n_observed": plain["n_observed"], "n_missing": plain["n_missing"]}
        figures["anova_environment_first"] = [anova_figures(r) for r in found.environment_first[:3]]
        figures["anova_entry_first"] = [anova_figures(r) for r in found.entry_first]
        figures["environment_means"] = _environment_means(found)
    if found.stability is not None:
        figures["stability"] = {
            "environment_index": index_figures(found.environments, found.table),
            "table": [stability_figures(s) | {"s2d": s.deviations_ms} for s in found.stability],
        }
    if found.ammi is not None:
        figures["ammi"] = ammi_figures(found.entries, found.environments, found.ammi)
        figures["gge"] = _biplot(found)
    return figures | _mixed(found, whole)


def _biplot(found: Environments) -> Json:
    made = biplot_of(found.table)
    return {
        "percent": list(made.percent),
        "entry_scores": [
            {"label": e, "axis1": x, "axis2": y} for e, (x, y) in zip(found.entries, made.entries.tolist(), strict=True)
        ],
        "environment_scores": [
            {"label": w, "axis1": x, "axis2": y, "best": found.entries[b]}
            for w, (x, y), b in zip(found.environments, made.environments.tolist(), made.best, strict=True)
        ],
    }


def _environment_means(found: Environments) -> list[Json]:
    from trialcore.analyses.blocks import analyse_blocks

    cells = [
        (e, w, v)
        for e, row in zip(found.entries, found.table, strict=True)
        for w, v in zip(found.environments, row, strict=True)
        if not np.isnan(v)
    ]
    turned = analyse_blocks([w for _, w, _ in cells], [v for _, _, v in cells], {"grown in it": [e for e, _, _ in cells]})
    return [{"environment": m.entry, "lsmean": m.lsmean, "se": m.se} for m in turned.means]


def index_figures(environments: Sequence[str], table: Floats) -> list[Json]:
    """The index of each environment: its mean minus the grand mean."""
    means = table.mean(axis=0)
    return [
        {"environment": w, "mean": float(m), "index": float(m - means.mean())} for w, m in zip(environments, means, strict=True)
    ]


def stability_figures(s: Stability) -> Json:
    """How one entry follows the environments."""
    return {
        "entry": s.entry,
        "mean": s.mean,
        "slope_b": s.slope,
        "se_b": s.slope_se,
        "t_b_equals_1": s.t_slope_is_1,
        "p_b_equals_1": s.p_slope_is_1,
        "deviations_ss": s.deviations_ss,
        "deviations_ms": s.deviations_ms,
        "r_squared": s.r_squared,
        "ecovalence_w": s.ecovalence,
        "ecovalence_percent": s.ecovalence_percent,
        "shukla_variance": s.shukla,
        "superiority_p": s.superiority,
        "environmental_variance": s.environmental_variance,
        "cv_percent": s.cv_percent,
        "mean_rank": s.mean_rank,
    }


def ammi_figures(entries: Sequence[str], environments: Sequence[str], ammi: Ammi) -> Json:
    """The axes of an additive main effects and multiplicative interaction model, with the scores on them."""

    def scores(names: Sequence[str], values: np.ndarray) -> list[Json]:
        return [{"label": n, **{f"ipca{k + 1}": float(v) for k, v in enumerate(row)}} for n, row in zip(names, values, strict=True)]

    return {
        "axes": [
            {
                "axis": k,
                "singular_value": a.singular_value,
                "ss": a.ss,
                "percent": a.percent,
                "cumulative_percent": a.cumulative_percent,
                "gollob_df": a.gollob_df,
                "ms": a.ms,
            }
            for k, a in enumerate(ammi.axes, start=1)
        ],
        "entry_scores": scores(entries, ammi.entry_scores),
        "environment_scores": scores(environments, ammi.environment_scores),
        "asv": [{"entry": n, "asv": float(v)} for n, v in zip(entries, ammi.asv, strict=True)],
    }


def _mixed(found: Environments, whole: bool) -> Json:
    if found.fixed is None or found.random is None:
        return {}
    names = [m.entry for m in found.fixed_means]
    pairs = found.fixed.differences(np.eye(len(names)))
    plain = float(pairs.se_model.mean())
    fixed: Json = {
        "model": "value ~ entry fixed; environment random (REML)",
        "variance_components": dict(found.fixed.variances),
        "reml_loglik": found.fixed.loglik,
        "entry_means": [
            {
                "entry": m.entry,
                "mean": m.mean.estimate,
                "se": m.mean.se_kr,
                "se_model": m.mean.se_model,
                "se_kr": m.mean.se_kr,
                "df_kr": m.mean.df_kr,
            }
            for m in found.fixed_means
        ],
        "average_sed": plain,
        "average_sed_model": plain,
        "average_sed_kr": float(pairs.se_kr.mean()),
    }
    v = found.random.variances
    pev = np.diag(found.random.effect_covariance["entry"])
    random: Json = {
        "model": "value ~ 1; entry and environment random (REML)",
        "variance_components": dict(v),
        "overall_mean": float(found.random.beta[0]),
        "entry_blups": [
            {"entry": n, "blup": float(u), "se_blup": float(np.sqrt(w))}
            for n, u, w in zip(names, found.random.effects["entry"], pev, strict=True)
        ],
    }
    if whole:
        random["heritability_mean_basis"] = v["entry"] / (v["entry"] + v["residual"] / len(found.environments))
    return {"reml_environments_random": fixed, "reml_all_random": random}
