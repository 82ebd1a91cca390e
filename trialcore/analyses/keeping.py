"""Keeping: when stored pieces are lost, known only between two checks, compared by entry.

Each piece is lost in an interval of days, or still sound at the last check (right-censored), or was taken away sound. The times
follow a Weibull or a lognormal distribution whose location and scale are found by maximum likelihood (Turnbull 1976 for the data,
Kalbfleisch and Prentice 2002, ch. 3, for the models).
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise
from math import exp, inf, log, sqrt
from statistics import NormalDist
from typing import Any, Literal

import numpy as np

from trialcore.analyses.censored import Mass
from trialcore.analyses.censored import turnbull as free_of_shape
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


def lost_between(lots: Sequence[LotChecks]) -> tuple[Mass, ...]:
    """Between which days in store what part of an entry's pieces was lost, by maximum likelihood without any shape (Turnbull 1976):
    every piece is known to the two looks between which it was lost, or to have been sound when it was last seen. Lots may differ in
    age and be looked at on different days. Raises ValueError as `keeping`."""
    looked: list[float | None] = []
    reached: list[float | None] = []
    number: list[int] = []

    def note(since: float, by: float | None, pieces: int) -> None:
        looked.append(since)
        reached.append(by)
        number.append(pieces)

    for lot in lots:
        _checked(lot)
        before, start = lot.pieces, 0.0
        for day, sound, lost in zip(lot.days, lot.sound, lot.lost, strict=True):
            note(start, day, lost)
            note(day, None, before - lost - sound)
            before, start = sound, day
        note(start, None, before)
    return free_of_shape(looked, reached, number)[0]


@dataclass(frozen=True)
class Sound:
    """The share (0 to 1) of an entry's pieces that is still sound on a day in store, with a 95 % interval."""

    day: float
    share: float
    lower95: float
    upper95: float


def sound_curve(lots: Sequence[LotChecks], widened: float = Z95) -> list[Sound]:
    """The share of an entry's pieces still sound, at the days between which each part was lost: straight lines between them are
    what `lost_between` leaves open. The interval is Wilson's over the pieces that are known on the day, `widened` standard errors
    wide (those of the normal where pieces are independent, more where lots differ). Raises ValueError as `keeping`."""
    masses = lost_between(lots)
    last = max((lot.days[-1] for lot in lots), default=0.0)
    points, share = [(0.0, 1.0)], 1.0
    for m in masses:
        if m.end is None:
            continue
        if m.start > points[-1][0]:
            points.append((m.start, share))
        share = max(0.0, share - m.mass)
        points.append((m.end, share if share > 1e-9 else 0.0))
    if points[-1][0] < last:
        points.append((last, points[-1][1]))
    made = []
    for day, part in points:
        known = sum(_known(lot, day) for lot in lots)
        made.append(Sound(day, part, *((1.0, 1.0) if day == 0 else _wilson(part, known, widened))))
    return made


def share_sound(curve: Sequence[Sound], day: float) -> float | None:
    """The share sound after `day` days in store, straight between the days of the curve; None beyond its last, unless nothing was
    left there."""
    if curve[-1].day < day:
        return 0.0 if curve[-1].share == 0 else None
    for a, b in pairwise(curve):
        if a.day <= day <= b.day:
            return a.share + (b.share - a.share) * (day - a.day) / (b.day - a.day) if b.day > a.day else b.share
    return curve[0].share


def median_lost(masses: Sequence[Mass]) -> tuple[float | None, float | None]:
    """Between which days half of the pieces was lost; none where more than half are sound to the end."""
    gone = 0.0
    for m in masses:
        gone += m.mass
        if gone >= 0.5 - 1e-9 and m.end is not None:
            return m.start, m.end
    return None, None


def _known(lot: LotChecks, day: float) -> int:
    """Pieces of a lot of which it is known whether they were sound on a day."""
    if day <= lot.days[-1]:
        before = [(s, n) for d, s, n in zip(lot.days, lot.sound, lot.lost, strict=True) if d < day]
        return (before[-1][0] if before else lot.pieces) + sum(n for _, n in before)
    return sum(lot.lost)


def _wilson(share: float, of: int, widened: float) -> tuple[float, float]:
    if of <= 0:
        return 0.0, 1.0
    worth = widened**2 / of
    middle = (share + worth / 2) / (1 + worth)
    half = sqrt(max(0.0, share * (1 - share)) * worth + worth**2 / 4) / (1 + worth)
    return max(0.0, middle - half), min(1.0, middle + half)


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
    try:
        covariance = np.linalg.inv(information) * (spread or 1.0)
    except np.linalg.LinAlgError as error:
        raise ValueError("too few pieces were lost between looks to compare entries") from error
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
