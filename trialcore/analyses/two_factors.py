"""Entries in a trial with a second factor: how they stand over its levels, and whether their order changes with it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from trialcore.analyses.blocks import BlockAnalysis, EntryMean, analyse_blocks
from trialcore.analyses.factorial import BETWEEN, Factorial, analyse_factorial
from trialcore.analyses.linear import Labels, levels_of
from trialcore.analyses.mixed_means import means_and_versus
from trialcore.analyses.printing import page, table
from trialcore.analyses.strata import Strata, StratumRow, TwoFactorFit, TwoFactors, analyse_split_plot, analyse_strip_plot
from trialcore.inference import distributions
from trialcore.inference.comparisons import AgainstCheck, against

LayoutName = Literal["split-plot", "strip-plot", "factorial"]


@dataclass(frozen=True)
class Effect:
    """A test of entries, of the second factor, or of whether one depends on the other."""

    source: str
    num_df: int
    den_df: float
    f: float
    p: float


@dataclass(frozen=True)
class Cell:
    """An entry at one level of the second factor: its mean in the trait's unit, and the standard error of that mean."""

    entry: str
    level: str
    n: int
    mean: float | None
    se: float | None


@dataclass(frozen=True, eq=False)
class OverLevels:
    """What `entries_over_levels` found. `cells` is the analysis of every combination; its error is that between the smallest
    plots. `effects` tests entries, second factor and their interaction; `strata` is there for complete data in plots of two
    sizes."""

    cells: BlockAnalysis
    means: tuple[EntryMean, ...]
    versus: AgainstCheck | None
    effects: tuple[Effect, ...]
    table: tuple[Cell, ...]
    levels: tuple[str, ...]
    strata: tuple[StratumRow, ...]
    cannot_say: tuple[str, ...]

    @property
    def interaction(self) -> Effect | None:
        """The test of whether entries answer differently to the second factor; None where there is none."""
        return next((e for e in self.effects if e.source == "entry:factor2"), None)

    def __str__(self) -> str:
        effects = table("Effects", self.effects, source="source", df="num_df", error_df="den_df", F="f", p="p")
        means = table("Means", self.means, entry="entry", n="n", mean="lsmean", se="se", lower="lower95", upper="upper95")
        return page(
            effects, means, table("Cells", self.table, entry="entry", level="level", n="n", mean="mean", se="se"), *self.cannot_say
        )


def entries_over_levels(
    layout: LayoutName,
    entry: Labels,
    second: Labels,
    value: Sequence[float | None],
    rep: Labels,
    entries_whole: bool = False,
    check: str | None = None,
) -> OverLevels:
    """How entries stand over the levels of a second factor, every level weighing alike.

    One element a plot, a missing value None. `layout` says which plots are large: in a split-plot those of the second factor,
    unless `entries_whole`; in a strip-plot both. Factorials are analysed by least squares, the others by REML with
    Kenward–Roger degrees of freedom, which for complete data are those of the strata (Yates 1935; Gomez and Gomez 1984).

    Raises ValueError when the lengths differ or a factor has one level.
    """
    combined = [a + BETWEEN + b for a, b in zip(entry, second, strict=True)]
    plain = tuple(_plain(name, entry, value) for name in levels_of(entry))
    if layout == "factorial":
        return _factorial(analyse_factorial(entry, second, value, rep), plain, check)
    cells = analyse_blocks(combined, value, {"rep": rep})
    first, other = (entry, second) if entries_whole else (second, entry)
    analyse = analyse_split_plot if layout == "split-plot" else analyse_strip_plot
    return _in_strata(analyse(first, other, value, rep), cells, plain, second, entries_whole, check)


def _plain(name: str, entry: Labels, value: Sequence[float | None]) -> EntryMean:
    seen = [v for e, v in zip(entry, value, strict=True) if e == name and v is not None]
    raw = float(np.mean(seen)) if seen else None
    return EntryMean(name, len(seen), raw, None, None, None, None, "a level of the second factor has no value of it")


def _factorial(found: Factorial, plain: tuple[EntryMean, ...], check: str | None) -> OverLevels:
    cells, m = found.cells, found.entries
    half = distributions.t_quantile(0.975, cells.df_error) if cells.df_error > 0 else None
    means = []
    for own in plain:
        i = m.levels.index(own.entry)
        mean, se = m.means[i], m.se[i]
        if mean is None:
            means.append(own)
            continue
        wide = half * se if half is not None and se is not None else None
        ends = (mean - wide, mean + wide) if wide is not None else (None, None)
        means.append(replace(own, lsmean=mean, se=se, lower95=ends[0], upper95=ends[1], why=""))
    versus = None
    whole = [i for i, mean in enumerate(m.means) if mean is not None]
    if check in m.levels and cells.mse and len(whole) > 1 and m.means[base := m.levels.index(check)] is not None:
        others = np.array([i for i in whole if i != base], dtype=np.int64)
        level = np.array([0.0 if mean is None else mean for mean in m.means])
        versus = against(m.levels, base, others, level, cells.mse * m.covariance, cells.df_error)
    effects = tuple(
        Effect(row.source, row.df, float(cells.df_error), row.f, row.p)
        for row in found.rows
        if row.source in ("entry", "factor2", "entry:factor2") and row.f is not None and row.p is not None
    )
    table = tuple(Cell(*_parts(c.entry), c.n, c.lsmean, c.se) for c in cells.means)
    return OverLevels(cells, tuple(means), versus, effects, table, found.seconds.levels, (), found.cannot_say)


