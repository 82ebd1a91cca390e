"""Figures of split-plots and strip-plots."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from trialcore.analyses.linear import Floats
from trialcore.analyses.mixed import Contrasts, JointTest
from trialcore.analyses.strata import Factor, Strata, StratumRow, TwoFactorFit, TwoFactors
from trialcore.formats.figures.blocks import Json, pair_figures, versus_figures
from trialcore.inference.comparisons import equal_means_against, pairs_of_equal_means
from trialcore.inference.distributions import t_quantile

ON_WHOLE_PLOTS = ("entry", "factor2")
ON_SUB_PLOTS = ("factor2", "entry")


def split_plot_figures(found: TwoFactors, check: str | None, names: tuple[str, str] = ON_WHOLE_PLOTS) -> Json:
    """Every figure of a split-plot; in strata when it is complete, by REML when it is not. `names` are those of the factor on
    whole plots and of that within them; `check` is among the entries, wherever these are."""
    whole, sub = names
    figures: Json = {"whole_plot_factor": whole, "sub_plot_factor": sub} | _counted(found)
    if found.strata is None:
        return figures | (_by_reml(found.mixed, names) if found.mixed is not None else {})
    s = found.strata
    (ea, dfa), (eb, dfb) = s.errors
    within = s.within["whole_plot_levels_same_or_different_sub_plot_level"]
    t_a, t_b = t_quantile(0.975, dfa), t_quantile(0.975, dfb)
    same = s.sed_second_at_first or 0.0
    figures |= {
        "model": f"value ~ rep + {whole} + rep:{whole} [error a] + {sub} + entry:factor2 + error b",
        "anova": [stratum_figures(_named(r, names)) for r in s.rows],
        "mse_a": ea,
        "df_a": dfa,
        "mse_b": eb,
        "df_b": dfb,
        "cv_a_percent": _cv(ea, s.mean),
        "cv_b_percent": _cv(eb, s.mean),
        "sed": {
            "whole_plot_means": s.first.sed,
            "sub_plot_means": s.second.sed,
            "sub_plot_levels_same_whole_plot_level": same,
            "whole_plot_levels_same_or_different_sub_plot_level": within.sed,
        },
        "lsd5": {
            "whole_plot_means": t_a * s.first.sed,
            "sub_plot_means": t_b * s.second.sed,
            "sub_plot_levels_same_whole_plot_level": t_b * same,
            "whole_plot_levels_same_or_different_sub_plot_level_weighted_t": within.lsd_weighted,
            "weighted_t": within.weighted_t,
            "whole_plot_levels_same_or_different_sub_plot_level_satterthwaite": within.lsd_satterthwaite,
            "satterthwaite_df": within.satterthwaite_df,
        },
        "variance_components_from_mean_squares": s.components,
        "whole_plot_means": _factor(s.first, whole, "se_fixed_rep", _check(s.first, whole, check)),
        "sub_plot_means": _factor(s.second, sub, "se_sub_plot_error", _check(s.second, sub, check)),
        "cell_means": _cells(s, names),
    }
    if min(s.components.values()) < 0:
        figures["reml"] = {"note": "a variance component from the mean squares is negative; the strata figures stand"}
    elif found.mixed is not None:
        figures["reml"] = _reml_beside(found.mixed, names)
    return figures


def _check(factor: Factor, name: str, check: str | None) -> str | None:
    """What the levels of a factor are set against: the check among entries, else the first of them."""
    if name != "entry":
        return None
    return check if check is not None else factor.levels[0]


def _named(row: StratumRow, names: tuple[str, str]) -> StratumRow:
    return replace(row, source=names[ON_WHOLE_PLOTS.index(row.source)]) if row.source in names else row


def strip_plot_figures(found: TwoFactors, check: str | None) -> Json:
    """Every figure of a strip-plot, in the manner of a split-plot."""
    figures: Json = {"row_factor": "entry", "column_factor": "factor2"} | _counted(found)
    if found.strata is None:
        made = _by_reml(found.mixed) if found.mixed is not None else {}
        renamed = {"whole_plot_means": "row_means", "sub_plot_means": "column_means"}
        return figures | {renamed.get(k, k): v for k, v in made.items()}
    s = found.strata
    for letter, (ms, df) in zip("abc", s.errors, strict=True):
        figures |= {f"mse_{letter}": ms, f"df_{letter}": df, f"cv_{letter}_percent": _cv(ms, s.mean)}
    figures["anova"] = [stratum_figures(r) for r in s.rows]
    figures["sed"] = {"row_means": s.first.sed, "column_means": s.second.sed, **{k: w.sed for k, w in s.within.items()}}
    figures["lsd5"] = {
        "row_means": t_quantile(0.975, s.first.df) * s.first.sed,
        "column_means": t_quantile(0.975, s.second.df) * s.second.sed,
    }
    for kind, w in s.within.items():
        figures["lsd5"] |= {
            f"{kind}_weighted_t": w.lsd_weighted,
            f"{kind}_satterthwaite": w.lsd_satterthwaite,
            f"{kind}_satterthwaite_df": w.satterthwaite_df,
        }
    figures["variance_components_from_mean_squares"] = s.components
    figures["row_means"] = _factor(s.first, "entry", "se", check if check is not None else s.first.levels[0])
    figures["column_means"] = _factor(s.second, "factor2", "se", None)
    figures["cell_means"] = _cells(s, ON_WHOLE_PLOTS)
    return figures


def _counted(found: TwoFactors) -> Json:
    return {
        "n_plots": found.n_plots,
        "n_observed": found.n_observed,
        "n_missing": found.n_plots - found.n_observed,
        "grand_mean": found.mean,
        "cannot_say": list(found.cannot_say),
    }


def _cv(ms: float, mean: float) -> float | None:
    return 100 * float(np.sqrt(ms)) / mean if mean > 0 else None


def stratum_figures(r: StratumRow) -> Json:
    """A line of an analysis of variance in strata."""
    return {
        "stratum": r.stratum,
        "source": r.source,
        "df": r.df,
        "ss": r.ss,
        "ms": r.ms,
        "f": r.f,
        "p": r.p,
        "error_term": r.error_term,
    }


def _factor(factor: Factor, name: str, se: str, check: str | None) -> Json:
    table = [
        {"level": level, "n": factor.n, "mean": float(m), se: factor.se}
        for level, m in zip(factor.levels, factor.means, strict=True)
    ]
    made: Json = {"factor": name, "table": table, "vs_check": None}
    if factor.sed > 0:
        made["pairwise"] = [pair_figures(d) for d in pairs_of_equal_means(factor.levels, factor.means, factor.sed, factor.df)]
        if check in factor.levels:
            made["vs_check"] = versus_figures(equal_means_against(factor.levels, factor.means, factor.sed, factor.df, check))
    return made


def _cells(s: Strata, names: tuple[str, str]) -> list[Json]:
    first, second = names
    return [
        {first: a, second: b, "n": s.reps, "mean": float(s.cells[i, j])}
        for i, a in enumerate(s.first.levels)
        for j, b in enumerate(s.second.levels)
    ]


def _reml_beside(found: TwoFactorFit, names: tuple[str, str]) -> Json:
    def table(levels: tuple[str, ...], means: Contrasts) -> list[Json]:
        return [
            {"level": level, "mean": float(means.estimate[i]), "se": float(means.se_kr[i]), "df": float(means.df_kr[i])}
            for i, level in enumerate(levels)
        ]

    return {
        "model": f"value ~ entry*factor2 fixed; rep and rep:{names[0]} random (REML, Kenward-Roger df)",
        "variance_components": dict(found.fit.variances),
        "reml_loglik": found.fit.loglik,
        "whole_plot_means": table(found.first_levels, found.first_means()),
        "sub_plot_means": table(found.second_levels, found.second_means()),
    }


def _by_reml(found: TwoFactorFit, names: tuple[str, str] = ON_WHOLE_PLOTS) -> Json:
    cells = found.cell_means()
    first, second = names
    turned = dict(zip(ON_WHOLE_PLOTS, names, strict=True))
    return {
        "model": "value ~ entry*factor2 fixed; large plots random; REML",
        "variance_components": dict(found.fit.variances),
        "reml_loglik": found.fit.loglik,
        "anova_kenward_roger": [_test(turned.get(name, name), t) for name, t in found.tests_kr.items()],
        "anova_satterthwaite": [_test(turned.get(name, name), t) for name, t in found.tests_satterthwaite.items()],
        "whole_plot_means": _means(first, found, found.first_levels, found.first_rows),
        "sub_plot_means": _means(second, found, found.second_levels, found.second_rows),
        "cell_means": [{first: a, second: b, **_mean(cells, i)} for i, (a, b) in enumerate(found.cells)],
    }


def _test(name: str, t: JointTest) -> Json:
    return {"source": name, "num_df": t.num_df, "den_df": t.den_df, "f": t.f, "p": t.p}


def _mean(means: Contrasts, i: int) -> Json:
    m = means[i]
    return {"mean": m.estimate, "se_kr": m.se_kr, "df_kr": m.df_kr, "se_model": m.se_model}


def _means(name: str, found: TwoFactorFit, levels: tuple[str, ...], rows: Floats) -> Json:
    means = found.fit.contrasts(rows)
    pairs = found.pairs(rows, levels)
    made: Json = {"table": [{name: level, **_mean(means, i)} for i, level in enumerate(levels)]}
    made["pairwise"] = [
        {
            "contrast": f"{a} - {b}",
            "a": a,
            "b": b,
            "estimate": d.estimate,
            "se_kr": d.se_kr,
            "df_kr": d.df_kr,
            "t_kr": t,
            "p_tukey_kr": p,
            "se_model": d.se_model,
        }
        for a, b, d, t, p in pairs
    ]
    if pairs:
        made["average_sed_model"] = float(np.mean([d.se_model for _, _, d, _, _ in pairs]))
        made["average_sed_kr"] = float(np.mean([d.se_kr for _, _, d, _, _ in pairs]))
    return made
