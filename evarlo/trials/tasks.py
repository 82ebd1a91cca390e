"""The tasks of a trial's season: those that its crop brings with it, those a person added, when each falls and what clashes."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from statistics import median_low
from typing import Any

from django.db.models import Max
from django.urls import reverse

from evarlo.catalogue.models import Claim
from evarlo.grounds.weather import Record, record_of
from evarlo.seeds.models import Move
from evarlo.trials.doubts import date_doubts
from evarlo.trials.heat import HOT_SHARE, heat_of
from evarlo.trials.models import Task, Trial
from evarlo.trials.needs import entries_short, plan_of
from evarlo.trials.queries import frost_of_trial
from evarlo.trials.registry import Due, registry
from evarlo.ui.fields import read_day
from evarlo.ui.unchanged import each_told, kept
from trialcore.field.weather import soil_warm_on
from trialcore.reckoning import schedule
from trialcore.reckoning.schedule import Dated, Offset, SowingWindow, parted, sowing_window, years_later

EARLY_CARE = 14  # days before a task's day from which care of its kind is taken for it
MILESTONES = ("sow", "plant", "pick")  # whose days the trial itself holds, and whose doing is recorded at their own places
SOON, GRACE = 7, 21  # days ahead that a task is due; days after its last one that it still is
BEFORE_SETTING: dict[str, tuple[str, Offset]] = {  # what other planting material wants before it is set
    "tuber": ("Set the tubers out in the light to sprout", (-42, -35, -28)),
    "clove": ("Split the bulbs into cloves", (-2, -1, 0)),
    "crown": ("Soak the crowns", (-1, 0, 0)),
}

PICKED_FOR = {"once over": 7, "repeated": 28}  # days that a crop is picked, of which the season has to leave room


@dataclass(frozen=True)
class Line:
    """One task as it stands: what, when, after what, and what a person said of it."""

    key: str
    what: str
    dated: Dated | None
    after: str
    done_on: date | None
    own: Task | None
    condition: str = ""

    @property
    def said(self) -> str:
        """Where its day comes from, or what it waits for."""
        if self.condition:
            return self.condition
        return f"after {self.after.lower()}" if self.after else ""


@dataclass(frozen=True)
class SeasonTasks:
    lines: tuple[Line, ...]
    window: SowingWindow
    conflicts: tuple[str, ...]
    claimed: tuple[str, ...] = ()  # what catalogues claim of its entries, as days of this season

    @property
    def dated(self) -> list[tuple[Line, Dated]]:
        return sorted(((line, line.dated) for line in self.lines if line.dated), key=lambda x: (x[1].on, x[0].key))

    @property
    def waiting(self) -> list[Line]:
        """Own tasks that wait for a state of the plants, and whatever has no day yet."""
        return [line for line in self.lines if line.dated is None]


@dataclass(frozen=True)
class _Usual:
    key: str
    what: str
    after: str | None
    offset: Offset


def usual_tasks(trial: Trial) -> list[_Usual]:
    """What a trial of this crop comes to, by its profile."""
    profile, plan = trial.crop.profile, plan_of(trial)
    before = BEFORE_SETTING.get(str(profile.get("germination", "")))
    here = -before[1][0] if before else 0  # days before sowing from which what was ordered is needed
    order = (-plan.lead_days - 30 - here, -plan.lead_days - 5 - here, -plan.lead_days - here)
    made = [_Usual("order", f"Order {trial.crop.piece}s" if trial.crop.piece != "seed" else "Order seed", "sow", order)]
    if before:
        made.append(_Usual("prepare", before[0], "sow", before[1]))
    made.append(_Usual("sow", "Sow", None, (0, 0, 0)))
    if days := profile.get("emergence_days"):
        made.append(_Usual("emergence", "Count emergence", "sow", _range(days)))
    if plan.transplant:
        made.append(_Usual("plant", "Plant out", "sow", _range(profile.get("transplant_days") or (28, 42))))
        made.append(_Usual("harden", "Begin hardening off", "plant", (-10, -7, -5)))
    stands = ("plant", (7, 14, 21)) if plan.transplant else ("sow", (20, 28, 40))
    made.append(_Usual("stand", "Count the stand", *stands))
    if days := profile.get("flower_days"):
        made.append(_Usual("flower", "Look for the first flower", "sow", _range(days)))
    made.append(_Usual("pick", "First pick", "sow", _range(profile.get("edible_days") or (60, 120))))
    made.append(_Usual("verdict", "Compare and decide", "pick", (14, 45, 120)))
    return made


def _range(days: Any) -> Offset:
    low, high = int(days[0]), int(days[1])
    return low, round((low + high) / 2), high


def begun_in(trial_ids: Sequence[int]) -> dict[tuple[int, str], date]:
    """The day on which each phase of some trials was begun, from wherever that is recorded; an order is done when a lot is
    received."""
    found = {phase: day for told in each_told(registry.begun, tuple(trial_ids)) for phase, day in told.items()}
    lots = Move.objects.standing().filter(why=Move.Why.RECEIVED, lot__cultivar__entries__trial__in=trial_ids).order_by()
    for trial, day in lots.values_list("lot__cultivar__entries__trial").annotate(last=Max("on")):
        found.setdefault((trial, "order"), day)
    return found


def tasks_of(
    trial: Trial, window: SowingWindow | None = None, begun: dict[tuple[int, str], date] | None = None
) -> tuple[list[schedule.Task], dict[str, tuple[str, Task | None, str]]]:
    """The tasks to be dated, and by key what is shown of them: the words, what a person said of it, what it waits for."""
    said = {t.key: t for t in trial.tasks.all()}
    begun = begun_in([trial.pk]) if begun is None else begun
    planned = {"sow": trial.sow_on, "plant": trial.plant_on, "pick": trial.pick_on}
    made: list[schedule.Task] = []
    shown: dict[str, tuple[str, Task | None, str]] = {}
    for u in usual_tasks(trial):
        own = said.pop(u.key, None)
        if own and own.dropped:
            continue
        done = begun.get((trial.pk, u.key)) or (own.done_on if own else None)
        if u.key == "order" and not done and (trial.pk, "sow") in begun:
            continue  # what was sown is no longer ordered, and no lot says that it ever was
        fixed = planned[u.key] if u.key in MILESTONES else own.on if own else None
        limits = (window.earliest, window.latest) if u.key == "sow" and window else (None, None)
        if u.key == "plant" and window and window.out:
            limits = (window.out, None)
        made.append(schedule.Task(u.key, u.after, u.offset, fixed, done, limits))
        shown[u.key] = (u.what, own, "")
    for n, (level, day) in enumerate(dated_levels(trial)[1:], start=2):
        made.append(schedule.Task(f"sow-{n}", fixed=day))
        shown[f"sow-{n}"] = (f"Sow {level}", None, "")
    for task in said.values():
        if task.what and not task.dropped:
            made.append(_own(trial, task))
            shown[task.key] = (task.what, task, task.waits_for)
    return made, shown


def _own(trial: Trial, task: Task) -> schedule.Task:
    """A task that a person added: due on its day, after another, or when records say that the plants are so far; until then it
    waits. Care of its kind closes it."""
    done = task.done_on
    if done is None and task.care and registry.cared:
        last = trial.once("cared", lambda: registry.cared([trial.pk]) if registry.cared else {}).get((trial.pk, task.care))
        done = last if last and (task.on is None or last >= task.on - timedelta(days=EARLY_CARE)) else None
    if task.trait is None:
        return schedule.Task(task.key, task.after or None, (task.days, task.days, task.days), task.on, done)
    there = registry.reached(trial, task.trait, task.reaches, task.in_first) if registry.reached else None
    return schedule.Task(task.key, fixed=there + timedelta(days=task.days) if there else None, done=done)


def dated_levels(trial: Trial) -> list[tuple[str, date]]:
    """The levels of a second factor that are days to sow on, in order; none where they are not."""
    if "sow" not in trial.factor.casefold():
        return []
    year = trial.sow_on.year if trial.sow_on else trial.made_at.year
    found = []
    for level in trial.levels:
        day = read_day(level, year)
        if day is None:
            return []
        if trial.sow_on and day < trial.sow_on - timedelta(days=180):
            day = years_later(day, 1)
        found.append((level, day))
    return sorted(found, key=lambda x: x[1])


def planned_dates(trial: Trial) -> list[tuple[str, str, Dated]]:
    """Key, words and date of each usual task of a trial that is still being typed, in time order."""
    days = {"sow": trial.sow_on, "plant": trial.plant_on, "pick": trial.pick_on}
    usual = usual_tasks(trial)
    found = schedule.schedule([schedule.Task(u.key, u.after, u.offset, days.get(u.key)) for u in usual])
    rows = [(u.key, u.what, found[u.key]) for u in usual if u.key in found]
    return sorted(rows, key=lambda row: (row[2].on, row[0]))


def season_tasks(trial: Trial) -> SeasonTasks:
    """Everything to be done, in time order, with what does not go together."""
    return kept(("tasks", trial.pk), lambda: _season_tasks(trial), of=[trial])


def _season_tasks(trial: Trial) -> SeasonTasks:
    record = record_of(trial.bed.site) if trial.bed else None
    window = window_of(trial, record)
    tasks, shown = tasks_of(trial, window)
    found = schedule.schedule(tasks)
    lines = []
    for t in tasks:
        what, own, condition = shown[t.key]
        after = shown[t.after][0] if t.after and t.after in shown else ""
        lines.append(Line(t.key, what, found.get(t.key), after, t.done, own, condition))
    return SeasonTasks(tuple(lines), window, tuple(_conflicts(trial, lines, window, record)), tuple(_claimed(trial, found)))


CLAIMED = {"days-to-first-pick": "first picks", "first-flower": "first flowers"}


def _claimed(trial: Trial, found: dict[str, Dated]) -> Iterable[str]:
    """Claimed days beside those of the profile: between which days catalogues promise what, without saying of whom."""
    sow = found.get("sow")
    if sow is None:
        return
    claims = Claim.objects.filter(cultivar__entries__trial=trial, trait__key__in=CLAIMED, value__isnull=False)
    days: dict[str, list[float]] = defaultdict(list)
    for key, value in claims.values_list("trait__key", "value"):
        days[key].append(value or 0.0)
    for key, some in days.items():
        first, last = (sow.on + timedelta(days=round(end)) for end in (min(some), max(some)))
        of = f"{len(some)} of its entries" if len(some) > 1 else "one of its entries"
        span = f"{first:%-d %b}" if first == last else f"{first:%-d %b} to {last:%-d %b}"
        yield f"Catalogues claim {CLAIMED[key]} {min(some):g} to {max(some):g} days after sowing for {of}: {span}."


def window_of(trial: Trial, record: Record | None) -> SowingWindow:
    """When the crop can be sown at the trial's site in its year, as far as the record of the weather tells."""
    profile, plan = trial.crop.profile, plan_of(trial)
    frost = frost_of_trial(trial)
    year = trial.sow_on.year if trial.sow_on else int(trial.season[:4]) if trial.season[:4].isdecimal() else trial.made_at.year
    soil = profile.get("soil_c")
    latitude = (trial.bed.site.latitude or 0.0) if trial.bed else 0.0
    warm = _usually_warm(record, soil[0], latitude) if record and soil and not plan.transplant else None
    window = sowing_window(
        year,
        tender=profile.get("frost") == "tender",
        last_frost=frost.last if frost else None,
        first_frost=frost.first if frost else None,
        soil_warm=warm,
        raised_days=_pair(profile.get("transplant_days")) if plan.transplant else None,
        emergence_days=_pair(profile.get("emergence_days")),
        ready_days=_pair(profile.get("edible_days")),
        ends_with_frost=profile.get("frost") == "tender" or "frost" in str(profile.get("cutoff", "")),
        picked_days=PICKED_FOR["repeated" if profile.get("picking") == "repeated" else "once over"],
    )
    if record is None or not record.days:
        return window
    return _parted_by_heat(trial, window, record, date(year, 1, 1) if latitude >= 0 else date(year - 1, 7, 1))


