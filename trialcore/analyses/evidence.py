"""What a comparison says of one trait, in the shape in which several traits are weighed against each other."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from trialcore.analyses.entries import EntryComparison
from trialcore.analyses.linear import Floats
from trialcore.inference.joint import Link, TraitEvidence
from trialcore.inference.season_means import own_variances, variances_of


def evidence_of(
    found: EntryComparison,
    entries: Sequence[str],
    name: str,
    direction: int,
    matters: float,
    weight: float = 1.0,
    least: float | None = None,
    most: float | None = None,
) -> TraitEvidence | None:
    """The means of `entries` with their joint covariance, on the scale on which the model has them; None where one of them has no
    mean or there is no error to judge by."""
    told = _means(found, entries)
    if told is None:
        return None
    means, covariance, df, link = told
    if found.rescaled is not None and link == "sqrt":  # what plots vary by is added to every mean alike
        least, most = (None if bound is None else max(0.0, bound - found.rescaled.variance) for bound in (least, most))
    plots = {m.entry: m.n for m in found.means}
    own = own_variances(covariance) if len(entries) > 2 else np.diag(covariance)
    plot = float(np.median([max(0.0, d) * max(1, plots.get(e, 1)) for e, d in zip(entries, own, strict=True)]))
    return TraitEvidence(name, means, covariance, df, direction, weight, matters, least, most, link, plot)


def _means(found: EntryComparison, entries: Sequence[str]) -> tuple[Floats, Floats, float, Link] | None:
    if found.generalised is not None:
        model = found.generalised
        if any(e not in model.place for e in entries):
            return None
        at = [model.place[e] for e in entries]
        link: Link = "logit" if model.family == "binomial" else "log"
        return np.array([model.means[i].link for i in at]), model.covariance[np.ix_(at, at)], model.t_df, link
    if found.rescaled is not None:
        told = _means(found.rescaled.found, entries)
        if told is None:
            return None
        log = found.rescaled.scale == "log"
        return told[0] + (found.rescaled.variance / 2 if log else 0.0), told[1], told[2], found.rescaled.scale
    level = {m.entry: m.lsmean for m in found.means if m.lsmean is not None}
    if any(e not in level for e in entries):
        return None
    means = np.array([level[e] for e in entries], dtype=float)
    if found.dates is not None:
        names = [m.entry for m in found.dates.means]
        at = [names.index(e) for e in entries]
        return means, found.dates.covariance[np.ix_(at, at)], max(1.0, found.dates.df), "identity"
    df = found.versus.df if found.versus else float(found.analysis.df_error)
    recovered = found.incomplete.recovered if found.incomplete else None
    if recovered is not None:
        rows = recovered.rows[[recovered.names.index(e) for e in entries]]
        return means, rows @ recovered.fit.adjusted @ rows.T, df, "identity"
    if found.two is not None:
        own = variances_of(found)
        return (means, np.diag([own[e] for e in entries]), df, "identity") if all(e in own for e in entries) else None
    if not found.analysis.mse or df < 1:
        return None
    at = [found.analysis.index(e) for e in entries]
    return means, found.analysis.mse * found.analysis.covariance[np.ix_(at, at)], df, "identity"
