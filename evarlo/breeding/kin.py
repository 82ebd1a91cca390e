"""Lines in a yield trial: what their relatives tell of them."""

from __future__ import annotations

from dataclasses import dataclass

from evarlo.breeding.pedigree import pedigree_of
from evarlo.breeding.seen import numbers_of
from evarlo.catalogue.models import Trait
from evarlo.compare.queries import direction_of
from evarlo.trials.models import Entry, Trial
from evarlo.trials.queries import left_out, plots_of
from trialcore.analyses.relatives import Predicted, WithRelatives, relationship, with_relatives

MOST_LINES = 300


@dataclass(frozen=True)
class Kin:
    """The lines of a trial for one trait, the best first, with their entries; `why` says why nothing can be told."""

    trait: Trait
    rows: tuple[tuple[Entry, Predicted], ...] = ()
    found: WithRelatives | None = None
    why: str = ""

    @property
    def gain(self) -> float:
        """How much more of the lines is known, in percent of what there is to know."""
        return 100 * self.found.gain if self.found else 0.0


def kin_of(trial: Trial, trait: Trait) -> Kin:
    """Predict the lines of a trial with their pedigree; checks are fixed, blocks and lines random."""
    plots, out = plots_of(trial), left_out([trial])
    entries = {p.entry_id: p.entry for p in plots}
    checks = [e for e in entries.values() if e.any_check]
    if len(entries) - len(checks) > MOST_LINES:
        return Kin(trait, why=f"More than {MOST_LINES} lines take too long for a page.")
    born, known = pedigree_of([e.cultivar for e in entries.values()])
    if not any(name.startswith(("s", "p")) for name in known.values()):
        return Kin(trait, why="None of its entries comes from a cross that is on record here.")
    seen = numbers_of(trial, trait)
    value = [None if p.pk in out else seen.get(p.pk) for p in plots]
    label = [known[p.entry.cultivar_id] for p in plots]
    try:
        names, related = relationship(born)
        found = with_relatives(
            label, value, [p.block or "1" for p in plots], [known[c.cultivar_id] for c in checks], names, related
        )
    except ValueError as reason:
        return Kin(trait, why=f"Nothing can be told yet: {reason}.")
    by_name = {known[e.cultivar_id]: e for e in entries.values()}
    sign = direction_of(trial, trait)
    rows = sorted(((by_name[x.entry], x) for x in found.lines), key=lambda row: -sign * row[1].effect)
    return Kin(trait, tuple(rows), found)
