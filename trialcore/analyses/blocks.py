"""The fixed-effects analysis of a trial in blocks: complete, broken by missing plots, or without blocks at all."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
import numpy.typing as npt

from trialcore.analyses.linear import Coded, Fit, Floats, Labels, fit, levels_of
from trialcore.analyses.printing import figures, page, table
from trialcore.inference import distributions


@dataclass(frozen=True)
class AnovaRow:
    """One line of an analysis of variance. `ms`, `f`, `p` are None where the line has none."""

    source: str
    df: int
    ss: float
    ms: float | None = None
    f: float | None = None
    p: float | None = None


@dataclass(frozen=True)
class EntryMean:
    """One entry. Means are in the trait's unit; `lsmean` is None where the data cannot tell it, `why` says why."""

    entry: str
    n: int
    raw_mean: float | None
    lsmean: float | None
    se: float | None
    lower95: float | None
    upper95: float | None
    why: str = ""


@dataclass(frozen=True, eq=False)
class BlockAnalysis:
    """What `analyse_blocks` found.

    `balanced` is true when no plot is missing and every entry stands equally often in every block.

    `covariance` (entries × entries, in the order of `means`) is that of the least-squares means per unit of error
    variance; `connected_set` numbers the entries that can be compared with each other
    (0 has no value), and differences of `level` within a set are what the data say of them. `cannot_say` holds plain
    sentences on what these data do not tell.
    """

    blocking: tuple[str, ...]
    n_plots: int
    n_observed: int
    anova_sequential: tuple[AnovaRow, ...]
    anova_adjusted: tuple[AnovaRow, ...]
    mse: float | None
    df_error: int
    grand_mean: float | None
    cv_percent: float | None
    r_squared: float | None
    balanced: bool
    means: tuple[EntryMean, ...]
    covariance: Floats
    level: Floats
    connected_set: tuple[int, ...]
    mse_without_blocks: float | None
    cannot_say: tuple[str, ...] = ()
    residuals: Floats = field(default_factory=lambda: np.empty(0))
    fitted: Floats = field(default_factory=lambda: np.empty(0))

    @property
    def noise_taken_out(self) -> float | None:
        """Share of the error variance that the blocks took out: 1 − MSE / MSE of the same data without blocks."""
        if not self.mse or not self.mse_without_blocks:
            return None
        return 1 - self.mse / self.mse_without_blocks

    def index(self, entry: str) -> int:
        """The place of `entry` in `means`. Raises KeyError when the trial has no such entry."""
        for i, mean in enumerate(self.means):
            if mean.entry == entry:
                return i
        raise KeyError(entry)

    def __str__(self) -> str:
        return page(
            table(
                "Analysis of variance, entries last",
                self.anova_sequential,
                source="source",
                df="df",
                SS="ss",
                MS="ms",
                F="f",
                p="p",
            ),
            table("Means", self.means, entry="entry", n="n", mean="lsmean", se="se", lower="lower95", upper="upper95"),
            figures(mse=self.mse, df=self.df_error, cv_percent=self.cv_percent),
            *self.cannot_say,
        )


