"""A programme: trials of one crop over years and places, entries coming and going against a standing check.

Two stages: each trial gives its means with their covariance, and these are fitted together with the variance of entries over
seasons, over sites and over single trials (Smith, Cullis and Gilmour 2001; Piepho, Möhring, Schulz-Streeck and Ogutu 2012). One
stage: the plots themselves, where there are few enough.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from trialcore.analyses.environments import Ammi, Biplot, Stability, ammi_of, biplot_of, stability_of
from trialcore.analyses.linear import Coded, Floats, Labels, levels_of
from trialcore.analyses.mixed import MixedFit, fit_reml, incidence
from trialcore.analyses.parts import PartsFit, fit_parts, groups_of
from trialcore.inference import distributions

FEWEST_TRIALS = 3  # in which an entry must have stood before anything is said of how it follows places and years
SURE = 0.05


@dataclass(frozen=True, eq=False)
class TrialMeans:
    """What one trial brings: its season and site, and the means of its entries (n) with their covariance (n × n)."""

    trial: str
    season: str
    site: str
    entries: tuple[str, ...]
    means: Floats
    covariance: Floats
    df: float = 0.0  # on which the covariance rests; 0 where it is taken as known


@dataclass(frozen=True)
class Lead:
    """An entry against the check over all its trials: what it was in is set level. `trials` are those in which it stood, `apart`
    those of them without the check."""

    entry: str
    estimate: float
    se: float
    df: float
    trials: int
    seasons: int

    @property
    def lower95(self) -> float:
        """The lower end of its 95 % interval."""
        return self.estimate - self._half

    @property
    def upper95(self) -> float:
        """The upper end."""
        return self.estimate + self._half

    @property
    def _half(self) -> float:
        return distributions.t_quantile(0.975, max(1.0, self.df)) * self.se


@dataclass(frozen=True)
class Step:
    """An entry against the check within one trial."""

    trial: str
    entry: str
    estimate: float
    se: float


@dataclass(frozen=True)
class Follows:
    """How an entry follows good and poor trials: `slope` 1 goes with them, below it keeps in a poor one, above it gains in a good
    one (Finlay and Wilkinson 1963, on trial levels of the additive fit). None where it stood in too few trials."""

    entry: str
    slope: float
    se: float
    p: float  # that a slope so far from 1 is luck
    deviations_ms: float
    trials: int

    @property
    def said(self) -> str:
        """`steady`, `gains` in good trials or `keeps` in poor ones."""
        if self.p >= SURE:
            return "steady"
        return "gains" if self.slope > 1 else "keeps"


@dataclass(frozen=True, eq=False)
class Whole:
    """The entries and trials of which every mean is there, with what asks for that."""

    entries: tuple[str, ...]
    trials: tuple[str, ...]
    table: Floats
    stability: tuple[Stability, ...]
    ammi: Ammi
    biplot: Biplot


@dataclass(frozen=True, eq=False)
class Programme:
    """What `analyse_programme` found: `means` of entries with their standard errors, `leads` over the check, `steps` by trial, how
    entries follow the trials, and the part in which nothing is missing. `levels` are the trials', set level for entries."""

    trials: tuple[str, ...]
    entries: tuple[str, ...]
    check: str | None
    fit: PartsFit
    means: Floats
    ses: Floats
    leads: tuple[Lead, ...]
    steps: tuple[Step, ...]
    levels: Mapping[str, float]
    follows: tuple[Follows, ...]
    whole: Whole | None

    @property
    def shares(self) -> dict[str, float]:
        """How much of what differs between entries from trial to trial goes with the season, the site, or neither."""
        parts = {k: v for k, v in self.fit.variances.items() if k.startswith("entry:")}
        total = sum(parts.values())
        return {k: v / total for k, v in parts.items()} if total > 0 else dict.fromkeys(parts, 0.0)


