"""The science of a comparison: values of plots in, every entry set against the check out. Nothing here reads the database."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from math import floor, log10

from evarlo.catalogue.models import Trait
from evarlo.trials.columns import DESIGNS, columns_of
from evarlo.trials.models import Cause, Entry, Exclusion, Plot, Trial
from evarlo.trials.registry import Reading, Readings
from evarlo.ui.words import counted
from trialcore.analyses.blocks import BlockAnalysis, EntryMean
from trialcore.analyses.choice import Kind
from trialcore.analyses.entries import EntryComparison, compare_entries
from trialcore.field.standing import Stood
from trialcore.inference.comparisons import AgainstCheck, Difference, Guard, chance_above
from trialcore.inference.distributions import t_quantile
from trialcore.inference.season_means import SeasonMeans
from trialcore.inference.shrunken import Advantage, Shrunken
from trialcore.inference.verdict import Prospect

NO_RECORD = "no record"
NOT_SURE = (0.05, 0.95)  # between these a chance is called so
KINDS: dict[str, Kind] = {
    Trait.Kind.MEASURE: "measure",
    Trait.Kind.COUNT: "count",
    Trait.Kind.PERCENT: "share",
    Trait.Kind.AFFECTED: "share",
    Trait.Kind.YES_NO: "share",
    Trait.Kind.SCORE: "score",
    Trait.Kind.DATE: "days",
    Trait.Kind.CATEGORY: "category",
}


@dataclass(frozen=True)
class PlotValue:
    """One plot in the analysis: its value, or None and why it is left out."""

    plot: Plot
    value: float | None
    left_out: str = ""
    counted_as: str = ""
    among: int | None = None  # units that a share was counted among
    after: float | None = None  # days from sowing to the last walk on which a stage was not seen yet


@dataclass(frozen=True)
class EntryResult:
    """One entry in a comparison, figures in the trait's unit. What cannot be said is None."""

    entry: Entry
    name: str
    mean: EntryMean
    difference: Difference | None
    half: float | None
    percent: float | None
    flat: float | None  # the chance that it is better, as if nothing but its own plots were known
    chance: float | None  # the same, allowing for the best of many looking better than it is
    kept: float | None = None  # of its lead, turned so that more is better: what it is expected to keep
    lower: float | None = None  # of the difference, at the chosen guard
    upper: float | None = None

    @property
    def word(self) -> str:
        """How it stands to the check, in the same word wherever it is shown; empty for the check and where nothing can be said."""
        return "" if self.difference is None else {1: "ahead", 0: "could be luck", -1: "behind"}[self.beats]

    @property
    def alone(self) -> str:
        """The same beside a chance that holds other seasons too: what this season could be luck in may be sure with them."""
        sure = self.kept is not None and self.chance is not None and not NOT_SURE[0] < self.chance < NOT_SURE[1]
        return "not by itself" if sure and self.beats == 0 else self.word

    @property
    def expected(self) -> str:
        """How it stands by the chance that allows for the best of many and for other seasons; as `word` where there is none."""
        if self.kept is None or self.chance is None:
            return self.word
        return "ahead" if self.chance >= NOT_SURE[1] else "behind" if self.chance <= NOT_SURE[0] else "not sure"

    @property
    def widened(self) -> float:
        """By how much the bar of this comparison is wider than that of one held to 5 % on its own."""
        if self.difference is None or not self.half or not self.difference.se:
            return 1.0
        return self.half / (t_quantile(0.975, self.difference.df) * self.difference.se)

    @property
    def beats(self) -> int:
        """1 when it is ahead of the check beyond luck, -1 behind, 0 when it could be luck; by the chosen guard."""
        if self.difference is None or self.half is None or abs(self.difference.estimate) < self.half:
            return 0
        return 1 if (self.flat or 0) > 0.5 else -1


def cultivar_key(result: EntryResult) -> str:
    """By what an entry is known in other seasons."""
    return str(result.entry.cultivar.known_as)


