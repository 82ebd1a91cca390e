"""Every pair of entries of a comparison, by whichever model was chosen, held together over all pairs."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import combinations

import numpy as np

from trialcore.analyses.entries import EntryComparison, back_on_scale
from trialcore.inference.checks import AgainstChecks, against_checks
from trialcore.inference.comparisons import Difference, all_pairs, differences_of, holm_adjusted
from trialcore.inference.letters import letter_display

MOST_ENTRIES = 80  # beyond which nobody reads three thousand pairs
SURE = 0.05


def pairs_of(found: EntryComparison) -> tuple[Difference, ...]:
    """All pairs as differences on the scale that was recorded; `p_family` is Tukey's probability where pairs share one error, else
    Holm's. Empty where none can be compared, for entries over the levels of a second factor, and beyond `MOST_ENTRIES`."""
    known = [m.entry for m in found.means if m.lsmean is not None]
    if found.two is not None or not 2 <= len(known) <= MOST_ENTRIES:
        return ()
    if found.generalised is not None:
        return _generalised(found)
    if found.rescaled is not None:
        return tuple(back_on_scale(d, found) for d in pairs_of(found.rescaled.found))
    if found.dates is not None:
        return _by_covariance(found)
    recovered = found.incomplete.recovered if found.incomplete else None
    if recovered is None:
        return all_pairs(found.analysis)
    made: list[Difference] = []
    for pair in recovered.pairs:
        c, first, second = pair.difference, np.array([0]), np.array([1])
        figures = (np.array([c.estimate]), np.array([c.se_kr]), float(c.df_kr), np.array([pair.p_family]))
        made += differences_of([pair.a, pair.b], first, second, *figures)
    return tuple(made)


def checks_of(found: EntryComparison, checks: Sequence[str]) -> AgainstChecks | None:
    """Every entry against each of several checks, held together, where all share one covariance of their means: by least squares,
    or with blocks at random. None elsewhere, and where a check has no mean.

    Raises KeyError for a check that is no entry, ValueError as `against_checks`.
    """
    if any(part is not None for part in (found.two, found.generalised, found.dates, found.rescaled)):
        return None
    recovered = found.incomplete.recovered if found.incomplete else None
    if recovered is None:
        return against_checks(found.analysis, checks)
    names = recovered.names
    if any(c not in names for c in checks):
        return None
    base = np.array([names.index(c) for c in dict.fromkeys(checks)], dtype=np.int64)
    others = np.array([i for i in range(len(names)) if i not in base], dtype=np.int64)
    rows = recovered.rows
    level, v = rows @ recovered.fit.beta, rows @ recovered.fit.adjusted @ rows.T
    df = float(recovered.fit.contrasts(rows[others] - rows[base[0]]).df_kr.mean())
    return AgainstChecks(names, base, others, level, v, df) if len(others) else None


def groups_of(found: EntryComparison, sign: int = 1) -> dict[str, str]:
    """Letters by entry: those that share one could not be told apart, all pairs held together at 5 %; the best first by `sign`."""
    pairs = pairs_of(found)
    means = {m.entry: m.lsmean for m in found.means if m.lsmean is not None}
    order = sorted(means, key=lambda e: -sign * (means[e] or 0.0))
    told = {n for d in pairs for n in (d.a, d.b)}
    apart = {(d.a, d.b) for d in pairs if d.p_family is not None and d.p_family < SURE}
    return letter_display([e for e in order if e in told], apart)


def _generalised(found: EntryComparison) -> tuple[Difference, ...]:
    """By likelihood ratio, each with the standard error that its test speaks for."""
    model = found.generalised
    assert model is not None
    first, second = (np.array(side) for side in zip(*combinations(range(len(model.means)), 2), strict=True))
    scale = 100.0 if model.family == "binomial" else 1.0
    alone = model.differences(first, second, scale)
    return model.differences(first, second, scale, holm_adjusted(np.array([d.p_unadjusted for d in alone])))


def _by_covariance(found: EntryComparison) -> tuple[Difference, ...]:
    dates = found.dates
    assert dates is not None and dates.fitted is not None
    first, second = (np.array(side) for side in zip(*combinations(range(len(dates.fitted.entries)), 2), strict=True))
    alone = dates.differences(first, second)
    return dates.differences(first, second, holm_adjusted(np.array([d.p_unadjusted for d in alone])))
