"""Covariance: what the differences between entries are once a second measure of the plots is allowed for."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from trialcore.analyses.blocks import AnovaRow, BlockAnalysis, EntryMean, analyse_blocks
from trialcore.analyses.linear import Floats, Labels, fit
from trialcore.analyses.printing import figures, page, table
from trialcore.inference import distributions
from trialcore.inference.comparisons import AgainstCheck, Difference, against, differences_of

LEAST_SPREAD = 1e-9  # of a covariate beside its blocks and entries, below which it says nothing


@dataclass(frozen=True)
class Slopes:
    """Whether one slope serves all entries: the F test of a slope for each, these slopes by entry with their standard errors (None
    where an entry has too few plots), and what is left of the error."""

    f: float
    df: int
    df_error: int
    p: float
    mse: float
    by_entry: tuple[tuple[str, float, float], ...]


@dataclass(frozen=True, eq=False)
class Covariance:
    """What `analyse_covariance` found.

    `before` is the analysis of the plots that have both figures without the covariate, `covariate` that of the covariate itself.
    `slope` is in the trait's unit by one of the covariate; `means` are adjusted to `covariate_mean`, that of the plots used, and
    `covariance` (entries × entries) is theirs in squared units."""

    before: BlockAnalysis
    covariate: BlockAnalysis
    covariate_mean: float
    slope: float
    slope_se: float
    mse: float
    df_error: int
    means: tuple[EntryMean, ...]
    covariance: Floats
    anova_sequential: tuple[AnovaRow, ...]
    anova_adjusted: tuple[AnovaRow, ...]
    efficiency: float | None
    columns: tuple[tuple[str, ...], Floats, Floats, Mapping[str, tuple[str, ...]]]

    @property
    def slope_p(self) -> float:
        """Whether the covariate tells anything at all."""
        return float(distributions.t_two_sided(self.slope / self.slope_se, self.df_error))

    @property
    def entries_differ_p(self) -> float | None:
        """Whether the entries differ in the covariate itself, so that adjusting may take away what they are to be judged by."""
        return next((row.p for row in self.covariate.anova_adjusted if row.source == "entry"), None)

    @cached_property
    def slopes(self) -> Slopes | None:
        """A slope for every entry; None where the plots are too few for it."""
        entry, y, x, terms = self.columns
        names = [m.entry for m in self.before.means if m.n]
        model = {**terms, "entry": entry}
        left = fit(y, model).residuals
        own = np.column_stack([fit(np.where(np.asarray(entry) == e, x, 0.0), model).residuals for e in names])
        told = (own**2).sum(axis=0) > LEAST_SPREAD * max(float((own**2).sum()), 1e-300)
        own, names = own[:, told], [e for e, t in zip(names, told, strict=True) if t]
        df_error = self.before.df_error - len(names)
        if df_error < 1 or len(names) < 2:
            return None
        inverse = np.linalg.pinv(own.T @ own)
        each = inverse @ (own.T @ left)
        rest = float(((left - own @ each) ** 2).sum())
        mse, df = rest / df_error, len(names) - 1
        f = (self.mse * self.df_error - rest) / df / mse if mse > 0 else float("inf")
        se = np.sqrt(mse * np.diag(inverse))
        rows = tuple(zip(names, each.tolist(), se.tolist(), strict=True))
        return Slopes(f, df, df_error, distributions.f_above(max(f, 0.0), df, df_error), mse, rows)

    def pairs(self) -> tuple[Difference, ...]:
        """Every pair of entries, with Tukey's probability over all of them."""
        known = [i for i, m in enumerate(self.means) if m.lsmean is not None]
        if len(known) < 2:
            return ()
        a, b = (np.array(known)[i] for i in np.triu_indices(len(known), k=1))
        level = np.array([m.lsmean if m.lsmean is not None else np.nan for m in self.means])
        v = self.covariance
        se = np.sqrt(v[a, a] + v[b, b] - 2 * v[a, b])
        apart = level[a] - level[b]
        family = distributions.studentized_range_above(np.sqrt(2) * np.abs(apart / se), len(known), self.df_error)
        return differences_of([m.entry for m in self.means], a, b, apart, se, self.df_error, family)

    def versus(self, check: str) -> AgainstCheck | None:
        """Every entry minus `check` after adjusting; None where it has no mean or stands alone."""
        names = [m.entry for m in self.means]
        known = [i for i, m in enumerate(self.means) if m.lsmean is not None]
        if check not in names or (base := names.index(check)) not in known or len(known) < 2:
            return None
        level = np.array([m.lsmean if m.lsmean is not None else np.nan for m in self.means])
        return against(names, base, np.array([i for i in known if i != base]), level, self.covariance, self.df_error)

    def __str__(self) -> str:
        return page(
            table("Means at the same covariate", self.means, entry="entry", n="n", mean="lsmean", se="se"),
            figures(slope=self.slope, se=self.slope_se, mse=self.mse, df=self.df_error),
        )


