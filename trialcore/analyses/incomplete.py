"""Incomplete blocks: alpha layouts, augmented blocks, and blocks in general, connected or not."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property, partial

import numpy as np

from trialcore.analyses.blocks import AnovaRow, BlockAnalysis, EntryMean, analyse_blocks
from trialcore.analyses.linear import Coded, Fit, Floats, Labels, fit, levels_of
from trialcore.analyses.mixed import Contrast, JointTest, MixedFit, fit_reml, incidence
from trialcore.analyses.mixed_means import means_and_versus
from trialcore.analyses.printing import figures, lined, page
from trialcore.inference import distributions
from trialcore.inference.comparisons import AgainstCheck, against_check, holm_adjusted


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
    """An entry and its mean as a mixed model has it."""

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


@dataclass(frozen=True, eq=False)
class RecoveredBlocks:
    """Entries and replicates fixed, blocks random (REML): the information between blocks is recovered."""

    fit: MixedFit
    names: tuple[str, ...]
    rows: Floats

    @cached_property
    def test(self) -> JointTest:
        """Whether the entries differ at all; reckoned when first asked for."""
        entries = len(self.names) - 1
        return self.fit.test(np.eye(self.rows.shape[1])[self.rows.shape[1] - entries :])

    @cached_property
    def means(self) -> tuple[MixedMean, ...]:
        """The entries with their means."""
        return mixed_means(self.fit, self.names, self.rows)

    @cached_property
    def pairs(self) -> tuple[MixedPair, ...]:
        """All pairs of entries; worked out when first asked for, since there are many."""
        return mixed_pairs(self.fit, self.names, self.rows)


@dataclass(frozen=True, eq=False)
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


@dataclass(frozen=True, eq=False)
class IncompleteBlocks:
    """What `analyse_incomplete` found. The mixed parts are None, and `cannot_say` tells why, where they cannot be fit. Entries at
    random are fitted when they are first asked for: no comparison with the check needs them."""

    intra: BlockAnalysis
    complete: BlockAnalysis | None
    recovered: RecoveredBlocks | None
    cannot_say: tuple[str, ...]
    _orders: Callable[[], tuple[tuple[AnovaRow, ...], tuple[AnovaRow, ...]]]
    _factors: Callable[[], Efficiency]
    _fit_random: Callable[[], RandomEntries] | None = None

    @cached_property
    def orders(self) -> tuple[tuple[AnovaRow, ...], tuple[AnovaRow, ...]]:
        """Blocks first, then entries first."""
        return self._orders()

    @property
    def blocks_first(self) -> tuple[AnovaRow, ...]:
        """The analysis of variance, entries adjusted for blocks."""
        return self.orders[0]

    @property
    def entries_first(self) -> tuple[AnovaRow, ...]:
        """The analysis of variance, blocks adjusted for entries."""
        return self.orders[1]

    @cached_property
    def efficiency(self) -> Efficiency:
        """The canonical efficiency factors of the plots that have a value."""
        return self._factors()

    @cached_property
    def random_entries(self) -> RandomEntries | None:
        """The entries as drawn at random, shrunken towards their mean."""
        try:
            return self._fit_random() if self._fit_random else None
        except ValueError:
            return None

    def __str__(self) -> str:
        recovered = ""
        if self.recovered is not None:
            rows = [[m.entry, f"{m.mean.estimate:.5g}", f"{m.mean.se_kr:.5g}", f"{m.mean.df_kr:.1f}"] for m in self.recovered.means]
            recovered = lined("Means, blocks recovered (Kenward–Roger)", ["entry", "mean", "se", "df"], rows)
        return page(str(self.intra), recovered, figures(average_efficiency=self.efficiency.average))


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
    cannot = list(intra.cannot_say)
    recovered, later = None, None
    if mixed and len(set(intra.connected_set) - {0}) == 1 and intra.df_error > 0:
        try:
            recovered = _recovered(y[seen], names, blocks, reps)
            later = partial(_random_entries, y[seen], names, blocks, reps)
        except ValueError as reason:
            cannot.append(f"No mixed model could be fitted: {reason}.")
    complete = analyse_blocks(entry, value, {"rep": rep}) if rep is not None else None
    orders = partial(_two_orders, y[seen], names, blocks, reps) if len(seen) else _no_orders
    factors = partial(efficiency_factors, names, blocks)
    return IncompleteBlocks(intra, complete, recovered, tuple(cannot), orders, factors, later)


def _no_orders() -> tuple[tuple[AnovaRow, ...], tuple[AnovaRow, ...]]:
    return (), ()


def efficiency_factors(entry: Labels, block: Labels) -> Efficiency:
    """Canonical efficiency factors of the plots laid out: eigenvalues of I − R^−½ N K⁻¹ N' R^−½, noughts left out."""
    if not len(entry):
        return Efficiency(0, 0.0, 0.0, 0.0)
    e, b = Coded.of(entry), Coded.of(block)
    n = e.cross(b)
    scaled = n / np.sqrt(e.counts[:, None] * b.counts)
    lost = np.linalg.eigvalsh(scaled.T @ scaled if n.shape[0] > n.shape[1] else scaled @ scaled.T)  # the smaller side
    factors = np.concatenate([1 - lost, np.ones(max(0, n.shape[0] - len(lost)))])
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
    found = fit_reml(y, x, {"block": Coded.of(block)})
    r = base.shape[1]
    rows = np.zeros((len(names), x.shape[1]))
    rows[:, :r] = 1 / r
    rows[np.arange(1, len(names)), np.arange(r, x.shape[1])] = 1.0
    return RecoveredBlocks(found, tuple(names), rows)