def _parted_by_heat(trial: Trial, window: SowingWindow, record: Record, year_from: date) -> SowingWindow:
    """The window with what heat leaves of it, by what sowing on each day would meet."""
    heat = heat_of(trial, record)
    flowers = _pair(trial.crop.profile.get("flower_days"))
    formed = flowers or _pair(trial.crop.profile.get("edible_days"))
    what = "flower" if flowers else "be ready"

    def hot(day: date) -> str:
        if heat.soil and (heat.soil.about(day) or 0) > HOT_SHARE:
            return f"the soil is warmer than {heat.soil.limit:g} °C"
        if formed:
            first, last = (day + timedelta(days=n) for n in formed)
            for often in heat.above:
                if (often.share(first, last) or 0) > HOT_SHARE:
                    return f"it would {what} when {often.kind} are warmer than {often.limit:g} °C"
        return ""

    return parted(window, year_from, hot)


def _pair(days: Any) -> tuple[int, int] | None:
    return (int(days[0]), int(days[1])) if days else None


def _usually_warm(record: Record, needed: float, latitude: float) -> str | None:
    """The month-day by which the soil was warm in half of the years on record."""
    found = []
    for year in sorted({d.day.year for d in record.days}):
        winter = date(year, 1, 1) if latitude >= 0 else date(year, 7, 1)  # the search begins in the cold of the year
        some = [d for d in record.days if winter <= d.day < winter + timedelta(days=365)]
        if day := soil_warm_on(some, needed, winter):
            found.append((day - winter).days)
    if not found:
        return None
    return f"{date(2001, 1 if latitude >= 0 else 7, 1) + timedelta(days=median_low(found)):%m-%d}"


