"""Questions besides that of the check: every pair, two or three entries over all traits, and who is as good as the check."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from evarlo.catalogue.models import Trait
from evarlo.compare.analysis import Comparison
from evarlo.compare.queries import compare_plots, guard_of
from evarlo.trials.models import Trial
from evarlo.trials.queries import criteria_of, entry_names, plots_of
from trialcore.analyses.pairs import groups_of, pairs_of
from trialcore.inference.comparisons import Difference, as_good_as

SURE = 0.05


@dataclass(frozen=True)
class PairTable:
    """Entries in order, the best first: name, mean, letters, and how each stands to every other (1 better, −1 worse, 0 could be
    luck, None where it cannot be said), with the probability."""

    rows: tuple[tuple[str, float, str, tuple[tuple[int, float] | None, ...]], ...]
    family: str  # what holds all pairs together


def pair_table(found: Comparison) -> PairTable | None:
    """Every pair of a comparison; None where there is none to set apart."""
    pairs = pairs_of(found.worked)
    if not pairs:
        return None
    letters = groups_of(found.worked, found.sign)
    known = [r for r in found.results if r.entry.code in letters]
    stands: dict[tuple[str, str], tuple[int, float]] = {}
    for d in pairs:
        p = d.p_family if d.p_family is not None else 1.0
        side = 0 if p >= SURE else 1 if found.sign * d.estimate > 0 else -1
        stands[d.a, d.b], stands[d.b, d.a] = (side, p), (-side, p)
    rows = tuple(
        (r.name, r.mean.lsmean or 0.0, letters[r.entry.code], tuple(stands.get((r.entry.code, o.entry.code)) for o in known))
        for r in known
    )
    holm = found.worked.generalised is not None or found.worked.dates is not None
    return PairTable(rows, "Holm" if holm else "Tukey")


@dataclass(frozen=True)
class HeadRow:
    """One trait of a head to head: the means of the chosen entries, and each of them against the first: the difference in favour of
    the first where it is above nought, its 95 % interval, and whether it is beyond luck."""

    trait: Trait
    digits: int
    means: tuple[float | None, ...]
    against: tuple[tuple[float, float, float, int] | None, ...]


def head_to_head(trial: Trial, traits: Sequence[Trait], entries: Sequence[int], user: Any) -> list[HeadRow]:
    """The chosen entries (by id) over some traits, each pair by itself at 5 %."""
    plots, names = plots_of(trial), entry_names(trial, user)
    made = []
    for trait in traits:
        found = compare_plots(trial, trait, plots, names, guard_of(trial))
        by_id = {r.entry.pk: r for r in found.results}
        if not all(pk in by_id for pk in entries) or not found.analysis.n_observed:
            continue
        codes = [by_id[pk].entry.code for pk in entries]
        pairs = {(d.a, d.b): d for d in pairs_of(found.worked)}
        against = tuple(_against(pairs, codes[0], code, found.sign) for code in codes[1:])
        made.append(HeadRow(trait, found.digits, tuple(by_id[pk].mean.lsmean for pk in entries), against))
    return made


def _against(pairs: dict[tuple[str, str], Difference], first: str, other: str, sign: int) -> tuple[float, float, float, int] | None:
    """First minus other, its ends, and 1 where the first is better beyond luck, −1 where it is worse, 0 where it could be luck."""
    from trialcore.inference.distributions import t_quantile

    d, turned = pairs.get((first, other)), pairs.get((other, first))
    found = d or turned
    if found is None:
        return None
    estimate = found.estimate if d else -found.estimate
    half = t_quantile(0.975, found.df) * found.se
    side = 0 if found.p_unadjusted >= SURE else 1 if sign * estimate > 0 else -1
    return estimate, estimate - half, estimate + half, side


def as_good(trial: Trial, found: Comparison) -> list[tuple[str, float, float, bool, bool]]:
    """Of each entry whether it is as good as the check within what matters: name, the 90 % ends of its difference in its favour,
    whether it is equal within that either way, and whether it is at least as good; empty without a difference that matters."""
    criterion = next((c for c in criteria_of(trial) if c.trait_id == found.trait.pk), None)
    matters = criterion.matters if criterion and criterion.matters else found.trait.matters
    if not matters:
        return []
    rows = []
    for r in found.results:
        if r.difference is None or r.difference.se <= 0:
            continue
        test = as_good_as(r.difference.estimate, r.difference.se, r.difference.df, matters)
        low, high = (test.lower90, test.upper90) if found.sign > 0 else (-test.upper90, -test.lower90)
        rows.append((r.name, low, high, test.as_good, low > -matters))
    return rows
