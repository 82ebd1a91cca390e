"""Figures of incomplete blocks: alpha layouts and blocks in general."""

from __future__ import annotations

from dataclasses import asdict

import numpy as np

from trialcore.analyses.incomplete import IncompleteBlocks, MixedPair, RandomEntries, RecoveredBlocks, against_check_recovered
from trialcore.analyses.ranks import rank_correlation
from trialcore.formats.figures.blocks import Json, anova_figures, block_figures, pairs_wanted
from trialcore.inference.comparisons import all_pairs


def alpha_figures(found: IncompleteBlocks, check: str | None, reps: int, blocks_per_rep: int) -> Json:
    """Every figure of an alpha layout."""
    whole = block_figures(found.intra, check)
    kept = ("mse", "df_error", "cv_percent", "entry_means", "sed", "lsd5", "tukey_hsd5", "pairwise", "vs_check")
    intra: Json = {k: whole[k] for k in kept if k in whole}
    intra["model"] = "value ~ rep + block within rep + entry, all fixed"
    intra["anova_blocks_first"] = [anova_figures(row) for row in found.blocks_first]
    intra["anova_entries_first"] = [anova_figures(row) for row in found.entries_first]
    e = found.efficiency
    figures: Json = {
        "check": check,
        **{k: whole[k] for k in ("n_plots", "n_observed", "n_missing", "n_entries", "grand_mean")},
        "n_reps": reps,
        "blocks_per_rep": blocks_per_rep,
        "design_efficiency": {"rank": e.rank, "average_efficiency_factor": e.average, "min": e.least, "max": e.largest},
        "intra_block": intra,
        "cannot_say": list(found.cannot_say),
    }
    sed_complete = None
    if found.complete is not None:
        plain = block_figures(found.complete)
        sed_complete = plain.get("sed", {}).get("average")
        figures["rcbd_ignoring_blocks"] = {
            "mse": plain["mse"],
            "df_error": plain["df_error"],
            "average_sed": sed_complete,
            "entry_means": plain["entry_means"],
        }
    if found.recovered is not None:
        figures["reml_entries_fixed"] = _recovered(found.recovered, check, sed_complete)
    if found.random_entries is not None:
        figures["reml_entries_random"] = _random(found.random_entries, found.recovered)
    return figures


def _recovered(found: RecoveredBlocks, check: str | None, sed_complete: float | None) -> Json:
    plain = np.array([p.difference.se_model for p in found.pairs])
    adjusted = np.array([p.difference.se_kr for p in found.pairs])
    v = found.fit.variances
    figures: Json = {
        "model": "value ~ rep + entry fixed; block within rep random (REML)",
        "degrees_of_freedom": "Kenward-Roger",
        "variance_components": {"block_within_rep": v["block"], "residual": v["residual"]},
        "reml_loglik": found.fit.loglik,
        "aic_reml": -2 * found.fit.loglik + 2 * (len(found.fit.beta) + len(v)),
        "entry_means": [
            {"entry": m.entry, "mean": m.mean.estimate, "se_model": m.mean.se_model, "se_kr": m.mean.se_kr, "df_kr": m.mean.df_kr}
            for m in found.means
        ],
        "average_sed_model": float(plain.mean()),
        "min_sed_model": float(plain.min()),
        "max_sed_model": float(plain.max()),
        "average_sed_kr": float(adjusted.mean()),
        "entry_test_kenward_roger": asdict(found.test),
        "pairwise": [_pair(p) | {"p_tukey_kr": p.p_family} for p in found.pairs] if pairs_wanted(len(found.means)) else [],
    }
    if check is not None and any(m.entry == check for m in found.means):
        versus = against_check_recovered(found, check)
        figures["vs_check"] = [{k: x for k, x in _pair(p).items() if k != "se_model"} | {"p_holm_kr": p.p_family} for p in versus]
    if sed_complete:
        figures["relative_efficiency_vs_rcbd"] = (sed_complete / float(plain.mean())) ** 2
    return figures


def _pair(p: MixedPair) -> Json:
    d = p.difference
    return {
        "contrast": f"{p.a} - {p.b}",
        "a": p.a,
        "b": p.b,
        "estimate": d.estimate,
        "se_model": d.se_model,
        "se_kr": d.se_kr,
        "df_kr": d.df_kr,
        "t_kr": p.t,
    }


def _random(found: RandomEntries, recovered: RecoveredBlocks | None) -> Json:
    v = found.fit.variances
    figures: Json = {
        "model": "value ~ rep fixed; entry and block within rep random (REML)",
        "variance_components": {"entry": v["entry"], "block_within_rep": v["block"], "residual": v["residual"]},
        "reml_loglik": found.fit.loglik,
        "overall_mean": found.overall_mean,
        "rep_means": found.rep_means,
        "entry_blups": [
            {
                "entry": b.entry,
                "blup": b.effect,
                "predicted_mean": b.predicted_mean,
                "pev": b.pev,
                "se_blup": float(np.sqrt(b.pev)),
                "reliability": b.reliability,
            }
            for b in found.blups
        ],
        "mean_variance_of_a_blup_difference": found.mean_difference_variance,
        "heritability_cullis": found.cullis,
        "heritability_line_mean": found.line_mean,
        "replicates_used": found.replicates,
    }
    if recovered is not None:
        blue = [m.mean.estimate for m in recovered.means]
        ranked = rank_correlation(blue, [b.effect for b in found.blups])
        figures["rank_correlation_blup_blue"] = ranked.rho if ranked else None
    return figures


def general_block_figures(found: IncompleteBlocks) -> Json:
    """Figures of blocks that may fall into sets sharing no entry: no figure for what cannot be estimated."""
    intra = found.intra
    sets = {m.entry: s for m, s in zip(intra.means, intra.connected_set, strict=True)}
    several = len(set(intra.connected_set) - {0}) > 1
    sources = ("block", "entry within sets" if several else "entry", "error")
    rows = [anova_figures(row) | {"source": source} for row, source in zip(found.blocks_first, sources, strict=False)]
    known = {(d.a, d.b): d for d in all_pairs(intra)}
    names = [m.entry for m in intra.means]
    pairs = []
    for i, a in enumerate(names):
        for b in names[i + 1 :]:
            d = known.get((a, b))
            pairs.append(
                {
                    "a": a,
                    "b": b,
                    "estimable": d is not None,
                    "estimate": d.estimate if d else None,
                    "se": d.se if d else None,
                    "t": d.t if d else None,
                    "p_unadjusted": d.p_unadjusted if d else None,
                }
            )
    return {
        "n_plots": intra.n_plots,
        "n_observed": intra.n_observed,
        "grand_mean": intra.grand_mean,
        "connected_sets": [{"entry": name, "set": sets[name]} for name in names],
        "n_connected_sets": len(set(intra.connected_set) - {0}),
        "fixed_blocks": {"anova_blocks_first": rows, "mse": intra.mse, "df_error": intra.df_error, "pairwise": pairs},
        "cannot_say": list(found.cannot_say),
    }
