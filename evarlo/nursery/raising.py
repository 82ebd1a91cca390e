"""Raising: what is counted of the plants, what they are lost to, and what is done with them; every act can be taken back."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from django.db import transaction
from django.utils import timezone

from evarlo.nursery.book import balance_of, happenings_of
from evarlo.nursery.models import BoughtIn, Happening, RaisingRule, Sowing, Step, Tending, Tray
from evarlo.nursery.queries import standing
from evarlo.nursery.services import withdraw_steps
from evarlo.nursery.sowing import taken_cells
from evarlo.people.models import User
from evarlo.trials.laying import running_or_refused
from evarlo.trials.models import Trial
from evarlo.trials.needs import in_plugs, plan_of
from evarlo.ui.refused import Refused, only_done
from trialcore.reckoning.balance import Kind
from trialcore.reckoning.trays import cell_name

CAUSED = (Kind.LOST, Kind.NOT_UP)  # that have a cause, or the words that none is known


@dataclass(frozen=True)
class Act:
    """What happened to plants of a sowing. `cells`, a digit for each cell of the sowing, goes with a count only."""

    kind: Kind
    plants: int
    on: date
    cause: str = ""
    whose: str = ""
    note: str = ""
    cells: str = ""
    left: str = ""  # of thinning: which plant stayed


@transaction.atomic
def happen(sowing: Sowing, act: Act, by: User, today: date) -> Happening | None:
    """Keep what happened. A count of a day that has one already takes its place, the same one again changes nothing (None).

    Raises Refused for a day to come or before the sowing, a loss without a cause, or plants that the book cannot have.
    """
    sowing = Sowing.objects.select_for_update().select_related("session", "entry__trial", "tray", "plot").get(pk=sowing.pk)
    running_or_refused(sowing.entry.trial)
    _check(sowing, act, today)
    known = happenings_of([sowing])[sowing.pk]
    now = timezone.now()
    if act.kind == Kind.COUNTED:
        same_day = [h for h in known if h.kind == Kind.COUNTED and h.on == act.on]
        if any((h.plants, h.cells) == (act.plants, act.cells) for h in same_day):
            return None
        Happening.objects.filter(pk__in=[h.pk for h in same_day]).update(undone_at=now, undone_by=by)
    made = Happening.objects.create(
        sowing=sowing,
        kind=act.kind,
        plants=act.plants,
        cells=act.cells,
        cause=act.cause.strip(),
        whose=act.whose,
        left=act.left if act.kind == Kind.THINNED else "",
        on=act.on,
        note=act.note.strip(),
        by=by,
        at=now,
    )
    try:
        balance_of(sowing, happenings_of([sowing])[sowing.pk])
    except ValueError as error:
        raise Refused(f"{sowing.entry.code} in {sowing.where}: {error}.", "plants") from None
    return made


def _check(sowing: Sowing, act: Act, today: date) -> None:
    if sowing.undone_at:
        raise Refused("That sowing was taken back.")
    only_done(act.on, today)
    if act.on < sowing.session.on:
        raise Refused(f"It was sown on {sowing.session.on:%-d %b %Y}. Expected that day or a later one.", "on")
    if act.kind in CAUSED and not act.cause.strip():
        raise Refused("Say what they were lost to, or “not known”.", "cause")
    if act.kind != Kind.COUNTED and act.plants < 1:
        raise Refused("Expected at least one.", "plants")
    if act.cells and (not act.cells.isdecimal() or len(act.cells) != len(sowing.cells)):
        raise Refused(f"Expected a digit for each of the {len(sowing.cells)} cells.", "cells")


@transaction.atomic
def undo_happening(happening: Happening, by: User) -> None:
    """Take an act back. Raises Refused when what happened since cannot be without it."""
    happening = Happening.objects.select_for_update().select_related("sowing__session", "sowing__entry").get(pk=happening.pk)
    if happening.undone_at:
        return
    happening.undone_at, happening.undone_by = timezone.now(), by
    happening.save(update_fields=["undone_at", "undone_by"])
    sowing = happening.sowing
    if happening.kind == Kind.PRICKED_OUT:
        children = sowing.pricked_out.in_force().filter(session__on=happening.on, seeds=happening.plants)
        child = children.order_by("-id").first()
        if child and child.happenings.in_force().exists():
            raise Refused("Something was recorded of the plants in their new cells. Take that back first.")
        if child:
            Sowing.objects.filter(pk=child.pk).update(undone_at=happening.undone_at, undone_by=by)
    try:
        balance_of(sowing, happenings_of([sowing])[sowing.pk])
    except ValueError as error:
        raise Refused(f"It cannot be taken back: {error}.") from None
    if happening.plot_id:
        unplant(happening.plot_id, by)


@transaction.atomic
def unplant(plot_id: int, by: User) -> None:
    """Take a plot's day of planting back where no plant on record stands in it any more."""
    stands = Happening.objects.in_force().filter(plot=plot_id, kind=Kind.PLANTED).exists()
    if stands or BoughtIn.objects.in_force().filter(plot=plot_id).exists():
        return
    withdraw_steps(standing().filter(plot=plot_id, step=Step.PLANTED), by)


