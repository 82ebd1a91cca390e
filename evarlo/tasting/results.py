"""What a panel found: entries over judges, by scores and by ranks, and what the judges' palates are worth."""

from __future__ import annotations

from dataclasses import dataclass

from evarlo.tasting.models import Dish, Panel, Seat, Taste
from trialcore.analyses import panel as core
from trialcore.inference.comparisons import AgainstCheck, against_check


@dataclass(frozen=True)
class Ballot:
    """What one judge gets in order, with what stands of it by dish id. A warm-up comes first and is none of `dishes`."""

    judge: int
    dishes: tuple[Dish, ...]
    scores: dict[int, int]
    warm_up: Dish | None = None
    seat: Seat | None = None

    @property
    def is_full(self) -> bool:
        return len(self.scores) == len(self.dishes)


@dataclass(frozen=True, eq=False)
class Found:
    """The panel worked out, entries by code; `versus` where the check was tasted and the error can be judged."""

    panel: core.Panel
    check: str | None
    versus: AgainstCheck | None


def ballots_of(panel: Panel) -> list[Ballot]:
    """Every judge's dishes in order; three statements."""
    standing = dict(Taste.objects.in_force().filter(dish__panel=panel).values_list("dish", "score"))
    by_judge: dict[int, list[Dish]] = {}
    for dish in panel.dishes.select_related("entry"):
        by_judge.setdefault(dish.judge, []).append(dish)
    seats = {s.judge: s for s in panel.seats.all()}
    made = []
    for judge, all_of_them in by_judge.items():
        dishes = tuple(d for d in all_of_them if d.position)
        warm_up = next((d for d in all_of_them if not d.position), None)
        scores = {d.pk: standing[d.pk] for d in dishes if d.pk in standing}
        made.append(Ballot(judge, dishes, scores, warm_up, seats.get(judge)))
    return made


def ballot_of_seat(seat: Seat) -> Ballot:
    """What the judge of a seat gets, and what stands of it, the warm-up among the scores."""
    dishes = list(seat.panel.dishes.filter(judge=seat.judge))
    standing = dict(Taste.objects.in_force().filter(dish__in=dishes).values_list("dish", "score"))
    warm_up = next((d for d in dishes if not d.position), None)
    return Ballot(seat.judge, tuple(d for d in dishes if d.position), standing, warm_up, seat)


def found_in(ballots: list[Ballot]) -> Found | None:
    """What full ballots tell; None before two are."""
    full = [b for b in ballots if b.is_full]
    if len(full) < 2:
        return None
    judge, entry, value, rep = [], [], [], []
    for ballot in full:
        times: dict[str, int] = {}
        for dish in ballot.dishes:
            code = dish.entry.code
            times[code] = times.get(code, 0) + 1
            judge.append(str(ballot.judge))
            entry.append(code)
            value.append(float(ballot.scores[dish.pk]))
            rep.append(str(times[code]))
    check = next((d.entry.code for d in full[0].dishes if d.entry.is_check), None)
    worked = core.analyse_panel(judge, entry, value, rep)
    return Found(worked, check, against_check(worked.blocks, check) if check else None)
