"""From the picks of a plot to its yield and earliness."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from trialcore.stages import days_between


@dataclass(frozen=True)
class Pick:
    """What was taken from a plot on a day: weights in kilograms, counts in pieces (None when not counted)."""

    day: date
    marketable_kg: float
    cull_kg: float = 0.0
    marketable_count: int | None = None
    cull_count: int | None = None


@dataclass(frozen=True)
class PlotYield:
    """A plot's season. Figures that lack what they are reckoned from are None."""

    picks: int
    marketable_kg: float
    cull_kg: float
    kg_per_m2: float | None
    g_per_plant: float | None
    piece_g: float | None
    marketable_share: float | None
    """Marketable part of all weight picked, 0 to 1."""
    first_pick: date | None
    days_to_first_pick: int | None


def plot_yield(picks: Sequence[Pick], area_m2: float | None, plants: int | None, sown: date | None) -> PlotYield:
    """Sum the picks of one plot.

    `area_m2` is the net plot, `plants` the stand it carried, `sown` its sowing date. A first pick with marketable
    weight counts as first edible; piece weight uses only picks that were counted. A sowing date after the first pick
    cannot be right, so it gives no days.
    """
    good = sum(p.marketable_kg for p in picks)
    cull = sum(p.cull_kg for p in picks)
    counted = [p for p in picks if p.marketable_count]
    pieces = sum(p.marketable_count or 0 for p in counted)
    first = min((p.day for p in picks if p.marketable_kg > 0), default=None)
    return PlotYield(
        picks=len(picks),
        marketable_kg=good,
        cull_kg=cull,
        kg_per_m2=good / area_m2 if area_m2 else None,
        g_per_plant=1000 * good / plants if plants else None,
        piece_g=1000 * sum(p.marketable_kg for p in counted) / pieces if pieces else None,
        marketable_share=good / (good + cull) if good + cull > 0 else None,
        first_pick=first,
        days_to_first_pick=days_between(sown, first) if sown and first and sown <= first else None,
    )