@transaction.atomic
def undo_bought(bought: BoughtIn, by: User) -> None:
    """Bought plants do not stand in the plot after all."""
    BoughtIn.objects.in_force().filter(pk=bought.pk).update(undone_at=timezone.now())
    unplant(bought.plot_id, by)


@transaction.atomic
def prick_out(sowing: Sowing, plants: int, tray: Tray, cells: Sequence[int], on: date, by: User, today: date) -> Sowing:
    """Move seedlings into cells of their own, one in each. Raises Refused as `happen`, or for cells that are not free."""
    if plants != len(cells):
        raise Refused(f"{plants} seedlings need as many cells; {len(cells)} were chosen.", "cells")
    taken = taken_cells(tray)
    if used := [c for c in cells if c in taken or not 0 <= c < tray.cells]:
        raise Refused(f"{cell_name(used[0], tray.cols)} of tray {tray} is not free.", "cells")
    happen(sowing, Act(Kind.PRICKED_OUT, plants, on), by, today)
    session = sowing.session
    moved = type(session).objects.create(on=on, by=by, medium=session.medium, at=timezone.now())
    return Sowing.objects.create(
        session=moved,
        entry=sowing.entry,
        level=sowing.level,
        lot=sowing.lot,
        tray=tray,
        cells=sorted(cells),
        per_cell=1,
        seeds=plants,
        again=sowing.again,
        parent=sowing,
    )


@transaction.atomic
def tend(tray: Tray, what: str, on: date, said: str, by: User, today: date) -> Tending:
    """Keep what was done to a tray as a whole. Raises Refused for a day to come or an act that is not one of them."""
    only_done(on, today)
    if what not in Tending.What.values:
        raise Refused(f"“{what}” is not one of the acts.", "what")
    return Tending.objects.create(tray=tray, what=what, on=on, said=said.strip(), by=by, at=timezone.now())


@transaction.atomic
def undo_tending(tending: Tending) -> None:
    Tending.objects.in_force().filter(pk=tending.pk).update(undone_at=timezone.now())


def rule_of(trial: Trial) -> RaisingRule:
    """What the trial's people agreed on; the usual while nobody has said otherwise. Nothing is written."""
    usual = RaisingRule.Surplus.WHOLE if in_plugs(trial.per_station, plan_of(trial)) else RaisingRule.Surplus.CUT
    return getattr(trial, "raising_rule", None) or RaisingRule(trial=trial, surplus=usual)


@transaction.atomic
def keep_rule(trial: Trial, today: date, **said: object) -> None:
    """Keep a part of what was agreed; what is as it was is not said anew."""
    rule = rule_of(trial)
    if all(getattr(rule, name) == value for name, value in said.items()):
        return
    known = {"surplus": rule.surplus} | said | {"said_on": today}
    RaisingRule.objects.update_or_create(trial=trial, defaults=known)
