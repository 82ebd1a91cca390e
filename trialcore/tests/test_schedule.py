"""Dates of a season, counted by hand beside."""

import itertools
from datetime import date, timedelta
from math import cos, pi
from unittest import TestCase

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from trialcore.reckoning.schedule import (
    SowingWindow,
    Task,
    back_from,
    moves,
    parted,
    schedule,
    sowing_window,
    successions,
    years_later,
)

SOWN = date(2026, 4, 1)


def season(**sow: object) -> list[Task]:
    return [
        Task("sow", **({"fixed": SOWN} | sow)),  # type: ignore[arg-type]
        Task("plant", "sow", (28, 34, 40)),
        Task("harden", "plant", (-10, -7, -5)),
        Task("pick", "sow", (80, 92, 105), window=(None, date(2026, 7, 10))),
    ]


class Years(TestCase):
    def test_the_same_day_some_years_on_also_where_it_is_not_there(self) -> None:
        self.assertEqual(years_later(date(2027, 3, 30), 1), date(2028, 3, 30))
        self.assertEqual(years_later(date(2028, 2, 29), 1), date(2029, 2, 28))
        self.assertEqual(years_later(date(2028, 2, 29), 4), date(2032, 2, 29))
        self.assertEqual(years_later(date(9998, 5, 1), 7), date(9999, 5, 1))


class Schedules(TestCase):
    def test_tasks_follow_from_each_other(self) -> None:
        found = schedule(season())
        self.assertEqual(found["plant"].on, date(2026, 5, 5))
        self.assertEqual((found["plant"].earliest, found["plant"].latest), (date(2026, 4, 29), date(2026, 5, 11)))
        self.assertEqual(found["harden"].on, date(2026, 4, 28))
        self.assertEqual(found["pick"].latest, date(2026, 7, 10))

    def test_moving_one_moves_what_follows_and_nothing_else(self) -> None:
        before, after = schedule(season()), schedule(season(fixed=SOWN + timedelta(days=9)))
        self.assertEqual(moves(before, after), {"sow": 9, "plant": 9, "harden": 9, "pick": 9})
        held = [*season()[:1], Task("plant", "sow", (28, 34, 40), fixed=date(2026, 5, 5)), *season()[2:]]
        later = [Task("sow", fixed=SOWN + timedelta(days=9)), *held[1:]]
        self.assertEqual(moves(schedule(held), schedule(later)), {"sow": 9, "pick": 9})

    def test_what_was_done_counts_and_not_what_was_planned(self) -> None:
        found = schedule(season(done=date(2026, 4, 11)))
        self.assertEqual(found["plant"].on, date(2026, 5, 15))

    def test_a_day_outside_its_range_is_told_by_how_much(self) -> None:
        late = schedule([*season()[:1], Task("plant", "sow", (28, 34, 40), fixed=date(2026, 5, 20)), *season()[2:]])["plant"]
        self.assertEqual((late.late_by, late.early_by), (9, 0))
        self.assertEqual(schedule(season(fixed=date(2026, 4, 12)))["pick"].late_by, 3)

    def test_without_a_day_nothing_is_dated(self) -> None:
        self.assertEqual(schedule([Task("sow"), Task("plant", "sow", (1, 2, 3)), Task("stray", "nobody", (1, 1, 1))]), {})
        windowed = schedule([Task("sow", window=(date(2026, 3, 1), date(2026, 5, 1)))])["sow"]
        self.assertEqual((windowed.on, windowed.settled), (date(2026, 3, 1), False))

    def test_a_ring_and_a_key_used_twice_are_refused(self) -> None:
        with self.assertRaisesRegex(ValueError, "wait for each other"):
            schedule([Task("a", "b", (1, 1, 1)), Task("b", "a", (1, 1, 1))])
        with self.assertRaisesRegex(ValueError, "same key"):
            schedule([Task("a"), Task("a")])

    @given(st.integers(-200, 200), st.lists(st.tuples(st.integers(-60, 60), st.integers(0, 30), st.integers(0, 30)), max_size=8))
    def test_a_chain_moves_as_one(self, days: int, steps: list[tuple[int, int, int]]) -> None:
        def chain(start: date) -> list[Task]:
            offsets = [(a, a + b, a + b + c) for a, b, c in steps]
            return [Task("0", fixed=start), *(Task(str(i + 1), str(i), o) for i, o in enumerate(offsets))]

        before, after = schedule(chain(SOWN)), schedule(chain(SOWN + timedelta(days=days)))
        self.assertEqual(moves(before, after), {str(i): days for i in range(len(steps) + 1)} if days else {})
        for d in before.values():
            self.assertLessEqual(d.earliest, d.on)
            self.assertLessEqual(d.on, d.latest)


