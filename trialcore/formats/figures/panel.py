"""Figures of a tasting panel: entries over judges by scores and by ranks, and the judges themselves."""

from __future__ import annotations

from collections import Counter
from dataclasses import asdict
from itertools import combinations
from math import sqrt
from statistics import NormalDist

import numpy as np

from trialcore.analyses.panel import Panel
from trialcore.analyses.ranks import compare_ranks
from trialcore.formats.figures.blocks import Json, block_figures, interval
from trialcore.inference import distributions
from trialcore.inference.comparisons import holm_adjusted

LARGE = float("inf")  # degrees of freedom with which t is the normal


def panel_figures(found: Panel, check: str | None, scores: int) -> Json:
    """Every figure of a panel of `scores` tastings. Raises ValueError for a check that nobody tasted."""
    entries = [m.entry for m in found.blocks.means]
    if check is not None and check not in entries:
        raise ValueError(f"no line has the entry “{check}”")
    whole = block_figures(found.blocks, check)
    judge = next((row for row in whole["anova_adjusted"] if row["source"] == "judge"), None)
    agreed = found.concordance
    figures: Json = {
        "kind": "tasting panel",
        "check": check,
        "n_scores": scores,
        "n_judges": len(found.judges),
        "n_entries": len(entries),
        "complete": agreed is not None,
        "raw": [{"entry": m.entry, "judges": m.n, "mean": m.raw_mean} for m in found.blocks.means],
        "judges": [{"judge": j.judge, "entries": j.entries, "mean": j.mean, "sd": j.sd} for j in found.judges],
        "anova_judge_as_block": {
            "table": [row | {"source": "Residuals"} if row["source"] == "Residual" else row for row in whole["anova_sequential"]],
            "judge_adjusted": {"F": judge["f"], "p": judge["p"]} if judge else None,
            **{k: whole[k] for k in ("f_entry", "p_entry", "mse", "df_error", "entry_means")},
            "df": whole["df_error"],
            "sed_average": whole.get("sed", {}).get("average"),
            "pairwise": whole.get("pairwise", []),
            "vs_check": [row | interval(row) for row in whole.get("vs_check", {}).get("table", [])],
        },
        "rank_test_any_pattern": asdict(found.ranks) if found.ranks else None,
        "kendall_w": {
            "w_ties": agreed.w,
            "w_without_tie_correction": agreed.w_uncorrected,
            "chisq": agreed.chi_square,
            "df": agreed.df,
            "p": agreed.p,
            "mean_spearman_between_judges": (len(found.judges) * agreed.w - 1) / (len(found.judges) - 1),
        }
        if agreed
        else None,
        "judge_agreement": [{"judge": j.judge, "correlation_with_mean_of_others": j.agreement} for j in found.judges],
        "consistency_all": {"pairs": found.pairs, "sd_within": found.sd_within, "pearson": found.pearson},
    }
    if found.pairs:
        figures["judge_consistency"] = [
            {
                "judge": j.judge,
                "pairs": j.pairs,
                "mean_difference": j.mean_difference,
                "mean_absolute_difference": j.mean_absolute_difference,
                "sd_within": j.sd_within,
                "exact_agreement": j.exact,
            }
            for j in found.judges
        ]
    if agreed:
        figures["friedman"] = _friedman(found, check)
    return figures


def _friedman(found: Panel, check: str | None) -> Json:
    """Ranks within judges where every judge tasted every entry, each pair by the normal spread of rank sums (ties corrected) and by
    Conover's (1999) t."""
    cells = [(j, e, v) for (j, e), v in found.cells.items()]
    ranked = compare_ranks([e for _, e, _ in cells], [v for *_, v in cells], [j for j, _, _ in cells])
    b, k = len(found.judges), len(ranked.entries)
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