def analyse_programme(trials: Sequence[TrialMeans], check: str | None = None, diagonal: bool = False) -> Programme:
    """Fit the means of several trials together, entries fixed and everything else at random, weighted by their covariance, or with
    `diagonal` by their own variances alone.

    Raises ValueError for fewer than two trials or entries.
    """
    if len(trials) < 2:
        raise ValueError("a programme needs two trials or more")
    entry = [e for t in trials for e in t.entries]
    names = levels_of(entry)
    if len(names) < 2:
        raise ValueError("a programme needs two entries or more")
    y = np.concatenate([t.means for t in trials])
    error = np.zeros((len(y), len(y)))
    start, known_on = 0, []
    for t in trials:
        here = slice(start, start + len(t.entries))
        error[here, here] = np.diag(np.diag(t.covariance)) if diagonal else t.covariance
        known_on.append((here, t.df))
        start += len(t.entries)
    terms = crossed_terms(entry, *_places(trials), trial=[t.trial for t in trials for _ in t.entries])
    fit = fit_parts(y, incidence(entry, names), {k: groups_of(v) for k, v in terms.items()}, error, known_on)
    table = _table(trials, names)
    levels = _levels(table)
    return Programme(
        tuple(t.trial for t in trials),
        tuple(names),
        check,
        fit,
        fit.beta,
        np.sqrt(np.diag(fit.covariance)),
        tuple(_leads(fit, names, check, trials)),
        tuple(_steps(trials, check)),
        dict(zip((t.trial for t in trials), levels.tolist(), strict=True)),
        tuple(_follows(names, table, levels)),
        _whole(names, trials, table),
    )


def crossed_terms(
    entry: Labels, season: Labels, site: Labels, rep: Labels | None = None, trial: Labels | None = None
) -> dict[str, list[str]]:
    """The random terms of a programme, by name: of terms that part the values alike the first stays, and one that parts nothing
    goes."""
    trial = trial or [f"{a}\t{b}" for a, b in zip(season, site, strict=True)]  # two crops of one year are two trials
    wanted = {"season": list(season), "site": list(site), "season:site": list(trial)}
    if rep is not None:
        wanted["season:site:rep"] = [f"{t}\t{r}" for t, r in zip(trial, rep, strict=True)]
    for name in ("season", "site", "season:site"):
        wanted[f"entry:{name}"] = [f"{e}\t{w}" for e, w in zip(entry, wanted[name], strict=True)]
    kept: dict[str, list[str]] = {}
    seen = {_partition(["all"] * len(entry)), _partition(list(entry))}
    for name, labels in wanted.items():
        parted = _partition(labels)
        if parted not in seen:
            seen.add(parted)
            kept[name] = labels
    return kept


def _partition(labels: Sequence[str]) -> tuple[int, ...]:
    """By which values go together, whatever they are called."""
    first: dict[str, int] = {}
    return tuple(first.setdefault(label, i) for i, label in enumerate(labels))


def _places(trials: Sequence[TrialMeans]) -> tuple[list[str], list[str]]:
    return [t.season for t in trials for _ in t.entries], [t.site for t in trials for _ in t.entries]


def _leads(fit: PartsFit, names: Sequence[str], check: str | None, trials: Sequence[TrialMeans]) -> list[Lead]:
    if check not in names:
        return []
    others = [e for e in names if e != check]
    rows = np.array([[float(n == e) - float(n == check) for n in names] for e in others])
    estimate, se, df = fit.contrasts(rows)
    made = []
    for i, e in enumerate(others):
        own = [t for t in trials if e in t.entries]
        made.append(Lead(e, float(estimate[i]), float(se[i]), float(df[i]), len(own), len({t.season for t in own})))
    return made


def _steps(trials: Sequence[TrialMeans], check: str | None) -> list[Step]:
    made = []
    for t in trials:
        if check not in t.entries:
            continue
        c = t.entries.index(check)
        v = t.covariance
        for i, e in enumerate(t.entries):
            if i != c:
                se = float(np.sqrt(v[i, i] + v[c, c] - 2 * v[i, c]))
                made.append(Step(t.trial, e, float(t.means[i] - t.means[c]), se))
    return made


def _table(trials: Sequence[TrialMeans], names: Sequence[str]) -> Floats:
    """Means, entries × trials, NaN where an entry did not stand; one that stood twice counts with the mean of both."""
    table = np.full((len(names), len(trials)), np.nan)
    place = {e: i for i, e in enumerate(names)}
    for j, t in enumerate(trials):
        for e in set(t.entries):
            table[place[e], j] = np.mean([m for name, m in zip(t.entries, t.means, strict=True) if name == e])
    return table


def _levels(table: Floats) -> Floats:
    """Of each trial its level among these, entries set level: of the additive fit by least squares, mean nought."""
    rows, columns = np.nonzero(~np.isnan(table))
    x = np.zeros((len(rows), sum(table.shape)))
    x[np.arange(len(rows)), rows] = x[np.arange(len(rows)), table.shape[0] + columns] = 1
    found = np.linalg.lstsq(x, table[rows, columns], rcond=None)[0][table.shape[0] :]
    return np.asarray(found - found.mean())


