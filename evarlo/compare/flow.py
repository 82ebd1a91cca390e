"""How the harvest came in over the season: cumulative curves by entry, and by when half of it was in."""

from __future__ import annotations

from bisect import bisect_right
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from math import sqrt
from typing import Any

from evarlo.catalogue.models import Trait
from evarlo.compare.analysis import Comparison
from evarlo.compare.queries import compare, guard_of
from evarlo.harvest.queries import areas, yields
from evarlo.nursery.queries import sown_on
from evarlo.trials.models import Entry, Trial
from evarlo.trials.queries import entry_names, left_out, plots_of
from evarlo.ui.words import days_later
from evarlo.walks.queries import lasted
from trialcore.field.picks import PlotYield
from trialcore.field.stages import StageDates, StageMean
from trialcore.field.standing import analyse_standing
from trialcore.inference.distributions import t_quantile

HALF, STILL = "days-to-half-yield", "still-marketable"
LEVEL = 0.975  # of Student's t by which a mean is held to its band
WEEK = 7


@dataclass(frozen=True)
class Running:
    """An entry's mean cumulative marketable yield (kg/m²) after each day of picking, with the half-width of its band."""

    day: date
    mean: float
    half: float


@dataclass(frozen=True)
class EntryFlow:
    """One entry: its plots' seasons, its curve, and on which day the mean of its plots had half of their yield."""

    entry: Entry
    name: str
    seasons: tuple[PlotYield, ...]
    curve: tuple[Running, ...]
    half_on: date | None

    def mean(self, figure: str) -> float | None:
        """The mean of a figure over the plots that have it."""
        values = [float(v) for s in self.seasons if (v := getattr(s, figure)) is not None]
        return sum(values) / len(values) if values else None

    @property
    def total(self) -> float | None:
        """kg/m²"""
        return self.mean("kg_per_m2")

    @property
    def standing(self) -> float | None:
        """g a plant that stood"""
        return self.mean("g_per_plant")

    @property
    def set_out(self) -> float | None:
        """g a plant that was set out"""
        return self.mean("g_per_plant_set_out")

    @property
    def piece(self) -> float | None:
        """g a piece"""
        return self.mean("piece_g")

    @property
    def share(self) -> float | None:
        """Marketable, %"""
        share = self.mean("marketable_share")
        return None if share is None else 100 * share

    @property
    def side(self) -> float | None:
        """Side harvest, kg/m²"""
        return self.mean("side_kg_per_m2")

    @property
    def dry(self) -> float | None:
        """Dry or ripe harvest as weighed, kg/m²"""
        return self.mean("dry_kg_per_m2")

    @property
    def late(self) -> float | None:
        """Over-mature, %"""
        share = self.mean("overmature_share")
        return None if share is None else 100 * share

    @property
    def in_window(self) -> float | None:
        """Picked in its window, %"""
        share = self.mean("in_window_share")
        return None if share is None else 100 * share

    @property
    def pieces(self) -> float | None:
        """Marketable pieces a plot"""
        return self.mean("pieces")

    @property
    def grading_se(self) -> float | None:
        """Standard error (kg a plot) from lots of which only some were graded"""
        return self.mean("grading_se_kg") or None

    @property
    def first(self) -> date | None:
        return min((s.first_pick for s in self.seasons if s.first_pick), default=None)

    @property
    def last(self) -> date | None:
        return max((s.flow.last for s in self.seasons if s.flow), default=None)

    @property
    def peak(self) -> date | None:
        """The day of picking on which its plots together gave most."""
        before = [0.0, *(r.mean for r in self.curve[:-1])]
        gained = [(r.mean - so_far, r.day) for so_far, r in zip(before, self.curve, strict=True)]
        return max(gained)[1] if gained else None

    @property
    def evenness(self) -> float | None:
        values = [s.flow.evenness for s in self.seasons if s.flow and s.flow.evenness is not None]
        return 100 * sum(values) / len(values) if values else None


@dataclass(frozen=True)
class TrialFlow:
    """Every entry, the highest yield first, and the comparison of the days to half of it; None before anything was picked."""

    entries: tuple[EntryFlow, ...]
    half: Comparison | None

    def has(self, figure: str) -> bool:
        """Whether any entry has some of it."""
        return any(getattr(e, figure) for e in self.entries)


