"""Claims of catalogues and breeders against what was measured: whether each holds, does not, or cannot be told."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

from evarlo.catalogue.models import Claim, Cultivar
from evarlo.compare.analysis import Comparison, EntryResult
from evarlo.compare.queries import compare_plots, guard_of
from evarlo.trials.models import Trial
from evarlo.trials.queries import criteria_of, entry_names, names_shown, plots_of

HOLDS, NOT, UNTOLD = "holds", "does not hold", "cannot be told"
SHORT = "falls short by less than matters"


@dataclass(frozen=True)
class Verified:
    """A claim beside the mean that a trial found with its 95 % interval, and what that makes of it."""

    claim: Claim
    trial: Trial
    name: str
    mean: float
    lower: float
    upper: float
    digits: int
    verdict: str


def claims_in(trial: Trial, user: Any) -> list[Verified]:
    """Every claim with a figure about an entry of a trial in which its trait was measured; nothing while names are hidden."""
    if not names_shown(trial, user):
        return []
    claims = Claim.objects.filter(cultivar__entries__trial=trial, trait__isnull=False, value__isnull=False)
    return _verified(trial, claims.select_related("trait", "cultivar").distinct(), user)


def claims_of(cultivar: Cultivar, user: Any) -> list[Verified]:
    """Every claim about a cultivar in every trial it stood in, the newest first."""
    claims = list(cultivar.claims.filter(trait__isnull=False, value__isnull=False).select_related("trait", "cultivar"))
    trials = Trial.objects.filter(entries__cultivar=cultivar).distinct().order_by("-made_at") if claims else ()
    return [v for trial in trials if names_shown(trial, user) for v in _verified(trial, claims, user)]


def _verified(trial: Trial, claims: Iterable[Claim], user: Any) -> list[Verified]:
    plots, names, made = plots_of(trial), entry_names(trial, user), []
    matters = {c.trait_id: c.matters for c in criteria_of(trial)}
    found: dict[int, Comparison] = {}
    for claim in claims:
        trait = claim.trait
        assert trait and claim.value is not None
        if trait.pk not in found:
            found[trait.pk] = compare_plots(trial, trait, plots, names, guard_of(trial))
        compared = found[trait.pk]
        result = next((r for r in compared.results if r.entry.cultivar_id == claim.cultivar_id), None)
        mean, lower, upper = _ends(result)
        if result is None or mean is None or lower is None or upper is None:
            continue
        verdict = judged(claim.value, lower, upper, compared.sign, matters.get(trait.pk) or trait.matters or 0.0)
        made.append(Verified(claim, trial, result.name, mean, lower, upper, compared.digits, verdict))
    return made


def _ends(result: EntryResult | None) -> tuple[float | None, float | None, float | None]:
    return (result.mean.lsmean, result.mean.lower95, result.mean.upper95) if result else (None, None, None)


def judged(claimed: float, lower: float, upper: float, sign: int, matters: float) -> str:
    """What an interval makes of a claimed value, where +1 says that higher is better: it holds where the mean is surely not worse
    than claimed by more than what matters; surely worse than claimed it does not hold, or falls short by less than matters."""
    worst, best = (lower, upper) if sign > 0 else (-upper, -lower)
    wanted = sign * claimed
    near = worst >= wanted - matters
    if best < wanted:
        return SHORT if near else NOT
    return HOLDS if near else UNTOLD
