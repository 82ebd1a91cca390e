"""When the tasks of a season fall: forward from what was done, back from what must be, and what moves with what."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date, timedelta
from itertools import groupby

Offset = tuple[int, int, int]
"""Days from another task: earliest, best, latest."""


@dataclass(frozen=True)
class Task:
    """Something to be done. Its day follows from `after` by `offset`, unless a person has set it (`fixed`) or it was done.

    `window` are the first and last day that the season allows, either of them None.
    """

    key: str
    after: str | None = None
    offset: Offset = (0, 0, 0)
    fixed: date | None = None
    done: date | None = None
    window: tuple[date | None, date | None] = (None, None)


@dataclass(frozen=True)
class Dated:
    """When a task falls: `on` as it stands now, and the range in which it may lie; `late_by` and `early_by` are the days by
    which `on` lies outside that range."""

    on: date
    earliest: date
    latest: date
    settled: bool  # set by a person, or done

    @property
    def late_by(self) -> int:
        """Days after the latest day that is wise."""
        return max(0, (self.on - self.latest).days)

    @property
    def early_by(self) -> int:
        """Days before the earliest day that is wise."""
        return max(0, (self.earliest - self.on).days)


def schedule(tasks: Sequence[Task]) -> dict[str, Dated]:
    """The dates of all tasks that can be dated: those with a day of their own, and those that follow from one.

    A task that follows another lies `offset` days from the day on which that one is done, set or best; the season's window
    narrows the range but does not move the task. Raises ValueError for tasks that wait for each other in a ring, or two of
    one key.
    """
    by_key = {task.key: task for task in tasks}
    if len(by_key) < len(tasks):
        raise ValueError("two tasks have the same key")
    found: dict[str, Dated | None] = {}

    def dated(key: str, asked: tuple[str, ...]) -> Dated | None:
        if key in asked:
            raise ValueError(f"tasks wait for each other: {' → '.join((*asked, key))}")
        if key not in found:
            task = by_key.get(key)
            found[key] = None if task is None else _dated(task, dated(task.after, (*asked, key)) if task.after else None)
        return found[key]

    return {key: made for key in by_key if (made := dated(key, ())) is not None}


def _dated(task: Task, after: Dated | None) -> Dated | None:
    own = task.done or task.fixed
    if after is not None:
        early, best, late = (after.on + timedelta(days=days) for days in task.offset)
    elif own is not None:
        early = best = late = own
    else:
        first, last = task.window
        if first is None and last is None:
            return None
        early, best, late = first or last or date.max, first or last or date.max, last or first or date.min
    first, last = task.window
    if task.after is None and own is not None and (first or last):
        early, late = first or min(own, last or own), last or max(own, first or own)
    elif after is not None:
        early, late = max(early, first or early), min(late, last or late)
    return Dated(own or best, early, late, own is not None)


def moves(before: Mapping[str, Dated], after: Mapping[str, Dated]) -> dict[str, int]:
    """By how many days each task lies elsewhere now."""
    return {key: days for key, now in after.items() if key in before and (days := (now.on - before[key].on).days)}


@dataclass(frozen=True)
class SowingWindow:
    """The days between which a crop can be sown, and the best; `reasons` say in words what each end rests on."""

    earliest: date | None
    best: date | None
    latest: date | None
    reasons: tuple[str, ...]
    out: date | None = None
    """The first day on which raised plants of a tender crop may stand outside, with frost after it in half of the years."""
    parts: tuple[tuple[date, date], ...] = ()
    """Where heat takes days out of it: the first and last day of each part that is left."""
    heat: tuple[str, ...] = ()
    """From when to when heat is in the way, and how, in words."""


LEAST_PART = 14  # days that a part of a window lasts at least, and that heat takes out of it


def parted(window: SowingWindow, year_from: date, hot: Callable[[date], str]) -> SowingWindow:
    """A window with the parts that heat leaves of it: `hot` says in words how heat is in the way of a sowing on a day, or nothing.

    An open window is the year from `year_from`, one with an open end the year from or until its other end. Heat of fewer than
    `LEAST_PART` days takes nothing out, and no part is shorter; one may run over the turn of an open year. A window that is hot
    as a whole has heat and no part.
    """
    year = timedelta(days=364)
    first = window.earliest or (max(year_from, window.latest - year) if window.latest else year_from)
    last = window.latest or first + year
    days = [first + timedelta(days=i) for i in range((last - first).days + 1)]
    said = [hot(day) for day in days]
    if not any(said):
        return window
    runs = _runs((bool(why), 1) for why in said)
    for kind in (True, False):  # short heat first, then what is left too short between
        runs = _runs((is_hot ^ (is_hot == kind and n < LEAST_PART), n) for is_hot, n in runs)
    if not any(is_hot for is_hot, _ in runs):
        return window
    parts, heat, at = [], [], 0
    for is_hot, n in runs:
        start, end = days[at], days[at + n - 1]
        if is_hot:
            why = Counter(w for w in said[at : at + n] if w).most_common(1)[0][0]
            heat.append(f"from {start:%-d %b} to {end:%-d %b} {why}")
        else:
            parts.append((start, end))
        at += n
    if window.earliest is None and window.latest is None and len(parts) > 1 and not (runs[0][0] or runs[-1][0]):
        parts = [*parts[1:-1], (parts[-1][0], parts[0][1])]  # the year goes round: its first and last part are one
    return replace(window, parts=tuple(parts), heat=tuple(heat))


def _runs(flags: Iterable[tuple[bool, int]]) -> list[tuple[bool, int]]:
    """What follows each other alike, with how long it lasts."""
    return [(kind, sum(n for _, n in some)) for kind, some in groupby(flags, key=lambda flag: flag[0])]


def sowing_window(
    year: int,
    *,
    tender: bool,
    last_frost: Mapping[float, str] | None = None,
    first_frost: Mapping[float, str] | None = None,
    soil_warm: str | None = None,
    raised_days: tuple[int, int] | None = None,
    emergence_days: tuple[int, int] | None = None,
    ready_days: tuple[int, int] | None = None,
    ends_with_frost: bool = False,
    picked_days: int = 0,
) -> SowingWindow:
    """Count back from frost and warmth to when a crop can be sown in `year`.

    `last_frost` and `first_frost` are month-days (`04-12`) by risk, with 0.5 and 0.1 at least; `soil_warm` that on which the
    soil is usually warm enough. `raised_days` is the age at planting out, None for a crop sown where it stands;
    `ready_days` from sowing to first edible. A tender crop stands outside only after frost; one that `ends_with_frost` has to
    be ready, and be picked for `picked_days`, before it comes. At the earliest the risk of frost is one half, at best one tenth.
    """
    reasons: list[str] = []
    starts: list[date] = []
    best: list[date] = []
    inside = raised_days or emergence_days or (0, 0)
    if tender and last_frost:
        out = "planted out" if raised_days else "up"
        starts.append(_on(year, last_frost[0.5]) - timedelta(days=inside[1]))
        best.append(_on(year, last_frost[0.1]) - timedelta(days=inside[1 if raised_days else 0]))
        reasons.append(
            f"{out} after the last frost, {_said(last_frost[0.5])} in half of the years, {_said(last_frost[0.1])} in nine of ten"
        )
    if soil_warm and not raised_days:
        starts.append(_on(year, soil_warm))
        best.append(_on(year, soil_warm))
        reasons.append(f"the soil is warm enough from about {_said(soil_warm)}")
    latest = None
    if ends_with_frost and first_frost and ready_days:
        latest = _on(year, first_frost[0.1], after=_on(year, last_frost[0.5]) if last_frost else None) - timedelta(
            days=ready_days[1] + picked_days
        )
        picked = f"picked for {picked_days} days" if picked_days else "ready"
        reasons.append(f"{picked} before frost comes again, from {_said(first_frost[0.1])} in one year of ten")
    out_from = _on(year, last_frost[0.5]) if tender and last_frost and raised_days else None
    return SowingWindow(max(starts, default=None), max(best, default=None), latest, tuple(reasons), out_from)


def _on(year: int, month_day: str, after: date | None = None) -> date:
    day = date.fromisoformat(f"{year}-{month_day}") if month_day != "02-29" else date(year, 2, 28)
    return years_later(day, 1) if after and day < after else day


def years_later(day: date, years: int) -> date:
    """The same day of the year, some years on; the 28th for a 29th of February that is not there, and no later than a calendar
    goes."""
    year = min(date.max.year, day.year + years)
    try:
        return day.replace(year=year)
    except ValueError:
        return day.replace(year=year, day=28)


def _said(month_day: str) -> str:
    return f"{date.fromisoformat(f'2000-{month_day}'):%-d %b}"


def back_from(market: date, ready_days: tuple[int, int], keeping_days: int = 0) -> tuple[date, date, date]:
    """When to sow for a market day a crop that is ready between `ready_days` after sowing and keeps for `keeping_days`: from
    the first day, when it would have been kept that long; until the second, when a late cultivar is just ready; and until the
    third for an early one. Raises ValueError when the shorter time is not first, or for keeping below nought."""
    if ready_days[0] > ready_days[1] or keeping_days < 0:
        raise ValueError("the shorter time comes first, and nothing keeps for fewer than no days")
    late, early = (market - timedelta(days=days) for days in (ready_days[1], ready_days[0]))
    return late - timedelta(days=keeping_days), late, early


MOST_DAYS = 400  # within which a sowing is ready or never


def successions(
    first: date, ready_days: tuple[int, int], count: int, every_days: int, warmth: Callable[[date], float], raised_days: int = 0
) -> list[tuple[date, date]]:
    """When to sow again so that harvests follow each other `every_days`, each sowing with the day on which it is ready.

    `warmth` are the degree days of a day. What the crop needs of them is what it gathers in the middle of its `ready_days` in the
    warmer half of the year, of the field part only where plants are raised for `raised_days`; no sowing is ready sooner than the
    shorter of its days, and a later one never before an earlier one. Fewer than `count` are given where no more would be ready.
    Raises ValueError for counts or days below one, a shorter time that is not first, or where nothing grows.
    """
    low, high = ready_days
    field = round((low + high) / 2) - raised_days
    if min(low, count, every_days) < 1 or low > high or field < 1 or raised_days < 0:
        raise ValueError("a sowing, its time and the days between harvests are at least one, the shorter time first")
    needed = _needed(field, warmth)
    if needed <= 0:
        raise ValueError("nothing grows in that time: it is too cold")

    def ready(sown: date) -> date | None:
        return _ready(sown, low, raised_days, needed, warmth)

    begun = ready(first)
    if begun is None:
        raise ValueError("nothing grows in that time: it is too cold")
    found = [(first, begun)]
    for n in range(1, count):
        target, at, last = begun + timedelta(days=n * every_days), found[-1][0], None
        while (done := ready(at + timedelta(days=1))) is not None and done <= target:
            at, last = at + timedelta(days=1), done
        if last is None:  # what is sown a day later is ready later than wanted already, or never
            following = ready(found[-1][0] + timedelta(days=1))
            if following is None:
                break
            at, last = found[-1][0] + timedelta(days=1), following
        found.append((at, last))
    return found


def _ready(sown: date, low: int, raised_days: int, needed: float, warmth: Callable[[date], float]) -> date | None:
    """The day on which a sowing has gathered what it needs in the field; None when it never does."""
    gathered, day = 0.0, sown + timedelta(days=raised_days)
    while gathered < needed - 1e-9:
        if (day - sown).days > MOST_DAYS:
            return None
        gathered += warmth(day)
        day += timedelta(days=1)
    return max(day, sown + timedelta(days=low))


def _needed(days: int, warmth: Callable[[date], float]) -> float:
    """What is gathered in so many days, at the median over the starts of the warmer half of the year."""
    year = [warmth(date(2001, 1, 1) + timedelta(days=i)) for i in range(365)]
    sums = [sum(year[(start + i) % 365] for i in range(days)) for start in range(365)]
    warmer = sorted(sums)[len(sums) // 2 :]
    return warmer[len(warmer) // 2]
