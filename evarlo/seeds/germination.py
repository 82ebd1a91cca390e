"""Germination tests: beginning one, keeping its counts, and what they tell of the lot."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from functools import cached_property

from django.db import transaction
from django.utils import timezone

from evarlo.people.models import User
from evarlo.seeds.models import CLASSES, GerminationCount, GerminationTest, Lot, Move
from evarlo.seeds.services import move_stock
from evarlo.ui.refused import Refused, only_done
from evarlo.ui.words import days_later
from trialcore.analyses.times import Curve, fit_curves
from trialcore.reckoning.germination import (
    LotAdvice,
    Replicates,
    Speed,
    compare_lots,
    compare_replicates,
    germination_speed,
    judge_lot,
    more_to_come,
    wilson_interval,
)

WANTED = 0.85  # the share at which a lot is sown as usual, where its supplier states none
GIVEN_UP = 1.5  # times the crop's longest emergence, after which what has not come counts as failed
USUAL_DAYS = 14


@dataclass(frozen=True)
class TestResult:
    """What a test tells: its totals by class, the share of normal seedlings with its interval, how fast, and what to do."""

    test: GerminationTest
    totals: dict[str, int]
    days: tuple[int, ...]
    newly: tuple[int, ...]
    by_replicate: tuple[int, ...]
    lower95: float
    upper95: float
    speed: Speed | None
    alike: Replicates | None
    advice: LotAdvice
    fails_on: date

    @property
    def normal(self) -> int:
        return self.totals["normal"]

    @property
    def percent(self) -> float:
        return 100 * self.normal / self.test.sown

    @cached_property
    def curve(self) -> Curve | None:
        """The fitted curve; None where nothing was counted, or of a quick test."""
        if not self.days or self.test.is_quick:
            return None
        return fit_curves([self.days], [self.newly], [self.test.sown])[0]

    @property
    def left(self) -> int:
        """Seeds that lie there and are not counted yet."""
        return self.test.sown - sum(self.totals.values())

    @property
    def may_come(self) -> float | None:
        """The chance that another week brings at least one more; None where the counts say too little."""
        if not self.left or not self.days:
            return None
        more = more_to_come(self.days, self.newly, self.test.sown, 7)
        return more.chance_of_any if more else None


def usual_days(lot: Lot) -> int:
    """Days after which a test of the lot's crop is usually counted for the last time."""
    emergence = lot.cultivar.crop.profile.get("emergence_days")
    return int(emergence[1]) if emergence else USUAL_DAYS


@transaction.atomic
def begin_test(
    lot: Lot,
    method: str,
    on: date,
    replicates: int,
    seeds: int,
    celsius: float | None,
    on_what: str,
    by: User,
    today: date,
    sure: bool = False,
) -> GerminationTest:
    """Begin a test; its seeds leave the lot's stock. Raises Refused as `move_stock`, or for material that is no seed."""
    if lot.material != Lot.Material.SEED:
        raise Refused("Only seed is tested for germination.")
    move_stock(lot, Move.Why.TAKEN, replicates * seeds, on, by, today, "germination test", sure)
    return GerminationTest.objects.create(
        lot=lot,
        method=method,
        began_on=on,
        replicates=replicates,
        seeds=seeds,
        celsius=celsius,
        on_what=on_what,
        by=by,
        at=timezone.now(),
    )


@transaction.atomic
def keep_counts(test: GerminationTest, on: date, rows: Mapping[int, Mapping[str, int]], by: User, today: date) -> int:
    """Keep what was new on a day, by replicate and class; how many rows changed. A replicate that was counted on that day gets a
    correction. Raises Refused for a day to come or before the test, or for more seeds than a replicate has."""
    test = GerminationTest.objects.select_for_update().get(pk=test.pk)
    only_done(on, today)
    if test.undone_at:
        raise Refused(f"This test was taken back on {test.undone_at:%-d %b %Y}.")
    first = test.began_on + timedelta(days=0 if test.is_quick else 1)
    if on < first:
        raise Refused(f"The test began on {test.began_on:%-d %b %Y}. Expected a day from {first:%-d %b %Y} on.", "on")
    standing = {(c.replicate, c.on): c for c in test.counts.in_force()}
    now, made = timezone.now(), []
    for replicate, counted in rows.items():
        if not 1 <= replicate <= test.replicates:
            raise Refused(f"There is no replicate {replicate}.")
        new = {c: counted.get(c, 0) for c in CLASSES}
        before = standing.get((replicate, on))
        if (before is None and not any(new.values())) or (before and new == {c: getattr(before, c) for c in CLASSES}):
            continue
        others = sum(c.seeds for (r, day), c in standing.items() if r == replicate and day != on)
        if others + sum(new.values()) > test.seeds:
            over = f"{others} were counted on other days; {sum(new.values())} more are over the {test.seeds} of a replicate"
            raise Refused(f"Replicate {replicate}: {over}.", f"normal_{replicate}")
        made.append(GerminationCount(test=test, replicate=replicate, on=on, by=by, at=now, supersedes=before, **new))
    GerminationCount.objects.bulk_create(made)
    return len(made)


