"""Runs the science on the records of a trial."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from math import floor, log10
from typing import Any

from evarlo.catalogue.models import Trait
from evarlo.trials.models import Cause, Criterion, Entry, Exclusion, Plot, Trial
from evarlo.trials.queries import entry_names, plots_of, readings_of
from evarlo.trials.registry import Reading, Readings, registry
from trialcore.analyses.blocks import BlockAnalysis, EntryMean, analyse_blocks
from trialcore.analyses.incomplete import IncompleteBlocks, analyse_incomplete, recovered_standing
from trialcore.analyses.two_factors import LayoutName, TwoFactorStanding, standing_of_entries
from trialcore.inference.comparisons import AgainstCheck, Difference, Guard, against_check, chance_above, spread_of_differences

LAYOUTS: dict[str, LayoutName] = {
    Trial.Design.SPLIT: "split-plot", Trial.Design.STRIP: "strip-plot", Trial.Design.FACTORIAL: "factorial",
}  # fmt: skip


@dataclass(frozen=True)
class PlotValue:
    """One plot in the analysis: its value, or None and why it is left out."""

    plot: Plot
    value: float | None
    left_out: str = ""
    counted_as: str = ""


@dataclass(frozen=True)
class Standing:
    """One entry in the comparison, figures in the trait's unit. What cannot be said is None."""

    entry: Entry
    name: str
    mean: EntryMean
    difference: Difference | None
    half: float | None
    percent: float | None
    chance: float | None

    @property
    def beats(self) -> int:
        """1 when it is ahead of the check beyond luck, -1 behind, 0 when it could be luck; by the chosen guard."""
        if self.difference is None or self.half is None or abs(self.difference.estimate) < self.half:
            return 0
        return 1 if (self.chance or 0) > 0.5 else -1


@dataclass(frozen=True)
class Worked:
    """What the science found: the least-squares analysis, the means and differences to show, the share of the noise that
    blocks took out, and the incomplete blocks or the second factor where there are any. With a second factor `analysis` is
    that of its combinations with the entries."""

    analysis: BlockAnalysis
    means: tuple[EntryMean, ...]
    versus: AgainstCheck | None
    noise_out: float | None
    incomplete: IncompleteBlocks | None = None
    two: TwoFactorStanding | None = None

    @property
    def recovered(self) -> bool:
        return self.incomplete is not None and self.incomplete.recovered is not None


@dataclass(frozen=True)
class Comparison:
    trial: Trial
    trait: Trait
    sign: int
    guard: Guard
    check: Entry | None
    check_name: str
    worked: Worked
    standings: tuple[Standing, ...]
    plots: tuple[PlotValue, ...]
    digits: int
    band: float | None  # a difference from the check below this could be luck
    band_percent: float | None

    @property
    def check_code(self) -> str | None:
        return self.check.code if self.check else None

    @property
    def analysis(self) -> BlockAnalysis:
        return self.worked.analysis

    @property
    def versus(self) -> AgainstCheck | None:
        return self.worked.versus

    @property
    def left_out(self) -> list[PlotValue]:
        return [p for p in self.plots if p.left_out]

    @property
    def counted_as(self) -> list[PlotValue]:
        return [p for p in self.plots if p.counted_as]

    @property
    def misled(self) -> list[Standing]:
        """Entries of complete blocks without a second factor whose lost plots put their plain average off by half a standard
        error of a difference or more. Elsewhere every plain average is off, so none is singled out."""
        if self.worked.incomplete is not None or self.worked.two is not None:
            return []
        return [
            s
            for s in self.standings
            if s.mean.raw_mean is not None
            and s.mean.lsmean is not None
            and s.difference is not None
            and abs(s.mean.raw_mean - s.mean.lsmean) >= 0.5 * s.difference.se
        ]

    @property
    def check_mean(self) -> float | None:
        return next((s.mean.lsmean for s in self.standings if self.check and s.entry.pk == self.check.pk), None)

    @property
    def noise_percent(self) -> int | None:
        """Percent of the noise that blocks took out; not below nought."""
        share = self.worked.noise_out
        return None if share is None else max(0, round(100 * share))


def plot_values(trial: Trial, trait: Trait, plots: list[Plot], readings: Readings) -> tuple[PlotValue, ...]:
    """What each plot brings to the analysis, with the reason for each that is left out."""
    return tuple(_plot_value(plot, readings.get(plot.pk), trait) for plot in plots)


