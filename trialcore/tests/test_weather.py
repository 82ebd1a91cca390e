"""The daily record: what is missing is said, frost is told by risk, the simulated station is believable."""

from datetime import date, timedelta
from unittest import TestCase

import numpy as np

from trialcore.field.weather import Day, Exceeding, frost_risk, gaps_in, simulated_days, soil_warm_on


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


class HowOften(TestCase):
    def test_a_share_is_counted_over_all_years_also_across_the_new_year(self) -> None:
        """Reckoned day by day: of the days of the year from 20 Dec to 10 Jan, in three years on record, those above 3."""
        days = [date(2019, 1, 1) + timedelta(days=i) for i in range(3 * 365)]
        values = [(d, float((7 * i) % 10) if i % 11 else None) for i, d in enumerate(days)]
        often = Exceeding(values, 3.0)
        for first, last in (
            (date(2026, 12, 20), date(2027, 1, 10)),
            (date(2026, 5, 1), date(2026, 5, 1)),
            (date(2028, 2, 20), date(2028, 3, 9)),
        ):
            wanted = {f"{first + timedelta(days=i):%m-%d}" for i in range((last - first).days + 1)}
            seen = [v > 3 for d, v in values if v is not None and f"{d:%m-%d}" in wanted]
            self.assertAlmostEqual(often.share(first, last) or 0.0, sum(seen) / len(seen))
        self.assertIsNone(Exceeding(values[:20], 3.0).share(date(2026, 6, 1), date(2026, 6, 9)))
        for first, last in ((days[5], days[4]), (days[0], days[365])):
            with self.assertRaises(ValueError):
                often.share(first, last)


class Simulated(TestCase):
    def test_coasts_from_the_equator_to_sixty_degrees(self) -> None:
        """Mean nights and days of the coldest and the warmest month, in the ranges that coasts of a latitude are known for."""
        ranges = {  # lowest of the coldest, highest of the coldest, lowest of the warmest, highest of the warmest month
            0: ((21, 25), (28, 32), (22, 26), (29, 33)),
            10: ((20, 24), (27, 32), (22, 27), (29, 34)),
            20: ((15, 20), (23, 28), (22, 26), (29, 34)),
            30: ((8, 13), (16, 21), (18, 23), (27, 32)),
            40: ((2, 8), (10, 16), (13, 19), (22, 29)),
            50: ((-2, 4), (4, 10), (10, 15), (18, 24)),
            60: ((-8, -1), (-2, 4), (7, 12), (15, 21)),
        }
        for latitude, wanted in ranges.items():
            for sign in (1, -1):
                days = simulated_days(sign * latitude, date(2017, 1, 1), 2920, 5)
                by_month = {m: [d for d in days if d.day.month == m] for m in range(1, 13)}
                means = {
                    m: (
                        float(np.mean([d.tmin for d in some if d.tmin is not None])),
                        float(np.mean([d.tmax for d in some if d.tmax is not None])),
                    )
                    for m, some in by_month.items()
                }
                cold, warm = min(means.values(), key=sum), max(means.values(), key=sum)
                for got, (low, high) in zip((*cold, *warm), wanted, strict=True):
                    self.assertTrue(low <= got <= high, (sign * latitude, got, (low, high)))

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
