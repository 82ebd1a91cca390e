"""Figures of a keeping test: entries by themselves, and against the check."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict
from math import log
from typing import Any

from trialcore.analyses.keeping import SHAPES, Keeping, keeping, lots_from, turnbull
from trialcore.formats.figures.blocks import Json


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
        "share_sound": [
            {"entry": e, "days": [{"day": d, "share": s} for d, s in turnbull([x for x in lots if x.entry == e])]} for e in entries
        ],
    }


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
    common = {"logLik": alike.log_likelihood, "scale": alike.scale, "vs_check": versus}
    return {"per_entry": per_entry, "common_scale": common, "lot_spread": by_lot.spread, "df": by_lot.df, "vs_check_lots": lots}
