"""Honest advantages: each entry's lead as it is expected to last, and the chance that it is one, over every season of the check."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import lru_cache

from evarlo.compare.analysis import Comparison, EntryResult
from evarlo.trials.registry import registry
from trialcore.inference.shrunken import Advantage, Prior, SeasonMeans, Shrunken, season_of, shrink
from trialcore.inference.verdict import Prospect

FEWEST = 4  # entries, from which on the best is likely to look better than it is


@dataclass(frozen=True, eq=False)
class Honest:
    """What was found: the fit, the season of this trial and the earlier ones that are in it, in words."""

    worked: Shrunken
    now: SeasonMeans
    seasons: tuple[str, ...]

    def prospect(self, result: EntryResult) -> Prospect | None:
        """What an entry promises, for the verdict; None for one that is not in the fit."""
        name = _name(result)
        if result.kept is None or name not in self.now.entries:
            return None
        place = self.worked.place(name)
        error = self.now.variances[self.now.entries.index(name)] + self.now.check_variance

        def chance(by: float) -> float:
            return float(self.worked.chance_above(by)[place])

        fresh = self.worked.promise_of_a_fresh_one(error)
        return Prospect(chance, result.kept, self.worked.promise(name, error), fresh)


def honestly(found: Comparison) -> Comparison:
    """The comparison with what each entry keeps of its lead and the chance that it is better, the most promising first; as it was
    where there are too few entries, or no error to judge by."""
    made = honest(found)
    if made is None:
        return found
    by_name = {a.entry: a for a in made.worked.advantages}
    results = tuple(_told(r, by_name.get(_name(r))) for r in found.results)
    ordered = sorted(results, key=lambda r: (r.mean.lsmean is None, -_worth(r, found), r.entry.code))
    return replace(found, results=tuple(ordered), honest=made)


def honest(found: Comparison) -> Honest | None:
    """The fit over this trial and the signed seasons of its check before it."""
    if found.check is None:
        return None
    names = {r.entry.code: _name(r) for r in found.results}
    apart = {r.entry.code for r in found.results if r.entry.repeated}
    before = registry.earlier(found.trial, found.trait, found.check.cultivar_id) if registry.earlier else ()
    now = season_of(found.worked, found.check.code, found.sign, names, apart)
    if now is None or len(now.entries) < FEWEST:
        return None
    seasons = (*(e.season for e in before), now)
    worked = _fitted(seasons)
    return Honest(worked, now, tuple(e.words for e in before)) if worked else None


@lru_cache(maxsize=256)
def _fitted(seasons: tuple[SeasonMeans, ...]) -> Shrunken | None:
    """The same seasons always give the same figures."""
    return shrink(seasons, Prior())


def _name(result: EntryResult) -> str:
    return str(result.entry.cultivar_id)


def _told(result: EntryResult, advantage: Advantage | None) -> EntryResult:
    if advantage is None or result.difference is None or result.entry.any_check:
        return result
    return replace(result, kept=advantage.kept, chance=advantage.chance)


def _worth(result: EntryResult, found: Comparison) -> float:
    """What an entry is ranked by: what it keeps of its lead; the check stands at nought, further checks as measured."""
    if result.kept is not None:
        return result.kept
    return found.sign * result.difference.estimate if result.difference else 0.0
