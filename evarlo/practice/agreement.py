"""How well raters agree: with each other on plots that two of them scored in one round, and with themselves on plots that were
silently asked again."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass

from django.db.models import Count

from evarlo.catalogue.models import Trait
from evarlo.people.models import User
from evarlo.practice.trainer import Figures, newest_figures, subject_of
from evarlo.trials.models import Trial
from evarlo.walks.models import Observation, Rival
from trialcore.field.raters import Agreement, lin_concordance

GOOD, POOR = 0.9, 0.75  # concordance from which two count as agreeing well, and below which as too far apart


@dataclass(frozen=True)
class Pair:
    """Two raters, or one twice, on the same plots for one trait. `agreement` is None where too few plots tell."""

    trait: Trait
    one: str
    other: str
    first: tuple[float, ...]
    second: tuple[float, ...]
    agreement: Agreement | None

    @property
    def with_self(self) -> bool:
        return self.one == self.other

    @property
    def said(self) -> str:
        """What it comes to, in words."""
        if self.agreement is None:
            return f"{len(self.first)} plots are too few, or all alike, to tell."
        bias = self.agreement.mean_difference
        unit = f" {self.trait.unit}" if self.trait.unit else ""
        higher = ""
        p = self.agreement.p_bias
        if p < 0.05 if p is not None else abs(bias) > 0:  # without a p the difference is the same on every plot
            who = self.one if bias > 0 else self.other
            higher = f" {who if not self.with_self else 'The first time'} scores {abs(bias):.1f}{unit} higher."
        if self.agreement.concordance >= GOOD:
            return f"Agree well.{higher}"
        if self.agreement.concordance >= POOR:
            return f"Agree fairly.{higher}"
        return f"Too far apart: walk some plots together before the next round.{higher}"


def pairs_of(trial: Trial) -> list[Pair]:
    """Every pair of raters of a trial with plots in common, a few statements in all."""
    rounds = trial.rounds.select_related("trait")
    trait = {r.pk: r.trait for r in rounds}
    seen: dict[tuple[int, int, int], float] = {}
    first: dict[tuple[int, int], tuple[int, str, float]] = {}
    rows = Observation.objects.filter(round__trial=trial, number__isnull=False).select_related("by").order_by("at")
    for o in rows:
        assert o.number is not None
        seen[o.round_id, o.plot_id, o.by_id] = o.number  # the newest word of each
        if o.supersedes_id is None:
            first[o.round_id, o.plot_id] = (o.by_id, str(o.by), o.number)
    found: dict[tuple[int, str, str], list[tuple[float, float]]] = defaultdict(list)
    for r in Rival.objects.filter(round__trial=trial, number__isnull=False).select_related("by"):
        assert r.number is not None
        own = seen.get((r.round_id, r.plot_id, r.by_id))
        begun = first.get((r.round_id, r.plot_id))
        if own is not None and r.beside:
            found[trait[r.round_id].pk, str(r.by), str(r.by)].append((own, r.number))
        elif begun and begun[0] != r.by_id:
            mine, theirs = (begun[1], begun[2]), (str(r.by), r.number)
            (one, a), (other, b) = sorted([mine, theirs])
            found[trait[r.round_id].pk, one, other].append((a, b))
    by_key = {t.pk: t for t in trait.values()}
    return [_pair(by_key[key], one, other, scores) for (key, one, other), scores in sorted(found.items(), key=lambda x: x[0][1:])]


def _pair(trait: Trait, one: str, other: str, scores: list[tuple[float, float]]) -> Pair:
    first, second = tuple(a for a, _ in scores), tuple(b for _, b in scores)
    try:
        agreement = lin_concordance(first, second)
    except ValueError:
        agreement = None
    return Pair(trait, one, other, first, second, agreement)


@dataclass(frozen=True)
class Rater:
    """Someone who scored in a trial: how many values of which trait, and their figures on drawings of known damage, if any."""

    name: str
    trait: Trait
    values: int
    figures: Figures | None


def raters_of(trial: Trial) -> list[Rater]:
    """Everybody's records in a trial that are scored by eye, and what is known of that eye."""
    rows = (
        Observation.objects.newest()
        .filter(round__trial=trial, number__isnull=False)
        .order_by()
        .values_list("by", "round__trait")
        .annotate(n=Count("pk"))
    )
    counted = list(rows)
    traits = {t.pk: t for t in Trait.objects.filter(pk__in={t for _, t, _ in counted})}
    people = {u.pk: str(u) for u in User.objects.filter(pk__in={by for by, _, _ in counted})}
    known = newest_figures(list(people))
    found = [
        Rater(people[by], traits[t], n, known.get((by, subject))) for by, t, n in counted if (subject := subject_of(traits[t]))
    ]
    return sorted(found, key=lambda r: (r.name, r.trait.name))
