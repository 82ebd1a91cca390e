"""Figures of shares of counted units and of counts, in the shape in which other software's are kept."""

from __future__ import annotations

from math import sqrt

from trialcore.analyses.counted_fit import Family, Fit
from trialcore.analyses.generalised import Generalised
from trialcore.formats.figures.blocks import Json
from trialcore.formats.figures.wald import INFINITE, sed_average, wald_pairs, wald_versus
from trialcore.inference import distributions


def generalised_figures(found: Generalised, check: str | None, plots: int) -> Json:
    """Every figure of an analysis of `plots` plots, with comparisons against `check`: as chance alone has it (`binomial`,
    `poisson`), and with the spread that plots show (`quasi_`). What is chosen is named: the second, held at the first where plots
    vary less than chance. Raises ValueError for a check without a count."""
    if check is not None and check not in [m.entry for m in found.means]:
        raise ValueError(f"no plot has a count of the entry “{check}”")
    plain = "binomial" if found.family == "binomial" else "poisson"
    raw = found.pearson / found.df if found.df else 1.0
    figures: Json = {
        "kind": "shares" if plain == "binomial" else "counts",
        "check": check,
        "n_plots": plots,
        "n_observed": sum(m.plots for m in found.means),
        "blocking_fixed": list(found.blocking),
        "entry_totals": [_totals(found.family, m.entry, m.plots, m.counted, m.among) for m in found.means],
        "overdispersion": {
            "pearson_chisq": found.pearson,
            "deviance": found.deviance,
            "df": found.df,
            "dispersion": raw,
            "p_pearson": distributions.chi_square_above(found.pearson, found.df) if found.df else None,
            "p_deviance": distributions.chi_square_above(found.deviance, found.df) if found.df else None,
        },
        plain: _model(found.fitted, check, 1.0, None),
        f"quasi_{plain}": {"dispersion": raw, "df_residual": found.df, **_model(found.fitted, check, raw, found.df)},
        "chosen": f"quasi_{plain}" if raw > 1 else plain,
        "likelihood_ratio_tests": _tests(found, check),
    }
    bare = list(found.bare)
    if found.penalised:
        figures["firth"] = _model(found.penalised, check, 1.0, None)
    if plain == "binomial":
        figures["separated_entries"] = [{"entry": e} for e in bare]
    else:
        figures["entries_all_zero"] = bare
    return figures


def _totals(family: Family, entry: str, plots: int, counted: int, among: int | None) -> Json:
    if family == "binomial":
        return {"entry": entry, "plots": plots, "n": among, "y": counted, "pooled": counted / among if among else None}
    return {"entry": entry, "plots": plots, "total": counted, "mean": counted / plots}


def _model(fit: Fit | None, check: str | None, dispersion: float, df: int | None) -> Json:
    """The entries of a fit, their standard errors by `dispersion`, by t on `df` or the normal without."""
    if fit is None:
        return {"entry_means": []}
    k, limit = len(fit.entries), INFINITE if df is None else df
    v = fit.covariance[:k, :k] * dispersion
    half = distributions.t_quantile(0.975, limit)
    name = "share" if fit.family == "binomial" else "mean"
    rows = []
    for i, entry in enumerate(fit.entries):
        link, se = float(fit.beta[i]), sqrt(float(v[i, i]))
        low, mean, high = (fit.back(link + s * half * se) for s in (-1, 0, 1))
        ends = {"lower95": link - half * se, "upper95": link + half * se}
        rows.append(
            {"entry": entry, "estimate": link, "se": se, **ends, name: mean, f"{name}_lower95": low, f"{name}_upper95": high}
        )
    lost = 2 * max(0.0, fit.value - fit.alike_all()) if k > 1 else 0.0
    made: Json = {"entry_means": rows, "df": df, "deviance": fit.deviance}
    if k > 1 and df is None:
        made["entry_lr"] = {"chisq": lost, "df": k - 1, "p": distributions.chi_square_above(lost, k - 1)}
    elif k > 1 and df:
        f = lost / (k - 1) / dispersion
        made["entry_F"] = {"F": f, "df_num": k - 1, "df_den": df, "p": distributions.f_above(f, k - 1, df)}
    made["sed_average"] = sed_average(v)
    stat = "z" if df is None else "t"
    if df is not None:
        made["pairwise"] = wald_pairs(fit.entries, fit.beta, v, limit, stat)
    if check in fit.entries:
        made["vs_check"] = wald_versus(fit.entries, fit.beta, v, str(check), limit, stat)
    return made


def _tests(found: Generalised, check: str | None) -> list[Json]:
    """What the page goes by: each entry against the check by likelihood ratio, as F with the dispersion held at one or above."""
    if check is None:
        return []
    return [
        {"entry": r.entry, "check": check, "link": r.link, "difference": r.difference, "t": r.t, "df": r.df, "p": r.p}
        for r in found.against(check)
    ]
