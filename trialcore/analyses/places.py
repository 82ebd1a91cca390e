"""One trial in several environments at once: who keeps their place from the tunnel to the open, and where each belongs."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from itertools import combinations

import numpy as np

from trialcore.analyses.blocks import BlockAnalysis, analyse_blocks
from trialcore.analyses.linear import Floats, Labels, Whole, fit, levels_of
from trialcore.analyses.mixed import Contrast, JointTest, MixedFit, fit_reml, incidence
from trialcore.analyses.printing import lined, page
from trialcore.analyses.ranks import average_ranks, rank_correlation
from trialcore.inference import distributions

SURE = 0.05


@dataclass(frozen=True)
class CellMean:
    """An entry in one environment: how many plots, and its mean in the trait's unit."""

    environment: str
    entry: str
    plots: int
    mean: Contrast


@dataclass(frozen=True)
class Contrasted:
    """A difference of `entry` from the check: in one environment, over all, or (two of them in `where`) how it changes."""

    entry: str
    where: tuple[str, ...]
    difference: Contrast

    @property
    def t(self) -> float:
        """The difference in its standard errors."""
        return self.difference.estimate / self.difference.se_kr

    @property
    def p(self) -> float:
        """Two-sided."""
        return float(distributions.t_two_sided(self.t, min(self.difference.df_kr, 1e9)))

    @property
    def half(self) -> float:
        """Half of its 95 % interval."""
        return distributions.t_quantile(0.975, min(self.difference.df_kr, 1e9)) * self.difference.se_kr


ALIKE = 0.2
"""Probability (Bartlett) from which one error is taken for all environments; below, each has its own."""


@dataclass(frozen=True, eq=False)
class ApartFits:
    """A mixed model for each environment alone: the cells (columns) it is of, and its fit. What spans several adds variances, with
    Satterthwaite's degrees of freedom."""

    fits: tuple[tuple[Whole, MixedFit], ...]

    def contrast(self, row: Floats) -> Contrast:
        """An estimate l'β over the cells of every environment."""
        estimate = model = kr = wobble = 0.0
        for columns, fitted in self.fits:
            if row[columns].any():
                c = fitted.contrast(row[columns])
                estimate, model, kr = estimate + c.estimate, model + c.se_model**2, kr + c.se_kr**2
                wobble += c.se_kr**4 / min(c.df_kr, 1e9)
        return Contrast(estimate, float(np.sqrt(model)), float(np.sqrt(kr)), kr**2 / wobble if wobble else float("inf"))

    def test(self, rows: Floats) -> JointTest:
        """F of several contrasts at once, its degrees of freedom from those along the axes of their covariance (Fai and Cornelius
        1996)."""
        size = rows.shape[1]
        beta, covariance = np.zeros(size), np.zeros((size, size))
        for columns, fitted in self.fits:
            beta[columns] = fitted.beta
            covariance[np.ix_(columns, columns)] = fitted.adjusted
        values, axes = np.linalg.eigh(rows @ covariance @ rows.T)
        told = values > 1e-12 * values.max()
        along = axes[:, told].T @ rows
        t2 = (along @ beta) ** 2 / values[told]
        df = [min(self.contrast(row).df_kr, 1e9) for row in along]
        q = int(told.sum())
        expected = sum(d / (d - 2) for d in df if d > 2)
        den = 2 * expected / (expected - q) if expected > q else min(df)
        f = float(t2.sum()) / q
        return JointTest(q, float(den), f, distributions.f_above(f, q, den))


