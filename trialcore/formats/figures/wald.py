"""Differences between estimates that stand on one covariance, as rows of a table."""

from __future__ import annotations

from collections.abc import Sequence
from math import sqrt

import numpy as np

from trialcore.analyses.linear import Floats
from trialcore.formats.figures.blocks import Json, pairs_wanted
from trialcore.inference import distributions
from trialcore.inference.comparisons import holm_adjusted

INFINITE = float("inf")


def sed_average(v: Floats) -> float | None:
    """The mean standard error of a difference, from the covariance of the estimates; None of a single one."""
    first, second = np.triu_indices(len(v), k=1)
    return float(np.sqrt(v[first, first] + v[second, second] - 2 * v[first, second]).mean()) if len(first) else None


def wald_pairs(names: Sequence[str], beta: Floats, v: Floats, df: float, stat: str) -> list[Json]:
    """Every pair of `names`, with Tukey's and Holm's probabilities over all of them."""
    k = len(names)
    pairs = [(i, j) for i in range(k) for j in range(i + 1, k)]
    if not pairs or not pairs_wanted(k):
        return []
    rows = [
        difference_row(names[i], names[j], float(beta[i] - beta[j]), sqrt(float(v[i, i] + v[j, j] - 2 * v[i, j])), df, stat)
        for i, j in pairs
    ]
    tukey = distributions.studentized_range_above(np.array([abs(r[stat]) for r in rows]) * sqrt(2), k, df)
    for row, p in zip(rows, np.atleast_1d(tukey), strict=True):
        row["p_tukey"] = float(p)
    holm(rows)
    return rows


def difference_row(a: str, b: str, estimate: float, se: float, df: float, stat: str) -> Json:
    """`a` minus `b` with its `stat` (z or t) on `df` and the probability, two-sided."""
    t = estimate / se
    return {"a": a, "b": b, "estimate": estimate, "se": se, stat: t, "p_unadjusted": float(distributions.t_two_sided(t, df))}


def wald_versus(names: Sequence[str], beta: Floats, v: Floats, check: str, df: float, stat: str) -> list[Json]:
    """Each of `names` minus `check`, by the covariance `v` of their estimates `beta`, with the joint probability over all."""
    c = names.index(check)
    others = [i for i in range(len(names)) if i != c]
    contrast = np.zeros((len(others), len(names)))
    contrast[np.arange(len(others)), others] = 1
    contrast[:, c] = -1
    covariance = contrast @ v @ contrast.T
    se = np.sqrt(np.diag(covariance))
    half = distributions.t_quantile(0.975, df)
    rows = []
    for row, i in enumerate(others):
        made = difference_row(names[i], check, float(beta[i] - beta[c]), float(se[row]), df, stat)
        made = {"entry": made.pop("a"), "check": made.pop("b"), **made}
        ends = {"lower95": made["estimate"] - half * made["se"], "upper95": made["estimate"] + half * made["se"]}
        rows.append(made | ends)
    family = distributions.largest_t_above(np.array([r[stat] for r in rows]), covariance / np.outer(se, se), df)
    for made, p in zip(rows, family, strict=True):
        made["p_dunnett"] = float(p)
    holm(rows)
    return rows


def holm(rows: list[Json]) -> None:
    """Put Holm's probabilities beside the plain ones."""
    for row, p in zip(rows, holm_adjusted(np.array([r["p_unadjusted"] for r in rows])), strict=True) if rows else ():
        row["p_holm"] = float(p)