def flow_of(trial: Trial, user: Any) -> TrialFlow:
    """The flow of a trial's harvest; plots that are left out are not in it."""
    names, out, seasons, area = entry_names(trial, user), left_out([trial]), yields(trial), areas(trial)
    by_entry: dict[int, list[int]] = defaultdict(list)
    entries: dict[int, Entry] = {}
    for plot in plots_of(trial):
        if plot.pk in seasons and plot.pk not in out:
            by_entry[plot.entry_id].append(plot.pk)
            entries[plot.entry_id] = plot.entry
    days = sorted({day for pk in seasons if pk not in out and (f := seasons[pk].flow) for day, _ in f.cumulative})
    sown = sown_on(trial)
    made = []
    for pk, plots in by_entry.items():
        here = [seasons[p] for p in plots]
        curve = _curve(here, [area[p] for p in plots], days)
        halves = [(sown[p], s.flow.to_half) for p, s in zip(plots, here, strict=True) if s.flow and s.flow.to_half and p in sown]
        half_on = None
        if halves:
            half_on = days_later(min(on for on, _ in halves), sum(d for _, d in halves) / len(halves))
        made.append(EntryFlow(entries[pk], names[pk], tuple(here), curve, half_on))
    made.sort(key=lambda e: -(e.curve[-1].mean if e.curve else 0.0))
    half = compare(trial, Trait.objects.get(key=HALF), user, guard_of(trial)) if days else None
    return TrialFlow(tuple(made), half)


@dataclass(frozen=True)
class Standing:
    """How long entries stayed fit to sell in the field, with a sentence's worth of the check."""

    dates: StageDates
    rows: tuple[tuple[str, StageMean, tuple[float, float, float] | None], ...]  # name, days, and how they differ from the check


def standing_ability(trial: Trial, user: Any) -> Standing | None:
    """From the looks whether a plot is still marketable; None before any was ready."""
    trait = Trait.objects.filter(key=STILL).first()
    seen = lasted(trial, trait) if trait else {}
    out, names = left_out([trial]), entry_names(trial, user)
    plots = [p for p in plots_of(trial) if p.pk not in out]
    if not any(p.pk in seen for p in plots):
        return None
    blocks = [p.block for p in plots] if len({p.block for p in plots}) > 1 else None
    dates = analyse_standing([p.entry.code for p in plots], [seen.get(p.pk) for p in plots], blocks)
    by_code = {p.entry.code: names[p.entry_id] for p in plots}
    check = next((p.entry.code for p in plots if p.entry.is_check), None)
    try:
        versus = {e: (d, se, p) for e, d, se, p in dates.against(check)} if check else {}
    except KeyError:
        versus = {}
    ordered = sorted(dates.means, key=lambda m: -(m.days or 0.0))
    return Standing(dates, tuple((by_code[m.entry], m, versus.get(m.entry)) for m in ordered))


def weeks_of(trial: Trial) -> list[tuple[str, dict[int, float]]]:
    """What each plot gave in each week of picking, in kg/m², the weeks counted from the first pick of the trial. A plot that is
    left out is in none."""
    out, seasons, area = left_out([trial]), yields(trial), areas(trial)
    kept = {pk: s.flow.cumulative for pk, s in seasons.items() if pk not in out and s.flow and area[pk]}
    days = [day for some in kept.values() for day, _ in some]
    if not days:
        return []
    first, last = min(days), max(days)
    made = []
    for n in range((last - first).days // WEEK + 1):
        start = first + timedelta(days=WEEK * n)
        end = start + timedelta(days=WEEK - 1)
        values = {}
        for pk, some in kept.items():
            values[pk] = (_so_far(some, end) - _so_far(some, start - timedelta(days=1))) / area[pk]
        made.append((f"{start:%-d %b} to {end:%-d %b}", values))
    return made


def _curve(seasons: Sequence[PlotYield], area: Sequence[float], days: Sequence[date]) -> tuple[Running, ...]:
    """The mean over plots of what was in by each day, by the square metre; a plot gives what it gave until then."""
    made = []
    for day in days:
        values = [_by(s, day) / a for s, a in zip(seasons, area, strict=True) if a]
        mean = sum(values) / len(values)
        spread = sqrt(sum((v - mean) ** 2 for v in values) / (len(values) - 1) / len(values)) if len(values) > 1 else 0.0
        half = t_quantile(LEVEL, len(values) - 1) * spread if len(values) > 1 else 0.0
        made.append(Running(day, mean, half))
    return tuple(made)


def _by(season: PlotYield, day: date) -> float:
    return _so_far(season.flow.cumulative, day) if season.flow else 0.0


def _so_far(cumulative: Sequence[tuple[date, float]], day: date) -> float:
    """What was in by a day, of kilograms that only grow."""
    at = bisect_right(cumulative, day, key=lambda x: x[0])
    return cumulative[at - 1][1] if at else 0.0
