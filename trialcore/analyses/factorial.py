"""Two factors crossed in complete blocks: where the ranking of entries changes with the second factor."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from trialcore.analyses.blocks import AnovaRow, BlockAnalysis, EntryMean, analyse_blocks
from trialcore.analyses.incomplete import anova_line
from trialcore.analyses.linear import Floats, Labels, fit, levels_of
from trialcore.analyses.printing import page, table
from trialcore.inference import distributions

BETWEEN = "\t"


@dataclass(frozen=True, eq=False)
class MarginalMeans:
    """Means of one factor over the levels of the other with equal weight; `sed` of each pair in the order of
    `numpy.triu_indices`. A level with an empty cell has no mean."""

    levels: tuple[str, ...]
    means: tuple[float | None, ...]
    se: tuple[float | None, ...]
    covariance: Floats


@dataclass(frozen=True, eq=False)
class Factorial:
    """What `analyse_factorial` found. `cells` is the analysis of every combination as an entry; `rows` splits its entry
    line: each factor after the other, then their interaction."""

    cells: BlockAnalysis
    rows: tuple[AnovaRow, ...]
    entries: MarginalMeans
    seconds: MarginalMeans
    cannot_say: tuple[str, ...]

    def cell(self, entry: str, second: str) -> EntryMean | None:
        """The mean of one combination, None when it was not laid out."""
        name = entry + BETWEEN + second
        return next((m for m in self.cells.means if m.entry == name), None)

    def __str__(self) -> str:
        return page(
            table("Analysis of variance", self.rows, source="source", df="df", SS="ss", MS="ms", F="f", p="p"), str(self.cells)
        )


def analyse_factorial(entry: Labels, second: Labels, value: Sequence[float | None], rep: Labels | None = None) -> Factorial:
    """Analyse entries × a second factor, all combinations in plots of one size, in complete blocks or none.

    One element a plot, a missing value None. All terms fixed, least squares; the lines of each factor are adjusted for
    the other (type II), the interaction for both. Marginal means average cell means equally (Searle, Speed and Milliken
    1980). Raises ValueError when the lengths differ or a factor has one level.
    """
    if not len(entry) == len(second) == len(value) or (rep is not None and len(rep) != len(entry)):
        raise ValueError("both factors, value and rep must have one element for each plot")
    if len(set(entry)) < 2 or len(set(second)) < 2:
        raise ValueError("each factor needs at least two levels")
    combined = [a + BETWEEN + b for a, b in zip(entry, second, strict=True)]
    cells = analyse_blocks(combined, value, {"rep": rep} if rep is not None else {})
    seen = [i for i, v in enumerate(value) if v is not None]
    cannot = [said.replace(BETWEEN, " × ") for said in cells.cannot_say]
    rows = _rows(seen, entry, second, combined, value, rep) if seen else ()
    entries = _marginal(cells, levels_of(entry), levels_of(second), first=True)
    seconds = _marginal(cells, levels_of(second), levels_of(entry), first=False)
    lost = [lv for m in (entries, seconds) for lv, mean in zip(m.levels, m.means, strict=True) if mean is None]
    if lost:
        cannot.append(f"No mean over the other factor for {', '.join(lost)}: a combination with it has no value.")
    return Factorial(cells, rows, entries, seconds, tuple(cannot))


def _rows(
    seen: Sequence[int], entry: Labels, second: Labels, combined: Labels, value: Sequence[float | None], rep: Labels | None
) -> tuple[AnovaRow, ...]:
    y = np.array([value[i] for i in seen], dtype=float)

    def term(labels: Labels) -> list[str]:
        return [labels[i] for i in seen]

    base = {"rep": term(rep)} if rep is not None else {}
    a, b = {"entry": term(entry)}, {"factor2": term(second)}
    nothing, blocks, full = fit(y, {}), fit(y, base), fit(y, {**base, "cell": term(combined)})
    only_a, only_b, both = fit(y, {**base, **a}), fit(y, {**base, **b}), fit(y, {**base, **a, **b})
    opening = (anova_line("rep", nothing, blocks, full),) if rep is not None else ()
    return (
        *opening,
        anova_line("entry", only_b, both, full),
        anova_line("factor2", only_a, both, full),
        anova_line("entry:factor2", both, full, full),
        AnovaRow("Residual", full.df_error, full.rss, full.mse),
        AnovaRow("Total (corrected)", len(y) - 1, nothing.rss),
    )


def _marginal(cells: BlockAnalysis, own: Sequence[str], other: Sequence[str], first: bool) -> MarginalMeans:
    place = {m.entry: i for i, m in enumerate(cells.means)}
    rows = np.zeros((len(own), len(cells.means)))
    known = []
    for k, level in enumerate(own):
        names = [level + BETWEEN + o if first else o + BETWEEN + level for o in other]
        whole = all(name in place and cells.means[place[name]].lsmean is not None for name in names)
        known.append(whole)
        if whole:
            rows[k, [place[name] for name in names]] = 1 / len(other)
    level_means = rows @ np.nan_to_num(cells.level)
    covariance = rows @ cells.covariance @ rows.T
    mse = cells.mse
    return MarginalMeans(
        tuple(own),
        tuple(float(m) if k else None for m, k in zip(level_means, known, strict=True)),
        tuple(float(np.sqrt(mse * covariance[i, i])) if k and mse is not None else None for i, k in enumerate(known)),
        covariance,
    )


def differences_within(found: Factorial) -> list[tuple[str, str, float, float, float]]:
    """All pairs of entries over the second factor: a, b, difference, standard error and two-sided p."""
    mse, df = found.cells.mse, found.cells.df_error
    if not mse:
        return []
    m = found.entries
    made = []
    for i, a in enumerate(m.levels):
        for j in range(i + 1, len(m.levels)):
            one, two = m.means[i], m.means[j]
            if one is None or two is None:
                continue
            se = float(np.sqrt(mse * (m.covariance[i, i] + m.covariance[j, j] - 2 * m.covariance[i, j])))
            made.append((a, m.levels[j], one - two, se, float(distributions.t_two_sided((one - two) / se, df))))
    return made
