"""Keeping: when stored pieces are lost, known only between two checks, compared by entry.

Each piece is lost in an interval of days, or still sound at the last check (right-censored), or was taken away sound. The times
follow a Weibull or a lognormal distribution whose location and scale are found by maximum likelihood (Turnbull 1976 for the data,
Kalbfleisch and Prentice 2002, ch. 3, for the models).
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from math import exp, inf, log, sqrt
from statistics import NormalDist
from typing import Any, Literal

import numpy as np

from trialcore.inference import distributions

Shape = Literal["weibull", "lognormal"]
SHAPES: tuple[Shape, Shape] = ("weibull", "lognormal")
STEPS, SMALL, CLOSE = 100, 1e-10, 1e-9
MOST_LOG = 50.0  # of days; an interval that reaches farther says nothing
Z95 = 1.959963984540054


@dataclass(frozen=True)
class LotChecks:
    """One lot of an entry: `days` of its checks from when it was put away (above nought, rising), at each the pieces still
    `sound` and those `lost` since the check before; `pieces` at the start. Pieces missing from both were taken away sound."""

    lot: str
    entry: str
    pieces: int
    days: tuple[float, ...]
    sound: tuple[int, ...]
    lost: tuple[int, ...]


@dataclass(frozen=True)
class EntryKeeping:
    """How an entry keeps, with its own location and scale of the log of days: 95 % intervals from the delta method. Where no
    piece was lost nothing can be estimated and the figures are None."""

    entry: str
    lots: int
    pieces: int
    lost: int
    location: float | None = None
    location_se: float | None = None
    scale: float | None = None
    log_scale_se: float | None = None
    log_likelihood: float | None = None
    median: float | None = None
    median95: tuple[float, float] | None = None
    days_to_90: float | None = None
    days_to_90_95: tuple[float, float] | None = None


@dataclass(frozen=True)
class AgainstCheck:
    """An entry against the check on one common scale: the log of how many times as long it keeps, its standard error, two-sided
    `p`, and the ratio with its 95 % interval."""

    entry: str
    estimate: float
    se: float
    p: float
    ratio: float
    ratio95: tuple[float, float]


@dataclass(frozen=True, eq=False)
class Keeping:
    """Every entry by itself, and those with losses against the check.

    `spread` is how much more lots of one entry differ than pieces drawn one by one would (score statistics of the lots by their
    degrees of freedom `df`, at least one): every standard error of a difference is widened by its root and held to Student's t.
    Both None where no entry has two lots; pieces then count as independent."""

    shape: Shape
    entries: tuple[EntryKeeping, ...]
    log_likelihood: float | None
    scale: float | None
    vs_check: tuple[AgainstCheck, ...]
    spread: float | None
    df: int | None
    told: tuple[str, ...] = ()
    """The entries with losses, in the order of `locations`."""
    locations: np.ndarray | None = None
    covariance: np.ndarray | None = None
    differ: tuple[float, int, float] | None = None
    """Whether they keep alike: chi-square of the likelihood ratio, its degrees of freedom and p; pieces counted as independent."""

    @property
    def widened(self) -> float:
        """By how much a standard error of one entry is multiplied for half of its 95 % interval, lots that differ allowed for."""
        return _quantile(self.df) * sqrt(self.spread or 1.0)

    def median95(self, entry: EntryKeeping) -> tuple[float, float] | None:
        """The 95 % interval of an entry's median, in days, widened for lots that differ."""
        if entry.median is None or entry.median95 is None:
            return None
        se = log(entry.median95[1] / entry.median) / Z95
        wide = _quantile(self.df) * se * sqrt(self.spread or 1.0)
        return (entry.median * exp(-wide), entry.median * exp(wide))


def turnbull(lots: Sequence[LotChecks]) -> list[tuple[float, float]]:
    """The share of an entry's pieces still sound after each day of checking, as (day, share): lots weighted by what they hold
    there, what was taken away counted as sound until then (product-limit over the check days, exact where all lots are checked
    on the same days). Raises ValueError as `keeping`."""
    return [(day, share) for day, share, _ in product_limit(lots)]


def product_limit(lots: Sequence[LotChecks]) -> list[tuple[float, float, float]]:
    """The curve as `turnbull` gives it, each day with the standard error of its share (Greenwood 1926), pieces counted as
    independent. Raises ValueError as `keeping`."""
    for lot in lots:
        _checked(lot)
    days = sorted({d for lot in lots for d in lot.days})
    share, summed, made = 1.0, 0.0, []
    for day in days:
        at_risk = lost = 0
        for lot in lots:
            if day in lot.days:
                i = lot.days.index(day)
                at_risk += lot.sound[i - 1] if i else lot.pieces  # those that were taken away were seen sound on this day
                lost += lot.lost[i]
        share *= 1 - lost / at_risk if at_risk else 1.0
        summed += lost / (at_risk * (at_risk - lost)) if at_risk > lost else 0.0
        made.append((day, share, share * sqrt(summed)))
    return made


