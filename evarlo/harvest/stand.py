"""The plants of each plot over the season, from what was planted, counted, marked at stations and put in."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Iterator
from datetime import date

from evarlo.databases.marks import of_its_trial
from evarlo.nursery.book import planted_in
from evarlo.nursery.models import StationMark
from evarlo.nursery.planting import plants_of_a_unit
from evarlo.nursery.queries import every_mark, not_judged
from evarlo.nursery.raising import rule_of
from evarlo.trials.models import Trial
from evarlo.walks.queries import standing_of
from trialcore.field.stand import Stand


def stands_over(trial: Trial) -> dict[int, Stand]:
    """The plants of each plot (by id) over the season: set out, counted, lost and put in. Within a border the judged plants alone
    are picked, and they are known. Plants beside a lost boundary are of no plot."""
    return trial.once("stands", lambda: _stands_over(trial))


@of_its_trial
def _stands_over(trial: Trial) -> dict[int, Stand]:
    plots = {pk: trial.spacing_at(own or trial.in_row_cm) for pk, own in trial.plots.values_list("pk", "entry__in_row_cm")}
    unsure, each = not_judged(trial), trial.per_station
    if trial.border:
        return {pk: Stand((s.judged if s else 0) - each * len(unsure.get(pk, ()))) for pk, s in plots.items()}
    set_out: dict[int, int] = defaultdict(int)
    changes: dict[int, list[tuple[date, int]]] = defaultdict(list)
    of_a_unit = plants_of_a_unit(trial, rule_of(trial)) if each > 1 else 1
    for p in planted_in(trial):
        if p.late:
            changes[p.plot_id].append((p.on, p.plants * of_a_unit))
        else:
            set_out[p.plot_id] += p.plants * of_a_unit
    for plot, on, change in _lost_and_back(trial):
        filled = sum(n for _, n in changes[plot] if n > 0)
        if change < 0 or not filled:  # what was put in is on record as planted
            changes[plot].append((on, change * each))
    counts: dict[int, list[tuple[date, int]]] = defaultdict(list)
    for plot, on, number in _counted(trial):
        whole = each * sum(m.on >= on for m in unsure.get(plot, {}).values())  # counted when those plants were the plot's still
        counts[plot].append((on, max(0, int(number or 0) - whole)))
    there = {pk: set_out.get(pk) or (s.plants if s else None) for pk, s in plots.items()}
    there_judged = {pk: n if n is None else max(0, n - each * len(unsure.get(pk, ()))) for pk, n in there.items()}
    return {pk: Stand(there_judged[pk], tuple(counts[pk]), tuple(changes[pk])) for pk in plots}


def _lost_and_back(trial: Trial) -> Iterator[tuple[int, date, int]]:
    """Plants that went (−1) and came again or were replaced (+1) at marked stations, by plot id and day."""
    gone: set[tuple[int, int]] = set()
    for mark in every_mark(trial):
        at = (mark.plot_id, mark.station)
        if mark.what == StationMark.What.GAP and at not in gone:
            gone.add(at)
            yield mark.plot_id, mark.on, -1
        elif mark.what not in (StationMark.What.GAP, StationMark.What.UNSURE) and at in gone:
            gone.remove(at)
            yield mark.plot_id, mark.on, 1


def _counted(trial: Trial) -> Iterable[tuple[int, date, float | None]]:
    """Every stand count that stands, by plot id and day."""
    rows = standing_of(trial).filter(round__trait__key="stand", number__isnull=False)
    return rows.order_by("seen_on", "at").values_list("plot_id", "seen_on", "number")