@transaction.atomic
def end_test(test: GerminationTest, on: date | None) -> None:
    """What has not come by now counts as failed; or, without a day, the test goes on."""
    GerminationTest.objects.in_force().filter(pk=test.pk).update(ended_on=on)


@transaction.atomic
def undo_test(test: GerminationTest, by: User, today: date) -> None:
    """Take back a test that was begun by mistake: its seeds are in the lot again. Twice does nothing more. Raises Refused once
    something was counted in it."""
    test = GerminationTest.objects.select_for_update().get(pk=test.pk)
    if test.undone_at:
        return
    if any(count.seeds for count in test.counts.in_force()):
        raise Refused("Something was counted in it since. Set those counts to nought first, if they were wrong.")
    test.undone_at = timezone.now()
    test.save(update_fields=["undone_at"])
    move_stock(test.lot, Move.Why.UNDONE, test.sown, today, by, today, f"germination test of {test.began_on:%-d %b %Y}")


@transaction.atomic
def undo_count(count: GerminationCount, by: User, today: date) -> None:
    """Take back what was counted in a replicate on a day: what stood before it stands again, or nothing. Twice does nothing more;
    a count that was put right since stays. Raises Refused as `keep_counts`."""
    if not GerminationCount.objects.in_force().filter(pk=count.pk).exists():
        return
    before = count.supersedes
    keep_counts(count.test, count.on, {count.replicate: {c: getattr(before, c, 0) for c in CLASSES}}, by, today)


def results(tests: Sequence[GerminationTest]) -> list[TestResult]:
    """What each test tells; one statement for any number of them."""
    counts: dict[int, list[GerminationCount]] = defaultdict(list)
    for count in GerminationCount.objects.in_force().filter(test__in=tests):
        counts[count.test_id].append(count)
    return [_result(test, counts[test.pk]) for test in tests]


def _result(test: GerminationTest, counts: Iterable[GerminationCount]) -> TestResult:
    totals, by_replicate = dict.fromkeys(CLASSES, 0), [0] * test.replicates
    by_day: dict[int, int] = defaultdict(int)
    for c in counts:
        for kind in CLASSES:
            totals[kind] += getattr(c, kind)
        by_day[(c.on - test.began_on).days] += c.normal
        by_replicate[c.replicate - 1] += c.normal
    days = tuple(d for d in sorted(by_day) if d > 0)
    newly = tuple(by_day[d] for d in days)
    normal = totals["normal"]
    low, high = wilson_interval(normal, test.sown)
    told = days and not test.is_quick
    stated = test.lot.germination
    wanted = min(WANTED, stated / 100) if stated else WANTED
    return TestResult(
        test,
        totals,
        days,
        newly,
        tuple(by_replicate),
        low,
        high,
        germination_speed(days, newly) if told else None,
        compare_replicates(by_replicate, [test.seeds] * test.replicates),
        judge_lot(normal, test.sown, wanted, min(0.5, wanted)),
        days_later(test.began_on, GIVEN_UP * usual_days(test.lot)) or date.max,
    )


def tests_of(lot: Lot) -> list[TestResult]:
    return results(list(lot.tests.in_force().select_related("lot__cultivar__crop")))


def tested(lots: Iterable[int]) -> dict[int, TestResult]:
    """The newest germination test of each lot that was counted; a quick test only where there is no other."""
    tests = (
        GerminationTest.objects.in_force()
        .filter(lot__in=lots, counts__isnull=False)
        .distinct()
        .select_related("lot__cultivar__crop")
    )
    found: dict[int, TestResult] = {}
    for result in results(sorted(tests, key=lambda t: (t.is_quick, -t.began_on.toordinal(), -t.pk))):
        found.setdefault(result.test.lot_id, result)
    return found


def against(one: TestResult, other: TestResult) -> str:
    """The other lot's test set against this one, in words."""
    name = f"Lot {other.test.lot.name}" + (
        "" if other.test.lot.cultivar_id == one.test.lot.cultivar_id else f" of {other.test.lot.cultivar.name}"
    )
    found = compare_lots(one.normal, one.test.sown, other.normal, other.test.sown)
    low, high = 100 * found.lower95, 100 * found.upper95
    if low > 0:
        return f"{name} is likely {low:.0f} to {high:.0f} points better."
    if high < 0:
        return f"{name} is likely {-high:.0f} to {-low:.0f} points worse."
    return f"{name} may be as good: {abs(low):.0f} points worse to {high:.0f} better."
