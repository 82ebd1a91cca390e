"""Figures of a keeping test: entries by themselves, and against the check."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict
from itertools import combinations
from math import log, sqrt
from statistics import NormalDist
from typing import Any

import numpy as np

from trialcore.analyses.censored import Mass
from trialcore.analyses.keeping import SHAPES, Z95, Keeping, LotChecks, keeping, lost_between, lots_from, median_lost, sound_curve
from trialcore.formats.figures.blocks import Json
from trialcore.inference.comparisons import holm_adjusted


def keeping_figures(rows: Sequence[Mapping[str, Any]], check: str | None) -> Json:
    """Every figure, from lines as `lots_from` takes them, days in store. For each distribution: entries by themselves
    (`per_entry`), all on one scale with pieces independent (`common_scale`), and against the check widened for lots that differ
    (`vs_check_lots`). Raises ValueError for lines that cannot be, or a check that is none of the entries."""
    lots = lots_from(rows)
    entries = list(dict.fromkeys(lot.entry for lot in lots))
    if check is not None and check not in entries:
        raise ValueError(f"no line has the entry “{check}”")
    found = {shape: (keeping(lots, check, shape, lots_alike=True), keeping(lots, check, shape)) for shape in SHAPES}
    first = next(iter(found.values()))[0]
    likelier = max(SHAPES, key=lambda s: found[s][0].log_likelihood or 0.0)
    return {
        "check": check,
        "totals": [{k: v for k, v in asdict(e).items() if k in ("entry", "lots", "pieces", "lost")} for e in first.entries],
        "likelier": likelier,
        **{shape: _shape(alike, by_lot, check) for shape, (alike, by_lot) in found.items()},
        "entries_without_loss": [e.entry for e in first.entries if not e.lost],
        "turnbull": [{"entry": e, **_intervals([x for x in lots if x.entry == e])} for e in entries],
        "by_lot": [
            {"entry": x.entry, "lot": x.lot, "pieces": x.pieces, "lost": sum(x.lost), **_median_within(lost_between([x]))}
            for x in lots
        ],
        "share_sound": [
            {"entry": e, "days": [{"day": s.day, "share": s.share} for s in sound_curve([x for x in lots if x.entry == e])[1:]]}
            for e in entries
        ],
    }


def _intervals(lots: Sequence[LotChecks]) -> Json:
    masses = lost_between(lots)
    rows = [{"from": m.start, "to": m.end, "mass": m.mass, "cdf": m.cdf} for m in masses]
    return {"intervals": rows, **_median_within(masses)}


def _median_within(masses: Sequence[Mass]) -> Json:
    """Between which looks half was lost; none where more than half is sound still."""
    start, end = median_lost(masses)
    beyond = next((m.start for m in masses if m.end is None and m.cdf - m.mass < 0.5 - 1e-9), None)
    return {"median_from": beyond if end is None else start, "median_to": end}


def _shape(alike: Keeping, by_lot: Keeping, check: str | None) -> Json:
    per_entry = []
    for e in alike.entries:
        if e.median95 is None or e.days_to_90_95 is None:
            continue
        per_entry.append(
            {
                "entry": e.entry,
                "location": e.location,
                "location_se": e.location_se,
                "scale": e.scale,
                "log_scale_se": e.log_scale_se,
                "logLik": e.log_likelihood,
                "day_10pct": e.days_to_90,
                "day_10pct_lower95": e.days_to_90_95[0],
                "day_10pct_upper95": e.days_to_90_95[1],
                "day_10pct_log_se": log(e.days_to_90_95[1] / e.days_to_90_95[0]) / (2 * Z95),
                "median_log_se": log(e.median95[1] / e.median95[0]) / (2 * Z95),
                "median": e.median,
                "median_lower95": e.median95[0],
                "median_upper95": e.median95[1],
            }
        )
    versus = [
        {
            "entry": d.entry,
            "check": check,
            "estimate": d.estimate,
            "se": d.se,
            "z": d.estimate / d.se,
            "p_unadjusted": d.p,
            "lower95": log(d.ratio95[0]),
            "upper95": log(d.ratio95[1]),
        }
        for d in alike.vs_check
    ]
    lots = [
        {"entry": d.entry, "check": check, "ratio": d.ratio, "ratio_lower95": d.ratio95[0], "ratio_upper95": d.ratio95[1], "p": d.p}
        for d in by_lot.vs_check
    ]
    for row, p in zip(versus, holm_adjusted(np.array([row["p_unadjusted"] for row in versus])), strict=True) if versus else ():
        row["p_holm"] = float(p)
    common = {"logLik": alike.log_likelihood, "scale": alike.scale, "vs_check": versus, **_locations(alike)}
    return {"per_entry": per_entry, "common_scale": common, "lot_spread": by_lot.spread, "df": by_lot.df, "vs_check_lots": lots}


def _locations(alike: Keeping) -> Json:
    """The location of the first entry and how the others differ from it, on the log of days, pieces counted as independent."""
    if alike.locations is None or alike.covariance is None:
        return {}
    at, covariance, rows = alike.locations, alike.covariance, []
    for i, entry in enumerate(alike.told):
        estimate = float(at[i] - at[0]) if i else float(at[0])
        variance = covariance[i, i] + (covariance[0, 0] - 2 * covariance[0, i] if i else 0.0)
        se = sqrt(float(variance))
        p = 2 * NormalDist().cdf(-abs(estimate) / se)
        rows.append(
            {"term": f"entry{entry}" if i else "(Intercept)", "estimate": estimate, "se": se, "stat": estimate / se, "p": p}
        )
    pairs = combinations(range(len(at)), 2)
    sed = [sqrt(float(covariance[i, i] + covariance[j, j] - 2 * covariance[i, j])) for i, j in pairs]
    lr = alike.differ
    return {
        "coefficients": rows,
        "entry_lr": {"chisq": lr[0], "df": lr[1], "p": lr[2]} if lr else None,
        "sed_average": sum(sed) / len(sed) if sed else None,
    }


def keeping_shown(rows: Sequence[Mapping[str, Any]], check: str | None) -> list[Json]:
    """What the page of a keeping test shows of each entry: the median in days, by the likelier distribution, and its ratio to that
    of the check as a difference of medians; `n` are lots."""
    found = keeping(lots_from(rows), check)
    medians = {e.entry: e.median for e in found.entries}
    base = medians.get(check or "")
    versus = {d.entry: d for d in found.vs_check}
    made = []
    for e in found.entries:
        ends, d = found.median95(e), versus.get(e.entry)
        told = e.median is not None and base is not None
        made.append(
            {
                "entry": e.entry,
                "n": e.lots,
                "mean": e.median,
                "mean_lower95": ends[0] if ends else None,
                "mean_upper95": ends[1] if ends else None,
                "difference": e.median - base if told and e.median is not None and base is not None else None,
                "lower95": base * (d.ratio95[0] - 1) if d and base is not None else None,
                "upper95": base * (d.ratio95[1] - 1) if d and base is not None else None,
                "expected_advantage": None,
                "chance": None,
            }
        )
    return made
