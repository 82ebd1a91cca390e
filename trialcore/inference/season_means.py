"""The means of one season, with how well each is known: what a season leaves to those after it."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from trialcore.analyses.entries import EntryComparison
from trialcore.analyses.linear import Floats

Rows = tuple[tuple[float, ...], ...]
UNLIKE = 0.02  # by which a variance of a difference may be off before means need their whole covariance


@dataclass(frozen=True)
class SeasonMeans:
    """The means of one season (or trial), turned so that more is better: by entry, with the error variance of each; the check's;
    the variance of a plot and its degrees of freedom. `entries` that also stood in other seasons go by the same name.
    `covariance` is that of the means, the check last, where single variances do not give back how well differences are known."""

    entries: Sequence[str]
    means: Sequence[float]
    variances: Sequence[float]
    check: float
    check_variance: float
    plot_variance: float
    df: float
    covariance: Rows | None = None

    def precision(self, besides: float) -> Floats:
        """The inverse covariance of all means, the check last, each with the variance `besides` of its own added."""
        if self.covariance is None:
            return np.diag(1 / (np.array([*self.variances, self.check_variance]) + besides))
        values, vectors = self._axes
        return np.asarray((vectors / (values + besides)) @ vectors.T)

    @cached_property
    def _axes(self) -> tuple[Floats, Floats]:
        values, vectors = np.linalg.eigh(np.array(self.covariance))
        return np.maximum(values, 1e-9 * values[-1]), vectors


def own_variances(covariance: Floats) -> Floats:
    """Error variances of single means that give back the standard errors of all differences, from the `covariance` (n × n) of
    means: with S the sum of squared standard errors of a mean's differences and D = ΣS / (2(n − 1)), (S − D) / (n − 2). Exact for
    complete blocks, where all means share a part that no difference holds; near it elsewhere. Of two means each has half of the
    variance of their difference. Raises ValueError for a single mean."""
    n = len(covariance)
    if n < 2:
        raise ValueError("expected two means or more")
    own = np.diag(covariance)
    if n == 2:
        return np.full(2, (own[0] + own[1] - 2 * covariance[0, 1]) / 2)
    squared = own[:, None] + own[None, :] - 2 * covariance
    sums = squared.sum(axis=1)
    return np.asarray((sums - sums.sum() / (2 * (n - 1))) / (n - 2))


def variances_of(found: EntryComparison) -> dict[str, float]:
    """The error variance of each entry mean of a comparison, as far as it is its own: what gives back the standard errors of
    differences. Empty where there is no error to judge by."""
    joint = covariance_of(found)
    if joint is not None:
        return dict(zip(joint[0], own_variances(joint[1]).tolist(), strict=True))
    if on_least_squares(found):
        return {}
    if found.two is not None and found.versus is not None:  # means share more than differences hold
        half = {d.a: d.se**2 / 2 for d in found.versus.differences}
        return half | {found.versus.check: sum(half.values()) / len(half)} if half else {}
    return {m.entry: m.se**2 for m in found.means if m.se}


def on_least_squares(found: EntryComparison) -> bool:
    """Whether the means are those of plots on the scale recorded, not of a second factor or a model for the kind of record."""
    return all(part is None for part in (found.two, found.generalised, found.dates, found.rescaled))


def covariance_of(found: EntryComparison) -> tuple[list[str], Floats] | None:
    """The covariance of the entry means of a comparison, with their entries; None where it is not known or has no error in it."""
    if not on_least_squares(found):
        return None
    recovered = found.incomplete.recovered if found.incomplete else None
    if recovered is not None and len(recovered.names) > 1:
        return list(recovered.names), recovered.rows @ recovered.fit.adjusted @ recovered.rows.T
    known = [i for i, m in enumerate(found.analysis.means) if m.lsmean is not None]
    if not found.analysis.mse or len(known) < 2:
        return None
    return [found.analysis.means[i].entry for i in known], found.analysis.mse * found.analysis.covariance[np.ix_(known, known)]


def telling_covariance(found: EntryComparison) -> tuple[list[str], Floats] | None:
    """The same where single variances do not give back the variance of every difference, else None."""
    joint = covariance_of(found)
    return joint if joint is not None and where_it_matters(joint[1], own_variances(joint[1])) else None


def where_it_matters(joint: Floats, own: Floats) -> Rows | None:
    """The covariance of means, where their own variances do not give back the variance of every difference; a part that all
    share, which no difference holds, is taken out."""
    squared = np.diag(joint)[:, None] + np.diag(joint)[None, :] - 2 * joint
    given = own[:, None] + own[None, :]
    apart = ~np.eye(len(own), dtype=bool)
    if (np.abs(squared - given)[apart] <= UNLIKE * squared[apart]).all():
        return None
    return tuple(tuple(row) for row in joint.tolist())


def season_of(
    found: EntryComparison, check: str, sign: int, names: Mapping[str, str], apart: Collection[str] = ()
) -> SeasonMeans | None:
    """The season that a comparison is, `sign` −1 where less is better; entries go by `names`, those `apart` (further checks) left
    out. None where the check has no mean or the error cannot be judged."""
    own = variances_of(found)
    level = {m.entry: m.lsmean for m in found.means if m.lsmean is not None and own.get(m.entry, 0.0) > 0}
    if check not in level or found.versus is None or not found.versus.df:
        return None
    plots = {m.entry: m.n for m in found.means}
    others = [e for e in level if e != check and e not in apart]
    if not others:
        return None
    plot = float(np.median([own[e] * max(1, plots[e]) for e in others]))
    joint, whole = covariance_of(found), None
    if joint is not None:
        at = [joint[0].index(e) for e in (*others, check)]
        whole = where_it_matters(joint[1][np.ix_(at, at)], np.array([own[e] for e in (*others, check)]))
    return SeasonMeans(
        tuple(names[e] for e in others),
        tuple(sign * level[e] for e in others),
        tuple(own[e] for e in others),
        sign * level[check],
        own[check],
        plot,
        found.versus.df,
        whole,
    )