def _follows(names: Sequence[str], table: Floats, levels: Floats) -> list[Follows]:
    made = []
    for i, name in enumerate(names):
        here = np.flatnonzero(~np.isnan(table[i]))
        if len(here) < FEWEST_TRIALS:
            continue
        own, level = table[i, here] - table[i, here].mean(), levels[here] - levels[here].mean()
        squares = float(level @ level)
        if squares <= 0:
            continue
        slope = float(own @ level) / squares
        left = float(((own - slope * level) ** 2).sum())
        df = len(here) - 2
        se = float(np.sqrt(left / df / squares))
        p = float(distributions.t_two_sided((slope - 1) / se, df)) if se > 0 else 1.0
        made.append(Follows(name, slope, se, p, left / df, len(here)))
    return made


@dataclass(frozen=True)
class Along:
    """How an entry's lead over the check changes along a measure of its trials, such as their warmth: by `slope` a unit."""

    entry: str
    slope: float
    se: float
    p: float
    trials: int


def leads_along(steps: Sequence[Step], measure: Mapping[str, float]) -> tuple[Along, ...]:
    """The leads of each entry by a `measure` of the trials, least squares weighted by how well each lead is known; of entries that
    stood in `FEWEST_TRIALS` + 1 trials with one, or more."""
    by_entry: dict[str, list[Step]] = {}
    for s in steps:
        if s.trial in measure and s.se > 0:
            by_entry.setdefault(s.entry, []).append(s)
    made = []
    for entry, own in by_entry.items():
        if len(own) <= FEWEST_TRIALS:
            continue
        x, y = np.array([measure[s.trial] for s in own]), np.array([s.estimate for s in own])
        w = 1 / np.array([s.se for s in own]) ** 2
        x, y = x - (w @ x) / w.sum(), y - (w @ y) / w.sum()
        squares = float(w @ x**2)
        if squares <= 0:
            continue
        slope = float((w * x) @ y) / squares
        df = len(own) - 2
        se = float(np.sqrt((w @ (y - slope * x) ** 2) / df / squares))
        made.append(Along(entry, slope, se, float(distributions.t_two_sided(slope / se, df)) if se > 0 else 1.0, len(own)))
    return tuple(made)


def _whole(names: Sequence[str], trials: Sequence[TrialMeans], table: Floats) -> Whole | None:
    """The part of the table in which nothing is missing: the trials or entries with most missing leave one by one."""
    rows, columns = list(range(table.shape[0])), list(range(table.shape[1]))
    while rows and columns:
        gone = np.isnan(table[np.ix_(rows, columns)])
        if not gone.any():
            break
        by_row, by_column = gone.mean(axis=1), gone.mean(axis=0)
        if by_row.max() >= by_column.max():
            rows.pop(int(by_row.argmax()))
        else:
            columns.pop(int(by_column.argmax()))
    if len(rows) < 3 or len(columns) < FEWEST_TRIALS:
        return None
    some, part = [names[i] for i in rows], table[np.ix_(rows, columns)]
    there = tuple(trials[j].trial for j in columns)
    return Whole(tuple(some), there, part, stability_of(some, part), ammi_of(part), biplot_of(part))


@dataclass(frozen=True, eq=False)
class OneStage:
    """The plots of all trials in one model: entries fixed, and entries at random."""

    entries: tuple[str, ...]
    fixed: MixedFit
    random: MixedFit


def analyse_plots(entry: Labels, value: Sequence[float], season: Labels, site: Labels, rep: Labels) -> OneStage:
    """Plots with a value, in complete blocks told by trial and `rep`. Raises ValueError as `fit_reml`."""
    names = levels_of(entry)
    y = np.asarray(value, dtype=float)
    terms = {k: Coded.of(v) for k, v in crossed_terms(entry, season, site, rep).items()}
    fixed = fit_reml(y, incidence(entry, names), terms)
    random = fit_reml(y, np.ones((len(y), 1)), {"entry": Coded.of(list(entry)), **terms})
    return OneStage(tuple(names), fixed, random)


def analyse_plots_by_trial(entry: Labels, value: Sequence[float], season: Labels, site: Labels, rep: Labels) -> PartsFit:
    """The same, entries fixed, with an error variance of its own for each trial: among the variances by its name, season and
    site."""
    names = levels_of(entry)
    terms = {k: groups_of(v) for k, v in crossed_terms(entry, season, site, rep).items()}
    trial = [f"{a}-{b}" for a, b in zip(season, site, strict=True)]
    for t in sorted(set(trial)):
        terms[t] = np.array([i if at == t else -1 for i, at in enumerate(trial)])
    return fit_parts(np.asarray(value, dtype=float), incidence(entry, names), terms)