def analyse_covariance(
    entry: Labels,
    value: Sequence[float | None],
    covariate: Sequence[float | None],
    blocking: Mapping[str, Labels] | None = None,
) -> Covariance:
    """Analyse value = blocking terms + entry + slope × covariate + error by least squares, one slope for all entries (Snedecor and
    Cochran 1989, ch. 18).

    Labels and values have one element a plot; a plot without a value or without a covariate is left out. Means are adjusted to the
    mean covariate of the plots used. `efficiency` is the error mean square without the covariate by that with it, less what
    adjusting itself costs (Cochran 1957).

    Raises ValueError when lengths differ, when no degree of freedom is left, or where the covariate does not vary beside entries
    and blocks."""
    blocking = dict(blocking or {})
    if not len(entry) == len(value) == len(covariate) or any(len(t) != len(entry) for t in blocking.values()):
        raise ValueError("entry, value, covariate and blocking labels must have one element for each plot")
    both = [v if v is not None and c is not None else None for v, c in zip(value, covariate, strict=True)]
    told = [c if v is not None else None for v, c in zip(both, covariate, strict=True)]
    before, other = analyse_blocks(entry, both, blocking), analyse_blocks(entry, told, blocking)
    seen = [i for i, v in enumerate(both) if v is not None]
    x = np.array([covariate[i] for i in seen], dtype=float)
    y = np.array([value[i] for i in seen], dtype=float)
    df = before.df_error - 1
    if df < 1:
        raise ValueError("there are no more values than things to estimate")
    rx, ry = other.residuals[seen], before.residuals[seen]
    spread = float(rx @ rx)
    if spread <= LEAST_SPREAD * max(float(((x - x.mean()) ** 2).sum()), 1e-300):
        raise ValueError("the covariate does not vary beside entries and blocks, so it says nothing of the plots")
    slope = float(rx @ ry) / spread
    mse = float(((ry - slope * rx) ** 2).sum()) / df
    at = float(x.mean())
    apart = np.array([np.nan if m.lsmean is None else m.lsmean - at for m in other.means])
    covariance = mse * (before.covariance + np.outer(apart, apart) / spread)
    half = distributions.t_quantile(0.975, df)
    means = tuple(
        _adjusted(m, slope * a, float(covariance[i, i]), half) for i, (m, a) in enumerate(zip(before.means, apart, strict=True))
    )
    terms = {n: tuple(t[i] for i in seen) for n, t in blocking.items()}
    columns = (tuple(entry[i] for i in seen), y, x, terms)
    sequential, adjusted = _anova(columns, before, slope, spread, mse, df)
    row = next((r for r in other.anova_adjusted if r.source == "entry"), None)
    worth = None
    if before.mse is not None and mse > 0 and row and row.ms is not None and other.mse:
        worth = before.mse / (mse * (1 + row.ms / (other.mse * other.df_error)))
    return Covariance(
        before, other, at, slope, float(np.sqrt(mse / spread)), mse, df, means, covariance, sequential, adjusted, worth, columns
    )


def _adjusted(mean: EntryMean, shift: float, variance: float, half: float) -> EntryMean:
    if mean.lsmean is None:
        return mean
    level, se = mean.lsmean - shift, float(np.sqrt(variance))
    return EntryMean(mean.entry, mean.n, mean.raw_mean, level, se, level - half * se, level + half * se)


def _anova(
    columns: tuple[tuple[str, ...], Floats, Floats, Mapping[str, tuple[str, ...]]],
    before: BlockAnalysis,
    slope: float,
    spread: float,
    mse: float,
    df: int,
) -> tuple[tuple[AnovaRow, ...], tuple[AnovaRow, ...]]:
    """Sequential, the covariate last, and each term after all the others."""
    entry, y, x, terms = columns

    def line(source: str, own: int, ss: float) -> AnovaRow:
        f = ss / own / mse if own and mse > 0 else None
        return AnovaRow(source, own, ss, ss / own if own else None, f, None if f is None else distributions.f_above(f, own, df))

    def rest(model: Mapping[str, Labels]) -> tuple[float, int]:
        """What is left of y beside a model with the covariate in it, and its rank without."""
        fy, fx = fit(y, model), fit(x, model)
        there = float(fx.residuals @ fx.residuals)
        taken = float(fx.residuals @ fy.residuals) ** 2 / there if there > 0 else 0.0
        return fy.rss - taken, fy.rank

    covariate = line("covariate", 1, slope**2 * spread)
    residual = AnovaRow("Residual", df, mse * df, mse)
    sequential = [line(r.source, r.df, r.ss) for r in before.anova_sequential if r.source not in ("Residual", "Total (corrected)")]
    model: dict[str, Labels] = {**terms, "entry": entry}
    rank, adjusted = fit(y, model).rank, []
    for name in model:
        less, without = rest({n: t for n, t in model.items() if n != name})
        adjusted.append(line(name, rank - without, max(0.0, less - mse * df)))
    return (*sequential, covariate, residual), (*adjusted, covariate)
