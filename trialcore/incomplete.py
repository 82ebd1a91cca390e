"""Incomplete blocks: alpha layouts, augmented blocks, and blocks in general, connected or not."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from trialcore import distributions
from trialcore.blocks import AnovaRow, BlockAnalysis, analyse_blocks
from trialcore.comparisons import holm_adjusted
from trialcore.linear import Fit, Floats, Labels, fit, levels_of
from trialcore.mixed import Contrast, JointTest, MixedFit, fit_reml, incidence


@dataclass(frozen=True)
class Efficiency:
    """Canonical efficiency factors of entries in blocks (John and Williams 1995, ch. 2): their harmonic mean, least
    and largest; `rank` counts them, and is one less than the entries when all are connected."""

    rank: int
    average: float
    least: float
    largest: float


@dataclass(frozen=True)
class EntryBlup:
    """An entry as random: its effect, the mean predicted for it, and the variance of prediction minus truth."""

    entry: str
    effect: float
    predicted_mean: float
    pev: float
    reliability: float | None


@dataclass(frozen=True)
class MixedMean:
    entry: str
    mean: Contrast


@dataclass(frozen=True)
class MixedPair:
    """`a` minus `b` with its Kenward–Roger t and two-sided p; `p_family` is Tukey's among all pairs, Holm's against
    a check."""

    a: str
    b: str
    difference: Contrast
    t: float
    p_family: float


@dataclass(frozen=True)
class RecoveredBlocks:
    """Entries and replicates fixed, blocks random (REML): the information between blocks is recovered."""

    fit: MixedFit
    means: tuple[MixedMean, ...]
    test: JointTest
    pairs: tuple[MixedPair, ...]


@dataclass(frozen=True)
class RandomEntries:
    """Entries and blocks random, replicates fixed. `cullis` is 1 − mean variance of a difference of two predictions /
    (2 σ²_entry) (Cullis, Smith and Coombes 2006); `line_mean` is σ²_entry / (σ²_entry + σ² / r)."""

    fit: MixedFit
    overall_mean: float
    rep_means: dict[str, float]
    blups: tuple[EntryBlup, ...]
    mean_difference_variance: float
    cullis: float | None
    line_mean: float | None
    replicates: float


@dataclass(frozen=True)
class IncompleteBlocks:
    """What `analyse_incomplete` found. The mixed parts are None, and `cannot_say` tells why, where they cannot be fit."""

    intra: BlockAnalysis
    blocks_first: tuple[AnovaRow, ...]
    entries_first: tuple[AnovaRow, ...]
    complete: BlockAnalysis | None
    efficiency: Efficiency
    recovered: RecoveredBlocks | None
    random_entries: RandomEntries | None
    cannot_say: tuple[str, ...]


def analyse_incomplete(
    entry: Labels, value: Sequence[float | None], block: Labels, rep: Labels | None = None, mixed: bool = True
) -> IncompleteBlocks:
    """Analyse a trial in incomplete blocks, nested in replicates where `rep` is given.

    `entry`, `value`, `block` and `rep` have one element a plot; a missing plot is None. A block is told by its
    replicate and its own label together. Means of the intra-block analysis average over all blocks with equal weight.

    Raises ValueError when the lengths differ.
    """
    within = [f"{r}/{b}" for r, b in zip(rep, block, strict=True)] if rep is not None else list(block)
    intra = analyse_blocks(entry, value, {"block": within})
    y = np.array([np.nan if v is None else v for v in value], dtype=float)
    seen = np.flatnonzero(np.isfinite(y)).tolist()
    names = [entry[i] for i in seen]
    blocks = [within[i] for i in seen]
    reps = [rep[i] for i in seen] if rep is not None else None
    blocks_first, entries_first = _two_orders(y[seen], names, blocks, reps) if len(seen) else ((), ())
    cannot = list(intra.cannot_say)
    recovered = random_entries = None
    if mixed and len(set(intra.connected_set) - {0}) == 1 and intra.df_error > 0:
        try:
            recovered = _recovered(y[seen], names, blocks, reps)
            random_entries = _random_entries(y[seen], names, blocks, reps)
        except ValueError as reason:
            cannot.append(f"No mixed model could be fitted: {reason}.")
    complete = analyse_blocks(entry, value, {"rep": rep}) if rep is not None else None
    return IncompleteBlocks(
        intra, blocks_first, entries_first, complete, efficiency_factors(names, blocks), recovered, random_entries, tuple(cannot)
    )


def efficiency_factors(entry: Labels, block: Labels) -> Efficiency:
    """Canonical efficiency factors of the plots laid out: eigenvalues of R^−½ (R − N K⁻¹ N') R^−½, noughts left out."""
    if not len(entry):
        return Efficiency(0, 0.0, 0.0, 0.0)
    e, b = incidence(entry, levels_of(entry)), incidence(block, levels_of(block))
    n = e.T @ b
    root = 1 / np.sqrt(e.sum(axis=0))
    information = np.diag(e.sum(axis=0)) - (n / b.sum(axis=0)) @ n.T
    factors = np.linalg.eigvalsh(root[:, None] * information * root)
    factors = factors[factors > 1e-9]
    if not len(factors):
        return Efficiency(0, 0.0, 0.0, 0.0)
    return Efficiency(len(factors), float(len(factors) / (1 / factors).sum()), float(factors.min()), float(factors.max()))


def anova_line(source: str, smaller: Fit, larger: Fit, full: Fit) -> AnovaRow:
    """What the larger model explains beyond the smaller one, tested against the error of the full model."""
    df = larger.rank - smaller.rank
    ss = max(0.0, smaller.rss - larger.rss)
    if not df or not full.mse:
        return AnovaRow(source, df, ss, ss / df if df else None)
    f = ss / df / full.mse
    return AnovaRow(source, df, ss, ss / df, f, distributions.f_above(f, df, full.df_error))


def _two_orders(y: Floats, entry: Labels, block: Labels, rep: Labels | None) -> tuple[tuple[AnovaRow, ...], tuple[AnovaRow, ...]]:
    base = {"rep": rep} if rep is not None else {}
    nothing, reps = fit(y, {}), fit(y, base)
    blocks, entries = fit(y, {**base, "block": block}), fit(y, {**base, "entry": entry})
    full = fit(y, {**base, "block": block, "entry": entry})
    opening = (anova_line("rep", nothing, reps, full),) if rep is not None else ()
    nested = "block within rep" if rep is not None else "block"
    error = AnovaRow("Intra-block error" if rep is not None else "Error", full.df_error, full.rss, full.mse)
    total = AnovaRow("Total (corrected)", len(y) - 1, nothing.rss)
    return (
        (
            *opening,
            anova_line(f"{nested} (unadjusted)", reps, blocks, full),
            anova_line("entry (adjusted for blocks)", blocks, full, full),
            error,
            total,
        ),
        (
            *opening,
            anova_line("entry (unadjusted)", reps, entries, full),
            anova_line(f"{nested} (adjusted for entries)", entries, full, full),
            error,
        ),
    )


def _recovered(y: Floats, entry: Labels, block: Labels, rep: Labels | None) -> RecoveredBlocks:
    names = levels_of(entry)
    reps = rep if rep is not None else ["1"] * len(y)
    base = incidence(reps, levels_of(reps))
    x = np.hstack([base, incidence(entry, names)[:, 1:]])
    found = fit_reml(y, x, {"block": incidence(block, levels_of(block))})
    r = base.shape[1]
    rows = np.zeros((len(names), x.shape[1]))
    rows[:, :r] = 1 / r
    rows[np.arange(1, len(names)), np.arange(r, x.shape[1])] = 1.0
    means = tuple(MixedMean(name, found.contrast(row)) for name, row in zip(names, rows, strict=True))
    test = found.test(np.eye(x.shape[1])[r:])
    return RecoveredBlocks(found, means, test, _pairs(found, names, rows))


def _pairs(found: MixedFit, names: Sequence[str], rows: Floats) -> tuple[MixedPair, ...]:
    pairs = []
    for i in range(len(names)):
        for j in range(i + 1, len(names)):
            d = found.contrast(rows[i] - rows[j])
            t = d.estimate / d.se_kr
            p = float(distributions.studentized_range_above(np.sqrt(2) * abs(t), len(names), d.df_kr))
            pairs.append(MixedPair(names[i], names[j], d, t, p))
    return tuple(pairs)


def against_check_recovered(found: RecoveredBlocks, check: str) -> tuple[MixedPair, ...]:
    """Every entry minus `check` with Holm's p. Raises KeyError when no plot of the check has a value."""
    if not any(m.entry == check for m in found.means):
        raise KeyError(check)
    rows = []
    for pair in found.pairs:
        if check in (pair.a, pair.b):
            sign = 1 if pair.b == check else -1
            d = pair.difference
            turned = Contrast(sign * d.estimate, d.se_model, d.se_kr, d.df_kr)
            rows.append((pair.a if sign > 0 else pair.b, turned, sign * pair.t))
    p = np.array([float(distributions.t_two_sided(t, d.df_kr)) for _, d, t in rows])
    return tuple(MixedPair(name, check, d, t, float(q)) for (name, d, t), q in zip(rows, holm_adjusted(p), strict=True))


def _random_entries(y: Floats, entry: Labels, block: Labels, rep: Labels | None) -> RandomEntries:
    names = levels_of(entry)
    reps = rep if rep is not None else ["1"] * len(y)
    levels = levels_of(reps)
    z = incidence(entry, names)
    found = fit_reml(y, incidence(reps, levels), {"entry": z, "block": incidence(block, levels_of(block))})
    overall = float(found.beta.mean())
    covariance, vg = found.effect_covariance["entry"], found.variances["entry"]
    pev = np.diag(covariance)
    blups = tuple(
        EntryBlup(name, float(u), overall + float(u), float(v), 1 - float(v) / vg if vg > 0 else None)
        for name, u, v in zip(names, found.effects["entry"], pev, strict=True)
    )
    k = len(names)
    between = float(2 * (k * pev.sum() - covariance.sum()) / (k * (k - 1)))
    plots = z.sum(axis=0)
    r = float(k / (1 / plots).sum())
    return RandomEntries(
        fit=found,
        overall_mean=overall,
        rep_means=dict(zip(levels, map(float, found.beta), strict=True)),
        blups=blups,
        mean_difference_variance=between,
        cullis=1 - between / (2 * vg) if vg > 0 else None,
        line_mean=vg / (vg + found.variances["residual"] / r) if vg > 0 else None,
        replicates=r,
    )