def _in_strata(
    found: TwoFactors, cells: BlockAnalysis, plain: tuple[EntryMean, ...], second: Labels, entries_whole: bool, check: str | None
) -> OverLevels:
    levels = tuple(levels_of(second))
    strata = found.strata.rows if found.strata else ()
    if not entries_whole:
        strata = tuple(replace(row, source=_turned(row.source)) for row in strata)
    mixed = found.mixed
    if mixed is None:
        bare = tuple(Cell(*_parts(c.entry), c.n, c.raw_mean, None) for c in cells.means)
        return OverLevels(_without_error(cells), plain, None, (), bare, levels, strata, found.cannot_say)
    if found.strata is not None and _below_nought(found.strata):
        return _by_strata(found.strata, mixed, strata, cells, plain, entries_whole, check)
    names, rows = (mixed.first_levels, mixed.first_rows) if entries_whole else (mixed.second_levels, mixed.second_rows)
    means, versus = means_and_versus(mixed.fit, names, rows, plain, check)
    tests = mixed.tests_kr.items()
    effects = tuple(
        Effect(source if entries_whole else _turned(source), test.num_df, test.den_df, test.f, test.p) for source, test in tests
    )
    contrasts = mixed.cell_means()
    table = []
    count = {c.entry: c.n for c in cells.means}
    for i, (a, b) in enumerate(mixed.cells):
        name, level = (a, b) if entries_whole else (b, a)
        c = contrasts[i]
        table.append(Cell(name, level, count.get(name + BETWEEN + level, 0), c.estimate, c.se_kr))
    residual = mixed.fit.variances["residual"]
    df = int(min((d.df for d in versus.differences), default=0)) if versus else 0
    spread = 100 * residual**0.5 / cells.grand_mean if cells.grand_mean and cells.grand_mean > 0 else None
    between = replace(cells, mse=residual, df_error=df, cv_percent=spread, cannot_say=found.cannot_say)
    return OverLevels(between, means, versus, effects, tuple(table), levels, strata, found.cannot_say)


def _below_nought(strata: Strata) -> bool:
    """Whether an error of larger plots came out smaller than that within them, so that its variance is estimated at or below
    nought; REML holds it at nought and then tests otherwise than the strata."""
    errors_stand = all(ms > 0 and df > 0 for ms, df in strata.errors)
    return errors_stand and any(value <= 0 for value in strata.components.values())


def _by_strata(
    strata: Strata,
    mixed: TwoFactorFit,
    rows: tuple[StratumRow, ...],
    cells: BlockAnalysis,
    plain: tuple[EntryMean, ...],
    entries_whole: bool,
    check: str | None,
) -> OverLevels:
    """Everything by the strata of complete data: each line against the error of its own plots, as the design laid down."""
    own = strata.first if entries_whole else strata.second
    seconds = strata.second if entries_whole else strata.first
    half = distributions.t_quantile(0.975, own.df) * own.se
    place = {name: i for i, name in enumerate(own.levels)}
    means = tuple(
        replace(m, lsmean=mean, se=own.se, lower95=mean - half, upper95=mean + half, why="")
        for m in plain
        for mean in (float(own.means[place[m.entry]]),)
    )
    versus = None
    if check in place and len(place) > 1:
        others = np.array([i for i in range(len(own.levels)) if i != place[check]], dtype=np.int64)
        versus = against(own.levels, place[check], others, own.means, own.se**2 * np.eye(len(own.levels)), own.df)
    of = {row.source[: len("error (a)")]: row.df for row in rows if row.source.startswith("error (")}
    effects = tuple(
        Effect(row.source, row.df, float(of[row.error_term]), row.f, row.p)
        for row in rows
        if row.source in TURNED | {"entry:factor2": ""} and row.f is not None and row.p is not None and row.error_term
    )
    contrasts, count = mixed.cell_means(), {c.entry: c.n for c in cells.means}
    se = (max(0.0, sum(strata.components.values())) / strata.reps) ** 0.5
    table = []
    for i, (a, b) in enumerate(mixed.cells):
        name, level = (a, b) if entries_whole else (b, a)
        table.append(Cell(name, level, count.get(name + BETWEEN + level, 0), float(contrasts.estimate[i]), se or None))
    ms, df = strata.errors[-1]
    spread = 100 * ms**0.5 / cells.grand_mean if cells.grand_mean and cells.grand_mean > 0 else None
    between = replace(cells, mse=ms, df_error=df, cv_percent=spread, cannot_say=())
    return OverLevels(between, means, versus, effects, tuple(table), seconds.levels, rows, (WHY_STRATA,))


def _without_error(cells: BlockAnalysis) -> BlockAnalysis:
    return replace(cells, mse=None, df_error=0, cv_percent=None)


WHY_STRATA = (
    "The larger plots differ by no more than the smaller ones within them, so their own variance is estimated at nought or below. "
    "Each line is tested against the error of its own plots, as the design laid down; a mixed model would take that variance as "
    "nought and find smaller or larger probabilities."
)
TURNED = {
    "entry": "factor2",
    "factor2": "entry",
    "error (a) = rep x entry": "error (a) = rep x factor2",
    "error (b) = rep x factor2": "error (b) = rep x entry",
}


def _turned(source: str) -> str:
    """A line of an analysis whose first factor is the second one, in the names of this trial."""
    return TURNED.get(source, source)


def _parts(combined: str) -> tuple[str, str]:
    name, level = combined.split(BETWEEN)
    return name, level