@dataclass(frozen=True, eq=False)
class Honest:
    """What was found: the fit, the season of this trial and the earlier ones that are in it, in words."""

    worked: Shrunken
    now: SeasonMeans
    means: tuple[SeasonMeans, ...]  # of all seasons, this one last
    seasons: tuple[str, ...]
    learnt_from: int = 0  # programmes of the place from which the prior was learnt; 0 where it is the library's

    def advantage(self, result: EntryResult) -> Advantage | None:
        """What the fit expects of an entry; None for one that is not in it."""
        name = cultivar_key(result)
        return self.worked.advantages[self.worked.place(name)] if name in self.now.entries else None

    def prospect(self, result: EntryResult) -> Prospect | None:
        """What an entry promises, for the verdict; None for one that is not in the fit."""
        name = cultivar_key(result)
        if result.kept is None or name not in self.now.entries:
            return None
        place = self.worked.place(name)
        error = self.now.variances[self.now.entries.index(name)] + self.now.check_variance

        def chance(by: float) -> float:
            return float(self.worked.chance_above(by)[place])

        fresh = self.worked.promise_of_a_fresh_one(error)
        return Prospect(chance, result.kept, self.worked.promise(name, error), fresh)


@dataclass(frozen=True, eq=False)
class Comparison:
    """One trait of a trial, every entry set against the check, the best first."""

    trial: Trial
    trait: Trait
    sign: int
    guard: Guard
    check: Entry | None
    check_name: str
    worked: EntryComparison
    results: tuple[EntryResult, ...]
    plots: tuple[PlotValue, ...]
    digits: int
    band: float | None  # a difference from the check below this could be luck
    band_percent: float | None
    plain: bool = False  # the plain model was asked for
    honest: Honest | None = None  # what leads are expected to last, over all entries and seasons
    otherwise: tuple[tuple[str, str], ...] = ()  # what the plain model would say of each entry of which it says something else

    @property
    def cut(self) -> bool:
        """Whether an interval was cut off where no value can lie."""
        ends = {m.entry: (m.lower95, m.upper95) for m in self.worked.means}
        return any(ends[r.entry.code] != (r.mean.lower95, r.mean.upper95) for r in self.results)

    @property
    def by_kind(self) -> bool:
        """Whether the model is one for the kind of record, not the plain one."""
        return self.worked.choice.errors != "normal"

    @property
    def checks(self) -> list[EntryResult]:
        """The check and every further one, the chosen one first."""
        some = [r for r in self.results if r.entry.any_check]
        return sorted(some, key=lambda r: (self.check is None or r.entry.pk != self.check.pk, not r.entry.is_check))

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
        return [p for p in self.plots if p.left_out and p.left_out != NO_RECORD]

    @property
    def fewer(self) -> dict[int, str]:
        """Entries (by id) that lost plots, and how many are left of how many."""
        lost = {p.plot.entry_id for p in self.left_out}
        laid = Counter(p.plot.entry_id for p in self.plots)
        return {r.entry.pk: f"{r.mean.n} of {laid[r.entry.pk]}" for r in self.results if r.entry.pk in lost}

    @property
    def not_recorded(self) -> list[PlotValue]:
        """Plots of which nothing is known yet: they are not left out, they are to be recorded."""
        return [p for p in self.plots if p.left_out == NO_RECORD]

    @property
    def counted_as(self) -> list[PlotValue]:
        return [p for p in self.plots if p.counted_as]

    @property
    def misled(self) -> list[EntryResult]:
        """Entries of complete blocks without a second factor whose lost plots put their plain average off by half a standard
        error of a difference or more. Elsewhere every plain average is off, so none is singled out."""
        of_means = self.worked.dates is None  # days between two walks lie before the day of the walk, with or without lost plots
        if not of_means or self.worked.choice.analysis not in ("rcbd", "latin") or not any(p.left_out for p in self.plots):
            return []
        lost = {p.plot.entry_id for p in self.plots if p.left_out}
        return [
            s
            for s in self.results
            if s.entry.pk in lost
            and s.mean.raw_mean is not None
            and s.mean.lsmean is not None
            and s.difference is not None
            and abs(s.mean.raw_mean - s.mean.lsmean) >= 0.5 * s.difference.se
        ]

    @property
    def check_mean(self) -> float | None:
        return next((s.mean.lsmean for s in self.results if self.check and s.entry.pk == self.check.pk), None)

    @property
    def noise_percent(self) -> int | None:
        """Percent of the noise that blocks took out; not below nought."""
        share = self.worked.noise_out
        return None if share is None else max(0, round(100 * share))


