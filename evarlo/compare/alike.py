"""What a comparison would say if plots had been alike in something else: their stand, their day of sowing, another measure."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from evarlo.catalogue.models import Trait
from evarlo.compare.analysis import Comparison, blocking_of, digits_for, typical_error
from evarlo.nursery.queries import step_rows
from evarlo.trials.models import Entry, Trial
from evarlo.trials.queries import readings_of, traits_with_records
from trialcore.analyses.covariance import Covariance, analyse_covariance
from trialcore.inference.comparisons import against_check, chance_above
from trialcore.inference.distributions import t_quantile

STANDS = ("stand", "emergence", "plants")  # what is looked at first: fewer plants are the usual reason to ask
STEPS = {"sown": "Day of sowing", "planted": "Day of planting"}
NUMERIC = (Trait.Kind.MEASURE, Trait.Kind.COUNT, Trait.Kind.PERCENT, Trait.Kind.AFFECTED, Trait.Kind.SCORE, Trait.Kind.DATE)
SURE = 0.05


@dataclass(frozen=True)
class Choice:
    """Something that plots may be made alike in: a trait by its key, or a step of raising."""

    key: str
    name: str
    unit: str
    trait: Trait | None = None


@dataclass(frozen=True)
class AlikeRow:
    """An entry before and after: its means, its differences from the check, half their 95 % intervals, and how it stands (1 ahead,
    −1 behind, 0 could be luck), with the chance that it is better afterwards."""

    entry: Entry
    name: str
    covariate: float | None
    before: float | None
    after: float | None
    difference: float | None
    difference_after: float | None
    half_after: float | None
    stood: int
    stands: int
    chance: float | None


@dataclass(frozen=True, eq=False)
class Alike:
    """A comparison with plots made alike in `by`."""

    by: Choice
    worked: Covariance
    rows: tuple[AlikeRow, ...]
    digits: int

    @property
    def caused(self) -> bool:
        """Whether entries differ in it themselves, so that making them alike takes away a part of what they are."""
        p = self.worked.entries_differ_p
        return p is not None and p < SURE

    @property
    def tells(self) -> bool:
        """Whether plots that have more of it have more or less of the trait, beyond luck."""
        return self.worked.slope_p < SURE

    @property
    def changed(self) -> tuple[AlikeRow, ...]:
        """Entries that would stand otherwise."""
        return tuple(r for r in self.rows if r.stood != r.stands)


def choices(trial: Trial, trait: Trait) -> list[Choice]:
    """What plots of this trial can be made alike in, stands first."""
    some = [t for t in traits_with_records(trial) if t.pk != trait.pk and t.kind in NUMERIC]
    some.sort(key=lambda t: not any(word in t.key for word in STANDS))
    steps = [Choice(step, words, "days") for step, words in STEPS.items() if len(set(_days(trial, step).values())) > 1]
    return [*(Choice(t.key, t.name, t.shown_unit, t) for t in some), *steps]


def _days(trial: Trial, step: str) -> dict[int, date]:
    """The day of a step by plot."""
    return {row.plot_id: row.on for row in step_rows(trial, step)}


def _covariate(found: Comparison, by: Choice) -> list[float | None]:
    plots = [v.plot for v in found.plots]
    if by.trait is None:
        days = _days(found.trial, by.key)
        first = min(days.values())
        return [float((days[p.pk] - first).days) if p.pk in days else None for p in plots]
    readings = readings_of(found.trial, by.trait)
    return [r.number if (r := readings.get(p.pk)) else None for p in plots]


def alike(found: Comparison, by: Choice) -> Alike | str:
    """The comparison with plots made alike in `by`; else why it cannot be."""
    if found.trial.two_factors:
        return "With a second factor plots are not made alike here."
    entry, columns = blocking_of(found.trial, [v.plot for v in found.plots])
    if "block" in columns:  # small blocks lie within replicates
        columns = {"block": columns["block"]}
    try:
        worked = analyse_covariance(entry, [v.value for v in found.plots], _covariate(found, by), columns)
    except ValueError as reason:
        return f"{str(reason)[0].upper()}{str(reason)[1:]}."
    return Alike(by, worked, _rows(found, worked), digits_for(typical_error(found.worked), found.trait.decimals))


def _rows(found: Comparison, worked: Covariance) -> tuple[AlikeRow, ...]:
    """Before and after over the same plots: those that have both figures."""
    check = found.check_code
    versus = worked.versus(check) if check else None
    after = {m.entry: m for m in worked.means}
    before = {m.entry: m for m in worked.before.means}
    of = {m.entry: m.raw_mean for m in worked.covariate.means}
    against = {d.a: d for d in versus.differences} if versus else {}
    plain = _plain_differences(worked, check)
    rows = []
    for r in found.results:
        code, d, was = r.entry.code, against.get(r.entry.code), plain.get(r.entry.code)
        half = t_quantile(0.975, d.df) * d.se if d else None
        rows.append(
            AlikeRow(
                r.entry,
                r.name,
                of.get(code),
                before[code].lsmean if code in before else None,
                after[code].lsmean if code in after else None,
                was[0] if was else None,
                d.estimate if d else None,
                half,
                _side(was, found.sign),
                _side((d.estimate, half) if d and half is not None else None, found.sign),
                chance_above(found.sign * d.estimate, d.se, d.df) if d else None,
            )
        )
    return tuple(sorted(rows, key=lambda x: (x.after is None, -found.sign * (x.after or 0.0))))


def _plain_differences(worked: Covariance, check: str | None) -> dict[str, tuple[float, float]]:
    if check is None or check not in {m.entry for m in worked.before.means}:
        return {}
    versus = against_check(worked.before, check)
    return {d.a: (d.estimate, versus.critical_each * d.se) for d in versus.differences} if versus else {}


def _side(difference: Sequence[float] | None, sign: int) -> int:
    if difference is None or abs(difference[0]) < difference[1]:
        return 0
    return 1 if sign * difference[0] > 0 else -1
