"""A layout held against its beds: what stood there before, what stands there at the same time, and what is in the way."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from django.db.models import F, Max, Min

from evarlo.catalogue.models import Crop
from evarlo.grounds.history import family_of, history_of
from evarlo.grounds.models import Bed, Obstacle
from evarlo.grounds.registry import Taken
from evarlo.trials.laying import is_block_crop
from evarlo.trials.models import Entry, Plot, Trial
from evarlo.trials.queries import plots_of
from evarlo.trials.registry import registry
from evarlo.trials.tasks import begun_in
from evarlo.ui.unchanged import each_told, kept
from evarlo.ui.units import figure_shown, measured
from trialcore.reckoning.rotation import Use, breaches, clashes, confounded, stretches

STANDS_ON = 30  # days that a crop is taken to stand after its first pick


@dataclass(frozen=True)
class BedDoubts:
    """What is doubtful, in words. `breaches` are rotations too short, which a person may accept with a reason."""

    breaches: tuple[str, ...]
    others: tuple[str, ...]


def uses_of_trials(beds: Sequence[Bed]) -> Iterable[Taken]:
    """What trials take of these beds: from sowing or planting until some weeks after the first pick."""
    lying = Plot.objects.filter(bed__in=beds).order_by().values_list("trial_id", "bed_id")
    parts = list(lying.annotate(start=Min("x"), end=Max(F("x") + F("length"))))
    trials = Trial.objects.in_bulk({t for t, *_ in parts})
    crops = Crop.objects.in_bulk({t.crop_id for t in trials.values()})
    begun = begun_in(list(trials))
    weighed = {where: w for told in each_told(registry.weighed, tuple(trials)) for where, w in told.items()}
    for trial_id, bed_id, start, end in parts:
        trial = trials[trial_id]
        trial.crop = crops[trial.crop_id]
        since, until = stands(trial, begun)
        if since is None:
            continue
        last, kg = weighed.get((trial_id, bed_id), (None, None))
        if until and last:
            until = max(until, last)
        family, fixes = family_of(trial.crop)
        yield Taken(bed_id, Use(trial.name, family, start, end, since, until, fixes), trial.get_absolute_url(), kg)


def heights_of_crops() -> Iterable[tuple[str, float]]:
    """How tall crops grow, in centimetres, by their own names and those of the trials that are under way with them."""
    crops = {c.pk: c for c in Crop.objects.all() if c.profile.get("height_cm")}
    tall = {pk: c.profile["height_cm"][1] for pk, c in crops.items()}
    yield from ((c.name, tall[pk]) for pk, c in crops.items())
    for name, crop in Trial.objects.filter(decided_at=None, practice=False).values_list("name", "crop_id"):
        if crop in tall:
            yield name, tall[crop]


def stands(trial: Trial, begun: dict[tuple[int, str], date]) -> tuple[date | None, date | None]:
    """From when until when a trial's crop stands in its beds, as far as is known or planned."""
    sown = begun.get((trial.pk, "sow")) or trial.sow_on
    since = begun.get((trial.pk, "plant")) or trial.plant_on or sown
    ready = trial.crop.profile.get("edible_days")
    pick = begun.get((trial.pk, "pick")) or trial.pick_on
    if pick is None and sown and ready:
        pick = sown + timedelta(days=int(ready[1]))
    return since, pick + timedelta(days=STANDS_ON) if pick else None


def bed_doubts(trial: Trial) -> BedDoubts:
    """What about the beds speaks against this layout, or has to be kept in mind."""
    return kept(("bed doubts", trial.pk), lambda: _bed_doubts(trial), of=[trial])


def _bed_doubts(trial: Trial) -> BedDoubts:
    if trial.origin != Trial.Origin.PLANNED or trial.bed is None:
        return BedDoubts((), ())
    here: dict[int, list[Plot]] = defaultdict(list)
    for plot in plots_of(trial):
        here[plot.bed_id or trial.bed.pk].append(plot)
    since, until = stands(trial, begun_in([trial.pk]))
    family, fixes = family_of(trial.crop)
    short: list[str] = []
    others: list[str] = list(_in_the_way(here))
    history = history_of(trial.beds) if since else {}
    for bed in trial.beds:
        plots = here.get(bed.pk, [])
        if not plots or since is None:
            continue
        start, end = min(p.x for p in plots), max(p.x + p.length for p in plots)
        mine = Use(trial.name, family, start, end, since, until, fixes)
        before = [x.use for x in history[bed.pk] if x.grew and x.url != trial.get_absolute_url()]
        wanted = float(trial.crop.profile.get("rotation_years") or 0)
        for b in breaches(before, mine, wanted):
            part = f"{figure_shown(b.start_m, 'm', 1)} to {measured(b.end_m, 'm', 1)} of {bed.name}"
            short.append(
                f"{b.before.name} ({family}) stood on {part} {b.years:.1f} years before; {wanted:g} years between are wanted."
            )
        for a, b2 in clashes([*before, mine]):
            if mine in (a, b2):
                other = b2 if a is mine else a
                others.append(f"{other.name} stands on a part of {bed.name} at the same time, from {other.since:%-d %b %Y}.")
        others += _history_differs(bed, before, plots, since)
    return BedDoubts(tuple(short), tuple(others) + tuple(_neighbours(trial, since, until)))