def _conflicts(trial: Trial, lines: list[Line], window: SowingWindow, record: Record | None) -> Iterable[str]:
    yield from date_doubts(trial)
    by_key = {line.key: line for line in lines if line.dated and not line.done_on}
    sow, pick, flower = by_key.get("sow"), by_key.get("pick"), by_key.get("flower")
    if sow and sow.dated and window.earliest and sow.dated.on < window.earliest:
        yield f"Sowing on {sow.dated.on:%-d %b} is earlier than {window.earliest:%-d %b}, when it would be {window.reasons[0]}."
    if sow and sow.dated and window.latest and sow.dated.on > window.latest:
        yield f"Sowing on {sow.dated.on:%-d %b} is later than {window.latest:%-d %b}: it has to be {window.reasons[-1]}."
    if pick and pick.dated and pick.dated.late_by > 0 and not trial.pick_on:
        yield f"The first pick would come {pick.dated.late_by} days after the last day for it, {pick.dated.latest:%-d %b}."
    heat = heat_of(trial, record) if record else None
    formed = flower or pick
    if heat and formed and formed.dated:
        first, last = formed.dated.earliest, formed.dated.latest
        what, poorly = ("flower", "sets poorly") if flower else ("be ready", "forms poorly, or bolts,")
        for often in heat.above:
            share = often.share(first, last)
            if share is not None and share > HOT_SHARE:
                hot = f"{100 * share:.0f} % of {often.kind} on record were warmer than {often.limit:g} °C"
                yield f"It would {what} from {first:%-d %b} to {last:%-d %b}, when {hot}: it {poorly} then."
    if heat and heat.soil and sow and sow.dated:
        share = heat.soil.about(sow.dated.on)
        if share is not None and share > HOT_SHARE:
            warm = f"the soil was warmer than {heat.soil.limit:g} °C on {100 * share:.0f} % of days on record"
            yield f"Around {sow.dated.on:%-d %b} {warm}: seed of it rests or dies then. Sow earlier or later, or shade the bed."


