"""How entries compare in one trial, whatever its design: means, differences from the check, and what blocks were worth."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from math import sqrt

import numpy as np

from trialcore.analyses.blocks import BlockAnalysis, EntryMean, analyse_blocks
from trialcore.analyses.choice import BLOCKED, MODELS, Choice, Columns, Kind, choose
from trialcore.analyses.generalised import Generalised, analyse_generalised
from trialcore.analyses.incomplete import IncompleteBlocks, analyse_incomplete, recovered_means
from trialcore.analyses.linear import Floats, Labels
from trialcore.analyses.scales import LADDER, ScaleName, back, onto, scale_for, spread_grows, steepness
from trialcore.analyses.two_factors import LayoutName, OverLevels, entries_over_levels
from trialcore.field.stages import StageDates, StageMean, analyse_stage
from trialcore.inference.comparisons import AgainstCheck, Difference, against_check
from trialcore.inference.distributions import t_quantile

Values = Sequence[float | None]
NEAR = 1e-3  # of a whole unit, within which a percentage is that of a count


@dataclass(frozen=True, eq=False)
class Rescaled:
    """The same comparison on a scale on which plots vary alike: which one, what was found on it, and the variance of plots
    there."""

    scale: ScaleName
    found: EntryComparison
    variance: float

    def back(self, at: float) -> float:
        """A mean on that scale as one on the recorded scale."""
        return back(self.scale, at, self.variance)


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
    rescaled: Rescaled | None = None

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
        return _censored(plain, labels, value, check, after or [None] * len(value), entries_whole)
    if chosen.errors != "normal":
        return _by_kind(plain, labels, value, check, among)
    return _on_its_scale(plain, labels, value, check) if kind == "measure" else plain


def counted_units(kind: Kind, value: Values, among: Sequence[int | None] | None) -> bool:
    """Whether a share or a count was counted unit by unit: whole counts, and for a share the units of every plot that has one."""
    told = [(v, among[i] if among else None) for i, v in enumerate(value) if v is not None]
    if kind == "count":
        return all(v >= 0 and v == int(v) for v, _ in told)
    if kind != "share" or among is None:
        return False
    return all(n and abs(v * n / 100 - round(v * n / 100)) < NEAR and 0 <= v <= 100 for v, n in told)


def between(value: float | None, after: float | None) -> tuple[float | None, float | None]:
    """The ends between which a date lies: the last walk without it and the first with it. A day that was typed is that day."""
    if value is not None and (after is None or after >= value):
        return value - 0.5, value + 0.5
    return after, value


DATED: dict[str, tuple[tuple[str, ...], tuple[tuple[str, ...], ...]]] = {
    "crd": ((), ()),
    "rcbd": (("rep",), ()),
    "latin": (("row", "col"), ()),
    "augmented": (("block",), ()),
    "alpha": (("rep",), (("rep", "block"),)),
    "blocks": ((), (("block",),)),
    "factorial": (("rep", "factor2"), ()),
    "split-plot": (("rep", "factor2"), (("rep", "whole"),)),
    "strip-plot": (("rep", "factor2"), (("rep", "entry"), ("rep", "factor2"))),
}
"""How dates are analysed in each design: fixed columns, and the columns that together name random blocks (`whole` is the factor of
the whole plots). Over the levels of a second factor entries are taken to differ alike."""


def _dated(analysis: str, labels: Columns, entries_whole: bool) -> tuple[list[Labels], list[Labels]]:
    fixed, random = DATED[analysis]
    known = {**labels, "whole": labels["entry"] if entries_whole else labels.get("factor2", labels["entry"])}

    def crossed(names: tuple[str, ...]) -> Labels:
        return [" / ".join(each) for each in zip(*(known[n] for n in names), strict=True)]

    return [known[n] for n in fixed if n in known], [crossed(names) for names in random]


def dates_in(design: str, labels: Columns, after: Values, by: Values, entries_whole: bool = False) -> StageDates:
    """Days to a stage in a trial of that `design`, each plot known to have reached it after `after` and by `by`; `labels` as for
    `compare_entries`. Raises ValueError as `analyse_stage`, or for a design in which dates are not analysed."""
    if design not in DATED:
        raise ValueError(f"dates are not analysed in {design}; expected one of {', '.join(DATED)}")
    fixed, random = _dated(design, labels, entries_whole)
    return analyse_stage(labels["entry"], after, by, None, fixed, random)


def _censored(
    plain: EntryComparison, labels: Columns, value: Values, check: str | None, after: Values, entries_whole: bool
) -> EntryComparison:
    """The same entries by the walks their dates lie between; by the plain model where too few plots were seen, which says so."""
    bounds = [between(v, a) for v, a in zip(value, after, strict=True)]
    try:
        found = dates_in(plain.choice.analysis, labels, [b[0] for b in bounds], [b[1] for b in bounds], entries_whole)
    except np.linalg.LinAlgError:
        return _plain_instead(plain, "Dates between two walks could not be fitted")
    if found.fitted is None:
        return _plain_instead(plain, "Too few plots were seen between two walks")
    raw = {m.entry: m for m in plain.means}
    means = tuple(
        EntryMean(m.entry, m.n, raw[m.entry].raw_mean, m.days, m.se, m.lower95, m.upper95, _why_no_day(m)) for m in found.means
    )
    versus = None
    if check in found.fitted.entries and len(found.fitted.entries) > 1:
        others, base = found.pairs_with(check)
        rows = found.differences(others, base)
        v = found.fitted.covariance
        joint = v[np.ix_(others, others)] - v[others, base][:, None] - v[base, others][None, :] + v[base, base]
        spread = np.sqrt(np.diag(joint))
        fitted, critical = found.fitted, t_quantile(0.975, found.df)
        versus = AgainstCheck(
            check,
            rows,
            critical,
            np.clip(joint / np.outer(spread, spread), -1.0, 1.0),
            found.df,
            lambda c: fitted.difference_interval(others, base, c),
        )
    return EntryComparison(plain.choice, plain.analysis, means, versus, None, dates=found)


def _why_no_day(mean: StageMean) -> str:
    if mean.days is not None:
        return ""
    return LATER if not mean.seen else EARLIER


EARLIER = "had come so far before the first walk"
LATER = "never seen to come so far: later than every walk"


def _on_its_scale(plain: EntryComparison, labels: Columns, value: Values, check: str | None) -> EntryComparison:
    """The same entries on the square root or the logarithm where plots vary alike there and not as recorded, brought back."""
    if plain.two is not None or not spread_grows(plain.analysis, value):
        return plain
    analysis = plain.choice.analysis
    made = {name: COMPARED[analysis](plain.choice, labels, onto(name, value), check, False) for name in LADDER}
    name = scale_for(plain.analysis, value, {n: m.analysis for n, m in made.items()})
    if name is None:
        return plain
    found = made[name]
    recovered = found.incomplete.recovered if found.incomplete else None
    variance = recovered.fit.variances["residual"] if recovered else found.analysis.mse or 0.0
    own = Rescaled(name, found, variance)
    raw = {m.entry: m.raw_mean for m in plain.means}
    means = tuple(_brought_back(m, own, raw[m.entry]) for m in found.means)
    level = {m.entry: m.lsmean for m in means}
    versus = None
    if found.versus is not None:
        rows = tuple(_difference_back(d, level, own) for d in found.versus.differences)
        versus = replace(found.versus, differences=rows, ends=_ends_back(found, own))
    choice = replace(plain.choice, errors=name, model=f"{plain.choice.model}, on the {SCALES[name]}", why=WHY[name])
    return EntryComparison(choice, plain.analysis, means, versus, found.noise_out, plain.incomplete, rescaled=own)


SCALES: dict[ScaleName, str] = {"sqrt": "square root", "log": "logarithm"}
WHY: dict[ScaleName, str] = {
    "sqrt": "Plots with more vary more: on the square root they vary alike, so entries are compared there.",
    "log": "Plots with more vary more, in proportion: on the logarithm they vary alike; entries are compared there.",
}


def _brought_back(mean: EntryMean, own: Rescaled, raw: float | None) -> EntryMean:
    if mean.lsmean is None:
        return replace(mean, raw_mean=raw)
    se = None if mean.se is None else mean.se * steepness(own.scale, mean.lsmean, own.variance)
    ends = [None if end is None else own.back(end) for end in (mean.lower95, mean.upper95)]
    return EntryMean(mean.entry, mean.n, raw, own.back(mean.lsmean), se, ends[0], ends[1], mean.why)


def _ends_back(found: EntryComparison, own: Rescaled) -> Callable[[float], tuple[Floats, Floats]]:
    """Ends of differences on the recorded scale, from how far each of the two means may lie from its estimate on this one (Zou and
    Donner 2008: the two distances added as squares). The variance of the difference is divided between the two as their own are."""
    versus = found.versus
    assert versus is not None
    mean = {m.entry: (m.lsmean or 0.0, (m.se or 0.0) ** 2) for m in found.means}

    def ends(critical: float) -> tuple[Floats, Floats]:
        low, high = [], []
        for d in versus.differences:
            (a, va), (b, vb) = mean[d.a], mean[d.b]
            far = [critical * d.se * sqrt(v / (va + vb)) if va + vb > 0 else 0.0 for v in (va, vb)]
            one = [own.back(a + side * far[0]) for side in (-1, 0, 1)]
            other = [own.back(b + side * far[1]) for side in (-1, 0, 1)]
            gap = one[1] - other[1]
            low.append(gap - sqrt((one[1] - one[0]) ** 2 + (other[2] - other[1]) ** 2))
            high.append(gap + sqrt((one[2] - one[1]) ** 2 + (other[1] - other[0]) ** 2))
        return np.array(low), np.array(high)

    return ends


def back_on_scale(d: Difference, found: EntryComparison) -> Difference:
    """A difference of a rescaled comparison on the recorded scale. Raises ValueError for one that is not rescaled."""
    if found.rescaled is None:
        raise ValueError("the comparison stands on the scale that was recorded")
    return _difference_back(d, {m.entry: m.lsmean for m in found.means}, found.rescaled)


def _difference_back(d: Difference, level: Mapping[str, float | None], own: Rescaled) -> Difference:
    """The difference of the means as recorded, with the standard error that its test on the scale speaks for."""
    estimate = (level[d.a] or 0.0) - (level[d.b] or 0.0)
    if abs(d.t) > 1e-6 and abs(estimate) > 1e-12:
        return replace(d, estimate=estimate, se=abs(estimate / d.t))
    middle = next(m.lsmean or 0.0 for m in own.found.means if m.entry == d.b)
    return replace(d, estimate=estimate, se=d.se * steepness(own.scale, middle, own.variance))


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
    except ValueError as error:
        return _plain_instead(plain, f"The model for counted units could not be fitted ({error})")
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
            scale * found.se_of_mean(g),
            scale * g.lower95,
            scale * g.upper95,
        )
        for m in plain.means
    )
    versus = found.versus(check, scale) if check in told else None
    return EntryComparison(chosen, plain.analysis, means, versus, None, generalised=found)


def _plain_instead(plain: EntryComparison, reason: str) -> EntryComparison:
    """The comparison by the plain model of the design, which says why."""
    why = f"{reason}, so means of plots are compared as they are, with a normal spread."
    return replace(plain, choice=replace(plain.choice, errors="normal", model=MODELS[plain.choice.analysis], why=why))


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
    if found.recovered is not None and found.complete is not None and found.complete.mse:
        rows = found.recovered.rows
        there = _mean_square_sed(rows @ found.recovered.fit.adjusted @ rows.T)
        noise = 1 - there / _mean_square_sed(found.complete.mse * found.complete.covariance)
    return EntryComparison(chosen, found.intra, means, versus, noise, found)


def _mean_square_sed(covariance: np.ndarray) -> float:
    """The mean of the squared standard errors of all differences between means, from their covariance: without a single pair."""
    k = len(covariance)
    return float(2 * (k * np.trace(covariance) - covariance.sum()) / (k * (k - 1)))


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
