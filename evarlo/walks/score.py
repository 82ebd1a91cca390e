"""The page for one plot of a round: what is asked, the strip of plots around it and how far the walk is."""

from __future__ import annotations

import uuid
from dataclasses import dataclass
from datetime import date, timedelta

from evarlo.catalogue.models import Trait
from evarlo.trials.models import Cause, Exclusion, Plot
from evarlo.walks.models import Observation, Round
from evarlo.walks.queries import current

AROUND = 3


@dataclass(frozen=True)
class StripTag:
    plot: Plot
    done: bool
    lost: bool
    here: bool


@dataclass(frozen=True)
class Score:
    """One question on one screen. `key` names the answer before it is given, so that it is never kept twice."""

    round: Round
    plot: Plot
    kept: Observation | None
    strip: tuple[StripTag, ...]
    previous: Plot | None
    following: Plot | None
    done: int
    total: int
    key: uuid.UUID
    causes: tuple[tuple[str, str], ...]

    @property
    def trait(self) -> Trait:
        return self.round.trait

    @property
    def one_tap(self) -> bool:
        return self.trait.kind == Trait.Kind.SCORE

    @property
    def is_date(self) -> bool:
        return self.trait.kind == Trait.Kind.DATE

    @property
    def range_text(self) -> str:
        t = self.trait
        if t.low is not None and t.high is not None:
            return f"{t.low:g}–{t.high:g}"
        return f"{t.low:g} or more" if t.low is not None else ""

    @property
    def finished(self) -> bool:
        return self.done >= self.total


def walkable(walk: Round) -> list[Plot]:
    """The plots of a round along the path; those left out of the trial are not walked."""
    out = Exclusion.objects.filter(plot__trial=walk.trial, lifted_at__isnull=True).values("plot")
    return list(walk.trial.plots.exclude(pk__in=out))


def score(walk: Round, number: str = "", after: Plot | None = None) -> Score | None:
    """The question for plot `number`; else for the first plot without an answer behind `after`; None with no plots."""
    plots = walkable(walk)
    if not plots:
        return None
    seen = {o.plot_id: o for o in current(walk).select_related("by")}
    here = next((i for i, p in enumerate(plots) if p.number == number), None)
    if here is None:
        start = next((i + 1 for i, p in enumerate(plots) if after and p.pk == after.pk), 0)
        order = [*range(start, len(plots)), *range(start)]
        here = next((i for i in order if plots[i].pk not in seen), order[0])
    low = max(0, min(here - AROUND, len(plots) - 2 * AROUND - 1))
    around = plots[low : low + 2 * AROUND + 1]
    strip = tuple(StripTag(p, p.pk in seen, p.pk in seen and bool(seen[p.pk].cause), p.pk == plots[here].pk) for p in around)
    return Score(
        walk,
        plots[here],
        seen.get(plots[here].pk),
        strip,
        plots[here - 1] if here else None,
        plots[here + 1] if here + 1 < len(plots) else None,
        sum(p.pk in seen for p in plots),
        len(plots),
        uuid.uuid4(),
        tuple(Cause.choices),
    )


def days_offered(today: date) -> list[tuple[date, str]]:
    """The days a stage was most likely first seen."""
    return [(today, "Today"), (today - timedelta(days=1), "Yesterday")]
