"""How entries compare in one trial, whatever its design: means, differences from the check, and what blocks were worth."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from trialcore.analyses.blocks import BlockAnalysis, EntryMean, analyse_blocks
from trialcore.analyses.choice import BLOCKED, MODELS, Choice, Columns, Kind, choose
from trialcore.analyses.generalised import Generalised, analyse_generalised
from trialcore.analyses.incomplete import IncompleteBlocks, analyse_incomplete, recovered_means
from trialcore.analyses.two_factors import LayoutName, OverLevels, entries_over_levels
from trialcore.field.stages import StageDates, analyse_stage
from trialcore.inference.comparisons import AgainstCheck, against, against_check, sed_of_differences

Values = Sequence[float | None]
NEAR = 1e-3  # of a whole unit, within which a percentage is that of a count


@dataclass(frozen=True, eq=False)
class EntryComparison:
    """What the chosen analysis found: the least-squares analysis, the means and differences to show, the share of the noise that
    blocks took out, and the incomplete blocks or the second factor where there are any. With a second factor `analysis` is that
    of its combinations with the entries."""

    choice: Choice
    analysis: BlockAnalysis
    means: tuple[EntryMean, ...]
    versus: AgainstCheck | None
    noise_out: float | None
    incomplete: IncompleteBlocks | None = None
    two: OverLevels | None = None
    generalised: Generalised | None = None
    dates: StageDates | None = None

    @property
    def recovered(self) -> bool:
        """Whether blocks were taken as drawn at random, so that the information between them is recovered."""
        return self.incomplete is not None and self.incomplete.recovered is not None

    def __str__(self) -> str:
        return f"{self.choice.model}\n{self.analysis}"


def compare_entries(
    design: str,
    kind: Kind,
    labels: Columns,
    value: Values,
    check: str | None = None,
    entries_whole: bool = False,
    among: Sequence[int | None] | None = None,
    after: Values | None = None,
) -> EntryComparison:
    """Compare the entries of one trial by the analysis that `choice` gives its design and kind of record.

    `labels` are the columns of plots (`entry`, and those that the design needs), one element a plot; a missing value is None.
    `check` is the entry that the others are set against; `entries_whole` says that a split-plot has entries on its whole plots.
    `among` are the units that a share, then in percent, was counted among; `after` the last day on which a date was not seen yet,
    also of plots that have no value since it never was.

    Raises ValueError as `choose` does, for a design that is not compared within one trial, and when lengths differ.
    """
    chosen = choose(design, kind, labels, counted_units(kind, value, among) or (kind == "days" and after is not None))
    if chosen.analysis not in COMPARED:
        raise ValueError(f"{design} is not compared within one trial; expected one of {', '.join(COMPARED)}")
    plain = COMPARED[chosen.analysis](chosen, labels, value, check, entries_whole)
    if chosen.errors == "censored":
        return _censored(plain, labels, value, check, after or [None] * len(value))
    return plain if chosen.errors == "normal" else _by_kind(plain, labels, value, check, among)


def counted_units(kind: Kind, value: Values, among: Sequence[int | None] | None) -> bool:
    """Whether a share or a count was counted unit by unit: whole counts, and for a share the units of every plot that has one."""
    told = [(v, among[i] if among else None) for i, v in enumerate(value) if v is not None]
    if kind == "count":
        return all(v >= 0 and v == int(v) for v, _ in told)
    if kind != "share" or among is None:
        return False
    return all(n and abs(v * n / 100 - round(v * n / 100)) < NEAR and 0 <= v <= 100 for v, n in told)


def _censored(plain: EntryComparison, labels: Columns, value: Values, check: str | None, after: Values) -> EntryComparison:
    """The same entries by the walks their dates lie between; by the plain model where too few plots were seen."""
    since: list[float | None] = []
    by: list[float | None] = []
    for v, a in zip(value, after, strict=True):
        typed = v is not None and (a is None or a >= v)  # a day that was typed is that day
        since.append(v - 0.5 if v is not None and typed else a)
        by.append(v + 0.5 if v is not None and typed else v)
    found = analyse_stage(labels["entry"], since, by, labels["rep"] if plain.choice.analysis == "rcbd" else None)
    known = [i for i, m in enumerate(found.means) if m.days is not None]
    if found.sd is None or not known:
        return replace(plain, choice=replace(plain.choice, errors="normal", model=MODELS[plain.choice.analysis], why=""))
    raw = {m.entry: m for m in plain.means}
    means = tuple(
        EntryMean(m.entry, m.n, raw[m.entry].raw_mean, m.days, m.se, m.lower95, m.upper95, "" if m.days is not None else LATER)
        for m in found.means
    )
    names = [m.entry for m in found.means]
    versus = None
    if check in names and names.index(check) in known and len(known) > 1:
        base = names.index(check)
        others = np.array([i for i in known if i != base])
        level = np.array([m.days if m.days is not None else np.nan for m in found.means])
        versus = against(names, base, others, level, found.covariance, found.df)
    return EntryComparison(plain.choice, plain.analysis, means, versus, None, dates=found)


LATER = "never seen to come so far: later than every walk"


def _count(value: float | None, among: int | None) -> int | None:
    return None if value is None else round(value * among / 100) if among else round(value)


def _by_kind(
    plain: EntryComparison, labels: Columns, value: Values, check: str | None, among: Sequence[int | None] | None
) -> EntryComparison:
    """The same entries by the model of their kind, on the scale that was recorded; by the plain one where that cannot be fitted."""
    chosen, binomial = plain.choice, plain.choice.errors == "binomial"
    scale = 100.0 if binomial else 1.0
    units = [n if v is not None else None for v, n in zip(value, among, strict=True)] if binomial and among else None
    counts = [_count(v, units[i] if units else None) for i, v in enumerate(value)]
    blocks = {name: labels[name] for name in BLOCKED[chosen.analysis]}
    try:
        found = analyse_generalised(chosen.errors, labels["entry"], counts, units, blocks)  # type: ignore[arg-type]
    except ValueError:
        return replace(plain, choice=replace(chosen, errors="normal", model=MODELS[chosen.analysis], why=""))
    raw = {m.entry: m for m in plain.means}
    told = {m.entry: m for m in found.means}
    means = tuple(
        replace(m, lsmean=None, se=None, lower95=None, upper95=None)
        if (g := told.get(m.entry)) is None
        else EntryMean(
            m.entry,
            g.plots,
            raw[m.entry].raw_mean,
            scale * g.mean,
            scale * g.se_link * (g.mean * (1 - g.mean) if binomial else g.mean),
            scale * g.lower95,
            scale * g.upper95,
        )
        for m in plain.means
    )
    versus = found.versus(check, scale) if check in told else None
    return EntryComparison(chosen, plain.analysis, means, versus, None, generalised=found)


def _least_squares(*blocking: str) -> Callable[[Choice, Columns, Values, str | None, bool], EntryComparison]:
    def compared(chosen: Choice, labels: Columns, value: Values, check: str | None, _: bool) -> EntryComparison:
        found = analyse_blocks(labels["entry"], value, {name: labels[name] for name in blocking})
        known = check is not None and any(m.entry == check for m in found.means)
        versus = against_check(found, check) if known and check is not None else None
        return EntryComparison(chosen, found, found.means, versus, found.noise_taken_out if found.blocking else None)

    return compared


def _incomplete(chosen: Choice, labels: Columns, value: Values, check: str | None, _: bool) -> EntryComparison:
    found = analyse_incomplete(labels["entry"], value, labels["block"], labels.get("rep"))
    means, versus = recovered_means(found, check)
    noise = None
    if found.recovered is not None and found.complete is not None and (plain := sed_of_differences(found.complete)):
        noise = 1 - (float(found.recovered.fit.differences(found.recovered.rows).se_kr.mean()) / plain.average) ** 2
    return EntryComparison(chosen, found.intra, means, versus, noise, found)


def _over_levels(layout: LayoutName) -> Callable[[Choice, Columns, Values, str | None, bool], EntryComparison]:
    def compared(chosen: Choice, labels: Columns, value: Values, check: str | None, entries_whole: bool) -> EntryComparison:
        """Each comparison against the error of its own stratum."""
        found = entries_over_levels(layout, labels["entry"], labels["factor2"], value, labels["rep"], entries_whole, check)
        return EntryComparison(chosen, found.cells, found.means, found.versus, None, two=found)

    return compared


COMPARED: dict[str, Callable[[Choice, Columns, Values, str | None, bool], EntryComparison]] = {
    "crd": _least_squares(),
    "rcbd": _least_squares("rep"),
    "latin": _least_squares("row", "col"),
    "augmented": _least_squares("block"),
    "alpha": _incomplete,
    "blocks": _incomplete,
    "split-plot": _over_levels("split-plot"),
    "strip-plot": _over_levels("strip-plot"),
    "factorial": _over_levels("factorial"),
}
