"""Figures of a field whose ground was modelled."""

from __future__ import annotations

import numpy as np

from trialcore.analyses.spatial import GroundModel, Spatial
from trialcore.formats.figures.blocks import Json, block_figures

NOT_OFFERED = ("gls_spherical", "gls_rational_quadratic", "gls_exponential_fixed_parameters", "gam_tp")


def spatial_figures(found: Spatial, check: str | None, row_spacing: float = 1.0, col_spacing: float = 1.0) -> Json:
    """Every figure of the plain analysis, and under `spatial` those of each model of the ground."""
    plain = {m.entry: m.lsmean for m in found.plain.means}
    models = {name: _model(m, found, plain) for name, m in found.models.items()}
    figures = block_figures(found.plain, check)
    figures["spatial"] = {
        "coordinates": {"row_spacing": row_spacing, "col_spacing": col_spacing},
        "average_sed_rcbd": found.plain_sed,
        "chosen": found.chosen,
        "why": found.why,
        "models": models,
        "not_offered": list(NOT_OFFERED),
        "cannot_say": list(found.cannot_say),
    }
    return figures


def _model(m: GroundModel, found: Spatial, plain: dict[str, float | None]) -> Json:
    sed, se = m.sed(), np.sqrt(np.diag(m.covariance))
    figures: Json = {
        "fixed": m.fixed,
        "parameters": m.parameters,
        "n_variance_parameters": m.count,
        "average_sed": float(sed.mean()),
        "min_sed": float(sed.min()),
        "max_sed": float(sed.max()),
        "efficiency_vs_rcbd": found.gain(m.name),
        "entries": [
            {"entry": e, "mean": float(v), "deviation": float(d), "se": float(s)}
            for e, v, d, s in zip(found.entries, m.means, m.deviations, se, strict=True)
        ],
    }
    if m.name.startswith("gam"):
        n = len(m.residuals)
        figures["reml_score"] = -m.loglik
        figures["loglik"] = -n / 2 * (1 + float(np.log(2 * np.pi * float(m.residuals @ m.residuals) / n)))
    else:
        likes_nlme = m.name in ("random_reps", "independent")
        figures |= {"reml_loglik": m.loglik, "reml_aic": m.aic + (2 * len(m.means) if likes_nlme else 0)}
    if m.frequentist is not None:
        figures["average_sed_frequentist_ve"] = float(m.sed(m.frequentist).mean())
    levels = [plain[e] for e in found.entries]
    if all(v is not None for v in levels) and len(levels) > 2:
        figures["correlation_with_rcbd_means"] = float(np.corrcoef(m.means, np.array(levels, dtype=float))[0, 1])
    return figures