def keeping(lots: Sequence[LotChecks], check: str | None = None, shape: Shape | None = None, lots_alike: bool = False) -> Keeping:
    """Compare how entries keep. The `shape` of the distribution is the likelier one where none is given; with `lots_alike` pieces
    count as independent whichever lot they lay in.

    Raises ValueError for no lot, days that do not rise from above nought, counts below nought, or more pieces than there were.
    """
    if not lots:
        raise ValueError("there is no lot")
    for lot in lots:
        _checked(lot)
    if shape is None:
        tried = [keeping(lots, check, s, lots_alike) for s in SHAPES]
        return max(tried, key=lambda found: -inf if found.log_likelihood is None else found.log_likelihood)
    by_entry: dict[str, list[LotChecks]] = {}
    for lot in lots:
        by_entry.setdefault(lot.entry, []).append(lot)
    found = tuple(_alone(entry, some, shape) for entry, some in by_entry.items())
    told = [e.entry for e in found if e.lost]
    if not told:
        return Keeping(shape, found, None, None, (), None, None)
    rows = [_rows(lot, told.index(lot.entry)) for lot in lots if lot.entry in told]
    theta, information, likelihood = _fit([r for some in rows for r in some], len(told), shape)
    spread, df = (None, None) if lots_alike else _spread(rows, theta, len(told), shape)
    covariance = np.linalg.inv(information) * (spread or 1.0)
    versus = _versus(told, check, theta, covariance, df) if check is not None and check in told else ()
    more = (tuple(told), theta[:-1], covariance[:-1, :-1], _differ(rows, len(told), likelihood, shape))
    return Keeping(shape, found, likelihood, exp(theta[-1]), versus, spread, df, *more)


def _differ(rows: Sequence[Sequence[Row]], entries: int, likelihood: float, shape: Shape) -> tuple[float, int, float] | None:
    """The likelihood ratio of a location for each entry against one for all."""
    if entries < 2:
        return None
    try:
        alike = _fit([(0, low, high, n) for some in rows for _, low, high, n in some], 1, shape)[2]
    except (ValueError, np.linalg.LinAlgError):
        return None
    chi = max(0.0, 2 * (likelihood - alike))
    return chi, entries - 1, distributions.chi_square_above(chi, entries - 1)


def _spread(rows: Sequence[Sequence[Row]], theta: np.ndarray, entries: int, shape: Shape) -> tuple[float | None, int | None]:
    """How much more lots of an entry differ than chance, and on how many degrees of freedom that rests."""
    chi, lots = 0.0, 0
    for some in rows:
        entry = some[0][0]
        _, score, hessian = _derivatives(some, theta, shape)
        if hessian[entry, entry] < 0:
            chi += float(score[entry]) ** 2 / -float(hessian[entry, entry])
            lots += 1
    df = lots - entries
    return (max(1.0, chi / df), df) if df > 0 else (None, None)


def _quantile(df: int | None) -> float:
    return Z95 if df is None else distributions.t_quantile(0.975, df)


def _checked(lot: LotChecks) -> None:
    if not len(lot.days) == len(lot.sound) == len(lot.lost) or not lot.days:
        raise ValueError(f"lot {lot.lot}: each check needs a day, what is sound and what was lost")
    before, day = lot.pieces, 0.0
    for d, s, n in zip(lot.days, lot.sound, lot.lost, strict=True):
        if d <= day:
            raise ValueError(f"lot {lot.lot}: the days rise from above nought")
        if min(s, n) < 0 or s + n > before:
            raise ValueError(f"lot {lot.lot}: on day {d:g} there cannot be more than the {before} that were sound before")
        before, day = s, d


Row = tuple[int, float, float, int]  # the entry's number, the ends of the interval in log days, and how many pieces


def _rows(lot: LotChecks, entry: int) -> list[Row]:
    rows: list[Row] = []
    before, start = lot.pieces, -inf
    for day, sound, lost in zip(lot.days, lot.sound, lot.lost, strict=True):
        if lost:
            rows.append((entry, start, log(day), lost))
        if taken := before - lost - sound:
            rows.append((entry, log(day), inf, taken))
        before, start = sound, log(day)
    return rows + ([(entry, start, inf, before)] if before else [])


def _alone(entry: str, lots: Sequence[LotChecks], shape: Shape) -> EntryKeeping:
    pieces, lost = sum(x.pieces for x in lots), sum(sum(x.lost) for x in lots)
    empty = EntryKeeping(entry, len(lots), pieces, lost)
    if not lost:
        return empty
    try:
        theta, information, likelihood = _fit([r for lot in lots for r in _rows(lot, 0)], 1, shape)
        covariance = np.linalg.inv(information)
    except (ValueError, np.linalg.LinAlgError):
        return empty
    location, scale = float(theta[0]), exp(theta[1])
    quantiles = {}
    for name, p in (("median", 0.5), ("tenth", 0.1)):
        q = log(-log(1 - p)) if shape == "weibull" else NormalDist().inv_cdf(p)
        grad = np.array([1.0, scale * q])
        at, se = location + scale * q, sqrt(float(grad @ covariance @ grad))
        if at + Z95 * se > MOST_LOG:
            return empty
        quantiles[name] = (exp(at), (exp(at - Z95 * se), exp(at + Z95 * se)))
    return EntryKeeping(
        entry,
        len(lots),
        pieces,
        lost,
        location,
        sqrt(float(covariance[0, 0])),
        scale,
        sqrt(float(covariance[1, 1])),
        likelihood,
        *quantiles["median"],
        *quantiles["tenth"],
    )