def _plot_value(plot: Plot, reading: Reading | None, trait: Trait) -> PlotValue:
    standing: list[Exclusion] = plot.standing  # type: ignore[attr-defined]
    if standing:
        return PlotValue(plot, None, f"{standing[0].get_cause_display()}: {standing[0].note}")
    if reading is None:
        return PlotValue(plot, None, "no record")
    if reading.number is not None:
        return PlotValue(plot, reading.number)
    if reading.cause == Cause.FAILED and trait.failed_counts_as is not None:
        return PlotValue(plot, trait.failed_counts_as, counted_as=f"the cultivar failed, counted as {trait.failed_counts_as:g}")
    if reading.cause:
        said = Cause(reading.cause).label + (f": {reading.note}" if reading.note else "")
        if reading.cause == Cause.FAILED:
            said += " (leaving it out flatters the cultivar)"
        return PlotValue(plot, None, said)
    if reading.day is not None:
        return PlotValue(plot, None, "no sowing date, so no days can be counted")
    return PlotValue(plot, None, "no figure")


@lru_cache(maxsize=256)
def _worked_out(
    entries: tuple[str, ...],
    values: tuple[float | None, ...],
    reps: tuple[str, ...] | None,
    inner: tuple[str, ...] | None,
    check: str | None,
) -> Worked:
    """The same data always give the same figures, so they are reckoned once."""
    if reps and inner:
        return _in_incomplete_blocks(entries, values, reps, inner, check)
    return _least_squares(entries, values, {"rep": reps} if reps else None, check)


@lru_cache(maxsize=64)
def _in_a_square(
    entries: tuple[str, ...], values: tuple[float | None, ...], rows: tuple[str, ...], cols: tuple[str, ...], check: str | None
) -> Worked:
    return _least_squares(entries, values, {"row": rows, "column": cols}, check)


def _least_squares(
    entries: tuple[str, ...], values: tuple[float | None, ...], blocking: dict[str, tuple[str, ...]] | None, check: str | None
) -> Worked:
    analysis = analyse_blocks(entries, values, blocking)
    known = check is not None and any(m.entry == check for m in analysis.means)
    versus = against_check(analysis, check) if known and check is not None else None
    return Worked(analysis, analysis.means, versus, analysis.noise_taken_out if analysis.blocking else None)


@lru_cache(maxsize=256)
def _worked_out_two(
    design: str, entries: tuple[str, ...], levels: tuple[str, ...], values: tuple[float | None, ...], reps: tuple[str, ...],
    entries_whole: bool, check: str | None,
) -> Worked:  # fmt: skip
    """Entries over the levels of a second factor, each comparison against the error of its own stratum."""
    found = standing_of_entries(LAYOUTS[design], entries, levels, values, reps, entries_whole, check)
    return Worked(found.cells, found.means, found.versus, None, two=found)


def _in_incomplete_blocks(
    entries: tuple[str, ...], values: tuple[float | None, ...], reps: tuple[str, ...], inner: tuple[str, ...], check: str | None
) -> Worked:
    found = analyse_incomplete(entries, values, inner, reps)
    means, versus = recovered_standing(found, check)
    noise = None
    if found.recovered is not None and found.complete is not None and (plain := spread_of_differences(found.complete)):
        noise = 1 - (float(found.recovered.fit.differences(found.recovered.rows).se_kr.mean()) / plain.average) ** 2
    return Worked(found.intra, means, versus, noise, found)


def compare(trial: Trial, trait: Trait, user: Any, guard: Guard = "each") -> Comparison:
    """Analyse one trait of a trial and set every entry against the check, the best first."""
    plots = plots_of(trial)
    return compare_plots(trial, trait, plots, entry_names(trial, user), guard)


def compare_plots(trial: Trial, trait: Trait, plots: list[Plot], names: dict[int, str], guard: Guard = "each") -> Comparison:
    """As `compare`, for plots and names that were read already."""
    values = plot_values(trial, trait, plots, readings_of(trial, trait))
    entries = {p.entry.pk: p.entry for p in plots}
    check = next((e for e in entries.values() if e.is_check), None)
    worked = _worked(trial, plots, tuple(v.value for v in values), check.code if check else None)
    versus = worked.versus
    sign = direction_of(trial, trait)
    critical = None
    if versus is not None:
        critical = versus.critical_family if guard == "family" else versus.critical_each
    differences = {d.a: d for d in versus.differences} if versus else {}
    means = {m.entry: m for m in worked.means}
    base = means[check.code].lsmean if check else None
    standings = [_standing(e, names[e.pk], means[e.code], differences.get(e.code), critical, base, sign) for e in entries.values()]
    standings.sort(key=lambda s: (s.mean.lsmean is None, -sign * (s.mean.lsmean or 0), s.entry.code))
    against = [d.se for d in differences.values()]
    spread = None if worked.two else spread_of_differences(worked.analysis)
    typical = spread.average if spread else sum(against) / len(against) if against else None
    band = critical * sum(against) / len(against) if critical and against else None
    return Comparison(
        trial,
        trait,
        sign,
        guard,
        check,
        names[check.pk] if check else "",
        worked,
        tuple(standings),
        values,
        digits=digits_for(typical, trait.decimals),
        band=band,
        band_percent=100 * band / base if band and base and base > 0 else None,
    )


