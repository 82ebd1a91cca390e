"""Early and late: what was seen early in the season, and what it foretold of a trait, over the trials of a crop."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from typing import Any

from evarlo.catalogue.models import Trait
from evarlo.compare.analysis import Comparison, check_among, plot_values, worked_out
from evarlo.compare.queries import direction_of
from evarlo.nursery.queries import sown_on
from evarlo.trials.models import Plot, Trial
from evarlo.trials.queries import names_shown, plots_of, readings_of
from evarlo.walks.models import Round
from evarlo.walks.queries import readings as walked
from trialcore.inference.foretold import Foretold, foretold

MOST_TRIALS = 8
MOST_ROUNDS = 16  # of one trial


@dataclass(frozen=True)
class Sign:
    """A round of walking: its trait and number, the mean days from sowing over trials, and what it foretold."""

    trait: Trait
    number: int
    days: float | None
    told: Foretold


def seen_early(found: Comparison, user: Any) -> list[Sign]:
    """Every round that was walked before the trait was recorded, in this trial and others of the crop, the most telling first."""
    trial, trait = found.trial, found.trait
    others = Trial.objects.filter(crop=trial.crop_id, arriving=False, season__lte=trial.season).exclude(pk=trial.pk)
    trials = [
        trial,
        *(
            t
            for t in others.order_by("-season", "-pk")[:MOST_TRIALS]
            if not (t.blind and t.opened_at is None and not names_shown(t, user))
        ),
    ]
    pairs: dict[tuple[int, int], list[tuple[list[float], list[float]]]] = defaultdict(list)
    days: dict[tuple[int, int], list[int]] = defaultdict(list)
    traits: dict[int, Trait] = {}
    for there in trials:
        plots = plots_of(there)
        late = _means(there, trait, plots, readings_of(there, trait))
        if len(late) < 2:
            continue
        last = Round.objects.filter(trial=there, trait=trait, opened_on__isnull=False).order_by("-opened_on").first()
        sown = min(sown_on(there).values(), default=None)
        for walk in _before(there, last.opened_on if last else None):
            early = _means(there, walk.trait, plots, walked(there, walk.trait, walk))
            both = [e for e in late if e in early]
            place = (walk.trait_id, walk.number)
            pairs[place].append(([early[e] for e in both], [late[e] for e in both]))
            traits[walk.trait_id] = walk.trait
            if sown and walk.opened_on:
                days[place].append((walk.opened_on - sown).days)
    signs = []
    for (pk, number), some in pairs.items():
        told = foretold(some)
        if told is not None:
            when = days[pk, number]
            signs.append(Sign(traits[pk], number, sum(when) / len(when) if when else None, told))
    return sorted(signs, key=lambda s: -s.told.correlation)


def _before(trial: Trial, last: date | None) -> Sequence[Round]:
    """Rounds walked before a day; all of them where the trait was picked, not walked."""
    rounds = trial.rounds.filter(opened_on__isnull=False, only=[]).exclude(trait__kind=Trait.Kind.CATEGORY).select_related("trait")
    if last is not None:
        rounds = rounds.filter(opened_on__lt=last)
    return list(rounds.order_by("opened_on", "pk")[:MOST_ROUNDS])


def _means(trial: Trial, trait: Trait, plots: list[Plot], of: Any) -> dict[int, float]:
    """Entry means by entry id, turned so that more is better, by the trial's own design."""
    values = plot_values(trait, plots, of)
    numbers = [v.value for v in values]
    if sum(v is not None for v in numbers) < 2:
        return {}
    worked = worked_out(trial, trait, plots, numbers, check_among(plots), values, plain=True)
    pk = {p.entry.code: p.entry_id for p in plots}
    sign = direction_of(trial, trait)
    return {pk[m.entry]: sign * m.lsmean for m in worked.means if m.lsmean is not None}