def analyse_blocks(
    entry: Labels,
    value: Sequence[float | None] | Floats,
    blocking: Mapping[str, Labels] | None = None,
) -> BlockAnalysis:
    """Analyse one trait: value = blocking terms + entry + error, all terms fixed, by ordinary least squares.

    Parameters
    ----------
    entry : n labels, one per plot laid out.
    value : n values in the trait's unit; None or NaN is a missing plot.
    blocking : label per plot for each blocking term, such as {"rep": [...]}; none for a completely randomised trial.

    Least-squares means are averaged over the levels of each blocking term with equal weight (Searle, Speed and
    Milliken 1980); their standard errors hold the error variance only. `anova_adjusted` is type II.

    Raises ValueError when the lengths differ. Data that can say little do not raise: what cannot be said is None and
    `cannot_say` tells why.
    """
    blocking = dict(blocking or {})
    y = np.array([np.nan if v is None else v for v in value], dtype=float)
    if len(entry) != len(y) or any(len(labels) != len(y) for labels in blocking.values()):
        raise ValueError("entry, value and blocking labels must have one element for each plot")
    seen = np.isfinite(y)
    everyone = levels_of(entry)
    if not seen.any():
        return _nothing(everyone, len(y), tuple(blocking))

    kept_entry = [e for e, s in zip(entry, seen, strict=True) if s]
    kept_terms = {term: [v for v, s in zip(labels, seen, strict=True) if s] for term, labels in blocking.items()}
    kept_y = y[seen]
    model = {name: Coded.of(labels) for name, labels in {**kept_terms, "entry": kept_entry}.items()}
    full = fit(kept_y, model)
    means, covariance, level, sets = _means(full, everyone, kept_entry, kept_y)
    sequential, adjusted = _anova(kept_y, model, full)
    grand = float(kept_y.mean())
    total = float(((kept_y - grand) ** 2).sum())
    bare = fit(kept_y, {"entry": model["entry"]}) if kept_terms else full
    return BlockAnalysis(
        blocking=tuple(blocking),
        n_plots=len(y),
        n_observed=int(seen.sum()),
        anova_sequential=sequential,
        anova_adjusted=adjusted,
        mse=full.mse,
        df_error=full.df_error,
        grand_mean=grand,
        cv_percent=100 * np.sqrt(full.mse) / grand if full.mse is not None and grand > 0 else None,
        r_squared=1 - full.rss / total if total > 0 else None,
        balanced=bool(seen.all()) and all(_even(kept_entry, labels) for labels in kept_terms.values()),
        means=means,
        covariance=covariance,
        level=level,
        connected_set=sets,
        mse_without_blocks=bare.mse,
        cannot_say=_cannot_say(full, means, sets, total),
        residuals=_spread(full.residuals, seen),
        fitted=_spread(kept_y - full.residuals, seen),
    )


def _even(entry: Labels, labels: Labels) -> bool:
    """Whether every entry stands equally often in every level of a blocking term."""
    cells = Coded.of(entry).cross(Coded.of(labels))
    return bool((cells == cells[:, :1]).all())


def _spread(values: Floats, seen: npt.NDArray[np.bool_]) -> Floats:
    everywhere = np.full(len(seen), np.nan)
    everywhere[seen] = values
    return everywhere


def _means(
    full: Fit, everyone: list[str], entry: Labels, y: Floats
) -> tuple[tuple[EntryMean, ...], Floats, Floats, tuple[int, ...]]:
    contrasts = np.zeros((len(everyone), len(full.columns)))
    contrasts[[everyone.index(level) for level in full.terms["entry"].levels]] = full.mean_rows("entry")
    sets = _comparable_sets(full, contrasts, everyone, set(entry))
    known = full.estimable(contrasts) if len(set(sets) - {0}) == 1 else np.zeros(len(everyone), dtype=bool)
    covariance = contrasts @ full.inverse @ contrasts.T
    level = np.where(np.array(sets) > 0, contrasts @ full.coefficients, np.nan)
    half = distributions.t_quantile(0.975, full.df_error) if full.df_error > 0 else None
    of_entry: dict[str, list[float]] = {}
    for name, figure in zip(entry, y, strict=True):
        of_entry.setdefault(name, []).append(float(figure))
    rows = []
    for i, name in enumerate(everyone):
        values = of_entry.get(name, [])
        if not values:
            rows.append(EntryMean(name, 0, None, None, None, None, None, "no plot of it has a value"))
            continue
        raw = float(np.mean(values))
        if not known[i]:
            why = "its plots share no block with all the others, so its mean cannot be set level with theirs"
            rows.append(EntryMean(name, len(values), raw, None, None, None, None, why))
            continue
        mean = float(level[i])
        se = float(np.sqrt(full.mse * covariance[i, i])) if full.mse is not None else None
        span = half * se if half is not None and se is not None else None
        bounds = (None, None) if span is None else (mean - span, mean + span)
        rows.append(EntryMean(name, len(values), raw, mean, se, *bounds))
    return tuple(rows), covariance, level, sets


