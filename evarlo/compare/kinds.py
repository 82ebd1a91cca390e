"""Traits that are one of several kinds: of which kind the plots of each entry are."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from evarlo.catalogue.models import Trait
from evarlo.trials.models import WITHOUT_BLOCKS, Entry, Trial
from evarlo.trials.queries import entry_names, plots_of, readings_of, traits_with_records
from trialcore.analyses.categories import Categories, analyse_categories


@dataclass(frozen=True, eq=False)
class Kinds:
    """A trait whose values are kinds: the core's table, and a row for each entry: how many of its plots are of each kind, in per
    cent too."""

    trait: Trait
    worked: Categories
    rows: tuple[tuple[Entry, str, tuple[tuple[int, float], ...]], ...]


def kinds_in(trial: Trial) -> list[Trait]:
    """Traits of a trial that are one of several kinds and have a record."""
    return [t for t in traits_with_records(trial) if t.kind == Trait.Kind.CATEGORY]


def kinds_of(trial: Trial, trait: Trait, user: Any) -> Kinds | None:
    """Of which kind the plots of each entry are; None where nothing is recorded."""
    plots, names = plots_of(trial), entry_names(trial, user)
    readings = readings_of(trial, trait)
    kind: list[str | None] = []
    for p in plots:
        reading = readings.get(p.pk)
        number = None if reading is None or p.exclusions_in_force else reading.number  # type: ignore[attr-defined]
        kind.append(None if number is None else trait.choices[int(number) - 1])
    blocks = None if trial.design in WITHOUT_BLOCKS else [p.block for p in plots]
    try:
        worked = analyse_categories([p.entry.code for p in plots], kind, blocks)
    except ValueError:
        return None
    entries = {p.entry.code: p.entry for p in plots}
    rows = []
    for i, code in enumerate(worked.entries):
        cells = tuple((int(n), float(s)) for n, s in zip(worked.counts[i], worked.shares[i], strict=True))
        rows.append((entries[code], names[entries[code].pk], cells))
    return Kinds(trait, worked, tuple(rows))
