"""Several environments, one mean for each entry and environment: stability and where an entry belongs."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from trialcore.analyses.blocks import AnovaRow, BlockAnalysis, analyse_blocks
from trialcore.analyses.incomplete import MixedMean, anova_line, mixed_means
from trialcore.analyses.linear import Coded, Floats, Labels, fit, levels_of
from trialcore.analyses.mixed import MixedFit, fit_reml, incidence
from trialcore.analyses.printing import page, table
from trialcore.inference import distributions


@dataclass(frozen=True)
class Stability:
    """How one entry follows the environments. `index` is the environment's mean minus the grand mean.

    `slope` and `deviations_ms` after Finlay and Wilkinson (1963) and Eberhart and Russell (1966), `ecovalence` after
    Wricke (1962), `shukla` after Shukla (1972), `superiority` after Lin and Binns (1988) with large values wanted.
    """

    entry: str
    mean: float
    slope: float | None
    slope_se: float | None
    t_slope_is_1: float | None
    p_slope_is_1: float | None
    deviations_ss: float
    deviations_ms: float
    r_squared: float | None
    ecovalence: float
    ecovalence_percent: float | None
    shukla: float | None
    superiority: float
    environmental_variance: float
    cv_percent: float | None
    mean_rank: float


@dataclass(frozen=True)
class Axis:
    """One axis of the interaction: `gollob_df` after Gollob (1968)."""

    singular_value: float
    ss: float
    percent: float
    cumulative_percent: float
    gollob_df: int
    ms: float


@dataclass(frozen=True, eq=False)
class Ammi:
    """Additive main effects and multiplicative interaction (Gauch 1988). Scores are singular vectors times the root
    of the singular value, entries × 2 and environments × 2; an axis is turned so that its largest entry score is
    positive. `asv` is the AMMI stability value (Purchase, Hatting and van Deventer 2000)."""

    axes: tuple[Axis, ...]
    entry_scores: Floats
    environment_scores: Floats
    asv: Floats


@dataclass(frozen=True, eq=False)
class Environments:
    """What `analyse_environments` found. `table` is entries × environments, NaN where there is no mean; `stability` and
    `ammi` are None when a cell is absent."""

    entries: tuple[str, ...]
    environments: tuple[str, ...]
    table: Floats
    additive: BlockAnalysis
    environment_first: tuple[AnovaRow, ...]
    entry_first: tuple[AnovaRow, ...]
    site_season: tuple[AnovaRow, ...]
    eberhart_russell: tuple[AnovaRow, ...]
    stability: tuple[Stability, ...] | None
    ammi: Ammi | None
    fixed: MixedFit | None
    fixed_means: tuple[MixedMean, ...]
    random: MixedFit | None

    def __str__(self) -> str:
        stability = table(
            "Stability",
            self.stability or (),
            entry="entry",
            mean="mean",
            slope="slope",
            se="slope_se",
            deviations_MS="deviations_ms",
            ecovalence="ecovalence",
            Shukla="shukla",
        )
        return page(
            table(
                "Analysis of variance, entries last",
                self.environment_first,
                source="source",
                df="df",
                SS="ss",
                MS="ms",
                F="f",
                p="p",
            ),
            stability,
        )


def analyse_environments(entry: Labels, value: Sequence[float | None], site: Labels, season: Labels) -> Environments:
    """Analyse a table of means, one a cell. An environment is a site and a season, written `site-season`.

    Raises ValueError when an entry has two values in one environment, or there are fewer than two of either.
    """
    where = [f"{s}-{y}" for s, y in zip(site, season, strict=True)]
    entries, environments = levels_of(entry), levels_of(where)
    if len(entries) < 2 or len(environments) < 2:
        raise ValueError("at least two entries and two environments are needed")
    table = np.full((len(entries), len(environments)), np.nan)
    at = {name: i for i, name in enumerate(entries)}, {name: i for i, name in enumerate(environments)}
    taken = set()
    for e, w, v in zip(entry, where, value, strict=True):
        if (e, w) in taken:
            raise ValueError(f"{e} has two values in {w}")
        taken.add((e, w))
        table[at[0][e], at[1][w]] = np.nan if v is None else v
    additive = analyse_blocks(entry, value, {"environment": where})
    seen = [i for i, v in enumerate(value) if v is not None]
    if not seen:
        return Environments(
            tuple(entries),
            tuple(environments),
            table,
            additive,
            (),
            (),
            (),
            (),
            stability=None,
            ammi=None,
            fixed=None,
            fixed_means=(),
            random=None,
        )
    y = np.array([float(value[i] or 0.0) for i in seen])
    labels: dict[str, Labels] = {
        name: [column[i] for i in seen] for name, column in (("entry", entry), ("env", where), ("site", site), ("season", season))
    }
    whole = not np.isnan(table).any()
    first, second = _two_orders(y, labels, whole)
    fixed, means, random = _mixed(y, labels, entries)
    return Environments(
        tuple(entries),
        tuple(environments),
        table,
        additive,
        first,
        second,
        site_season=_site_season(y, labels) if whole else (),
        eberhart_russell=_eberhart_russell(table) if whole and len(environments) > 2 else (),
        stability=stability_of(entries, table) if whole and len(environments) > 2 else None,
        ammi=ammi_of(table) if whole else None,
        fixed=fixed,
        fixed_means=means,
        random=random,
    )


def _two_orders(y: Floats, labels: dict[str, Labels], whole: bool) -> tuple[tuple[AnovaRow, ...], tuple[AnovaRow, ...]]:
    env, entry = {"env": labels["env"]}, {"entry": labels["entry"]}
    nothing, by_env, by_entry, full = fit(y, {}), fit(y, env), fit(y, entry), fit(y, {**env, **entry})
    residual = "entry x environment (two-way residual)" if whole else "Residuals"
    error = AnovaRow(residual, full.df_error, full.rss, full.mse)
    total = AnovaRow("Total (corrected)", len(y) - 1, nothing.rss)
    first = (anova_line("env", nothing, by_env, full), anova_line("entry", by_env, full, full), error, total)
    second = (anova_line("entry", nothing, by_entry, full), anova_line("env", by_entry, full, full), error)
    return first, second


def _site_season(y: Floats, labels: dict[str, Labels]) -> tuple[AnovaRow, ...]:
    """Sites, seasons and entries with their two-way interactions, against the three-way one."""
    if len(set(labels["site"])) < 2 or len(set(labels["season"])) < 2:
        return ()
    crossed = {"site": "site", "season": "season", "entry": "entry", "site:season": "", "site:entry": "", "season:entry": ""}
    terms: dict[str, Labels] = {}
    for name in crossed:
        parts = name.split(":")
        terms[name] = [":".join(cell) for cell in zip(*(labels[p] for p in parts), strict=True)]
    full = fit(y, terms)
    steps = [fit(y, {name: terms[name] for name in list(terms)[:i]}) for i in range(len(terms))] + [full]
    rows = [anova_line(name, steps[i], steps[i + 1], full) for i, name in enumerate(terms)]
    return (*rows, AnovaRow("entry:site:season (residual)", full.df_error, full.rss, full.mse))


def _eberhart_russell(table: Floats) -> tuple[AnovaRow, ...]:
    g, e = table.shape
    centred = table - table.mean(axis=1, keepdims=True)
    index = table.mean(axis=0) - table.mean()
    if float(index @ index) <= 0:
        return ()
    slopes = centred @ index / (index @ index)
    entry_ss = e * float(((table.mean(axis=1) - table.mean()) ** 2).sum())
    linear_env = g * float(index @ index)
    linear_cross = float(((slopes - 1) ** 2).sum() * (index @ index))
    deviations = float(((centred - slopes[:, None] * index) ** 2).sum())
    df = g * (e - 2)
    pooled = deviations / df

    def tested(source: str, ss: float, own: int) -> AnovaRow:
        if pooled <= 0:
            return AnovaRow(source, own, ss, ss / own)
        f = ss / own / pooled
        return AnovaRow(source, own, ss, ss / own, f, distributions.f_above(f, own, df))

    return (
        tested("entry", entry_ss, g - 1),
        AnovaRow("environment (linear)", 1, linear_env, linear_env),
        tested("entry x environment (linear)", linear_cross, g - 1),
        AnovaRow("pooled deviations", df, deviations, pooled),
    )


def stability_of(entries: Sequence[str], table: Floats) -> tuple[Stability, ...]:
    """Stability of each entry from a complete table of means (entries × environments, at least three of these)."""
    g, e = table.shape
    index = table.mean(axis=0) - table.mean()
    squares = float(index @ index)
    interaction = table - table.mean(axis=1, keepdims=True) - index
    ecovalence = (interaction**2).sum(axis=1)
    total = float(ecovalence.sum())
    best = table.max(axis=0)
    ranks = (table[None, :, :] > table[:, None, :]).sum(axis=1) + (1 + (table[None, :, :] == table[:, None, :]).sum(axis=1)) / 2
    rows = []
    for i, name in enumerate(entries):
        own = table[i]
        deviations = own - own.mean()
        around, variance = float(deviations @ deviations), float(own.var(ddof=1))
        slope = float(deviations @ index) / squares if squares > 0 else None
        left = float(((deviations - (slope or 0.0) * index) ** 2).sum())
        se = float(np.sqrt(left / (e - 2) / squares)) if squares > 0 else None
        t = (slope - 1) / se if slope is not None and se else None
        shukla = float(ecovalence[i]) * g / ((g - 2) * (e - 1)) - total / ((g - 1) * (g - 2) * (e - 1)) if g > 2 else None
        rows.append(
            Stability(
                name,
                float(own.mean()),
                slope,
                se,
                t,
                None if t is None else float(distributions.t_two_sided(t, e - 2)),
                left,
                left / (e - 2),
                1 - left / around if around > 0 else None,
                float(ecovalence[i]),
                100 * float(ecovalence[i]) / total if total > 0 else None,
                shukla,
                float(((own - best) ** 2).sum()) / (2 * e),
                variance,
                100 * float(np.sqrt(variance)) / float(own.mean()) if own.mean() > 0 else None,
                float(ranks[i].mean()),
            )
        )
    return tuple(rows)


def ammi_of(table: Floats) -> Ammi:
    """Additive main effects and multiplicative interaction of a complete table (entries × environments)."""
    g, e = table.shape
    interaction = table - table.mean(axis=1, keepdims=True) - table.mean(axis=0) + table.mean()
    u, s, vt = np.linalg.svd(interaction, full_matrices=False)
    count = min(g, e) - 1
    u, s, vt = u[:, :count], s[:count], vt[:count]
    turn = np.sign(u[np.abs(u).argmax(axis=0), np.arange(count)])
    u, vt = u * turn, vt * turn[:, None]
    ss = s**2
    share = 100 * ss / ss.sum() if ss.sum() > 0 else np.zeros(count)
    axes = tuple(
        Axis(
            float(s[k]),
            float(ss[k]),
            float(share[k]),
            float(share[: k + 1].sum()),
            g + e - 1 - 2 * (k + 1),
            float(ss[k]) / (g + e - 1 - 2 * (k + 1)),
        )
        for k in range(count)
    )
    shown = min(2, count)
    entry_scores = u[:, :shown] * np.sqrt(s[:shown])
    environment_scores = vt[:shown].T * np.sqrt(s[:shown])
    two = shown == 2 and ss[1] > 0
    asv = np.hypot(ss[0] / ss[1] * entry_scores[:, 0], entry_scores[:, 1]) if two else np.abs(entry_scores[:, 0])
    return Ammi(axes, entry_scores, environment_scores, asv)


@dataclass(frozen=True, eq=False)
class Biplot:
    """Entry main effects and interaction together (GGE; Yan et al. 2000): `entries` and `environments` hold two coordinates
    each to draw, `percent` what the two axes show of what varies within environments. An environment's entries rank by how
    far they lie in its direction; `best` names the first in each."""

    entries: Floats
    environments: Floats
    percent: tuple[float, float]
    best: tuple[int, ...]


def biplot_of(table: Floats) -> Biplot:
    """The biplot of a complete table of means (entries × environments): singular vectors of the table centred by
    environment, each times the root of its singular value, turned so that better entries lie to the right."""
    centred = table - table.mean(axis=0)
    u, s, vt = np.linalg.svd(centred, full_matrices=False)
    if vt[0].sum() < 0:
        u, vt = -u, -vt
    root = np.sqrt(s[:2])
    total = float((s**2).sum()) or 1.0
    share = [100 * float(v) ** 2 / total for v in (*s[:2], 0.0)][:2]
    entries, environments = u[:, :2] * root, vt[:2].T * root
    best = (entries @ environments.T).argmax(axis=0)
    return Biplot(entries, environments, (share[0], share[1]), tuple(int(b) for b in best))


def _mixed(
    y: Floats, labels: dict[str, Labels], entries: Sequence[str]
) -> tuple[MixedFit | None, tuple[MixedMean, ...], MixedFit | None]:
    present = [e for e in entries if e in set(labels["entry"])]
    z = {"environment": Coded.of(labels["env"])}
    x = incidence(labels["entry"], present)
    try:
        fixed = fit_reml(y, x, z)
        random = fit_reml(y, np.ones((len(y), 1)), {"entry": Coded.of(labels["entry"]), **z})
    except ValueError:
        return None, (), None
    return fixed, mixed_means(fixed, present, np.eye(len(present))), random
