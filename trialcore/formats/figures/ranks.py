"""Figures of scores by their ranks: within blocks, and over all plots with blocks left out."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from itertools import combinations
from math import sqrt
from statistics import NormalDist

import numpy as np

from trialcore.analyses.ranks import average_ranks, compare_ranks
from trialcore.formats.figures.blocks import Json
from trialcore.inference import distributions
from trialcore.inference.comparisons import holm_adjusted

LARGE = float("inf")  # degrees of freedom with which t is the normal


def overall_ranks_figures(entry: Sequence[str], score: Sequence[float], check: str | None) -> Json:
    """Kruskal and Wallis' test (ties corrected) and Dunn's (1964) comparisons, blocks left out."""
    names, n = sorted(set(entry)), len(score)
    ranks = average_ranks(score)
    tied = sum(c**3 - c for c in Counter(score).values())
    correction = 1 - tied / (n**3 - n)
    own = {e: ranks[[i for i, x in enumerate(entry) if x == e]] for e in names}
    h = 12 / (n * (n + 1)) * sum(float(r.sum()) ** 2 / len(r) for r in own.values()) - 3 * (n + 1)
    h = h / correction if correction > 0 else 0.0
    spread = n * (n + 1) / 12 - tied / (12 * (n - 1))

    def row(a: str, b: str) -> Json:
        apart, se = float(own[a].mean() - own[b].mean()), sqrt(spread * (1 / len(own[a]) + 1 / len(own[b])))
        z = apart / se if se else 0.0
        return {"a": a, "b": b, "rank_difference": apart, "se": se, "z": z, "p_unadjusted": _p_normal(z)}

    pairs = [row(a, b) for a, b in combinations(names, 2)]
    versus = [row(e, check) for e in names if e != check] if check in own else []
    for rows in (pairs, versus):
        for r, p in zip(rows, holm_adjusted(np.array([r["p_unadjusted"] for r in rows])), strict=True) if rows else ():
            r |= {"p_bonferroni": min(1.0, len(rows) * r["p_unadjusted"]), "p_holm": float(p)}
    return {
        "kruskal_wallis": {
            "H": h,
            "df": len(names) - 1,
            "p": distributions.chi_square_above(h, len(names) - 1) if len(names) > 1 else 1.0,
            "tie_correction": correction,
            "mean_ranks": [{"entry": e, "plots": len(r), "mean_rank": float(r.mean())} for e, r in own.items()],
        },
        "dunn": {"pairwise": pairs, "vs_check": [{"entry": r.pop("a"), "check": r.pop("b"), **r} for r in versus]},
    }


def friedman_figures(cells: Sequence[tuple[str, str, float]], check: str | None) -> Json:
    """Ranks within blocks (or judges) that hold every entry once, from `cells` of block, entry and score: each pair by the normal
    spread of rank sums (ties corrected) and by Conover's (1999) t."""
    ranked = compare_ranks([e for _, e, _ in cells], [v for *_, v in cells], [j for j, _, _ in cells])
    b, k = len({j for j, _, _ in cells}), len(ranked.entries)
    sums = {e: float(r) * b for e, r in zip(ranked.entries, ranked.mean_rank, strict=True)}
    by_judge: dict[str, list[float]] = {}
    for judge, _, value in cells:
        by_judge.setdefault(judge, []).append(value)
    tied = sum(n**3 - n for values in by_judge.values() for n in Counter(values).values())
    normal = sqrt(b * k * (k + 1) / 6 - tied / (6 * (k - 1)))
    conover = ranked.se_difference * b if ranked.se_difference else None
    pairs = [_pair(x, y, sums, normal, conover, ranked.df_error, k) for x, y in combinations(ranked.entries, 2)]
    _holm(pairs, "p_normal")
    if conover:
        _holm(pairs, "p_conover")
    figures: Json = {
        "blocks": b,
        "entries": k,
        "chisq": ranked.statistic,
        "df": ranked.df,
        "p": ranked.p,
        "kendall_w_ties": ranked.statistic / (b * (k - 1)),
        "sum_t3_minus_t": tied,
        "rank_sums": [{"entry": e, "rank_sum": r, "mean_rank": r / b} for e, r in sums.items()],
        "se_rank_sum_difference_normal": normal,
        "se_rank_sum_difference_conover": conover,
        "pairwise": pairs,
    }
    if b * (k - 1) > ranked.statistic:
        f = (b - 1) * ranked.statistic / (b * (k - 1) - ranked.statistic)
        df2 = (b - 1) * (k - 1)
        figures |= {"iman_davenport_F": f, "df1": k - 1, "df2": df2, "p_F": distributions.f_above(f, k - 1, df2)}
    if check is not None and normal:
        figures["vs_check"] = _ranks_vs_check(sums, check, normal)
    return figures


def _pair(a: str, b: str, sums: dict[str, float], normal: float, conover: float | None, df: int, entries: int) -> Json:
    apart = sums[a] - sums[b]
    z = apart / normal if normal else 0.0
    made: Json = {"a": a, "b": b, "rank_sum_difference": apart, "z": z, "p_normal": _p_normal(z)}
    made["p_nemenyi"] = float(distributions.studentized_range_above(abs(z) * sqrt(2), entries, LARGE))
    if conover:
        made |= {"t_conover": apart / conover, "p_conover": float(distributions.t_two_sided(apart / conover, df))}
    return made


def _ranks_vs_check(sums: dict[str, float], check: str, normal: float) -> list[Json]:
    others = [e for e in sums if e != check]
    z = np.array([(sums[e] - sums[check]) / normal for e in others])
    correlation = np.full((len(z), len(z)), 0.5) + 0.5 * np.eye(len(z))
    family = distributions.largest_t_above(z, correlation, LARGE)
    rows: list[Json] = [
        {
            "entry": e,
            "check": check,
            "rank_sum_difference": sums[e] - sums[check],
            "z": float(x),
            "p_normal": _p_normal(float(x)),
            "p_normal_dunnett": float(p),
        }
        for e, x, p in zip(others, z, family, strict=True)
    ]
    _holm(rows, "p_normal")
    return rows


def _p_normal(z: float) -> float:
    return 2 * NormalDist().cdf(-abs(z))


def _holm(rows: list[Json], name: str) -> None:
    """Put Holm's probabilities beside those of `name`."""
    for row, p in zip(rows, holm_adjusted(np.array([r[name] for r in rows])), strict=True):
        row[f"{name}_holm"] = float(p)