@dataclass(frozen=True, eq=False)
class Years:
    """The output of some years on the same plots, summed: each entry's mean by year (units a m²) and over all of
    them."""

    trials: tuple[Trial, ...]
    unit: str
    digits: int
    rows: tuple[tuple[EntryResult, tuple[float | None, ...]], ...]
    lost: int  # plots of which a year is missing
    versus: AgainstCheck | None

    @property
    def span(self) -> str:
        """How many crops in how many years: two of one season are not two years."""
        crops, seasons = len(self.trials), len({t.season for t in self.trials})
        years = counted(seasons, "year")
        return years if crops == seasons else f"{counted(crops, 'crop')} of {years}"


def plot_values(trait: Trait, plots: list[Plot], readings: Readings) -> tuple[PlotValue, ...]:
    """What each plot brings to the analysis, with the reason for each that is left out."""
    return tuple(_plot_value(plot, readings.get(plot.pk), trait) for plot in plots)


def between_walks(values: Sequence[PlotValue], seen: Mapping[int, tuple[float | None, float | None]]) -> tuple[PlotValue, ...]:
    """Values of a stage with the walks that each lies between, in days from sowing by plot id; a plot that had not come so far by
    its last walk counts as later than it."""
    made = []
    for v in values:
        after, by = seen.get(v.plot.pk, (None, None))
        if v.value is not None and after is not None:
            made.append(replace(v, after=after))
        elif v.value is None and by is None and after is not None and not v.plot.exclusions_in_force:  # type: ignore[attr-defined]
            made.append(PlotValue(v.plot, None, counted_as="not so far by its last walk, counted as later than that", after=after))
        else:
            made.append(v)
    return tuple(made)


def lasts(trait: Trait) -> bool:
    """Whether a trait is how long something lasted, known only between two looks at its end."""
    return bool(trait.source == Trait.Source.COURSE and trait.of and trait.of.kind == Trait.Kind.YES_NO)


def analysed_as(trait: Trait) -> Kind:
    """The kind of record that a trait's values are analysed as."""
    return "days" if lasts(trait) else KINDS[trait.kind]


def between_looks(values: Sequence[PlotValue], seen: Mapping[int, Stood]) -> tuple[tuple[PlotValue, ...], list[float | None]]:
    """Values of how long something lasted with the least that is sure of each, and the most that is possible (None while it still
    lasts): a plot still fit at its last look counts as at least so long, not as if it had ended there."""
    made, most = [], []
    for v in values:
        stood = seen.get(v.plot.pk) if v.value is not None else None
        still = stood is not None and stood.most is None
        said = "still so at its last look, counted as longer than that" if still else v.counted_as
        made.append(replace(v, after=stood.least, counted_as=said) if stood else v)
        most.append(stood.most if stood else None)
    return tuple(made), most


def _plot_value(plot: Plot, reading: Reading | None, trait: Trait) -> PlotValue:
    left_out: list[Exclusion] = plot.exclusions_in_force  # type: ignore[attr-defined]
    if left_out:
        return PlotValue(plot, None, f"{left_out[0].get_cause_display()}: {left_out[0].note}")
    if reading is None:
        return PlotValue(plot, None, NO_RECORD)
    if reading.number is not None:
        return PlotValue(plot, reading.number, among=reading.among)
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
    design: str,
    kind: Kind,
    labels: tuple[tuple[str, tuple[str, ...]], ...],
    values: tuple[float | None, ...],
    check: str | None,
    entries_whole: bool,
    among: tuple[int | None, ...] | None,
    after: tuple[float | None, ...] | None,
) -> EntryComparison:
    """The same data always give the same figures, so they are reckoned once."""
    return compare_entries(design, kind, dict(labels), values, check, entries_whole, among, after)


def worked_out(
    trial: Trial,
    trait: Trait,
    plots: Sequence[Plot],
    values: Sequence[float | None],
    check: Entry | None,
    more: Sequence[PlotValue] = (),
    plain: bool = False,
) -> EntryComparison:
    """By the analysis that the core chooses for the trial's design and the kind of record, or the `plain` one on request."""
    columns = columns_of(trial, plots)
    labels = tuple((name, tuple(column)) for name, column in columns.items())
    design, code = DESIGNS[trial.design], check.code if check else None
    kind: Kind = "plain" if plain else analysed_as(trait)
    among, after = tuple(v.among for v in more), tuple(v.after for v in more)
    units, walks = (among if any(among) else None), (after if any(a is not None for a in after) else None)
    return _worked_out(design, kind, labels, tuple(values), code, trial.entries_whole, units, walks)


