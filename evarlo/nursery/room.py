"""The raising space: what stands where, moving it, what will be too much, and the temperatures read there."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta

from django.db import transaction
from django.db.models import Max
from django.utils import timezone

from evarlo.devices.probe import Probe, SimulatedProbe
from evarlo.grounds.models import Site
from evarlo.nursery.models import Place, Reading, Sowing, Stay, Tray
from evarlo.people.models import User
from evarlo.trials.models import Trial
from evarlo.trials.needs import cells_of, places_of, plan_of, seeds_of
from evarlo.ui.refused import Refused, only_done
from trialcore.reckoning import raising_space
from trialcore.reckoning.raising_space import Crowded
from trialcore.reckoning.sowing import trays_needed


@dataclass(frozen=True)
class Room:
    """A place with what stands there, what is planned to, and the days on which it is too much."""

    place: Place
    stays: tuple[raising_space.Stay, ...]
    trays: tuple[Tray, ...]
    crowded: tuple[Crowded, ...]
    readings: tuple[Reading, ...]

    @property
    def held(self) -> int:
        return len(self.trays)


@transaction.atomic
def new_place(site: Site, name: str, capacity: float, shelter: str, celsius: float | None, light_h: float | None) -> Place:
    if Place.objects.filter(site=site, name__iexact=name).exists():
        raise Refused(f"{site.name} has a place {name} already.", "name")
    return Place.objects.create(site=site, name=name, capacity=capacity, shelter=shelter, celsius=celsius, light_h=light_h)


@transaction.atomic
def move_trays(trays: Sequence[Tray], place: Place, on: date, by: User, today: date) -> int:
    """Move trays to a place; how many of them stood elsewhere. Raises Refused for a day to come, or one before they came to
    where they stand."""
    only_done(on, today)
    moved = 0
    for tray in trays:
        now = tray.stays.filter(until__isnull=True).first()
        if now and now.place_id == place.pk:
            continue
        if now and on < now.since:
            raise Refused(f"Tray {tray} came to {now.place} on {now.since:%-d %b %Y} only.", "on")
        if now and on == now.since:
            now.delete()
        elif now:
            now.until = on
            now.save(update_fields=["until"])
        Stay.objects.create(tray=tray, place=place, since=on, by=by)
        moved += 1
    return moved


def trays_named(text: str) -> list[Tray]:
    """The trays that were typed, by commas or by spaces; a name may itself hold spaces: the longest that there is counts. Raises
    Refused for one that is not there."""
    known = {" ".join(t.name.casefold().split()): t for t in Tray.objects.all()}
    found: dict[int, Tray] = {}
    for part in text.split(","):
        words = part.split()
        while words:
            length = next((n for n in range(len(words), 0, -1) if " ".join(words[:n]).casefold() in known), 0)
            if not length:
                raise Refused(f"There is no tray {words[0][:20]}. Names are parted by commas or spaces.", "trays")
            tray = known[" ".join(words[:length]).casefold()]
            found[tray.pk] = tray
            words = words[length:]
    return list(found.values())


@transaction.atomic
def take_away(tray: Tray, on: date) -> None:
    """The tray is empty and leaves its place."""
    Stay.objects.filter(tray=tray, until__isnull=True, since__lt=on).update(until=on)
    Stay.objects.filter(tray=tray, until__isnull=True).delete()


@transaction.atomic
def keep_reading(place: Place, celsius: float | None, by: User, at: datetime) -> Reading:
    """Keep a temperature that was typed, or the one its probe reads now."""
    by_probe = celsius is None
    probe: Probe = SimulatedProbe(str(place), place.celsius)
    read = probe.celsius(timezone.localtime(at)) if celsius is None else celsius
    return Reading.objects.create(place=place, at=at, celsius=read, by_probe=by_probe, by=by)


def rooms(today: date) -> list[Room]:
    """Every place with what stands there and what trials will bring; a few statements in all."""
    places = list(Place.objects.select_related("site").prefetch_related("stays__tray", "readings__by"))
    coming = _coming(today)
    heated = sorted((p for p in places if p.celsius is not None), key=lambda p: p.capacity)
    warmest = {p.site_id: p.pk for p in heated}  # the largest that is heated, to which new trays are taken to come
    rows = Sowing.objects.in_force().filter(tray__isnull=False).values("tray")
    leaving = {r["tray"]: r["until"] for r in rows.annotate(until=Max("entry__trial__plant_on"))}
    made = []
    for place in places:
        stays = [raising_space.Stay(str(s.tray), 1, s.since, _leaves(s, leaving.get(s.tray_id), today)) for s in place.stays.all()]
        if place.pk == warmest.get(place.site_id):
            stays = coming.get(place.site_id, []) + stays
        trays = tuple(s.tray for s in place.stays.all() if s.until is None)
        ahead = [c for c in raising_space.crowded(stays, place.capacity) if c.until is None or c.until >= today]
        made.append(Room(place, tuple(stays), trays, tuple(ahead), tuple(place.readings.all()[:8])))
    return made


def _leaves(stay: Stay, planted_on: date | None, today: date) -> date | None:
    """When a tray leaves: the day it did, or the planned planting; a tray that is late stands until tomorrow at least."""
    if stay.until or planted_on is None:
        return stay.until
    return max(planted_on, stay.since + timedelta(days=1), today + timedelta(days=1))


def _coming(today: date) -> dict[int, list[raising_space.Stay]]:
    """What trials will bring into the raising space of their site: their trays, from the planned sowing until planting."""
    found: dict[int, list[raising_space.Stay]] = {}
    trials = Trial.objects.filter(sow_on__gt=today, decided_at__isnull=True, bed__isnull=False)
    for trial in trials.select_related("crop", "bed", "need_plan"):
        plan = plan_of(trial)
        if not plan.transplant or not (trial.spacing and trial.spacing.stations) or trial.bed is None or trial.sow_on is None:
            continue
        plots = Counter(trial.plots.values_list("entry_id", flat=True))
        cells = sum(
            cells_of(seeds_of(plots[e.pk] * places_of(e, trial, plan), plan), plan) for e in trial.entries.all() if plots[e.pk]
        )
        trays = trays_needed(cells, plan.tray_cells)
        until = trial.plant_on or trial.sow_on + timedelta(days=int((trial.crop.profile.get("transplant_days") or (28, 42))[1]))
        if until > trial.sow_on and trays:
            stay = raising_space.Stay(f"{trial.name}, planned", trays, trial.sow_on, until)
            found.setdefault(trial.bed.site_id, []).append(stay)
    return found