def _versus(told: Sequence[str], check: str, theta: np.ndarray, covariance: np.ndarray, df: int | None) -> tuple[AgainstCheck, ...]:
    c = told.index(check)
    made = []
    for i, entry in enumerate(told):
        if i == c:
            continue
        estimate = float(theta[i] - theta[c])
        se = sqrt(float(covariance[i, i] + covariance[c, c] - 2 * covariance[i, c]))
        p = 2 * NormalDist().cdf(-abs(estimate) / se) if df is None else float(distributions.t_two_sided(estimate / se, df))
        wide = _quantile(df) * se
        made.append(AgainstCheck(entry, estimate, se, p, exp(estimate), (exp(estimate - wide), exp(estimate + wide))))
    return tuple(made)


def _fit(rows: Sequence[Row], entries: int, shape: Shape) -> tuple[np.ndarray, np.ndarray, float]:
    """Location of each entry and the log of the common scale, with the observed information and the log-likelihood, by Newton's
    method with halved steps. Raises ValueError where it does not converge."""
    middles = [[0.5 * (max(a, b - 1.0) + b) if b < inf else a + 0.3 for e, a, b, _ in rows if e == k] for k in range(entries)]
    theta = np.array([*(float(np.mean(m)) for m in middles), log(0.5)])
    value, score, hessian = _derivatives(rows, theta, shape)
    for _ in range(STEPS):
        try:
            step = np.linalg.solve(-hessian, score)
        except np.linalg.LinAlgError:
            step = score / max(1.0, float(np.abs(score).max()))
        if float(score @ step) < 0:
            step = score / max(1.0, float(np.abs(score).max()))
        size = min(1.0, 2.0 / max(1e-12, float(np.abs(step).max())))
        while size > SMALL:
            following = _derivatives(rows, theta + size * step, shape)
            if following[0] >= value - 1e-10 * max(1.0, abs(value)):
                break
            size /= 2
        theta = theta + size * step
        value, score, hessian = following
        if size * float(np.abs(step).max()) < CLOSE:
            return theta, -hessian, value
    raise ValueError("the likelihood has no maximum: more losses between checks are needed")


def _derivatives(rows: Sequence[Row], theta: np.ndarray, shape: Shape) -> tuple[float, np.ndarray, np.ndarray]:
    """The log-likelihood with its gradient and Hessian."""
    size, s = len(theta), exp(float(theta[-1]))
    value, score, hessian = 0.0, np.zeros(size), np.zeros((size, size))
    for entry, low, high, n in rows:
        chance, grad, second = 0.0, np.zeros(2), np.zeros((2, 2))
        for end, sign in ((high, 1.0), (low, -1.0)):
            if end == inf:
                chance += sign
            elif end > -inf:
                z = (end - float(theta[entry])) / s
                f, d, d2 = _distribution(z, shape)
                chance += sign * f
                grad += sign * np.array([-d / s, -z * d])
                cross = (d + z * d2) / s
                second += sign * np.array([[d2 / s**2, cross], [cross, z * d + z * z * d2]])
        if chance <= 1e-300:
            return -inf, score, hessian
        place = [entry, size - 1]
        value += n * log(chance)
        score[place] += n * grad / chance
        hessian[np.ix_(place, place)] += n * (second / chance - np.outer(grad, grad) / chance**2)
    return value, score, hessian


def _distribution(z: float, shape: Shape) -> tuple[float, float, float]:
    """Share lost by `z`, its density and the derivative of that."""
    if shape == "weibull":
        z = min(z, 700.0)
        u = exp(z)
        density = exp(z - u) if u < 700 else 0.0
        return -float(np.expm1(-u)), density, density * (1 - u)
    from scipy.special import ndtr

    density = exp(-0.5 * z * z) / sqrt(2 * np.pi)
    return float(ndtr(z)), density, -z * density


def lots_from(rows: Sequence[Mapping[str, Any]]) -> list[LotChecks]:
    """Lots from lines with `lot`, `entry`, `day`, `sound` and `lost` (day 0 is the start). Raises ValueError for a lot without its
    start, or what is no number."""
    grouped: dict[tuple[str, str], list[tuple[float, int, int]]] = {}
    for row in rows:
        figures = (float(row["day"]), int(row["sound"]), int(row["lost"]))
        grouped.setdefault((row["lot"], row["entry"]), []).append(figures)
    made = []
    for (lot, entry), some in grouped.items():
        start, *checks = sorted(some)
        if start[0] != 0:
            raise ValueError(f"lot {lot} has no line of day 0")
        days, sound, lost = (tuple(part) for part in zip(*checks, strict=True)) if checks else ((), (), ())
        made.append(LotChecks(lot, entry, start[1], days, sound, lost))
    return made