def blocking_of(trial: Trial, plots: Sequence[Plot]) -> tuple[list[str], dict[str, list[str]]]:
    """The entry of each plot, and its blocks of every kind, small ones told by their replicate as well."""
    columns = columns_of(trial, plots)
    entry = columns.pop("entry")
    if "block" in columns and "rep" in columns:
        columns["block"] = [f"{r} / {b}" for r, b in zip(columns["rep"], columns["block"], strict=True)]
    return entry, columns


def check_among(plots: Sequence[Plot]) -> Entry | None:
    return next((p.entry for p in plots if p.entry.is_check), None)


def critical_of(versus: AgainstCheck | None, guard: Guard) -> float | None:
    """How many standard errors of a difference lie beyond luck; None where nothing can be set against the check."""
    if versus is None:
        return None
    return versus.critical_family if guard == "family" else versus.critical_each


def results_of(
    plots: Sequence[Plot], names: dict[int, str], worked: EntryComparison, check: Entry | None, sign: int, guard: Guard = "each"
) -> list[EntryResult]:
    """Every entry with its mean and its difference from `check`, the best first."""
    family = critical_of(worked.versus, guard) if guard == "family" else None
    differences = {d.a: d for d in worked.versus.differences} if worked.versus else {}
    ends = ends_of(worked.versus, guard)
    means = {m.entry: m for m in worked.means}
    base = means[check.code].lsmean if check else None
    entries = {p.entry.pk: p.entry for p in plots}.values()
    found = [_result(e, names[e.pk], means[e.code], differences.get(e.code), family, base, sign, ends) for e in entries]
    return sorted(found, key=lambda r: (r.mean.lsmean is None, -sign * (r.mean.lsmean or 0), r.entry.code))


def within_scale(result: EntryResult, trait: Trait) -> EntryResult:
    """The same, its interval cut off where no value of the trait can lie: a model that takes errors as normal knows no ends."""
    low, high, m = trait.low, trait.high, result.mean
    if m.lsmean is None or m.lower95 is None or m.upper95 is None or trait.kind == Trait.Kind.DATE:
        return result
    lower = m.lower95 if low is None else min(m.lsmean, max(low, m.lower95))
    upper = m.upper95 if high is None else max(m.lsmean, min(high, m.upper95))
    return replace(result, mean=replace(m, lower95=lower, upper95=upper))


def _result(
    entry: Entry,
    name: str,
    mean: EntryMean,
    d: Difference | None,
    family: float | None,
    base: float | None,
    sign: int,
    ends: Mapping[str, tuple[float, float]],
) -> EntryResult:
    percent = 100 * mean.lsmean / base if mean.lsmean is not None and base is not None and base > 0 else None
    if d is None:
        return EntryResult(entry, name, mean, None, None, percent, None, None)
    critical = t_quantile(0.975, d.df) if family is None else family
    flat = chance_above(sign * d.estimate, d.se, d.df)
    return EntryResult(entry, name, mean, d, critical * d.se, percent, flat, flat, None, *ends[d.a])


def ends_of(versus: AgainstCheck | None, guard: Guard) -> dict[str, tuple[float, float]]:
    """Lower and upper end of every difference from the check, by entry code: the one place that every page and export asks."""
    if versus is None:
        return {}
    low, high = versus.interval(versus.critical_family if guard == "family" else versus.critical_each)
    return {d.a: (float(a), float(b)) for d, a, b in zip(versus.differences, low, high, strict=True)}


def typical_error(worked: EntryComparison) -> float | None:
    """The usual standard error of a difference from the check; None where there is none."""
    against = [d.se for d in worked.versus.differences] if worked.versus else []
    return sum(against) / len(against) if against else None


def digits_for(sed: float | None, least: int) -> int:
    """Decimals to print: two figures of the standard error of a difference, no fewer than the trait is recorded in."""
    if not sed:
        return least
    return max(0, min(6, 1 - floor(log10(sed))))
