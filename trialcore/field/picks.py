"""From the picks of a plot to its yield and earliness."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date, timedelta
from itertools import accumulate
from math import log, sqrt

from trialcore.field.stages import days_between
from trialcore.field.stand import Stand


@dataclass(frozen=True)
class Pick:
    """What was taken from a plot on a day: weights in kilograms, counts in pieces (None when not counted)."""

    day: date
    marketable_kg: float
    cull_kg: float = 0.0
    marketable_count: int | None = None
    cull_count: int | None = None
    overmature_kg: float = 0.0  # of what was culled
    undersize_kg: float = 0.0  # of what was culled
    damaged_kg: float = 0.0  # of what was culled
    side_kg: float = 0.0  # of what is marketable: shoots after heads, a later grade
    dry_kg: float = 0.0  # of what is marketable: ripe or dry, another use of the same plants
    grading_se_kg: float = 0.0  # of what is marketable, where only some of the lot were graded


@dataclass(frozen=True)
class PlotYield:
    """A plot's season. Figures that lack what they are reckoned from are None."""

    picks: int
    marketable_kg: float
    """Of the use in which it is picked first, main and side parts; what was left to dry or ripen is apart."""
    cull_kg: float
    kg_per_m2: float | None
    g_per_plant: float | None
    """By the plants that stood at each pick; cut once, by those that stood at the first."""
    g_per_plant_set_out: float | None
    plants: int | None
    """Plants at the first pick."""
    piece_g: float | None
    marketable_share: float | None
    """Marketable part of all weight picked, 0 to 1."""
    first_pick: date | None
    days_to_first_pick: int | None
    pieces: int | None
    """Marketable pieces, where every pick with a weight was counted."""
    overmature_share: float | None
    """Over-mature or oversize part of all weight picked, 0 to 1."""
    in_window_share: float | None
    """Part of all weight picked that was neither too small nor over-mature, 0 to 1."""
    side_kg_per_m2: float | None
    dry_kg_per_m2: float | None
    damaged_share: float | None
    """Part of all weight picked that was damaged in picking, 0 to 1."""
    grading_se_kg: float
    """Standard error of `marketable_kg` since only some of a lot were graded; 0 where all were."""
    flow: Flow | None


def plot_yield(picks: Sequence[Pick], area_m2: float | None, stand: Stand, sown: date | None, once: bool = False) -> PlotYield:
    """Sum the picks of one plot.

    `area_m2` is the net plot, `stand` its plants over the season, `sown` its sowing date; `once` where each plant is picked only
    once, so that fewer standing later were picked and not lost. A first pick with marketable
    weight counts as first edible; piece weight uses only picks that were counted. A sowing date after the first pick
    cannot be right, so it gives no days.
    """
    picks = [replace(p, marketable_kg=max(0.0, round(p.marketable_kg - p.dry_kg, 9))) for p in picks]
    if picks and all(p.dry_kg and not p.marketable_kg and not p.cull_kg for p in picks):
        area_then, plants_then = None, None  # picked dry alone: of the first use nothing is known
    else:
        area_then, plants_then = area_m2, stand.set_out
    good = sum(p.marketable_kg for p in picks)
    cull = sum(p.cull_kg for p in picks)
    apart = [p for p in picks if not p.dry_kg]  # pieces of a pick that held both are of both
    counted = [p for p in apart if p.marketable_count]
    pieces = sum(p.marketable_count or 0 for p in counted)
    first = min((p.day for p in picks if p.marketable_kg > 0), default=None)
    return PlotYield(
        picks=len(picks),
        marketable_kg=good,
        cull_kg=cull,
        kg_per_m2=good / area_then if area_then else None,
        g_per_plant=_per_plant(picks, stand, once) if area_then or not area_m2 else None,
        g_per_plant_set_out=1000 * good / plants_then if plants_then else None,
        plants=stand.on(min(p.day for p in picks)) if picks else None,
        piece_g=1000 * sum(p.marketable_kg for p in counted) / pieces if pieces else None,
        marketable_share=good / (good + cull) if good + cull > 0 else None,
        first_pick=first,
        days_to_first_pick=days_between(sown, first) if sown and first and sown <= first else None,
        pieces=pieces if good > 0 and all(p.marketable_count and not p.dry_kg for p in picks if p.marketable_kg > 0) else None,
        overmature_share=sum(p.overmature_kg for p in picks) / (good + cull) if good + cull > 0 else None,
        in_window_share=1 - sum(p.overmature_kg + p.undersize_kg for p in picks) / (good + cull) if good + cull > 0 else None,
        side_kg_per_m2=sum(p.side_kg for p in picks) / area_m2 if area_m2 else None,
        dry_kg_per_m2=sum(p.dry_kg for p in picks) / area_m2 if area_m2 else None,
        damaged_share=sum(p.damaged_kg for p in picks) / (good + cull) if good + cull > 0 else None,
        grading_se_kg=sqrt(sum(p.grading_se_kg**2 for p in picks)),
        flow=harvest_flow(picks, sown),
    )


def _per_plant(picks: Sequence[Pick], stand: Stand, once: bool) -> float | None:
    """Marketable grams a plant; None without plants to divide by."""
    if not picks:
        return None
    begun = min(p.day for p in picks)
    grams = 0.0
    for pick in picks:
        plants = stand.on(begun if once else pick.day)
        if pick.marketable_kg and not plants:
            return None
        grams += 1000 * pick.marketable_kg / plants if plants else 0.0
    return grams if stand.on(begun) else None


@dataclass(frozen=True)
class Flow:
    """How the harvest of a plot came in, in days. `to_half` is from sowing to half of the marketable weight, straight
    between picks; `span` from first to last marketable pick; `evenness` is 1 when every pick weighed the same and 0 when
    all came at once (normalised entropy, Pielou 1966); `peak` the day of the heaviest pick."""

    first: date
    last: date
    span: int
    half: date
    to_half: float | None
    peak: date
    evenness: float | None
    cumulative: tuple[tuple[date, float], ...]


def harvest_flow(picks: Sequence[Pick], sown: date | None = None) -> Flow | None:
    """The flow of one plot's marketable weight; None when nothing marketable was picked. Picks of one day are added; a day on
    which nothing was there to pick is a pick of nought."""
    by_day: dict[date, float] = {}
    for pick in picks:
        by_day[pick.day] = by_day.get(pick.day, 0.0) + pick.marketable_kg
    filled = sorted(d for d, kg in by_day.items() if kg > 0)
    if not filled:
        return None
    days = sorted(d for d in by_day if d <= filled[-1])
    running = list(accumulate(by_day[d] for d in days))
    total = running[-1]
    at = next(i for i, kg in enumerate(running) if kg >= total / 2 - 1e-12)
    before, start = (running[at - 1], days[at - 1]) if at else (0.0, days[0])
    part = (total / 2 - before) / (running[at] - before) if at else 1.0
    past = (start - days[0]).days + part * (days[at] - start).days
    shares = [by_day[d] / total for d in filled]
    evenness = -sum(s * log(s) for s in shares) / log(len(days)) if len(days) > 1 else None
    return Flow(
        filled[0],
        filled[-1],
        (filled[-1] - filled[0]).days,
        days[0] + timedelta(days=round(past)),
        (days[0] - sown).days + past if sown and sown <= days[0] else None,
        max(days, key=lambda d: by_day[d]),
        evenness,
        tuple(zip(days, running, strict=True)),
    )