@dataclass(frozen=True, eq=False)
class Places:
    """What `analyse_places` found. `cells` lists every entry in every environment that it stands in, `fitted` the mixed model of
    these cells; `everywhere` the entries that stand in all environments, which alone are compared over all."""

    environments: tuple[str, ...]
    entries: tuple[str, ...]
    everywhere: tuple[str, ...]
    n_plots: int
    n_observed: int
    fitted: MixedFit
    cells: tuple[CellMean, ...]
    by_environment: dict[str, BlockAnalysis]
    fixed_interaction: JointTest | None
    fixed_mse: float | None
    blocked: bool
    apart: ApartFits | None = None
    """One fit for each environment, where their errors cannot be taken as alike."""
    p_alike: float | None = None
    """Bartlett's probability that the environments have one error variance."""

    @property
    def pooled(self) -> Places:
        """The same with one error for all environments."""
        if self.apart is None:
            return self
        rows = np.eye(len(self.cells))
        cells = tuple(replace(c, mean=self.fitted.contrast(row)) for c, row in zip(self.cells, rows, strict=True))
        return replace(self, cells=cells, apart=None)

    @property
    def model(self) -> MixedFit | ApartFits:
        """The fit that means and differences stand on."""
        return self.apart or self.fitted

    def _row(self, environment: str, entry: str) -> Floats:
        row = np.zeros(len(self.cells))
        row[self._place[environment, entry]] = 1.0
        return row

    @cached_property
    def _place(self) -> dict[tuple[str, str], int]:
        return {(c.environment, c.entry): i for i, c in enumerate(self.cells)}

    def _over(self, entry: str) -> Floats:
        return np.asarray(np.mean([self._row(w, entry) for w in self.environments], axis=0))

    @cached_property
    def overall(self) -> tuple[tuple[str, Contrast], ...]:
        """Each entry over all environments, these weighing alike."""
        return tuple((e, self.model.contrast(self._over(e))) for e in self.everywhere)

    def test(self, term: str) -> JointTest | None:
        """`environment`, `entry` or `environment:entry` (cells weigh alike: type III); None where too little stands in all."""
        e, w = self.everywhere, self.environments
        if len(e) < 2:
            return None
        rows: list[Floats]
        if term == "environment":
            rows = [np.mean([self._row(place, x) - self._row(w[0], x) for x in e], axis=0) for place in w[1:]]
        elif term == "entry":
            rows = [self._over(x) - self._over(e[0]) for x in e[1:]]
        else:
            rows = [
                self._row(place, x) - self._row(w[0], x) - self._row(place, e[0]) + self._row(w[0], e[0])
                for place in w[1:]
                for x in e[1:]
            ]
        return self.model.test(np.array(rows))

    def test_within(self, environment: str) -> JointTest | None:
        """Whether the entries differ in one environment."""
        there = [c.entry for c in self.cells if c.environment == environment]
        if len(there) < 2:
            return None
        return self.model.test(np.array([self._row(environment, e) - self._row(environment, there[0]) for e in there[1:]]))

    def within(self, check: str) -> tuple[Contrasted, ...]:
        """Each entry minus `check` in every environment that has both."""
        return tuple(
            Contrasted(
                c.entry, (c.environment,), self.model.contrast(self._row(c.environment, c.entry) - self._row(c.environment, check))
            )
            for c in self.cells
            if c.entry != check and (c.environment, check) in self._place
        )

    def over_all(self, check: str) -> tuple[Contrasted, ...]:
        """Each entry minus `check` over all environments; empty where the check does not stand in all."""
        if check not in self.everywhere:
            return ()
        return tuple(
            Contrasted(e, (), self.model.contrast(self._over(e) - self._over(check))) for e in self.everywhere if e != check
        )

    def changes(self, check: str) -> tuple[Contrasted, ...]:
        """How each entry's difference from `check` changes from one environment to another."""
        found = []
        for a, b in combinations(self.environments, 2):
            for e in self.entries:
                if e != check and all((w, x) in self._place for w in (a, b) for x in (e, check)):
                    row = self._row(a, e) - self._row(a, check) - self._row(b, e) + self._row(b, check)
                    found.append(Contrasted(e, (a, b), self.model.contrast(row)))
        return tuple(found)

    def crossing(self, check: str) -> tuple[Contrasted, ...]:
        """Entries that are better than `check` in one environment and worse in another, beyond luck in both (at 5 % over all that
        is compared, Holm), the greatest change first."""
        within = {(d.entry, d.where[0]): d for d in self.within(check)}
        if not within:
            return ()
        from trialcore.inference.comparisons import holm_adjusted

        held = dict(zip(within, holm_adjusted(np.array([d.p for d in within.values()])), strict=True))
        crossed = [
            c
            for c in self.changes(check)
            if c.p < SURE
            and all(held[c.entry, w] < SURE for w in c.where)
            and within[c.entry, c.where[0]].t * within[c.entry, c.where[1]].t < 0
        ]
        return tuple(sorted(crossed, key=lambda c: -abs(c.t)))

    @cached_property
    def ranks(self) -> dict[str, dict[str, float]]:
        """The place of each entry that stands everywhere, 1 for the highest mean; ties share the middle."""
        mean = {(c.environment, c.entry): c.mean.estimate for c in self.cells}
        found = {w: average_ranks([-mean[w, e] for e in self.everywhere]) for w in self.environments}
        return {e: {w: float(found[w][i]) for w in self.environments} for i, e in enumerate(self.everywhere)}

    def rank_correlation(self, a: str, b: str) -> float | None:
        """Spearman's, of the entries' places in two environments; None below three entries."""
        first, second = ([self.ranks[e][w] for e in self.everywhere] for w in (a, b))
        found = rank_correlation(first, second)
        return found.rho if found else None

    def __str__(self) -> str:
        rows = [[c.environment, c.entry, str(c.plots), f"{c.mean.estimate:.5g}", f"{c.mean.se_kr:.3g}"] for c in self.cells]
        return page(str(self.fitted), lined("Means", ["environment", "entry", "n", "mean", "se"], rows))