def due(today: date) -> Iterable[Due]:
    """Tasks of the next days, and those that nobody has done yet. Sowing, planting and picking speak for themselves, and seed
    is to be ordered only where a ledger says that it is short."""
    since = today - timedelta(days=400)
    trials = list(
        Trial.objects.filter(decided_at__isnull=True, layout_fixed_at__isnull=False, sow_on__gte=since)
        .select_related("crop", "need_plan")
        .prefetch_related("tasks__trait")
    )
    begun = begun_in([t.pk for t in trials])
    short = kept(("short", today, *(t.pk for t in trials)), lambda: entries_short(trials, today), of=trials)
    for trial in trials:
        tasks, shown = tasks_of(trial, begun=begun)
        found = schedule.schedule(tasks)
        for t in tasks:
            dated = found.get(t.key)
            if dated is None or t.done or t.key in MILESTONES or dated.on > today + timedelta(days=SOON):
                continue
            what, own, _ = shown[t.key]
            if own is None and today > dated.latest + timedelta(days=GRACE):
                continue
            if t.key == "order" and not short.get(trial.pk):
                continue
            if t.after and t.key != "order" and (trial.pk, "sow") not in begun:
                continue
            amount = f"{short[trial.pk]} short" if t.key == "order" else ""
            place = "trials:needs" if t.key == "order" else "trials:calendar-page"
            yield Due("Do", what, trial, amount, dated.on, reverse(place, args=[trial.slug]))