def _neighbours(trial: Trial, since: date | None, until: date | None) -> Iterable[str]:
    """Pollen and pests that come from what stands near at the same time."""
    profile, crop = trial.crop.profile, trial.crop.name
    pollen, far = str(profile.get("pollination", "")), float(profile.get("isolation_m") or 0)
    wind = is_block_crop(trial.crop)
    crosses = far > 0 and pollen != "self"
    nearby = list(_at_the_same_time(trial, since, until)) if since and trial.bed else []
    groups = groups_of([trial, *(other for _, other in nearby)])
    shared = sum(n for n in Counter(groups[trial.pk].values()).values() if n > 1)
    if trial.saves_seed and crosses and shared:
        way = "bag, cage or pollinate by hand every plant that seed is saved from"
        who = "The entries cross" if shared == len(groups[trial.pk]) else f"{shared} of the entries cross with each other"
        yield f"{who} by {pollen}, nearer than {measured(far, 'm')}: {way}."
    if since is None or trial.bed is None:
        return
    family, _ = family_of(trial.crop)
    for bed, other in nearby:
        same = bool(set(groups[trial.pk].values()) & set(groups[other.pk].values()))
        where = f"{other.name} in {bed.name}"
        if same and crosses and (trial.saves_seed or wind):
            spoils = "its pollen changes the kernels that are judged here" if wind else "its pollen spoils seed that is saved here"
            yield f"{where} stands at the same time and crosses with {crop.lower()} within {measured(far, 'm')}: {spoils}."
        elif bed in trial.beds and family_of(other.crop)[0] == family:
            yield f"{where} is of the same family ({family}): its pests and diseases come over to the plots beside it first."


def groups_of(trials: Sequence[Trial]) -> dict[int, dict[int, str]]:
    """What each entry (by id) of some trials (by id) crosses within: its cultivar's own group, else that of its crop."""
    found: dict[int, dict[int, str]] = {t.pk: {} for t in trials}
    crops = {t.pk: t.crop for t in trials}
    for entry in Entry.objects.filter(trial__in=trials).select_related("cultivar"):
        found[entry.trial_id][entry.pk] = entry.cultivar.crosses_within(crops[entry.trial_id])
    return found


def _at_the_same_time(trial: Trial, since: date, until: date | None) -> Iterable[tuple[Bed, Trial]]:
    """Other trials of the site that stand at some time with this one, each with a bed of it."""
    assert trial.bed
    year = since - timedelta(days=400)
    near = Trial.objects.filter(bed__site=trial.bed.site, sow_on__gte=year).exclude(pk__in=[t.pk for t in trial.years])
    others = list(near.exclude(follows=trial).select_related("bed", "crop").prefetch_related("more_beds"))
    begun = begun_in([t.pk for t in others])
    for other in others:
        came, left = stands(other, begun)
        if came and (until is None or came <= until) and (left is None or left >= since):
            assert other.bed
            yield next((bed for bed in other.beds if bed in trial.beds), other.bed), other


def _history_differs(bed: Bed, before: Sequence[Use], plots: Sequence[Plot], since: date) -> Iterable[str]:
    parts = stretches(before, bed.length_m, since)
    met = confounded(parts, [(p.entry.code, p.x, p.x + p.length) for p in plots])
    for entry, seen in sorted(met.items()):
        yield f"{entry} stands in {bed.name} only where {' and '.join(sorted(seen)).lower()} was before, others elsewhere too."
    if len({s.legume for s in parts}) > 1:
        legume = ", ".join(f"{figure_shown(s.start_m, 'm', 1)}–{measured(s.end_m, 'm', 1)}" for s in parts if s.legume)
        yield f"A legume stood on a part of {bed.name} within two years ({legume}): its nitrogen differs along the bed."


def _in_the_way(here: dict[int, list[Plot]]) -> Iterable[str]:
    for o in Obstacle.objects.in_force().filter(bed__in=here).select_related("bed"):
        hit = [
            p.number
            for p in here[o.bed_id]
            if p.x < o.x + o.length and o.x < p.x + p.length and p.y < o.y + o.width and o.y < p.y + p.width
        ]
        if hit:
            many = "plots" if len(hit) > 1 else "plot"
            which = ", ".join(hit[:6]) + (" and more" if len(hit) > 6 else "")
            yield f"{o.what} stands in {many} {which} of {o.bed.name}: move the block."
