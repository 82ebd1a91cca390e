"""Several environments with plots in each: every environment on its own, all together, and in two stages."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from trialcore.analyses.blocks import BlockAnalysis, analyse_blocks
from trialcore.analyses.environments import Ammi, Stability, ammi_of, stability_of
from trialcore.analyses.incomplete import repeatability
from trialcore.analyses.linear import Coded, Floats, Labels, levels_of
from trialcore.analyses.mixed import MixedFit, fit_reml, incidence
from trialcore.analyses.printing import lined, page, table
from trialcore.analyses.strata import StratumRow
from trialcore.inference import distributions


@dataclass(frozen=True)
class Bartlett:
    """Whether the environments share one error variance (Bartlett 1937)."""

    statistic: float
    df: int
    p: float


@dataclass(frozen=True, eq=False)
class Combined:
    """All environments in one table; only where every entry stands once in every replicate of every environment.

    `sed_random` is the standard error of a difference of two entry means on `df_random` with environments taken at
    random (against entry × environment), `sed_fixed` with these environments only (against the pooled error).
    """

    rows: tuple[StratumRow, ...]
    f_fixed: float
    p_fixed: float
    sed_random: float
    df_random: int
    sed_fixed: float
    stability: tuple[Stability, ...] | None
    ammi: Ammi | None


@dataclass(frozen=True, eq=False)
class TwoStage:
    """Entry means over environments from the means of each, weighted by how sure each is (Smith, Cullis and Gilmour 2001;
    Möhring and Piepho 2009). `interaction` is the variance of entry × environment; `covariance` that of the means."""

    entries: tuple[str, ...]
    means: Floats
    covariance: Floats
    interaction: float

    @property
    def average_sed(self) -> float:
        """The mean standard error of a difference between two entries."""
        first, second = np.triu_indices(len(self.entries), k=1)
        v = self.covariance
        return float(np.sqrt(v[first, first] + v[second, second] - 2 * v[first, second]).mean())


@dataclass(frozen=True, eq=False)
class EnvironmentPlots:
    """What `analyse_environment_plots` found. `table` holds the plain mean of each cell (entries × environments, NaN
    where there is none); `fixed` and `random` are the mixed models, None where they cannot be fitted."""

    entries: tuple[str, ...]
    environments: tuple[str, ...]
    reps: int
    n_plots: int
    n_observed: int
    grand_mean: float | None
    table: Floats
    by_environment: dict[str, BlockAnalysis]
    bartlett: Bartlett | None
    pooled_ms: float | None
    pooled_df: int
    combined: Combined | None
    fixed: MixedFit | None
    random: MixedFit | None
    cullis: float | None
    line_mean: float | None
    two_stage: TwoStage | None
    cannot_say: tuple[str, ...]

    def __str__(self) -> str:
        rows = self.combined.rows if self.combined else ()
        combined = table("All environments", rows, source="source", stratum="stratum", df="df", SS="ss", MS="ms", F="f", p="p")
        each = [[name, f"{a.mse:.5g}" if a.mse is not None else "", str(a.df_error)] for name, a in self.by_environment.items()]
        return page(combined, lined("Error in each environment", ["environment", "mse", "df"], each), *self.cannot_say)


def analyse_environment_plots(
    entry: Labels, value: Sequence[float | None], site: Labels, season: Labels, rep: Labels
) -> EnvironmentPlots:
    """Analyse plots of the same entries in several environments, each in randomised complete blocks.

    Labels and values have one element a plot; a missing one is None. An environment is a site and a season, written
    `site-season`; replicates are told by environment and label together. Mixed models take environment, replicate
    within it and entry × environment as random, entries as fixed or random (REML).

    Raises ValueError for fewer than two entries or environments, or lengths that differ.
    """
    if not len(entry) == len(value) == len(site) == len(season) == len(rep):
        raise ValueError("entry, value, site, season and rep must have one element for each plot")
    where = [f"{s}-{y}" for s, y in zip(site, season, strict=True)]
    entries, environments = levels_of(entry), levels_of(where)
    if len(entries) < 2 or len(environments) < 2:
        raise ValueError("at least two entries and two environments are needed")
    y = np.array([np.nan if v is None else v for v in value], dtype=float)
    seen = np.flatnonzero(np.isfinite(y)).tolist()
    alone = {w: _alone(w, entry, y, where, rep) for w in environments}
    judged = [a for a in alone.values() if a.mse]
    pooled_df = sum(a.df_error for a in judged)
    pooled = sum((a.mse or 0.0) * a.df_error for a in judged) / pooled_df if pooled_df else None
    kept = y[seen]
    names, at = [entry[i] for i in seen], [where[i] for i in seen]
    inside = [f"{where[i]}\t{rep[i]}" for i in seen]
    table = _cell_means(kept, names, at, entries, environments)
    reps = max(len({rep[i] for i in range(len(y)) if where[i] == w}) for w in environments)
    cannot: list[str] = []
    fixed = random = None
    try:
        fixed, random = _mixed(kept, names, at, inside)
    except ValueError as reason:
        cannot.append(f"No mixed model could be fitted: {reason}.")
    combined = _combined(kept, names, inside, entries, environments, reps, pooled)
    if combined is None:
        cannot.append("Some cells are missing or unequal, so there is no analysis of variance over all; the mixed model stands.")
    cullis, line_mean = _repeatabilities(random, len(environments), reps)
    return EnvironmentPlots(
        tuple(entries),
        tuple(environments),
        reps,
        len(y),
        len(kept),
        float(kept.mean()) if len(kept) else None,
        table,
        alone,
        _bartlett(judged),
        pooled,
        pooled_df,
        combined,
        fixed,
        random,
        cullis,
        line_mean,
        combine_two_stages(entries, list(alone.values())),
        tuple(cannot),
    )


def _alone(environment: str, entry: Labels, y: Floats, where: Labels, rep: Labels) -> BlockAnalysis:
    here = [i for i, w in enumerate(where) if w == environment]
    return analyse_blocks([entry[i] for i in here], y[here], {"rep": [rep[i] for i in here]})


def _bartlett(judged: Sequence[BlockAnalysis]) -> Bartlett | None:
    if len(judged) < 2:
        return None
    ms = np.array([a.mse for a in judged], dtype=float)
    df = np.array([a.df_error for a in judged], dtype=float)
    pooled = float((ms * df).sum() / df.sum())
    raw = df.sum() * np.log(pooled) - float((df * np.log(ms)).sum())
    correction = 1 + float((1 / df).sum() - 1 / df.sum()) / (3 * (len(ms) - 1))
    statistic = float(raw / correction)
    return Bartlett(statistic, len(ms) - 1, distributions.chi_square_above(statistic, len(ms) - 1))


def _cell_means(y: Floats, entry: Labels, where: Labels, entries: Sequence[str], environments: Sequence[str]) -> Floats:
    row, col = {e: i for i, e in enumerate(entries)}, {w: i for i, w in enumerate(environments)}
    sums, counts = np.zeros((len(entries), len(environments))), np.zeros((len(entries), len(environments)))
    place = [row[e] for e in entry], [col[w] for w in where]
    np.add.at(sums, place, y)
    np.add.at(counts, place, 1.0)
    return np.asarray(np.where(counts > 0, sums / np.maximum(counts, 1), np.nan))


def _mixed(y: Floats, entry: Labels, where: Labels, inside: Labels) -> tuple[MixedFit, MixedFit]:
    cell = Coded.of([f"{e}\t{w}" for e, w in zip(entry, where, strict=True)])
    terms = {"environment": Coded.of(where), "rep_in_environment": Coded.of(inside), "entry_environment": cell}
    fixed = fit_reml(y, incidence(entry, levels_of(entry)), terms)
    return fixed, fit_reml(y, np.ones((len(y), 1)), {"entry": Coded.of(entry), **terms})


def _repeatabilities(random: MixedFit | None, environments: int, reps: int) -> tuple[float | None, float | None]:
    if random is None or random.variances["entry"] <= 0:
        return None, None
    v = random.variances
    noise = v["entry_environment"] / environments + v["residual"] / (environments * reps)
    return repeatability(random.effect_covariance["entry"], v["entry"])[1], v["entry"] / (v["entry"] + noise)


def _combined(
    y: Floats,
    entry: Labels,
    inside: Labels,
    entries: Sequence[str],
    environments: Sequence[str],
    reps: int,
    pooled: float | None,
) -> Combined | None:
    g, e = len(entries), len(environments)
    blocks, names = Coded.of(inside), Coded.of(entry)
    whole = len(blocks.levels) == e * reps and len(names.levels) == g and bool((blocks.cross(names) == 1).all())
    if not whole or reps < 2 or not pooled:
        return None
    table = np.zeros((e * reps, g))
    table[blocks.codes, names.codes] = y
    plots = table.reshape(e, reps, g)
    grand, cells = float(y.mean()), plots.mean(axis=1)
    env_ss = reps * g * float(((cells.mean(axis=1) - grand) ** 2).sum())
    rep_ss = g * float(((plots.mean(axis=2) - cells.mean(axis=1)[:, None]) ** 2).sum())
    entry_ss = e * reps * float(((cells.mean(axis=0) - grand) ** 2).sum())
    cross_ss = reps * float(((cells - cells.mean(axis=1)[:, None] - cells.mean(axis=0) + grand) ** 2).sum())
    df_rep, df_cross, df_error = e * (reps - 1), (g - 1) * (e - 1), e * (reps - 1) * (g - 1)
    rep_ms, cross_ms = rep_ss / df_rep, cross_ss / df_cross

    def row(source: str, df: int, ss: float, against: float | None = None, df2: int = 0, name: str | None = None) -> StratumRow:
        if not against:
            return StratumRow("", source, df, ss, ss / df)
        f = ss / df / against
        return StratumRow("", source, df, ss, ss / df, f, distributions.f_above(f, df, df2), name)

    rows = (
        row("environment", e - 1, env_ss, rep_ms, df_rep, "rep within environment"),
        row("rep within environment", df_rep, rep_ss),
        row("entry", g - 1, entry_ss, cross_ms, df_cross, "entry x environment"),
        row("entry x environment", df_cross, cross_ss, pooled, df_error, "pooled error"),
        row("pooled error", df_error, pooled * df_error),
    )
    f_fixed = entry_ss / (g - 1) / pooled
    means = cells.T
    return Combined(
        rows,
        f_fixed,
        distributions.f_above(f_fixed, g - 1, df_error),
        float(np.sqrt(2 * cross_ms / (e * reps))),
        df_cross,
        float(np.sqrt(2 * pooled / (e * reps))),
        stability_of(entries, means) if e > 2 else None,
        ammi_of(means),
    )


def combine_two_stages(entries: Sequence[str], alone: Sequence[BlockAnalysis]) -> TwoStage | None:
    """Combine the means of environments that were each analysed alone: entry + environment + entry × environment, the
    last with a variance found by REML, each mean weighted by the inverse of that and its own variance.

    A mean's own variance is the inverse of the diagonal of the inverse covariance in its environment. None when fewer
    than two environments have an error to judge by, or the environments do not tie all entries together.
    """
    judged = [a for a in alone if a.mse]
    if len(judged) < 2:
        return None
    place = {name: i for i, name in enumerate(entries)}
    y = np.full((len(entries), len(judged)), np.nan)
    own = np.full(y.shape, np.inf)
    for j, analysis in enumerate(judged):
        known = [i for i, m in enumerate(analysis.means) if m.lsmean is not None]
        at = [place[analysis.means[i].entry] for i in known]
        y[at, j] = analysis.level[known]
        weight = np.linalg.pinv(analysis.covariance[np.ix_(known, known)])
        own[at, j] = (analysis.mse or 0.0) / np.maximum(weight.diagonal(), 1e-12)
    from scipy.optimize import minimize_scalar

    def cost(log_variance: float) -> float:
        solved = _weighted(y, own, float(np.exp(log_variance)))
        return solved[2] if solved is not None else np.inf

    scale = float(np.nanvar(y)) + 1e-12
    if not np.isfinite(cost(np.log(scale))):
        return None
    best = minimize_scalar(cost, bounds=(np.log(scale) - 25, np.log(scale) + 5), method="bounded", options={"xatol": 1e-8})
    variance = 0.0 if cost(np.log(scale) - 40) <= best.fun else float(np.exp(best.x))
    solved = _weighted(y, own, variance)
    assert solved is not None
    return TwoStage(tuple(entries), solved[0], solved[1], variance)


def _weighted(y: Floats, own: Floats, interaction: float) -> tuple[Floats, Floats, float] | None:
    """Entry means with their covariance and −2 REML log-likelihood (up to a constant), environments absorbed."""
    with np.errstate(divide="ignore"):
        w = np.where(np.isfinite(y), 1 / (own + interaction), 0.0)
    filled = np.where(np.isfinite(y), y, 0.0)
    column = w.sum(axis=0)
    if not np.isfinite(w).all() or (column <= 0).any():
        return None
    information = np.diag(w.sum(axis=1)) - (w / column) @ w.T
    right = (w * filled).sum(axis=1) - (w / column) @ (w * filled).sum(axis=0)
    values, vectors = np.linalg.eigh(information)
    if len(values) < 2 or values[1] <= 1e-10 * values[-1]:
        return None
    inverse = (vectors[:, 1:] / values[1:]) @ vectors[:, 1:].T
    effect = inverse @ right
    environment = ((w * (filled - effect[:, None])).sum(axis=0)) / column
    left = np.where(w > 0, filled - effect[:, None] - environment, 0.0)
    cost = -float(np.log(w[w > 0]).sum()) + float(np.log(column).sum() + np.log(values[1:]).sum()) + float((w * left**2).sum())
    return effect + float(environment.mean()), inverse, cost
