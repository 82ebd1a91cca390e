"""Figures of one trial in several environments, in the shape in which other software's are kept."""

from __future__ import annotations

from itertools import combinations

import numpy as np

from trialcore.analyses.linear import fit
from trialcore.analyses.mixed import Contrast, JointTest
from trialcore.analyses.places import Contrasted, Places
from trialcore.formats.figures.blocks import Json
from trialcore.inference import distributions
from trialcore.inference.distributions import t_quantile


def places_figures(found: Places, check: str | None, columns: dict[str, list[str]], value: list[float | None]) -> Json:
    """Every figure, with differences from `check`; `columns` (entry, environment, rep) and `value` are the plots it was found from.
    Raises ValueError for a check without a value."""
    if check is not None and check not in found.entries:
        raise ValueError(f"no plot has a value of the entry “{check}”")
    found = found.pooled
    w = found.environments
    figures: Json = {
        "kind": "entries x environment, blocks within environments",
        "check": check,
        "n_plots": found.n_plots,
        "n_observed": found.n_observed,
        "variance_components": found.fitted.variances,
        "reml_logLik": found.fitted.loglik,
        "tests_kr": [{"term": t, **_test(found.test(t))} for t in ("environment", "entry", "environment:entry") if found.test(t)],
        "cell_means": [{"environment": c.environment, "entry": c.entry, "plots": c.plots, **_mean(c.mean)} for c in found.cells],
        "simple_effect_tests": [{"environment": place, **_test(test)} for place in w if (test := found.test_within(place))],
        "overall_means": [{"entry": e, **_mean(c)} for e, c in found.overall],
        "by_environment": [_alone(place, found) for place in w],
        "ranks": [{"entry": e, **ranks} for e, ranks in found.ranks.items()],
        "rank_correlation": [{"a": a, "b": b, "spearman": found.rank_correlation(a, b)} for a, b in combinations(w, 2)],
        "fixed_blocks_interaction": {**_test(found.fixed_interaction), "mse": found.fixed_mse} if found.fixed_interaction else None,
    }
    strata = _strata(found, columns, value)
    if strata:
        figures["anova_strata"] = strata
    if check is not None:
        figures |= {
            "simple_effects_vs_check": [
                {"environment": d.where[0], "contrast": f"{d.entry} - {check}", **_difference(d)} for d in found.within(check)
            ],
            "overall_vs_check": [{"contrast": f"{d.entry} - {check}", **_difference(d)} for d in found.over_all(check)],
            "change_of_the_difference_from_check": [
                {"entry": f"{d.entry} - {check}", "environments": " - ".join(d.where), **_difference(d)}
                for d in found.changes(check)
            ],
            "crossing": [{"entry": d.entry, "environments": list(d.where)} for d in found.crossing(check)],
        }
    return figures


def _test(test: JointTest | None) -> Json:
    return {"F": test.f, "df_num": test.num_df, "df_den": test.den_df, "p": test.p} if test else {}


def _mean(c: Contrast) -> Json:
    return {"mean": c.estimate, "se_kr": c.se_kr, "df_kr": c.df_kr}


def _difference(d: Contrasted) -> Json:
    c = d.difference
    return {"estimate": c.estimate, "se_kr": c.se_kr, "df_kr": c.df_kr, "t": d.t, "p_unadjusted": d.p}


def _alone(place: str, found: Places) -> Json:
    alone = found.by_environment[place]
    row = next((r for r in alone.anova_adjusted if r.source == "entry"), None)
    return {
        "environment": place,
        "mse": alone.mse,
        "df_error": alone.df_error,
        "f_entry": row.f if row else None,
        "p_entry": row.p if row else None,
    }


def _strata(found: Places, columns: dict[str, list[str]], value: list[float | None]) -> Json | None:
    """The analysis of variance in strata, where nothing is missing: environments against blocks within them."""
    cells = {c.plots for c in found.cells}
    if not found.blocked or len(cells) != 1 or len(found.cells) != len(found.entries) * len(found.environments) or None in value:
        return None
    environment = columns["environment"]
    block = [f"{w}\t{r}" for w, r in zip(environment, columns["rep"], strict=True)]
    cell = [f"{w}\t{e}" for w, e in zip(environment, columns["entry"], strict=True)]
    y = np.array(value, dtype=float)
    models: list[tuple[str, dict[str, list[str]]]] = [
        ("environment", {"environment": environment}),
        ("eb", {"block": block}),
        ("entry", {"block": block, "entry": columns["entry"]}),
        ("environment:entry", {"block": block, "cell": cell}),
    ]
    steps = [fit(y, {}), *(fit(y, model) for _, model in models)]
    last = steps[-1]
    if not last.mse:
        return None
    rows: list[Json] = []
    for (source, _), less, more in zip(models, steps, steps[1:], strict=False):
        df, ss = more.rank - less.rank, less.rss - more.rss
        f = ss / df / last.mse
        p = distributions.f_above(f, df, last.df_error)
        rows.append({"source": source, "df": df, "ss": ss, "ms": ss / df, "f": f, "p": p})
    f = rows[0]["ms"] / rows[1]["ms"]
    df1, df2 = rows[0]["df"], rows[1]["df"]
    rows.append({"source": "Residuals", "df": last.df_error, "ss": last.rss, "ms": last.mse, "f": None, "p": None})
    return {"table": rows, "f_environment": f, "df_environment": [df1, df2], "p_environment": distributions.f_above(f, df1, df2)}


def places_shown(found: Places, check: str | None) -> list[Json]:
    """What the page shows of each entry over all environments that have all of them; `n` are plots."""
    plots: dict[str, int] = {}
    for c in found.cells:
        plots[c.entry] = plots.get(c.entry, 0) + c.plots
    overall = dict(found.overall)
    versus = {d.entry: d for d in found.over_all(check)} if check else {}
    made = []
    for entry in found.entries:
        mean, d = overall.get(entry), versus.get(entry)
        half = t_quantile(0.975, min(mean.df_kr, 1e9)) * mean.se_kr if mean else 0.0
        made.append(
            {
                "entry": entry,
                "n": plots.get(entry, 0),
                "mean": mean.estimate if mean else None,
                "mean_lower95": mean.estimate - half if mean else None,
                "mean_upper95": mean.estimate + half if mean else None,
                "difference": d.difference.estimate if d else 0.0 if mean and entry == check else None,
                "lower95": d.difference.estimate - d.half if d else None,
                "upper95": d.difference.estimate + d.half if d else None,
                "expected_advantage": None,
                "chance": None,
            }
        )
    return made
