"""The daily record: what is missing is said, frost is told by risk, the simulated station is believable."""

from datetime import date, timedelta
from unittest import TestCase

import numpy as np

from trialcore.field.weather import Day, frost_risk, gaps_in, simulated_days, soil_warm_on


def season(year: int, last: int, first: int) -> list[Day]:
    """A year with frost up to `last` days before July and again from `first` days after."""
    centre = date(year, 7, 1)
    return [Day(centre + timedelta(days=i), -1.0 if i <= -last or i >= first else 8.0, 15.0) for i in range(-181, 183)]


class Record(TestCase):
    def test_gaps_are_named(self) -> None:
        start = date(2026, 3, 1)
        days = [Day(start + timedelta(days=i), 1.0, 9.0) for i in (0, 1, 4, 5, 7)] + [Day(start + timedelta(days=6), None, 9.0)]
        self.assertEqual(gaps_in(days), [(date(2026, 3, 3), date(2026, 3, 4)), (date(2026, 3, 7), date(2026, 3, 7))])
        self.assertEqual(gaps_in([]), [])

    def test_frost_risk_is_that_of_a_normal_distribution_over_seasons(self) -> None:
        days = [d for year, last, first in ((2020, 70, 100), (2021, 80, 110), (2022, 60, 120)) for d in season(year, last, first)]
        found = frost_risk(days, 52)
        assert found is not None
        self.assertEqual(found.years, 3)
        mean_last = date(2001, 7, 1) - timedelta(days=70)
        self.assertEqual(found.last[0.5], f"{mean_last:%m-%d}")
        self.assertEqual(found.last[0.1], f"{mean_last + timedelta(days=13):%m-%d}")  # 1.2816 × 10 days later
        self.assertEqual(found.last[0.9], f"{mean_last - timedelta(days=13):%m-%d}")
        self.assertEqual(found.first[0.1], f"{date(2001, 7, 1) + timedelta(days=110 - 13):%m-%d}")
        self.assertIsNone(frost_risk(days[:700], 52))
        self.assertIsNone(frost_risk([d for d in days if d.day.month != 4], 52))

    def test_the_south_has_its_winter_in_july(self) -> None:
        found = frost_risk(simulated_days(-45, date(2016, 1, 1), 3650, 3), -45)
        assert found is not None
        self.assertTrue("07-01" < found.last[0.5] < "12-01")
        self.assertTrue("02-01" < found.first[0.5] < "07-20")

    def test_soil_has_to_stay_warm(self) -> None:
        temperatures = [9, 11, 11, 9, 11, 11, 11, 12, 13, 13]
        days = [Day(date(2026, 4, 1) + timedelta(days=i), 5, 15, soil_c=t) for i, t in enumerate(temperatures)]
        self.assertEqual(soil_warm_on(days, 10, date(2026, 4, 1)), date(2026, 4, 9))
        self.assertIsNone(soil_warm_on(days, 14, date(2026, 4, 1)))
        self.assertIsNone(soil_warm_on([d for d in days if d.day.day != 7], 10, date(2026, 4, 1)))  # a gap breaks the run


class Simulated(TestCase):
    def test_it_is_the_same_each_time_and_plausible_for_its_place(self) -> None:
        days = simulated_days(53, date(2018, 1, 1), 3650, 5)
        self.assertEqual(days, simulated_days(53, date(2018, 1, 1), 3650, 5))
        mean = {m: float(np.mean([d.mean for d in days if d.day.month == m])) for m in (1, 7)}
        self.assertTrue(-2 < mean[1] < 6 and 12 < mean[7] < 20)
        self.assertTrue(all(d.tmin is not None and d.tmax is not None and d.tmin < d.tmax for d in days))
        frosts = sum((d.tmin or 0) <= 0 for d in days) / 10
        self.assertTrue(30 < frosts < 150)
        self.assertTrue(400 < sum(d.rain_mm or 0 for d in days) / 10 < 1200)
        swing = np.std([d.soil_c for d in days if d.soil_c is not None]), np.std([d.mean for d in days if d.mean is not None])
        self.assertLess(swing[0], swing[1])
        self.assertTrue(5 < len(gaps_in(days)) < 60)
        self.assertEqual(len(simulated_days(53, date(2018, 1, 1), 300, 5, gaps=False)), 300)
        self.assertEqual(sum((d.tmin or 0) <= 0 for d in simulated_days(5, date(2018, 1, 1), 730, 5)), 0)
