"""How entries come up, each against the others and against what its seed lot promised."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from math import log, sqrt

import numpy as np

from trialcore.analyses.times import Counted, Curve, fit_shared
from trialcore.inference.distributions import t_quantile
from trialcore.reckoning.germination import newcombe_interval, normal_quantile, wilson_interval

BEGUN = 0.5  # share of the others' seeds that must be up before an entry can be said to have failed
FAILED = 0.25  # of the others' share, below which an entry is taken to have failed
LATE_DAYS = 1.0  # by which the median must lie behind that of the others to be called slow
SETTLED = 0.05  # of those that are up: no more than this may be new at the last count, else more is still coming
TRAY_CORRELATION = 0.1  # of seeds in one tray, taken where the trays themselves cannot tell it
ENOUGH_DF = 6  # degrees of freedom between trays of one entry from which their spread is taken from the counts


@dataclass(frozen=True)
class Counts:
    """Counts of one tray or plot of an entry: days from sowing (rising, above nought), seedlings new on each, and seeds sown.
    `tray` names where it stood, so that entries in one tray are known to share it; empty for a place of its own."""

    entry: str
    days: tuple[float, ...]
    newly: tuple[int, ...]
    sown: int
    tray: str = ""

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
    """One entry: `up` of the `sown` seeds that were looked at (`unseen` more were not yet: nothing is known of them), its curve,
    how it compares and why so. `settled` when hardly anything was new at its last count; before that a share so far is no
    final share, and the curve's figures are not to be told. The interval of the share allows for seeds of one tray being alike.
    `trays_told` is whether the trays themselves said how alike, and `below_promise` when even the interval's upper end lies
    below what its lot promised."""

    entry: str
    sown: int
    unseen: int
    up: int
    share: float
    lower95: float
    upper95: float
    curve: Curve | None
    settled: bool
    coming: Coming
    why: str
    trays_told: bool
    below_promise: bool


@dataclass(frozen=True)
class _Likeness:
    """By how much more shares of trays spread than those of independent seeds; `df` of that figure, None where it is taken."""

    factor: float
    df: int | None

    def confidence(self, wanted: float) -> float:
        """The confidence whose normal quantile is the quantile of t with these degrees of freedom."""
        from scipy.special import ndtr

        if self.df is None:
            return wanted
        return 2 * float(ndtr(t_quantile(0.5 + wanted / 2, self.df))) - 1


def emergence(counts: Sequence[Counts], promised: Mapping[str, float] | None = None) -> list[EntryEmergence]:
    """Compare each entry with all others pooled, tray by tray at the day of its own last count; what was not counted is unknown.

    An entry may have several rows, one a tray or plot. Fewer when so few would hardly come of the others' share (beta-binomial),
    once nothing much is new with the others; failed when that is surely less than a quarter of it; slower when the medians of the
    fitted log-normal times differ by a day and more than chance; all with the family-wise error of the entries held at 5 % by
    Bonferroni. Seeds of one tray are not independent: counts are divided by how much more trays of one entry spread than chance
    (Pearson's statistic by its degrees of freedom);
    where that cannot be seen, by 1 + (n − 1) ρ with ρ = 0.1 for trays of n seeds, unless all stood in one tray. `promised` is
    the share that an entry's lot should bring up in the end.

    Raises ValueError as `fit_shared`, or for a row of which nothing was sown.
    """
    if any(c.sown < 1 for c in counts):
        raise ValueError("an entry without a seed cannot come up")
    every = list(dict.fromkeys(c.entry for c in counts))
    seen = {e: [c for c in counts if c.entry == e and c.days] for e in every}
    told = [e for e in every if seen[e]]
    curves = dict(zip(told, fit_shared([[_counted(c) for c in seen[e]] for e in told]), strict=True))
    pooled = fit_shared([[_counted(c) for e in told for c in seen[e]]])[0] if told else None
    likeness = _likeness([seen[e] for e in told])
    sure = likeness.confidence(1 - 0.05 / max(1, len(told)))
    found = []
    for e in every:
        own, others = seen[e], [c for o in told if o != e for c in seen[o]]
        unseen = sum(c.sown for c in counts if c.entry == e and not c.days)
        up, sown = sum(c.up for c in own), sum(c.sown for c in own)
        if not own:
            found.append(EntryEmergence(e, 0, unseen, 0, 0.0, 0.0, 1.0, None, False, Coming.TOO_EARLY, "", False, False))
            continue
        low, high = wilson_interval(up / likeness.factor, sown / likeness.factor, likeness.confidence(0.95))
        settled = _settled(own)
        coming, why = _compared(own, others, (curves[e], pooled), likeness, sure)
        promise = (promised or {}).get(e)
        below = settled and promise is not None and high < promise
        row = EntryEmergence(
            e, sown, unseen, up, up / sown, low, high, curves[e], settled, coming, why, likeness.df is not None, below
        )
        found.append(row)
    return found


def _counted(c: Counts) -> Counted:
    return Counted(c.days, c.newly, c.sown)


def _settled(rows: Sequence[Counts]) -> bool:
    """Whether hardly anything was new at the last of several counts."""
    up, last = sum(c.up for c in rows), sum(c.newly[-1] for c in rows)
    return up > 0 and all(len(c.days) > 1 for c in rows) and last <= SETTLED * up


def _likeness(entries: Sequence[Sequence[Counts]]) -> _Likeness:
    """How alike seeds of one tray are, from trays of one entry at their last counts, else as is taken."""
    chi, df = 0.0, 0
    for rows in entries:
        share = sum(c.up for c in rows) / sum(c.sown for c in rows)
        if len(rows) > 1 and 0 < share < 1:
            chi += sum((c.up - c.sown * share) ** 2 / (c.sown * share * (1 - share)) for c in rows)
            df += len(rows) - 1
    if df >= ENOUGH_DF:
        return _Likeness(max(1.0, chi / df), df)
    every = [c for rows in entries for c in rows]
    if not every or (every[0].tray and len({c.tray for c in every}) == 1):
        return _Likeness(1.0, None)
    return _Likeness(1 + (sum(c.sown for c in every) / len(every) - 1) * TRAY_CORRELATION, None)


def _compared(
    own: Sequence[Counts], others: Sequence[Counts], curves: tuple[Curve | None, Curve | None], likeness: _Likeness, sure: float
) -> tuple[Coming, str]:
    """How an entry stands against the others, each of its rows at the day of its last count; `curves` are its own and that of
    all together."""
    expected = seeds = 0.0
    for c in own:
        beside = [(o.up_by(c.days[-1]), o.sown) for o in others if o.days[0] <= c.days[-1]]
        if not beside:
            return Coming.TOO_EARLY, ""
        expected += c.sown * sum(up for up, _ in beside) / sum(sown for _, sown in beside)
        seeds = max(seeds, sum(sown for _, sown in beside))
    up, sown = sum(c.up for c in own), sum(c.sown for c in own)
    theirs, settled = expected / sown, _settled(others)
    if theirs < BEGUN and not settled:
        return Coming.TOO_EARLY, ""
    few, many = sown / likeness.factor, seeds / likeness.factor
    alike = (likeness.factor - 1) / max(1, sown - 1) + 1 / many  # the others' own uncertainty is taken in
    if chance_of_so_few(up, sown, theirs, alike) < (1 - sure) / 2:
        if wilson_interval(up, sown, sure)[1] < FAILED * theirs:
            last = max(c.days[-1] for c in own)
            return Coming.FAILED, f"{up} of {sown} are up after {last:g} days, while {100 * theirs:.0f} % of the others' seeds are."
        if settled:
            low, high = newcombe_interval(theirs * many, many, up / likeness.factor, few, sure)
            points = f"{-100 * high:.0f} to {-100 * low:.0f}" if high < 0 else f"{100 * (theirs - up / sown):.0f}"
            return Coming.FEWER, f"{points} points fewer are up than of the others."
    if not settled:
        return Coming.TOO_EARLY, ""
    curve, pooled = curves
    if _settled(own) and curve and pooled and curve.covariance is not None and pooled.covariance is not None:
        later = log(curve.median_days) - log(pooled.median_days)
        error = sqrt(likeness.factor * (curve.covariance[1, 1] + pooled.covariance[1, 1]))
        days = curve.median_days - pooled.median_days
        if days >= LATE_DAYS and later / error > normal_quantile(0.5 + sure / 2):
            return Coming.SLOW, f"Half of them took {days:.1f} days longer than the others."
    return Coming.AS_OTHERS, ""


def chance_of_so_few(up: int, sown: int, share: float, alike: float) -> float:
    """Chance that at most `up` of `sown` seeds come up where `share` of all do and two seeds of one place are alike with the
    correlation `alike` (beta-binomial; binomial at nought)."""
    from scipy.special import betaln, gammaln, logsumexp

    if share <= 0 or share >= 1:
        return 1.0 if share <= 0 or up >= sown else 0.0
    k = np.arange(up + 1)
    ways = gammaln(sown + 1) - gammaln(k + 1) - gammaln(sown - k + 1)
    if alike <= 0:
        terms = ways + k * np.log(share) + (sown - k) * np.log1p(-share)
    else:
        a, b = share * (1 / alike - 1), (1 - share) * (1 / alike - 1)
        terms = ways + betaln(k + a, sown - k + b) - betaln(a, b)
    return min(1.0, float(np.exp(logsumexp(terms))))