class Heat(TestCase):
    """A window of the whole of 2026, hot from day 100 to 199 counted from nought."""

    open_year = SowingWindow(None, None, None, ())
    start = date(2026, 1, 1)

    def parted(self, *spans: tuple[int, int], window: SowingWindow = open_year) -> SowingWindow:
        def hot(day: date) -> str:
            return "it is hot" if any(a <= (day - self.start).days < b for a, b in spans) else ""

        return parted(window, self.start, hot)

    def test_heat_in_the_middle_leaves_two_parts_and_an_open_year_goes_round(self) -> None:
        found = self.parted((100, 200))
        self.assertEqual(found.parts, ((date(2026, 7, 20), date(2026, 4, 10)),))
        self.assertEqual(found.heat, ("from 11 Apr to 19 Jul it is hot",))
        bounded = self.parted((100, 200), window=SowingWindow(self.start, None, date(2026, 12, 31), ()))
        self.assertEqual(bounded.parts, ((date(2026, 1, 1), date(2026, 4, 10)), (date(2026, 7, 20), date(2026, 12, 31))))
        twice = self.parted((50, 100), (200, 250))
        self.assertEqual([(a.timetuple().tm_yday, b.timetuple().tm_yday) for a, b in twice.parts], [(101, 200), (251, 50)])

    def test_short_heat_parts_nothing_and_a_short_gap_in_it_is_no_window(self) -> None:
        self.assertEqual(self.parted((100, 113)).parts, ())
        found = self.parted((100, 150), (160, 200))  # ten days between
        self.assertEqual([((a - self.start).days, (b - self.start).days) for a, b in found.parts], [(200, 99)])
        self.assertEqual((self.parted((0, 365)).parts, self.parted((0, 365)).heat), ((), ("from 1 Jan to 31 Dec it is hot",)))
        self.assertEqual(self.parted().parts, ())

    def test_within_frosts_and_at_an_end(self) -> None:
        window = SowingWindow(date(2026, 3, 1), date(2026, 3, 20), date(2026, 8, 31), ("frost",))
        found = self.parted((200, 365), window=window)
        self.assertEqual(found.parts, ((date(2026, 3, 1), date(2026, 7, 19)),))
        self.assertEqual((found.earliest, found.latest, found.reasons), (window.earliest, window.latest, window.reasons))
        until = SowingWindow(None, None, date(2027, 2, 4), ())  # sown until February: the year before that
        self.assertEqual(self.parted((100, 200), window=until).parts[0][0], date(2026, 2, 5))
        short = SowingWindow(date(2026, 3, 1), None, date(2026, 3, 9), ())
        self.assertEqual((self.parted(window=short), self.parted((60, 62), window=short).parts), (short, ()))
        since = SowingWindow(date(2026, 7, 5), None, None, ())
        self.assertEqual(self.parted((250, 300), window=since).parts[-1][1], date(2027, 7, 4))


