"""How entries come up, each against the others and against what its seed lot promised."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from math import log, sqrt

from trialcore.analyses.times import Curve, fit_curves
from trialcore.reckoning.germination import newcombe_interval, normal_quantile, wilson_interval

BEGUN = 0.1  # share of the others' seeds that must be up before anything is said of an entry
FAILED = 0.25  # of the others' share, below which an entry is taken to have failed
LATE_DAYS = 1.0  # by which the median must lie behind that of the others to be called slow


@dataclass(frozen=True)
class Counts:
    """Counts of one entry: days from sowing (rising, above nought), seedlings new on each, and seeds sown."""

    entry: str
    days: tuple[float, ...]
    newly: tuple[int, ...]
    sown: int

    @property
    def up(self) -> int:
        """Seeds that came up."""
        return sum(self.newly)

    def up_by(self, day: float) -> int:
        """Seeds that were up by a day after sowing."""
        return sum(n for d, n in zip(self.days, self.newly, strict=True) if d <= day)


class Coming(StrEnum):
    """How an entry comes up beside the others."""

    AS_OTHERS = "as the others"
    SLOW = "slower"
    FEWER = "fewer"
    FAILED = "failed"
    TOO_EARLY = "too early to say"


@dataclass(frozen=True, eq=False)
class EntryEmergence:
    """One entry: `up` of `sown` seeds with Wilson's 95 % interval of the share, its curve, how it compares and why so.
    `below_promise` when even the interval's upper end lies below what its lot promised at this time."""

    entry: str
    sown: int
    up: int
    share: float
    lower95: float
    upper95: float
    curve: Curve | None
    coming: Coming
    why: str
    below_promise: bool


def emergence(counts: Sequence[Counts], promised: Mapping[str, float] | None = None) -> list[EntryEmergence]:
    """Compare each entry with all others pooled, at the day of its own last count.

    Fewer when Newcombe's interval of the difference excludes nought, slower when the medians of the fitted log-normal times
    differ by a day and more than chance; both with the family-wise error of the entries held at 5 % by Bonferroni. Seeds are
    taken as independent, so one tray that stood badly can look like an entry that comes badly: the balance book tells them
    apart. `promised` is the share that an entry's lot should bring up in the end.

    Raises ValueError as `fit_curves`, or for an entry of which nothing was sown.
    """
    if any(c.sown < 1 for c in counts):
        raise ValueError("an entry without a seed cannot come up")
    counted = [c for c in counts if c.days]
    curves = dict(
        zip(
            (c.entry for c in counted),
            fit_curves([c.days for c in counted], [c.newly for c in counted], [c.sown for c in counted]),
            strict=True,
        )
    )
    sure = 1 - 0.05 / max(1, len(counts))
    pooled = _pooled_curve(counted)
    sown_in_all = sum(c.sown for c in counted)
    up_by = {day: sum(c.up_by(day) for c in counted) for day in {c.days[-1] for c in counted}}
    found = []
    for c in counts:
        low, high = wilson_interval(c.up, c.sown)
        curve = curves.get(c.entry)
        others = (up_by[c.days[-1]] - c.up, sown_in_all - c.sown) if c.days else (0, 0)
        coming, why = _compared(c, *others, curve, pooled, sure)
        promise = (promised or {}).get(c.entry)
        by_now = pooled.by(c.days[-1]) / pooled.share if pooled and c.days else 0.0
        below = promise is not None and high < promise * by_now
        found.append(EntryEmergence(c.entry, c.sown, c.up, c.up / c.sown, low, high, curve, coming, why, below))
    return found


def _pooled_curve(counts: Sequence[Counts]) -> Curve | None:
    """The curve of all entries together that were counted on the days of the most."""
    if not counts:
        return None
    days = max((c.days for c in counts), key=lambda d: sum(o.days == d for o in counts))
    same = [c for c in counts if c.days == days]
    newly = [sum(c.newly[i] for c in same) for i in range(len(days))]
    return fit_curves([days], [newly], [sum(c.sown for c in same)])[0]


def _compared(c: Counts, up: int, sown: int, curve: Curve | None, pooled: Curve | None, sure: float) -> tuple[Coming, str]:
    """How an entry stands against `up` of `sown` seeds of the others at its own last count."""
    last = c.days[-1] if c.days else 0.0
    if not c.days or not sown or up / sown < BEGUN:
        return Coming.TOO_EARLY, ""
    low, high = newcombe_interval(up, sown, c.up, c.sown, sure)
    theirs = f"{100 * up / sown:.0f} % of the others' seeds are"
    if wilson_interval(c.up, c.sown, sure)[1] < FAILED * up / sown:
        return Coming.FAILED, f"{c.up} of {c.sown} are up after {last:g} days, while {theirs}."
    if high < 0:
        return Coming.FEWER, f"{-100 * high:.0f} to {-100 * low:.0f} points fewer are up than of the others."
    if curve and pooled and curve.covariance is not None and pooled.covariance is not None:
        later = log(curve.median_days) - log(pooled.median_days)
        error = sqrt(curve.covariance[1, 1] + pooled.covariance[1, 1])
        days = curve.median_days - pooled.median_days
        if days >= LATE_DAYS and later / error > normal_quantile(0.5 + sure / 2):
            return Coming.SLOW, f"Half of them took {days:.1f} days longer than the others."
    return Coming.AS_OTHERS, ""
