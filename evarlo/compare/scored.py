"""Scores beside their means: what a model of the classes and ranks say of the same plots."""

from __future__ import annotations

from dataclasses import dataclass

from evarlo.catalogue.models import Trait
from evarlo.compare.analysis import Comparison
from evarlo.trials.columns import columns_of
from trialcore.analyses.ordinal import Ordinal, analyse_ordinal
from trialcore.analyses.ranks import compare_ranks

GOOD = 7.0  # of a scale to nine
HIGHEST = 9.0


@dataclass(frozen=True, eq=False)
class Scored:
    """The ordinal model (None where it has none, and why), entries by name with their expected score and the chance of a good one,
    and the probability of such differences by ranks where there are blocks."""

    model: Ordinal | None
    why_not: str
    rows: tuple[tuple[str, float, float | None], ...]
    differ_p: float | None
    ranks_p: float | None
    good: float | None  # the score from which on one is good; None on another scale


def scored(found: Comparison) -> Scored | None:
    """Scores by their classes and by ranks; None for another kind of record, or a design with two factors."""
    if found.trait.kind != Trait.Kind.SCORE or found.worked.two is not None:
        return None
    columns = columns_of(found.trial, [v.plot for v in found.plots])
    entry, values = columns.pop("entry"), [v.value for v in found.plots]
    ranks = None
    if "rep" in columns:
        try:
            ranks = compare_ranks(entry, values, columns["rep"]).p
        except ValueError:
            ranks = None
    try:
        model = analyse_ordinal(entry, values, {name: labels for name, labels in columns.items() if name != "block"})
    except ValueError as reason:
        return Scored(None, str(reason), (), None, ranks, None)
    good = GOOD if found.trait.high == HIGHEST else None
    names = {r.entry.code: r.name for r in found.results}
    chances = model.at_least(good) if good else None
    rows = [
        (names[e], float(m), float(chances[i]) if chances is not None else None)
        for i, (e, m) in enumerate(zip(model.entries, model.mean_scores(), strict=True))
    ]
    rows.sort(key=lambda r: -found.sign * r[1])
    return Scored(model, "", tuple(rows), model.differ_f[3], ranks, good if chances is not None else None)