def analyse_places(entry: Labels, value: Sequence[float | None], environment: Labels, rep: Labels | None = None) -> Places:
    """Analyse value = environment × entry + block in environment + error, blocks at random (REML, Kenward and Roger 1997). Each
    environment has an error of its own unless Bartlett's test says that they are alike.

    Labels and values have one element a plot; a missing value is None. Without `rep` plots are taken as completely random in
    each environment. A house or a field stands once for its kind: the test of environments says nothing of other houses.

    Raises ValueError when lengths differ, for fewer than two environments or entries with values, or without a degree of freedom.
    """
    if not len(entry) == len(value) == len(environment) or (rep is not None and len(rep) != len(entry)):
        raise ValueError("entry, value, environment and rep must have one element for each plot")
    seen = [i for i, v in enumerate(value) if v is not None]
    environments = levels_of([environment[i] for i in seen])
    entries = levels_of([entry[i] for i in seen])
    if len(environments) < 2 or len(entries) < 2:
        raise ValueError("expected values of two entries or more in two environments or more")
    y = np.array([value[i] for i in seen], dtype=float)
    of = [(environment[i], entry[i]) for i in seen]
    there = sorted(set(of))
    x = incidence([f"{w}\t{e}" for w, e in of], [f"{w}\t{e}" for w, e in there])
    blocks = [f"{environment[i]}\t{rep[i]}" for i in seen] if rep is not None else None
    blocked = blocks is not None and len(set(blocks)) > len(environments)
    random = {"block": incidence(blocks, levels_of(blocks))} if blocked and blocks else {}
    fitted = fit_reml(y, x, random)
    alone = {w: _alone(w, entry, value, environment, rep) for w in environments}
    p_alike = bartlett([(a.mse, a.df_error) for a in alone.values()])
    apart = _apart(y, x, blocks if blocked else None, of, there) if p_alike is not None and p_alike < ALIKE else None
    model: MixedFit | ApartFits = apart or fitted
    rows = zip(there, np.eye(len(there)), strict=True)
    cells = tuple(CellMean(w, e, of.count((w, e)), model.contrast(row)) for (w, e), row in rows)
    everywhere = tuple(e for e in entries if all((w, e) in there for w in environments))
    return Places(
        tuple(environments),
        tuple(entries),
        everywhere,
        len(entry),
        len(seen),
        fitted,
        cells,
        alone,
        *_fixed(y, of, blocks if blocked else None),
        blocked,
        apart,
        p_alike,
    )


def bartlett(errors: Sequence[tuple[float | None, int]]) -> float | None:
    """The probability that error variances (with their degrees of freedom) are one (Bartlett 1937); None where fewer than two can
    be judged."""
    told = [(v, df) for v, df in errors if v and df > 0]
    if len(told) < 2:
        return None
    df = sum(d for _, d in told)
    pooled = sum(v * d for v, d in told) / df
    statistic = df * np.log(pooled) - sum(d * np.log(v) for v, d in told)
    correction = 1 + (sum(1 / d for _, d in told) - 1 / df) / (3 * (len(told) - 1))
    return distributions.chi_square_above(max(0.0, float(statistic / correction)), len(told) - 1)


def _apart(
    y: Floats, x: Floats, blocks: Sequence[str] | None, of: Sequence[tuple[str, str]], there: Sequence[tuple[str, str]]
) -> ApartFits | None:
    """A fit for each environment alone; None where one of them leaves no error to judge by."""
    fits = []
    for w in dict.fromkeys(w for w, _ in there):
        rows = np.array([i for i, (at, _) in enumerate(of) if at == w])
        columns = np.array([j for j, (at, _) in enumerate(there) if at == w])
        own = [blocks[i] for i in rows] if blocks else []
        random = {"block": incidence(own, levels_of(own))} if len(set(own)) > 1 else {}
        try:
            fits.append((columns, fit_reml(y[rows], x[np.ix_(rows, columns)], random)))
        except ValueError:
            return None
    return ApartFits(tuple(fits))


def interaction_of(
    entry: Labels, value: Sequence[float | None], environment: Labels, rep: Labels | None = None
) -> JointTest | None:
    """Whether differences between entries depend on the environment, blocks fixed: quick, by least squares. None where too few
    plots have a value to tell."""
    seen = [i for i, v in enumerate(value) if v is not None]
    if len({environment[i] for i in seen}) < 2:
        return None
    y = np.array([value[i] for i in seen], dtype=float)
    blocks = [f"{environment[i]}\t{rep[i]}" for i in seen] if rep is not None else None
    return _fixed(y, [(environment[i], entry[i]) for i in seen], blocks)[0]


def _alone(where: str, entry: Labels, value: Sequence[float | None], environment: Labels, rep: Labels | None) -> BlockAnalysis:
    at = [i for i, w in enumerate(environment) if w == where]
    blocking = {"rep": [rep[i] for i in at]} if rep is not None and len({rep[i] for i in at}) > 1 else {}
    return analyse_blocks([entry[i] for i in at], [value[i] for i in at], blocking)


def _fixed(y: Floats, of: Sequence[tuple[str, str]], blocks: Sequence[str] | None) -> tuple[JointTest | None, float | None]:
    """The same interaction with blocks fixed and its error mean square; None where nothing is left to judge it by."""
    outer: dict[str, list[str]] = {"block": list(blocks)} if blocks else {"environment": [w for w, _ in of]}
    less = fit(y, {**outer, "entry": [e for _, e in of]})
    more = fit(y, {**outer, "cell": [f"{w}\t{e}" for w, e in of]})
    df = more.rank - less.rank
    if df < 1 or not more.mse:
        return None, more.mse
    f = max(0.0, less.rss - more.rss) / df / more.mse
    return JointTest(df, more.df_error, f, distributions.f_above(f, df, more.df_error)), more.mse
