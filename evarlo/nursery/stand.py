"""The stand: plants counted in each plot against its stations, gaps and replacements, and the least stand that is judged."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass
from datetime import date

from django.db import transaction
from django.utils import timezone

from evarlo.catalogue.models import Trait
from evarlo.nursery.book import planted_in
from evarlo.nursery.models import RaisingRule, StationMark
from evarlo.nursery.queries import station_marks
from evarlo.people.models import User
from evarlo.trials.leaving_out import exclude_plot
from evarlo.trials.models import Cause, Plot, Trial
from evarlo.trials.queries import left_out, plots_of, readings_of
from evarlo.ui.refused import Refused, only_done

What = StationMark.What
THIN = "below the least"  # how a plot left out for its stand is told from others


@dataclass(frozen=True)
class PlotStand:
    """One plot: the plants wanted there, the last count (None before one), what is marked at stations, plants that were filled in
    later."""

    plot: Plot
    wanted: int
    counted: float | None
    marks: dict[int, StationMark]
    late: int
    out: bool

    @property
    def percent(self) -> float | None:
        return None if self.counted is None or not self.wanted else 100 * self.counted / self.wanted

    def marked(self, what: str) -> int:
        return sum(m.what == what for m in self.marks.values())

    @property
    def gaps(self) -> int:
        return self.marked(What.GAP)

    @property
    def replaced(self) -> int:
        return self.marked(What.REPLACED)

    @property
    def back(self) -> int:
        return self.marked(What.BACK)

    @property
    def doubles(self) -> int:
        return self.marked(What.DOUBLE)


def stands(trial: Trial) -> list[PlotStand]:
    """Every plot along the path."""
    trait = Trait.objects.get(key="stand")
    read, out = readings_of(trial, trait), left_out([trial])
    marks = station_marks(trial)
    late: dict[int, int] = defaultdict(int)
    for p in planted_in(trial):
        late[p.plot_id] += p.plants if p.late else 0
    return [
        PlotStand(p, _wanted(trial, p), read[p.pk].number if p.pk in read else None, marks.get(p.pk, {}), late[p.pk], p.pk in out)
        for p in plots_of(trial)
    ]


def _wanted(trial: Trial, plot: Plot) -> int:
    spacing = trial.spacing_of(plot.entry)
    return spacing.plants if spacing else 0


def below(found: list[PlotStand], rule: RaisingRule) -> list[PlotStand]:
    """Plots whose stand lies below the least that is judged, and that are not left out yet."""
    if rule.least_stand is None:
        return []
    return [s for s in found if s.percent is not None and s.percent < rule.least_stand and not s.out]


@transaction.atomic
def mark_station(plot: Plot, station: int, what: str, on: date, by: User, today: date) -> StationMark | None:
    """Mark what is seen at a station; an empty `what` takes the standing mark back. Raises Refused for a station that is not
    there, a day to come, or a plant that is back where no gap was."""
    spacing = plot.trial.spacing_of(plot.entry)
    if spacing is None or not 0 <= station < spacing.stations:
        raise Refused(f"Plot {plot.number} has no such station.")
    only_done(on, today)
    standing = StationMark.objects.in_force().filter(plot=plot, station=station)
    now = timezone.now()
    if not what:
        standing.update(undone_at=now)
        return None
    if what not in What.values:
        raise Refused(f"“{what}” is not one of the marks.")
    last = standing.order_by("on", "id").last()
    if what == What.REPLACED and (last is None or last.what != What.GAP):
        raise Refused("There was no gap at this station.")
    if what == What.BACK and (last is None or last.what not in (What.GAP, What.HURT)):
        raise Refused("There was neither a gap nor a hurt plant at this station.")
    if last and last.what == what:
        return last
    return StationMark.objects.create(plot=plot, station=station, what=what, on=on, by=by, at=now)


@transaction.atomic
def undo_mark(mark: StationMark) -> None:
    """This was not seen at the station after all; what was marked there before stands again."""
    StationMark.objects.in_force().filter(pk=mark.pk).update(undone_at=timezone.now())


@transaction.atomic
def leave_thin_out(trial: Trial, rule: RaisingRule, cause: str, by: User, today: date) -> int:
    """Leave out every plot below the least stand; how many. Raises Refused without saying whether an accident or the cultivar is
    the cause."""
    if cause not in (Cause.ACCIDENT, Cause.FAILED):
        raise Refused("Say whether an accident or the cultivar is the cause; plot by plot it can be said at each plot.", "cause")
    thin = below(stands(trial), rule)
    for s in thin:
        note = f"Stand {s.counted:g} of {s.wanted}, {THIN} of {rule.least_stand:g} % that is judged"
        exclude_plot(s.plot, cause, note, today, by)
    return len(thin)
