"""The last acts of one person taken back at once: a scale that was not set to nought, a phone in the wrong hands, a day's records
typed into the wrong trial. Nothing is deleted, and what others have built on stays, with why."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django.db import transaction
from django.utils import timezone

from evarlo.effort.models import WorkTime
from evarlo.effort.services import undo_time
from evarlo.events.care import withdraw_care
from evarlo.events.events import withdraw_event
from evarlo.events.models import Care, Event, Photo
from evarlo.events.photos import withdraw_photo
from evarlo.exchange.packages.tables import pictures_of
from evarlo.harvest.models import Picking, StoreCheck, StoredLot, TestedSample
from evarlo.harvest.samples import undo_sample
from evarlo.harvest.services import withdraw_picking
from evarlo.harvest.store import undo_look, undo_lot
from evarlo.nursery.models import BoughtIn, Happening, Sowing, StationMark, StepDate, Tending
from evarlo.nursery.raising import undo_bought, undo_happening, undo_tending
from evarlo.nursery.services import withdraw_steps
from evarlo.nursery.sowing import undo_sowing
from evarlo.nursery.stand import undo_mark
from evarlo.people.models import User
from evarlo.seeds.germination import undo_count, undo_test
from evarlo.seeds.models import GerminationCount, GerminationTest, Move
from evarlo.seeds.services import undo_line
from evarlo.tasting.models import Panel
from evarlo.tasting.services import undo_panel
from evarlo.trials.leaving_out import lift_exclusion
from evarlo.trials.models import Exclusion
from evarlo.ui.refused import Refused
from evarlo.verdicts.lessons import drop_lesson
from evarlo.verdicts.models import Lesson
from evarlo.walks.models import Observation
from evarlo.walks.services import withdraw


@dataclass(frozen=True)
class Way:
    """How a record of a kind is taken back, as on its own page; who made it and when is said by itself or by what it came with."""

    undo: Callable[[Any, User], object]
    came_with: str = ""

    def made(self, who: User, since: datetime, until: datetime) -> dict[str, Any]:
        """What is asked of the records that a person made within a time."""
        before = f"{self.came_with}__" if self.came_with else ""
        return {f"{before}by": who, f"{before}at__gte": since, f"{before}at__lt": until}

    def at(self, record: Any) -> datetime:
        told: datetime = (getattr(record, self.came_with) if self.came_with else record).at
        return told


UNDO: dict[Any, Way] = {
    Observation: Way(withdraw),
    Picking: Way(withdraw_picking),
    StepDate: Way(lambda made, by: withdraw_steps([made], by)),
    TestedSample: Way(lambda made, _: undo_sample(made)),
    StoreCheck: Way(lambda made, _: undo_look(made)),
    StoredLot: Way(lambda made, _: undo_lot(made)),
    Happening: Way(undo_happening),
    BoughtIn: Way(undo_bought),
    Tending: Way(lambda made, _: undo_tending(made)),
    StationMark: Way(lambda made, _: undo_mark(made)),
    Sowing: Way(lambda made, by: undo_sowing(made, by, timezone.localdate()), came_with="session"),
    GerminationCount: Way(lambda made, by: undo_count(made, by, timezone.localdate())),
    GerminationTest: Way(lambda made, by: undo_test(made, by, timezone.localdate())),
    Move: Way(lambda made, by: undo_line(made, by, timezone.localdate())),
    WorkTime: Way(lambda made, _: undo_time(made)),
    Photo: Way(lambda made, _: withdraw_photo(made)),
    Care: Way(withdraw_care),
    Event: Way(withdraw_event),
    Exclusion: Way(lift_exclusion),
    Panel: Way(lambda made, _: undo_panel(made)),
    Lesson: Way(lambda made, _: drop_lesson(made)),
}
MOST = 500  # records at once: what is more is looked at in parts
CORRECTED = (Observation, Picking, GerminationCount)  # whose rows follow on one another: what stood before stands again


@dataclass(frozen=True)
class Acts:
    """What a person did within a time and still stands, the newest first."""

    records: Sequence[Any]

    def counted(self) -> dict[str, int]:
        """How many of each kind."""
        counts: dict[str, int] = {}
        for record in self.records:
            name = str(record._meta.verbose_name)
            counts[name] = counts.get(name, 0) + 1
        return counts


def acts_of_person(who: User, since: datetime, until: datetime) -> Acts:
    """What can be taken back of what a person did from `since` until before `until`."""
    found: list[Any] = []
    for model, way in UNDO.items():
        pictures = [f.name for f in pictures_of(model)]  # megabytes that nobody looks at here
        rows = model.objects.in_force().filter(**way.made(who, since, until)).defer(*pictures)
        found += rows.select_related(way.came_with) if way.came_with else rows
    return Acts(sorted(found, key=lambda r: UNDO[type(r)].at(r), reverse=True))


@transaction.atomic
def take_back_all(who: User, since: datetime, until: datetime, by: User) -> tuple[int, list[str]]:
    """Take back what a person did within a time. How many records were, and of the others what they are and why they stay. Raises
    Refused for more than are taken back at once."""
    done, left = 0, []
    acts = acts_of_person(who, since, until)
    if len(acts.records) > MOST:
        raise Refused(f"These are {len(acts.records)} records. At most {MOST} are taken back at once: choose a shorter time.")
    for record in acts.records:
        try:
            with transaction.atomic():
                if isinstance(record, CORRECTED):
                    record.supersedes = next(_before(record, who, since, until), None)
                UNDO[type(record)].undo(record, by)
            done += 1
        except Refused as refusal:
            left.append(f"{record}: {refusal}")
    return done, left


def _before(record: Any, who: User, since: datetime, until: datetime) -> Iterator[Any]:
    """The value that stood in a plot before the person's own of this time."""
    before = record.supersedes
    while before is not None and before.by_id == who.pk and since <= before.at < until:
        before = before.supersedes
    if before is not None:
        yield before
