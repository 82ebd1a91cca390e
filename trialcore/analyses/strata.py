"""Two factors in plots of two sizes: split-plots and strip-plots, each stratum with an error of its own."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from trialcore.analyses.linear import Coded, Floats, Labels, levels_of
from trialcore.analyses.mixed import Contrast, Contrasts, JointTest, MixedFit, fit_reml, incidence
from trialcore.analyses.printing import figures, page, table
from trialcore.inference import distributions


@dataclass(frozen=True)
class StratumRow:
    """One line of an analysis of variance in strata, with the line it is tested against."""

    stratum: str
    source: str
    df: int
    ss: float
    ms: float
    f: float | None = None
    p: float | None = None
    error_term: str | None = None


@dataclass(frozen=True, eq=False)
class Factor:
    """The means of one factor over the other, and how far they can be told apart."""

    levels: tuple[str, ...]
    n: int
    means: Floats
    sed: float
    df: int
    se: float


@dataclass(frozen=True)
class Within:
    """Differences of one factor's levels at a level of the other, where two errors mix: the standard error, its
    Satterthwaite df, the weighted t (Cochran and Cox 1957, sec. 7.2) and the 5 % least significant differences."""

    sed: float
    weighted_t: float
    satterthwaite_df: float
    lsd_weighted: float
    lsd_satterthwaite: float


@dataclass(frozen=True, eq=False)
class Strata:
    """The analysis of a complete layout from its totals. `within` holds the mixed differences by kind."""

    rows: tuple[StratumRow, ...]
    first: Factor
    second: Factor
    cells: Floats
    reps: int
    mean: float
    errors: tuple[tuple[float, int], ...]
    components: dict[str, float]
    sed_second_at_first: float | None
    within: dict[str, Within]


@dataclass(frozen=True, eq=False)
class TwoFactorFit:
    """The same by REML, whatever is missing: replicates and large plots random, both factors and their interaction
    fixed. `cells` lists the combinations with a value; a mean over a factor is absent where one of its cells has none."""

    fit: MixedFit
    first_levels: tuple[str, ...]
    second_levels: tuple[str, ...]
    cells: tuple[tuple[str, str], ...]
    first_rows: Floats
    second_rows: Floats
    tests_kr: dict[str, JointTest]
    tests_satterthwaite: dict[str, JointTest]

    def cell_means(self) -> Contrasts:
        """The mean of every combination, in the order of `cells`."""
        return self.fit.contrasts(np.eye(len(self.cells)))

    def first_means(self) -> Contrasts:
        """The means of the first factor, in the order of `first_levels`."""
        return self.fit.contrasts(self.first_rows)

    def second_means(self) -> Contrasts:
        """The means of the second factor, in the order of `second_levels`."""
        return self.fit.contrasts(self.second_rows)

    def pairs(self, rows: Floats, names: Sequence[str]) -> list[tuple[str, str, Contrast, float, float]]:
        """All pairs of `rows`: names, difference, Kenward–Roger t and Tukey–Kramer probability."""
        first, second = np.triu_indices(len(names), k=1)
        d = self.fit.differences(rows)
        t = d.estimate / d.se_kr
        p = distributions.studentized_range_above(np.sqrt(2) * np.abs(t), len(names), d.df_kr)
        places = enumerate(zip(first.tolist(), second.tolist(), strict=True))
        return [(names[i], names[j], d[k], float(t[k]), float(p[k])) for k, (i, j) in places]


@dataclass(frozen=True, eq=False)
class TwoFactors:
    """What `analyse_split_plot` or `analyse_strip_plot` found: `strata` is None unless every cell has one value in every
    replicate; `mixed` is None, and `cannot_say` tells why, where no model could be fitted."""

    n_plots: int
    n_observed: int
    mean: float | None
    strata: Strata | None
    mixed: TwoFactorFit | None
    cannot_say: tuple[str, ...]

    def __str__(self) -> str:
        lines = self.strata.rows if self.strata else ()
        strata = table("Strata", lines, source="source", stratum="stratum", df="df", SS="ss", MS="ms", F="f", p="p")
        return page(strata, figures(plots=self.n_plots, observed=self.n_observed, mean=self.mean), *self.cannot_say)


def analyse_split_plot(whole: Labels, sub: Labels, value: Sequence[float | None], rep: Labels) -> TwoFactors:
    """Whole plots of one factor in complete blocks, split for another (Yates 1935; Cochran and Cox 1957, ch. 7).

    Labels and values have one element a sub-plot; a missing one is None. Complete data are analysed in strata from
    their totals, and by REML; incomplete data by REML with Kenward–Roger and Satterthwaite degrees of freedom.
    Raises ValueError when the lengths differ or either factor has one level.
    """
    return _analyse(whole, sub, value, rep, strip=False)


def analyse_strip_plot(rows: Labels, columns: Labels, value: Sequence[float | None], rep: Labels) -> TwoFactors:
    """Both factors in strips across each replicate: three errors (Gomez and Gomez 1984, sec. 3.5). As
    `analyse_split_plot` otherwise."""
    return _analyse(rows, columns, value, rep, strip=True)


def _analyse(first: Labels, second: Labels, value: Sequence[float | None], rep: Labels, strip: bool) -> TwoFactors:
    if not len(first) == len(second) == len(value) == len(rep):
        raise ValueError("both factors, value and rep must have one element for each plot")
    if len(set(first)) < 2 or len(set(second)) < 2:
        raise ValueError("each factor needs at least two levels")
    y = np.array([np.nan if v is None else v for v in value], dtype=float)
    seen = np.flatnonzero(np.isfinite(y)).tolist()
    a, b, r = ([labels[i] for i in seen] for labels in (first, second, rep))
    kept = y[seen]
    cannot: list[str] = []
    mixed = strata = None
    once = Counter(zip(r, a, b, strict=True))
    whole_table = len(once) == len(set(rep)) * len(set(first)) * len(set(second)) and set(once.values()) == {1}
    if whole_table and len(set(rep)) > 1:
        totals = _Totals.of(kept, a, b, r)
        strata = _strip_strata(totals) if strip else _split_strata(totals)
    elif len(set(rep)) < 2:
        cannot.append("With one replicate there is no error for the large plots, so nothing can be tested.")
    try:
        mixed = _mixed(kept, a, b, r, strip)
        lost = sorted(set(first) - set(mixed.first_levels)) + sorted(set(second) - set(mixed.second_levels))
        if lost:
            cannot.append(f"No mean for {', '.join(lost)}: a combination with it has no value.")
    except ValueError as reason:
        cannot.append(f"No mixed model could be fitted: {reason}.")
    return TwoFactors(len(y), len(kept), float(kept.mean()) if len(kept) else None, strata, mixed, tuple(cannot))


@dataclass(frozen=True, eq=False)
class _Totals:
    """Sums of squares of a complete table (replicates × first × second), by source, with their degrees of freedom."""

    shape: tuple[int, int, int]
    levels: tuple[tuple[str, ...], tuple[str, ...]]
    cells: Floats
    grand: float
    ss: dict[str, float]
    df: dict[str, int]

    @staticmethod
    def of(y: Floats, first: Labels, second: Labels, rep: Labels) -> _Totals:
        coded = [Coded.of(labels) for labels in (rep, first, second)]
        r, a, b = (len(c.levels) for c in coded)
        table = np.zeros((r, a, b))
        table[tuple(c.codes for c in coded)] = y
        grand = float(table.mean())
        reps, firsts, seconds = (table.mean(axis=axes) - grand for axes in ((1, 2), (0, 2), (0, 1)))
        rep_first = table.mean(axis=2) - grand - reps[:, None] - firsts
        rep_second = table.mean(axis=1) - grand - reps[:, None] - seconds
        cross = table.mean(axis=0) - grand - firsts[:, None] - seconds
        ss = {
            "rep": a * b * float((reps**2).sum()),
            "first": r * b * float((firsts**2).sum()),
            "second": r * a * float((seconds**2).sum()),
            "rep_first": b * float((rep_first**2).sum()),
            "rep_second": a * float((rep_second**2).sum()),
            "cross": r * float((cross**2).sum()),
        }
        ss["rest"] = max(0.0, float(((table - grand) ** 2).sum()) - sum(ss.values()))
        df = {
            "rep": r - 1,
            "first": a - 1,
            "second": b - 1,
            "rep_first": (r - 1) * (a - 1),
            "rep_second": (r - 1) * (b - 1),
            "cross": (a - 1) * (b - 1),
            "rest": (r - 1) * (a - 1) * (b - 1),
        }
        return _Totals((r, a, b), (coded[1].levels, coded[2].levels), table.mean(axis=0), grand, ss, df)

    def factors(self, first: tuple[float, int], second: tuple[float, int]) -> tuple[Factor, Factor]:
        """The means of both factors, each judged by its own error (mean square, df)."""
        r, a, b = self.shape
        made = []
        for levels, n, axis, (ms, df) in ((self.levels[0], r * b, 1, first), (self.levels[1], r * a, 0, second)):
            made.append(Factor(levels, n, self.cells.mean(axis=axis), float(np.sqrt(2 * ms / n)), df, float(np.sqrt(ms / n))))
        return made[0], made[1]


def _split_strata(t: _Totals) -> Strata:
    r, a, b = t.shape
    ss, df = t.ss, t.df
    large = (ss["rep_first"] / df["rep_first"], df["rep_first"])
    df_small = df["rep_second"] + df["rest"]
    small = ((ss["rep_second"] + ss["rest"]) / df_small, df_small)
    rows = (
        _tested("rep", "rep", df["rep"], ss["rep"], large, "error (a)"),
        _tested("whole plot", "entry", df["first"], ss["first"], large, "error (a)"),
        _error("whole plot", "error (a) = rep x whole-plot factor", *large),
        _tested("sub-plot", "factor2", df["second"], ss["second"], small, "error (b)"),
        _tested("sub-plot", "entry:factor2", df["cross"], ss["cross"], small, "error (b)"),
        _error("sub-plot", "error (b)", *small),
    )
    components = {
        "rep": (ss["rep"] / df["rep"] - large[0]) / (a * b),
        "whole_plot": (large[0] - small[0]) / b,
        "residual": small[0],
    }
    within = {"whole_plot_levels_same_or_different_sub_plot_level": _within(r, b, *large, *small)}
    same = float(np.sqrt(2 * small[0] / r))
    return Strata(rows, *t.factors(large, small), t.cells, r, t.grand, (large, small), components, same, within)


def _strip_strata(t: _Totals) -> Strata:
    r, a, b = t.shape
    ss, df = t.ss, t.df
    first, second, cross = ((ss[k] / df[k], df[k]) for k in ("rep_first", "rep_second", "rest"))
    rows = (
        StratumRow("rep", "rep", df["rep"], ss["rep"], ss["rep"] / df["rep"]),
        _tested("rows", "entry", df["first"], ss["first"], first, "error (a)"),
        _error("rows", "error (a) = rep x entry", *first),
        _tested("columns", "factor2", df["second"], ss["second"], second, "error (b)"),
        _error("columns", "error (b) = rep x factor2", *second),
        _tested("crossings", "entry:factor2", df["cross"], ss["cross"], cross, "error (c)"),
        _error("crossings", "error (c)", *cross),
    )
    components = {
        "rep": (ss["rep"] / df["rep"] - first[0] - second[0] + cross[0]) / (a * b),
        "rep_entry": (first[0] - cross[0]) / b,
        "rep_factor2": (second[0] - cross[0]) / a,
        "residual": cross[0],
    }
    within = {
        "row_levels_same_column_level": _within(r, b, *first, *cross),
        "column_levels_same_row_level": _within(r, a, *second, *cross),
    }
    return Strata(rows, *t.factors(first, second), t.cells, r, t.grand, (first, second, cross), components, None, within)


def _tested(stratum: str, source: str, df: int, ss: float, error: tuple[float, int], name: str) -> StratumRow:
    ms = ss / df
    if error[0] <= 0 or error[1] < 1:
        return StratumRow(stratum, source, df, ss, ms, error_term=name)
    f = ms / error[0]
    return StratumRow(stratum, source, df, ss, ms, f, distributions.f_above(f, df, error[1]), name)


def _error(stratum: str, source: str, ms: float, df: int) -> StratumRow:
    return StratumRow(stratum, source, df, ms * df, ms)


def _within(reps: int, k: int, large: float, df_large: int, small: float, df_small: int) -> Within:
    """Two levels of the large-plot factor at one level of the other: (k − 1) parts of the small error, one of the large."""
    parts = (k - 1) * small
    sed = float(np.sqrt(2 * (parts + large) / (reps * k)))
    t_large, t_small = distributions.t_quantile(0.975, df_large), distributions.t_quantile(0.975, df_small)
    if parts + large <= 0:
        return Within(0.0, t_small, float(df_small), 0.0, 0.0)
    weighted = (parts * t_small + large * t_large) / (parts + large)
    df = (parts + large) ** 2 / (parts**2 / df_small + large**2 / df_large)
    return Within(sed, weighted, float(df), sed * weighted, sed * distributions.t_quantile(0.975, df))


def _mixed(y: Floats, first: Labels, second: Labels, rep: Labels, strip: bool) -> TwoFactorFit:
    pairs = list(zip(first, second, strict=True))
    cells = sorted(set(pairs))
    x = incidence([f"{a}\t{b}" for a, b in pairs], [f"{a}\t{b}" for a, b in cells])
    random = {"rep": Coded.of(rep), "whole_plot": Coded.of([f"{r}\t{a}" for r, a in zip(rep, first, strict=True)])}
    if strip:
        random = {
            "rep": random["rep"],
            "rep_entry": random["whole_plot"],
            "rep_factor2": Coded.of([f"{r}\t{b}" for r, b in zip(rep, second, strict=True)]),
        }
    found = fit_reml(y, x, random)
    a_levels, b_levels = levels_of(first), levels_of(second)
    a_whole = [a for a in a_levels if all((a, b) in cells for b in b_levels)]
    b_whole = [b for b in b_levels if all((a, b) in cells for a in a_levels)]
    a_rows = np.array([[1 / len(b_levels) if cell[0] == a else 0.0 for cell in cells] for a in a_whole]).reshape(-1, len(cells))
    b_rows = np.array([[1 / len(a_levels) if cell[1] == b else 0.0 for cell in cells] for b in b_whole]).reshape(-1, len(cells))
    contrasts = {}
    if len(a_whole) > 1:
        contrasts["entry"] = a_rows[1:] - a_rows[0]
    if len(b_whole) > 1:
        contrasts["factor2"] = b_rows[1:] - b_rows[0]
    if len(cells) == len(a_levels) * len(b_levels):
        unit = np.eye(len(cells)).reshape(len(a_levels), len(b_levels), -1)
        cross = unit[1:, 1:] - unit[:1, 1:] - unit[1:, :1] + unit[:1, :1]
        contrasts["entry:factor2"] = cross.reshape(-1, len(cells))
    return TwoFactorFit(
        found,
        tuple(a_whole),
        tuple(b_whole),
        tuple(cells),
        a_rows,
        b_rows,
        {name: found.test(rows) for name, rows in contrasts.items()},
        {name: found.test_satterthwaite(rows) for name, rows in contrasts.items()},
    )
