"""Times of germination or emergence that are known to the day of counting: one curve for each entry or lot."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass
from math import exp, log

import numpy as np

from trialcore.analyses.linear import Floats

STEP = 1e-4  # of the differences from which the likelihood's slopes are taken
Z95 = 1.959963984540054


@dataclass(frozen=True, eq=False)
class Curve:
    """Log-normal times of those that come at all. `share` is that of the seeds that come in the end, `median_days` when half of
    these have, `spread_log` the standard deviation of log time; `covariance` that of logit share, log median and log spread,
    None where the counts do not settle all three."""

    share: float
    median_days: float
    spread_log: float
    covariance: Floats | None

    def by(self, day: float) -> float:
        """The share of the seeds that has come by `day`."""
        from scipy.special import ndtr

        return self.share * float(ndtr((log(day) - log(self.median_days)) / self.spread_log)) if day > 0 else 0.0

    @property
    def share95(self) -> tuple[float, float] | None:
        """95 % interval of the final share, on the logit scale."""
        if self.covariance is None:
            return None
        middle, half = log(self.share / (1 - self.share)), Z95 * float(np.sqrt(self.covariance[0, 0]))
        return 1 / (1 + exp(half - middle)), 1 / (1 + exp(-half - middle))

    @property
    def median95(self) -> tuple[float, float] | None:
        """95 % interval of the median time in days, on the log scale."""
        if self.covariance is None:
            return None
        half = Z95 * float(np.sqrt(self.covariance[1, 1]))
        return self.median_days * exp(-half), self.median_days * exp(half)

    @property
    def quartile_days(self) -> float:
        """Days from a quarter to three quarters of those that come: the smaller, the more even."""
        reach = 0.6744897501960817 * self.spread_log
        return self.median_days * (exp(reach) - exp(-reach))


@dataclass(frozen=True)
class Counted:
    """Counts of one tray or plot: `days` of counting (rising from above nought), how many were new, of how many `sown`."""

    days: Sequence[float]
    newly: Sequence[int]
    sown: int


def fit_curves(days: Sequence[Sequence[float]], newly: Sequence[Sequence[int]], sown: Sequence[int]) -> list[Curve | None]:
    """The curve of each row of counts, as `fit_shared` with one tray or plot a row.

    Raises ValueError as that, or when there are not as many of each.
    """
    if not len(days) == len(newly) == len(sown):
        raise ValueError("each row needs its days, its counts and the number sown")
    return fit_shared([[Counted(*row)] for row in zip(days, newly, sown, strict=True)])


def fit_shared(rows: Sequence[Sequence[Counted]]) -> list[Curve | None]:
    """One curve for each row, shared by its trays or plots, each of which may be counted on days of its own.

    Maximum likelihood of a log-normal time with a share that never comes, each seed known to the interval between two counts
    or not come by the last (the time-to-event model for germination of Onofri, Gresta and Tei 2010, Weed Research 50). A
    whisper of a prior keeps the spread finite where all came on neighbouring days. All rows are fitted at once by Newton's
    method; the covariance is the inverse of the observed information. None for a row with fewer than three seedlings or only
    one day that had any, and where counts leave the median open by a factor of twenty or more either way (plots that had nearly
    all come by their first counts, each on a day of its own).

    Raises ValueError when days do not rise, lengths differ, or more came than were sown.
    """
    for counted in (c for row in rows for c in row):
        _check(counted)
    told = [i for i, row in enumerate(rows) if _tells(row)]
    found: list[Curve | None] = [None] * len(rows)
    if not told:
        return found
    lines, width = max(len(rows[i]) for i in told), max(len(c.days) for i in told for c in rows[i])
    ends, counts = np.zeros((len(told), lines, width)), np.zeros((len(told), lines, width))
    rest = np.zeros((len(told), lines))
    for n, i in enumerate(told):
        for k, c in enumerate(rows[i]):
            ends[n, k] = [*np.log(c.days), *[log(c.days[-1])] * (width - len(c.days))]
            counts[n, k, : len(c.newly)] = c.newly
            rest[n, k] = c.sown - sum(c.newly)
    at, information = _climb(ends, counts, rest)
    for row, i in enumerate(told):
        share, middle, spread = 1 / (1 + np.exp(-at[row, 0])), at[row, 1], np.exp(at[row, 2])
        settled = np.linalg.eigvalsh(information[row]).min() > 1e-6
        covariance = np.asarray(np.linalg.inv(information[row]), dtype=float) if settled else None
        found[i] = Curve(float(share), float(np.exp(middle)), float(spread), covariance)
    return found


def _check(counted: Counted) -> None:
    days = list(counted.days)
    if len(days) != len(counted.newly) or not days or days[0] <= 0 or any(b <= a for a, b in itertools.pairwise(days)):
        raise ValueError("days must rise from above nought, with one count each")
    if min(counted.newly) < 0 or sum(counted.newly) > counted.sown:
        raise ValueError(f"{sum(counted.newly)} came of {counted.sown} sown cannot be")


def _tells(row: Sequence[Counted]) -> bool:
    """Whether counts say enough for a curve: three seedlings, on two days at least."""
    with_any = {day for c in row for day, n in zip(c.days, c.newly, strict=True) if n}
    return sum(sum(c.newly) for c in row) >= 3 and len(with_any) >= 2


def _cost(at: Floats, ends: Floats, counts: Floats, rest: Floats) -> Floats:
    """Minus the log likelihood of each row, with its whisper of a prior. `ends` and `counts` go by row, line and count."""
    from scipy.special import expit, ndtr

    share, middle, spread = expit(at[:, 0]), at[:, 1], np.exp(at[:, 2])
    below = ndtr((ends - middle[:, None, None]) / spread[:, None, None])
    inside = np.maximum(np.diff(below, axis=2, prepend=0.0), 1e-300)
    left = np.maximum(1 - share[:, None] * below[:, :, -1], 1e-300)
    prior = 0.01 * (at[:, 2] + 1) ** 2 + 0.001 * at[:, 0] ** 2
    seen = (counts * (np.log(np.maximum(share, 1e-300))[:, None, None] + np.log(inside))).sum((1, 2))
    return np.asarray(prior - seen - (rest * np.log(left)).sum(1))


def _climb(ends: Floats, counts: Floats, rest: Floats) -> tuple[Floats, Floats]:
    """The best parameters of each row, and the information there."""
    total = counts.sum((1, 2))
    mean = (counts * ends).sum((1, 2)) / total
    at = np.column_stack([np.log((total + 0.5) / (rest.sum(1) + 0.5)), mean, np.full(len(total), -1.0)])
    value, left = _cost(at, ends, counts, rest), np.arange(len(total))
    for _ in range(100):
        here = at[left], ends[left], counts[left], rest[left]
        slope, bend = _slopes(*here)
        roots, axes = np.linalg.eigh(bend)
        roots = np.maximum(np.abs(roots), 1e-3)
        step = -np.einsum("rij,rj,rkj,rk->ri", axes, 1 / roots, axes, slope)
        step *= np.minimum(1.0, 1.0 / np.maximum(np.abs(step).max(1), 1e-12))[:, None]
        moved = np.zeros(len(left), dtype=bool)
        for shrink in (1.0, 0.5, 0.25, 0.1, 0.02):
            tried = here[0] + shrink * step
            new = _cost(tried, *here[1:])
            better = ~moved & (new < value[left])
            at[left[better]], value[left[better]], moved = tried[better], new[better], moved | better
            if moved.all():
                break
        left = left[moved & (np.abs(step).max(1) > 1e-6)]
        if not len(left):
            break
    return at, _slopes(at, ends, counts, rest)[1]


def _slopes(at: Floats, ends: Floats, counts: Floats, rest: Floats) -> tuple[Floats, Floats]:
    """First and second derivatives of each row's cost by central differences, every point in one call."""
    rows, one = len(at), np.eye(3) * STEP
    pairs = [(i, j) for i in range(3) for j in range(i)]
    corners = [sign_i * one[i] + sign_j * one[j] for i, j in pairs for sign_i, sign_j in ((1, 1), (1, -1), (-1, 1), (-1, -1))]
    moves = np.array([np.zeros(3), *one, *-one, *corners])
    many = len(moves)
    tried = (at[None] + moves[:, None]).reshape(-1, 3)
    value = _cost(tried, np.tile(ends, (many, 1, 1)), np.tile(counts, (many, 1, 1)), np.tile(rest, (many, 1))).reshape(many, rows)
    here, up, down, corner = value[0], value[1:4], value[4:7], value[7:].reshape(len(pairs), 4, rows)
    slope, bend = ((up - down) / (2 * STEP)).T, np.empty((rows, 3, 3))
    for i in range(3):
        bend[:, i, i] = (up[i] - 2 * here + down[i]) / STEP**2
    for (i, j), at_corner in zip(pairs, corner, strict=True):
        bend[:, i, j] = bend[:, j, i] = (at_corner[0] - at_corner[1] - at_corner[2] + at_corner[3]) / (4 * STEP**2)
    return slope, bend