def _comparable_sets(full: Fit, contrasts: Floats, everyone: Sequence[str], seen: set[str]) -> tuple[int, ...]:
    """Number the sets of entries whose differences can be estimated from these data; 0 for an entry without a value."""
    if not full.deficient:  # nothing is confounded, so every difference is told
        return tuple(int(name in seen) for name in everyone)
    sets = [0] * len(everyone)
    first_of: list[int] = []
    for i, name in enumerate(everyone):
        if name not in seen:
            continue
        differences = np.array([contrasts[i] - contrasts[j] for j in first_of]).reshape(len(first_of), contrasts.shape[1])
        joined = np.flatnonzero(full.estimable(differences)) if len(first_of) else np.empty(0)
        if len(joined):
            sets[i] = int(joined[0]) + 1
        else:
            first_of.append(i)
            sets[i] = len(first_of)
    return tuple(sets)


def _anova(y: Floats, model: Mapping[str, Coded], full: Fit) -> tuple[tuple[AnovaRow, ...], tuple[AnovaRow, ...]]:
    def line(source: str, smaller: Fit, larger: Fit) -> AnovaRow:
        df = larger.rank - smaller.rank
        ss = max(0.0, smaller.rss - larger.rss)
        ms = ss / df if df else None
        if ms is None or not full.mse:
            return AnovaRow(source, df, ss, ms)
        return AnovaRow(source, df, ss, ms, ms / full.mse, distributions.f_above(ms / full.mse, df, full.df_error))

    names = list(model)
    steps = [fit(y, {name: model[name] for name in names[:i]}) for i in range(len(names))] + [full]
    sequential = [line(name, steps[i], steps[i + 1]) for i, name in enumerate(names)]
    sequential.append(AnovaRow("Residual", full.df_error, full.rss, full.mse))
    sequential.append(AnovaRow("Total (corrected)", len(y) - 1, steps[0].rss))
    without = {name: fit(y, {k: v for k, v in model.items() if k != name}) for name in names[:-1]}
    without[names[-1]] = steps[-2]
    adjusted = [line(name, without[name], full) for name in names]
    return tuple(sequential), tuple(adjusted)


def _cannot_say(full: Fit, means: Sequence[EntryMean], sets: Sequence[int], total: float) -> tuple[str, ...]:
    said = []
    absent = [m.entry for m in means if m.n == 0]
    if absent:
        said.append(f"No value at all for {_listed(absent)}.")
    if len(set(sets) - {0}) > 1:
        said.append(
            "The blocks fall into sets that share no entry, so entries of different sets cannot be compared "
            "and no figure is given for them."
        )
    if full.df_error == 0:
        said.append(
            "There are no more values than things to estimate, so the error cannot be judged: "
            "no standard error, interval or chance is given."
        )
    elif total == 0 or full.rss == 0:
        said.append("The values leave no variation at all around the model, so the error cannot be judged.")
    return tuple(said)


def _listed(names: Sequence[str], most: int = 6) -> str:
    shown = ", ".join(names[:most])
    return shown if len(names) <= most else f"{shown} and {len(names) - most} more"


def _nothing(everyone: Sequence[str], n_plots: int, blocking: tuple[str, ...]) -> BlockAnalysis:
    none = tuple(EntryMean(e, 0, None, None, None, None, None, "no plot of it has a value") for e in everyone)
    return BlockAnalysis(
        blocking,
        n_plots,
        0,
        (),
        (),
        None,
        0,
        None,
        None,
        None,
        False,
        none,
        np.zeros((len(none), len(none))),
        np.full(len(none), np.nan),
        (0,) * len(none),
        None,
        ("No plot has a value yet.",),
    )