@dataclass(frozen=True)
class Years:
    """The output of some years on the same plots, summed: each entry's mean by year (units a m²) and over all of
    them."""

    trials: tuple[Trial, ...]
    unit: str
    digits: int
    rows: tuple[tuple[Standing, tuple[float | None, ...]], ...]
    lost: int  # plots of which a year is missing
    versus: AgainstCheck | None


def over_years(trial: Trial, user: Any) -> Years:
    """Sum what each plot bore over the trial and those before it, in the declared unit, and compare the sums by the trial's own
    design. A plot left out in any year, or without a pick in it, has no sum."""
    trait = Trait.objects.get(key="marketable-yield")
    years = trial.years
    plots, names = plots_of(trial), entry_names(trial, user)
    by_number: list[dict[str, float]] = []
    for year in years:
        there = plots_of(year)
        values = plot_values(year, trait, there, readings_of(year, trait))
        by_number.append({v.plot.number: v.value * year.output_per_kg for v in values if v.value is not None})
    sums = tuple(sum(b[p.number] for b in by_number) if all(p.number in b for b in by_number) else None for p in plots)
    entries = {p.entry.pk: p.entry for p in plots}
    check = next((e for e in entries.values() if e.is_check), None)
    worked = _worked(trial, plots, sums, check.code if check else None)
    differences = {d.a: d for d in worked.versus.differences} if worked.versus else {}
    critical = worked.versus.critical_each if worked.versus else None
    means = {m.entry: m for m in worked.means}
    base = means[check.code].lsmean if check else None
    rows = []
    for e in entries.values():
        own = [p.number for p in plots if p.entry_id == e.pk]
        yearly = tuple(_mean([b[n] for n in own if n in b]) for b in by_number)
        rows.append((_standing(e, names[e.pk], means[e.code], differences.get(e.code), critical, base, 1), yearly))
    rows.sort(key=lambda r: (r[0].mean.lsmean is None, -(r[0].mean.lsmean or 0), r[0].entry.code))
    se = [d.se for d in differences.values()]
    digits = digits_for(sum(se) / len(se) if se else None, 1)
    return Years(tuple(years), f"{trial.output_unit or 'kg'}/m²", digits, tuple(rows), sum(v is None for v in sums), worked.versus)


def _mean(values: list[float]) -> float | None:
    return sum(values) / len(values) if values else None


def _worked(trial: Trial, plots: list[Plot], values: tuple[float | None, ...], check: str | None) -> Worked:
    """By the model that the trial's design asks for."""
    codes, reps = tuple(p.entry.code for p in plots), tuple(p.block for p in plots)
    if trial.two_factors:
        levels = tuple(p.level for p in plots)
        return _worked_out_two(trial.design, codes, levels, values, reps, trial.entries_whole, check)
    match trial.design:
        case Trial.Design.NO_BLOCKS:
            return _worked_out(codes, values, None, None, check)
        case Trial.Design.INCOMPLETE | Trial.Design.PAIRS:
            return _worked_out(codes, values, reps, tuple(p.inner for p in plots), check)
        case Trial.Design.LATIN:
            return _in_a_square(codes, values, tuple(str(p.row) for p in plots), tuple(str(p.col) for p in plots), check)
    return _worked_out(codes, values, reps, None, check)


def said_of(trial: Trial) -> list[str]:
    """What events and care add to every comparison, in words."""
    return [words for source in registry.marks for words in source(trial)]


def direction_of(trial: Trial, trait: Trait) -> int:
    """+1 when higher is better in this trial, -1 when lower is."""
    criterion = Criterion.objects.filter(trial=trial, trait=trait).first()
    return criterion.sign if criterion else trait.sign


def _standing(
    entry: Entry, name: str, mean: EntryMean, d: Difference | None, critical: float | None, base: float | None, sign: int
) -> Standing:
    percent = 100 * mean.lsmean / base if mean.lsmean is not None and base is not None and base > 0 else None
    if d is None or critical is None:
        return Standing(entry, name, mean, None, None, percent, None)
    return Standing(entry, name, mean, d, critical * d.se, percent, chance_above(sign * d.estimate, d.se, d.df))


def digits_for(sed: float | None, least: int) -> int:
    """Decimals to print: two figures of the standard error of a difference, no fewer than the trait is recorded in."""
    if not sed:
        return least
    return max(0, min(6, 1 - floor(log10(sed))))
