"""Figures of a programme: every trial alone, entries against the check over common trials, one stage and two."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from trialcore.analyses.blocks import BlockAnalysis, analyse_blocks
from trialcore.analyses.choice import Choice
from trialcore.analyses.entries import EntryComparison
from trialcore.analyses.incomplete import repeatability
from trialcore.analyses.programme import (
    OneStage,
    Programme,
    TrialMeans,
    analyse_plots,
    analyse_plots_by_trial,
    analyse_programme,
)
from trialcore.formats.figures.blocks import Json
from trialcore.inference import distributions
from trialcore.inference.comparisons import against_check, holm_adjusted
from trialcore.inference.season_means import SeasonMeans, season_of
from trialcore.inference.shrunken import shrink

MOST_PLOTS = 1500  # beyond which only the two stages are reckoned


def programme_figures(columns: dict[str, list[str]], value: Sequence[float | None], check: str | None) -> Json:
    """Every figure of plots with entry, season, site and rep. Raises ValueError for a check without a value, or too few trials."""
    trial = [f"{a}-{b}" for a, b in zip(columns["season"], columns["site"], strict=True)]
    alone = {t: _alone(t, trial, columns, value) for t in sorted(set(trial))}
    where = {t: (columns["season"][trial.index(t)], columns["site"][trial.index(t)]) for t in alone}
    means = [m for t, a in alone.items() if (m := _means(t, *where[t], a))]
    if check is not None and not any(check in m.entries for m in means):
        raise ValueError(f"no trial has a mean of the entry “{check}”")
    seen = [i for i, v in enumerate(value) if v is not None]
    y = [float(value[i] or 0.0) for i in seen]
    by = {name: [labels[i] for i in seen] for name, labels in columns.items()}
    entries = sorted(set(columns["entry"]))
    figures: Json = {
        "kind": "programme",
        "check": check,
        "n_plots": len(value),
        "n_observed": len(seen),
        "n_entries": len(entries),
        "n_trials": len(alone),
        "trials": [_laid(t, by) for t in alone],
        "presence": [_present(e, by) for e in entries],
        "per_trial": [_trial(t, a, [v for v, at in zip(value, trial, strict=True) if at == t]) for t, a in alone.items()],
        "trial_means": [
            {"trial": t, "entry": m.entry, "mean": m.lsmean, "se": m.se, "df": a.df_error}
            for t, a in alone.items()
            for m in a.means
            if m.lsmean is not None
        ],
        "two_stage": {
            name: _two_stages(analyse_programme(means, check, diagonal))
            for name, diagonal in (("diagonal_weights", True), ("full_covariance", False))
        },
    }
    if check is not None:
        figures["head_to_head"] = _head_to_head(means, check)
    if len(seen) <= MOST_PLOTS:
        plots = (by["entry"], y, by["season"], by["site"], by["rep"])
        one = analyse_plots(*plots)
        figures |= {"one_stage_entries_fixed": _fixed(one, check), "one_stage_entries_random": _random(one)}
        figures["one_stage_error_variance_per_trial"] = _by_trial(plots, one.entries, check)
    return figures


def _alone(t: str, trial: Sequence[str], columns: dict[str, list[str]], value: Sequence[float | None]) -> BlockAnalysis:
    here = [i for i, at in enumerate(trial) if at == t]
    entry, rep = ([columns[n][i] for i in here] for n in ("entry", "rep"))
    return analyse_blocks(entry, [value[i] for i in here], {"rep": rep})


def _means(t: str, season: str, site: str, a: BlockAnalysis) -> TrialMeans | None:
    known = [i for i, m in enumerate(a.means) if m.lsmean is not None]
    if not a.mse or not known:
        return None
    covariance = a.mse * a.covariance[np.ix_(known, known)]
    return TrialMeans(t, season, site, tuple(a.means[i].entry for i in known), a.level[known], covariance, float(a.df_error))


def _laid(t: str, by: dict[str, list[str]]) -> Json:
    here = [e for e, a, b in zip(by["entry"], by["season"], by["site"], strict=True) if f"{a}-{b}" == t]
    return {"trial": t, "entries": len(set(here)), "plots": len(here)}


def _present(entry: str, by: dict[str, list[str]]) -> Json:
    own = [i for i, e in enumerate(by["entry"]) if e == entry]
    trials = {(by["season"][i], by["site"][i]) for i in own}
    return {"entry": entry, "trials": len(trials), "seasons": len({s for s, _ in trials}), "plots": len(own)}


def _trial(t: str, a: BlockAnalysis, value: Sequence[float | None]) -> Json:
    entry = next((r for r in a.anova_adjusted if r.source == "entry"), None)
    seen = [v for v in value if v is not None]
    return {
        "trial": t,
        "mse": a.mse,
        "df_error": a.df_error,
        "mean": sum(seen) / len(seen) if seen else None,
        "f_entry": entry.f if entry else None,
        "p_entry": entry.p if entry else None,
    }


def _head_to_head(means: Sequence[TrialMeans], check: str) -> list[Json]:
    made = []
    for e in sorted({e for m in means for e in m.entries} - {check}):
        d = np.array([m.means[m.entries.index(e)] - m.means[m.entries.index(check)] for m in means if {e, check} <= set(m.entries)])
        row: Json = {"entry": e, "check": check, "trials": len(d), "trials_better": int((d > 0).sum())}
        if len(d) >= 1:
            row["mean_difference"] = float(d.mean())
        if len(d) >= 2 and d.std() > 0:
            se = float(d.std(ddof=1) / np.sqrt(len(d)))
            t = float(d.mean()) / se
            row |= {"se": se, "t": t, "p": distributions.t_two_sided(t, len(d) - 1)}
        made.append(row)
    return made


def _two_stages(found: Programme) -> Json:
    z = [(lead, lead.estimate / lead.se) for lead in found.leads]
    return {
        "reml_logLik": found.fit.loglik,
        "variance_components": [{"component": k, "variance": v} for k, v in found.fit.variances.items()],
        "at_boundary": [k for k, v in found.fit.variances.items() if v <= 0],
        "entry_means": [
            {"entry": e, "mean": float(m), "se_model": float(s)}
            for e, m, s in zip(found.entries, found.means, found.ses, strict=True)
        ],
        "vs_check": [
            {"entry": lead.entry, "check": found.check, "estimate": lead.estimate, "se_model": lead.se, "z": z_, "df": lead.df}
            for lead, z_ in z
        ],
    }


def _versus(names: Sequence[str], check: str) -> tuple[list[str], np.ndarray]:
    others = [e for e in names if e != check]
    return others, np.array([[float(n == e) - float(n == check) for n in names] for e in others])


def _fixed(one: OneStage, check: str | None) -> Json:
    fit, names = one.fixed, one.entries
    means = fit.contrasts(np.eye(len(names)))
    pairs = fit.differences(np.eye(len(names)))
    test = fit.test(np.hstack([np.ones((len(names) - 1, 1)), -np.eye(len(names) - 1)]))
    figures: Json = {
        "reml_logLik": fit.loglik,
        "variance_components": _components(fit.variances),
        "at_boundary": [k for k, v in fit.variances.items() if v <= 0],
        "entry_means": [
            {"entry": e, "mean": m.estimate, "se_model": m.se_model, "se_kr": m.se_kr, "df_kr": m.df_kr}
            for e, m in ((e, means[i]) for i, e in enumerate(names))
        ],
        "sed": {
            "average_model": float(pairs.se_model.mean()),
            "min_model": float(pairs.se_model.min()),
            "max_model": float(pairs.se_model.max()),
            "average_kr": float(pairs.se_kr.mean()),
        },
        "entry_test_kr": {"F": test.f, "df_num": test.num_df, "df_den": test.den_df, "p": test.p},
    }
    if check is not None:
        others, rows = _versus(names, check)
        d = fit.contrasts(rows)
        p = [distributions.t_two_sided(d[i].estimate / d[i].se_kr, d[i].df_kr) for i in range(len(others))]
        held = holm_adjusted(np.array(p))
        figures["vs_check"] = [
            {
                "entry": e,
                "check": check,
                "estimate": d[i].estimate,
                "se_model": d[i].se_model,
                "se_kr": d[i].se_kr,
                "df_kr": d[i].df_kr,
                "t_kr": d[i].estimate / d[i].se_kr,
                "p_kr": p[i],
                "p_holm_kr": float(held[i]),
            }
            for i, e in enumerate(others)
        ]
    return figures


def _components(variances: Mapping[str, float]) -> list[Json]:
    return [{"component": "Residual" if k == "residual" else k, "variance": v} for k, v in variances.items()]


def _random(one: OneStage) -> Json:
    fit, between = one.random, one.random.variances["entry"]
    blups, pev = fit.effects["entry"], np.diag(fit.effect_covariance["entry"])
    mean = fit.contrast(np.ones(1))
    return {
        "reml_logLik": fit.loglik,
        "variance_components": _components(fit.variances),
        "at_boundary": [k for k, v in fit.variances.items() if v <= 0],
        "mean": mean.estimate,
        "mean_se": mean.se_model,
        "blups": [
            {
                "entry": e,
                "blup": float(u),
                "pev": float(v),
                "reliability": 1 - float(v) / between if between > 0 else None,
                "predicted": mean.estimate + float(u),
            }
            for e, u, v in zip(one.entries, blups, pev, strict=True)
        ],
        "heritability_cullis": repeatability(fit.effect_covariance["entry"], between)[1] if between > 0 else None,
    }


def _by_trial(
    plots: tuple[list[str], list[float], list[str], list[str], list[str]], names: Sequence[str], check: str | None
) -> Json:
    fit = analyse_plots_by_trial(*plots)
    trials = sorted({f"{a}-{b}" for a, b in zip(plots[2], plots[3], strict=True)})
    own = {k: v for k, v in fit.variances.items() if k in trials}
    means, ses, _ = fit.contrasts(np.eye(len(names)))
    figures: Json = {
        "reml_logLik": fit.loglik,
        "variance_components": [{"component": k, "variance": v} for k, v in fit.variances.items() if k not in own],
        "error_variances": [{"trial": t, "variance": v} for t, v in own.items()],
        "entry_means": [{"entry": e, "mean": float(m), "se_model": float(s)} for e, m, s in zip(names, means, ses, strict=True)],
    }
    if check is not None:
        others, rows = _versus(names, check)
        estimate, se, _ = fit.contrasts(rows)
        figures["vs_check"] = [
            {"entry": e, "check": check, "estimate": float(d), "se_model": float(s)}
            for e, d, s in zip(others, estimate, se, strict=True)
        ]
    return figures


def programme_text(figures: Json) -> str:
    """What a person reads first of a programme."""
    lines = [f"programme, {figures['n_trials']} trials, {figures['n_entries']} entries, {figures['n_observed']} plots"]
    two = figures["two_stage"]["full_covariance"]
    rows = [(r["entry"], r.get("estimate", r.get("mean", 0.0)), r["se_model"]) for r in two["vs_check"] or two["entry_means"]]
    lines += [f"  {entry:<14} {figure:+9.4g}  SE {se:.3g}" for entry, figure, se in sorted(rows, key=lambda r: -r[1])]
    spread = ", ".join(f"{c['component']} {c['variance']:.3g}" for c in two["variance_components"])
    return "\n".join([*lines, f"variances: {spread}"])


def programme_shown(columns: dict[str, list[str]], value: Sequence[float | None], check: str | None) -> list[Json]:
    """What the page of a programme shows of each entry: means and differences from the check over all trials (two stages, the whole
    covariance), the expected advantage and the chance over all seasons; `n` are trials."""
    trial = [f"{a}-{b}" for a, b in zip(columns["season"], columns["site"], strict=True)]
    alone = {t: _alone(t, trial, columns, value) for t in sorted(set(trial))}
    where = {t: (columns["season"][trial.index(t)], columns["site"][trial.index(t)]) for t in alone}
    means = [m for t, a in alone.items() if (m := _means(t, *where[t], a))]
    found = analyse_programme(means, check)
    leads = {lead.entry: lead for lead in found.leads}
    seasons = [s for t, a in alone.items() if check and (s := _season_means(a, check))]
    kept = {a.entry: a for a in worked.advantages} if (worked := shrink(seasons)) else {}
    return [
        {
            "entry": e,
            "n": sum(e in m.entries for m in means),
            "mean": float(found.means[i]),
            "mean_lower95": None,
            "mean_upper95": None,
            "difference": lead.estimate if (lead := leads.get(e)) else 0.0 if e == check else None,
            "lower95": lead.lower95 if lead else None,
            "upper95": lead.upper95 if lead else None,
            "expected_advantage": kept[e].kept if e in kept else None,
            "chance": kept[e].chance if e in kept else None,
        }
        for i, e in enumerate(found.entries)
    ]


def _season_means(a: BlockAnalysis, check: str) -> SeasonMeans | None:
    versus = against_check(a, check) if any(m.entry == check for m in a.means) else None
    found = EntryComparison(Choice("rcbd", "", "normal"), a, a.means, versus, None)
    return season_of(found, check, 1, {m.entry: m.entry for m in a.means})
