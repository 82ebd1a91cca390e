"""Honest advantages: each entry's lead as it is expected to last, and the chance that it is one, over every season of the check."""

from __future__ import annotations

from dataclasses import replace
from functools import lru_cache

from evarlo.compare.analysis import Comparison, EntryResult, Honest, cultivar_key
from evarlo.trials.registry import registry
from trialcore.inference.priors import ANY_CHECK, LIBRARY, Prior
from trialcore.inference.season_means import SeasonMeans, season_of
from trialcore.inference.shrunken import Advantage, Shrunken, shrink


def honestly(found: Comparison) -> Comparison:
    """The comparison with what each entry keeps of its lead and the chance that it is better, the most promising first; as it was
    where there is no error to judge by."""
    made = honest(found)
    if made is None:
        return found
    by_name = {a.entry: a for a in made.worked.advantages}
    results = tuple(_told(r, by_name.get(cultivar_key(r))) for r in found.results)
    ordered = sorted(results, key=lambda r: (r.mean.lsmean is None, -_worth(r, found), r.entry.code))
    return replace(found, results=tuple(ordered), honest=made)


def honest(found: Comparison) -> Honest | None:
    """The fit over this trial and the signed seasons of its check before it."""
    if found.check is None or found.trial.family_guard:  # which holds all comparisons together in a way of its own
        return None
    judging = registry.judging(found.trial) if registry.judging else None
    if judging and judging.rule.flat:
        return None
    names = {r.entry.code: cultivar_key(r) for r in found.results}
    apart = {r.entry.code for r in found.results if r.entry.repeated}
    before = registry.earlier(found.trial, found.trait, found.check.cultivar.known_as) if registry.earlier else ()
    now = season_of(found.worked, found.check.code, found.sign, names, apart)
    if now is None:
        return None
    seasons = (*(e.season for e in before), now)
    prior = prior_of(found)
    worked = _fitted(seasons, prior)
    return Honest(worked, now, seasons, tuple(e.words for e in before), prior.programmes) if worked else None


def prior_of(found: Comparison) -> Prior:
    """What is taken of the entries and the check before their own figures: learnt from other programmes of the place, else the
    library's."""
    if registry.learnt_prior and found.check:
        return registry.learnt_prior(found.trial, found.trait, found.check.cultivar.known_as)
    judging = registry.judging(found.trial) if registry.judging else None
    return LIBRARY if judging is None or judging.good_check else ANY_CHECK


@lru_cache(maxsize=256)
def _fitted(seasons: tuple[SeasonMeans, ...], prior: Prior) -> Shrunken | None:
    """The same seasons always give the same figures."""
    return shrink(seasons, prior)


def _told(result: EntryResult, advantage: Advantage | None) -> EntryResult:
    if advantage is None or result.difference is None or result.entry.any_check:
        return result
    return replace(result, kept=advantage.kept, chance=advantage.chance)


def _worth(result: EntryResult, found: Comparison) -> float:
    """What an entry is ranked by: what it keeps of its lead; the check stands at nought, further checks as measured."""
    if result.kept is not None:
        return result.kept
    return found.sign * result.difference.estimate if result.difference else 0.0
