"""Figures of an analysis of covariance, in the shape in which other software's are kept."""

from __future__ import annotations

from trialcore.analyses.covariance import Covariance
from trialcore.formats.figures.blocks import Json, anova_figures, interval, pair_figures
from trialcore.inference import distributions


def covariance_figures(found: Covariance, check: str | None) -> Json:
    """Every figure, with comparisons against `check`. Raises ValueError for a check without a value."""
    before, other = found.before, found.covariate
    if check is not None and check not in {m.entry for m in found.means if m.lsmean is not None}:
        raise ValueError(f"no plot has both figures of the entry “{check}”")
    plain = {m.entry: m for m in before.means}
    of = {m.entry: m for m in other.means}
    entry = {name: next((r for r in a.anova_adjusted if r.source == "entry"), None) for name, a in (("y", before), ("x", other))}
    versus, pairs, slopes = found.versus(check) if check else None, found.pairs(), found.slopes
    t = found.slope / found.slope_se
    return {
        "kind": "analysis of covariance",
        "model": " + ".join(["value ~", *before.blocking, "entry + covariate"]).replace("~ +", "~"),
        "check": check,
        "n_plots": before.n_plots,
        "n_observed": before.n_observed,
        "covariate_mean": found.covariate_mean,
        "anova_sequential": [_row(anova_figures(r)) for r in found.anova_sequential],
        "anova_adjusted": [_row(anova_figures(r)) for r in found.anova_adjusted],
        "mse": found.mse,
        "df_error": found.df_error,
        "slope": {"estimate": found.slope, "se": found.slope_se, "t": t, "p": found.slope_p},
        "parallel_slopes_test": {"F": slopes.f, "df_num": slopes.df, "df_den": slopes.df_error, "p": slopes.p, "mse": slopes.mse}
        if slopes
        else None,
        "slopes_by_entry": [{"entry": e, "slope": s, "se": se, "df": slopes.df_error} for e, s, se in slopes.by_entry]
        if slopes
        else [],
        "entry_means": [
            {
                "entry": m.entry,
                "plots": m.n,
                "raw_mean": m.raw_mean,
                "covariate_mean": of[m.entry].raw_mean,
                "unadjusted_lsmean": plain[m.entry].lsmean,
                "adjusted_mean": m.lsmean,
                "se": m.se,
                "lower95": m.lower95,
                "upper95": m.upper95,
            }
            for m in found.means
        ],
        "df": found.df_error,
        "sed_average": sum(d.se for d in pairs) / len(pairs) if pairs else None,
        "pairwise": [pair_figures(d) for d in pairs],
        "vs_check": [_versus(pair_figures(d)) for d in versus.held] if versus else [],
        "without_covariate": {
            "mse": before.mse,
            "df_error": before.df_error,
            "f_entry": entry["y"].f if entry["y"] else None,
            "p_entry": entry["y"].p if entry["y"] else None,
        },
        "covariate_as_response": {
            "f_entry": entry["x"].f if entry["x"] else None,
            "p_entry": entry["x"].p if entry["x"] else None,
            "ss_entry": entry["x"].ss if entry["x"] else None,
            "ss_error": (other.mse or 0.0) * other.df_error,
        },
        "relative_efficiency": {"value": found.efficiency},
        "critical_value_each": distributions.t_quantile(0.975, found.df_error),
    }


def _row(row: Json) -> Json:
    return row | {"source": "Residuals"} if row["source"] == "Residual" else row


def _versus(row: Json) -> Json:
    made = {"entry": row["a"], "check": row["b"], **{k: row[k] for k in ("estimate", "se", "df", "t", "p_unadjusted", "p_holm")}}
    return made | interval(made) | {"p_dunnett": row["p_tukey"]}