class Windows(TestCase):
    frosts = {"last_frost": {0.9: "03-30", 0.5: "04-12", 0.1: "04-25"}, "first_frost": {0.1: "10-01", 0.5: "10-14", 0.9: "10-27"}}

    def test_a_tender_crop_raised_inside(self) -> None:
        """Out after 25 Apr at best, up to 40 days old: 16 Mar. Ready 120 days after sowing, before 1 Oct: 3 Jun."""
        found = sowing_window(
            2026,
            tender=True,
            raised_days=(30, 40),
            ready_days=(90, 120),
            ends_with_frost=True,
            **self.frosts,  # type: ignore[arg-type]
        )
        self.assertEqual((found.earliest, found.best, found.latest), (date(2026, 3, 3), date(2026, 3, 16), date(2026, 6, 3)))
        self.assertEqual(len(found.reasons), 2)

    def test_a_tender_crop_sown_where_it_stands_waits_for_warm_soil(self) -> None:
        """Up 8 to 14 days after sowing: frost alone would let it be sown on 29 March; the soil does on 6 May."""
        found = sowing_window(2026, tender=True, emergence_days=(8, 14), soil_warm="05-06", **self.frosts)  # type: ignore[arg-type]
        self.assertEqual((found.earliest, found.best, found.latest), (date(2026, 5, 6), date(2026, 5, 6), None))

    def test_a_hardy_crop_without_a_record_has_no_window(self) -> None:
        found = sowing_window(2026, tender=False)
        self.assertEqual((found.earliest, found.best, found.latest, found.reasons), (None, None, None, ()))

    def test_frost_that_comes_after_the_turn_of_the_year_lies_in_the_next(self) -> None:
        """South of the equator the last frost is in September, the first in May of the next year."""
        found = sowing_window(
            2026,
            tender=True,
            raised_days=(30, 40),
            ready_days=(90, 120),
            ends_with_frost=True,
            last_frost={0.5: "09-10", 0.1: "09-25"},
            first_frost={0.1: "05-05", 0.5: "05-20"},
        )
        self.assertEqual(found.latest, date(2027, 5, 5) - timedelta(days=120))

    def test_back_from_a_market_day(self) -> None:
        found = back_from(date(2026, 9, 12), (80, 95), 14)
        self.assertEqual(found, (date(2026, 5, 26), date(2026, 6, 9), date(2026, 6, 24)))
        with self.assertRaises(ValueError):
            back_from(date(2026, 9, 12), (95, 80))


def coast(day: date) -> float:
    """Degree days of a mild coast: nought in winter, eleven at midsummer."""
    return max(0.0, 5 - 6 * cos(2 * pi * (day.timetuple().tm_yday - 15) / 365))


class Successions(TestCase):
    def test_in_steady_warmth_sowings_keep_the_distance_of_harvests(self) -> None:
        found = successions(SOWN, (50, 70), 4, 10, lambda _: 8.0)
        self.assertEqual(found, [(SOWN + timedelta(days=10 * n), SOWN + timedelta(days=60 + 10 * n)) for n in range(4)])

    def test_no_sowing_is_ready_sooner_than_the_crop_can_be_nor_before_an_earlier_one(self) -> None:
        """A crop of 45 to 60 days sown on 10 April and again: 23 days from 30 May were promised once."""
        found = successions(date(2026, 4, 10), (45, 60), 8, 7, coast)
        self.assertGreaterEqual(min((ready - sown).days for sown, ready in found), 45)
        self.assertGreater((found[0][1] - found[0][0]).days, 60)  # April is cold
        for (sown, ready), (later, after) in itertools.pairwise(found):
            self.assertLess(sown, later)
            self.assertLess(ready, after)

    def test_each_gathers_what_the_crop_needs(self) -> None:
        """Reckoned by other means: the need is the upper quartile of sums of 52 days over the year."""
        year = np.array([coast(date(2001, 1, 1) + timedelta(days=i)) for i in range(365)])
        sums = np.sort([np.roll(year, -s)[:52].sum() for s in range(365)])[182:]
        needed = sums[len(sums) // 2]
        for sown, ready in successions(date(2026, 4, 10), (45, 60), 5, 10, coast):
            gathered = sum(coast(sown + timedelta(days=i)) for i in range((ready - sown).days))
            self.assertGreaterEqual(gathered, needed - 1e-6)
            before = sum(coast(sown + timedelta(days=i)) for i in range((ready - sown).days - 1))
            self.assertTrue(before < needed or (ready - sown).days == 45)

    def test_the_warmth_under_cover_is_not_the_fields(self) -> None:
        (sown, ready), *_ = successions(date(2026, 4, 10), (80, 100), 1, 7, lambda _: 8.0, raised_days=35)
        self.assertEqual((ready - sown).days, 35 + 55)

    def test_the_season_ends(self) -> None:
        def summer(day: date) -> float:
            return 8.0 if (5 <= day.month <= 8 and day.year == 2026) or (day.year == 2001 and 5 <= day.month <= 8) else 0.0

        found = successions(date(2026, 5, 1), (40, 50), 12, 14, summer)
        self.assertLess(len(found), 12)
        self.assertTrue(all(sown <= date(2026, 8, 31) for sown, _ in found))

    def test_where_nothing_grows_nothing_is_planned(self) -> None:
        with self.assertRaisesRegex(ValueError, "too cold"):
            successions(SOWN, (50, 70), 2, 7, lambda _: 0.0)
        with self.assertRaises(ValueError):
            successions(SOWN, (50, 70), 0, 7, lambda _: 1.0)