def mixed_means(found: MixedFit, names: Sequence[str], rows: Floats) -> tuple[MixedMean, ...]:
    """The means `rows` (k × p) of a mixed fit under their names."""
    values = found.contrasts(rows)
    return tuple(MixedMean(name, values[i]) for i, name in enumerate(names))


def mixed_pairs(found: MixedFit, names: Sequence[str], rows: Floats) -> tuple[MixedPair, ...]:
    """All pairs of the means `rows`, with Kenward–Roger t and the Tukey–Kramer probability."""
    first, second = np.triu_indices(len(names), k=1)
    d = found.differences(rows)
    t = d.estimate / d.se_kr
    p = distributions.studentized_range_above(np.sqrt(2) * np.abs(t), len(names), d.df_kr)
    places = enumerate(zip(first.tolist(), second.tolist(), strict=True))
    return tuple(MixedPair(names[i], names[j], d[k], float(t[k]), float(p[k])) for k, (i, j) in places)


def against_check_recovered(found: RecoveredBlocks, check: str) -> tuple[MixedPair, ...]:
    """Every entry minus `check` with Holm's p. Raises KeyError when no plot of the check has a value."""
    if check not in found.names:
        raise KeyError(check)
    base = found.names.index(check)
    others = [i for i in range(len(found.names)) if i != base]
    d = found.fit.contrasts(found.rows[others] - found.rows[base])
    t = d.estimate / d.se_kr
    holm = holm_adjusted(distributions.t_two_sided(t, d.df_kr))
    return tuple(MixedPair(found.names[i], check, d[k], float(t[k]), float(holm[k])) for k, i in enumerate(others))


def repeatability(covariance: Floats, variance: float) -> tuple[float, float | None]:
    """The mean variance of a difference of two predictions (k × k `covariance`), and 1 − that / (2 σ²) (Cullis, Smith and
    Coombes 2006); None where the entries do not vary."""
    k = len(covariance)
    between = float(2 * (k * np.trace(covariance) - covariance.sum()) / (k * (k - 1)))
    return between, 1 - between / (2 * variance) if variance > 0 else None


def recovered_means(found: IncompleteBlocks, check: str | None) -> tuple[tuple[EntryMean, ...], AgainstCheck | None]:
    """Entry means and their differences from `check` as the recovered model has them, in the shape of a plain analysis.

    Kenward–Roger standard errors, each difference with its own degrees of freedom; Dunnett's probability and both
    critical values on their mean. Without a recovered model the intra-block figures stand.
    """
    recovered = found.recovered
    if recovered is None:
        known = check is not None and any(m.entry == check for m in found.intra.means)
        return found.intra.means, against_check(found.intra, check) if known and check is not None else None
    return means_and_versus(recovered.fit, recovered.names, recovered.rows, found.intra.means, check)


def _random_entries(y: Floats, entry: Labels, block: Labels, rep: Labels | None) -> RandomEntries:
    names = levels_of(entry)
    reps = rep if rep is not None else ["1"] * len(y)
    levels = levels_of(reps)
    found = fit_reml(y, incidence(reps, levels), {"entry": Coded.of(entry), "block": Coded.of(block)})
    overall = float(found.beta.mean())
    covariance, vg = found.effect_covariance["entry"], found.variances["entry"]
    between, cullis = repeatability(covariance, vg)
    pev = np.diag(covariance)
    blups = tuple(
        EntryBlup(name, float(u), overall + float(u), float(v), 1 - float(v) / vg if vg > 0 else None)
        for name, u, v in zip(names, found.effects["entry"], pev, strict=True)
    )
    k = len(names)
    plots = Coded.of(entry).counts
    r = float(k / (1 / plots).sum())
    return RandomEntries(
        fit=found,
        overall_mean=overall,
        rep_means=dict(zip(levels, map(float, found.beta), strict=True)),
        blups=blups,
        mean_difference_variance=between,
        cullis=cullis,
        line_mean=vg / (vg + found.variances["residual"] / r) if vg > 0 else None,
        replicates=r,
    )
