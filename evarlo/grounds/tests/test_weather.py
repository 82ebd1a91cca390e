"""Weather on record: read from the station, brought in from a sheet, told by risk."""

from datetime import date, timedelta
from typing import Any

from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connection
from django.test.utils import CaptureQueriesContext
from django.urls import reverse

from evarlo.grounds.models import Site, WeatherDay
from evarlo.grounds.weather import frost_of, keep_days, read_station, read_weather_sheet, record_of
from evarlo.people.models import User
from evarlo.testing import world
from evarlo.testing.pages import TestCase
from trialcore.field.weather import Day, simulated_days

UNTIL = date(2026, 6, 30)


class Weather(TestCase):
    def setUp(self) -> None:
        self.site = Site.objects.create(name="Ostrel Flats", latitude=53.4)
        self.client.force_login(world.person(), backend="django.contrib.auth.backends.ModelBackend")

    def url(self, name: str = "weather") -> str:
        return reverse(f"grounds:{name}", args=[self.site.pk])

    def sheet(self, text: str) -> Any:
        return self.client.post(self.url("bring-in-weather"), {"text": text})

    def test_the_station_is_read_from_where_the_record_ends(self) -> None:
        first = read_station(self.site, UNTIL, years=2)
        self.assertGreater(first, 700)
        self.assertEqual(read_station(self.site, UNTIL), 0)
        more = read_station(self.site, UNTIL + timedelta(days=10))
        self.assertTrue(5 <= more <= 10)
        self.assertEqual(WeatherDay.objects.count(), first + more)
        with self.assertRaises(ValueError):
            read_station(Site.objects.create(name="Nowhere"), UNTIL)

    def test_the_page_says_what_the_record_tells(self) -> None:
        read_station(self.site, UNTIL, years=6)
        page = self.client.get(self.url(), {"base": "6", "upper": "30", "since": "2026-03-01"})
        self.assertContains(page, "nights with frost")
        self.assertContains(page, "half of the years")
        self.assertContains(page, "°C·days from 1 Mar 2026")
        self.client.post(self.url("take-frost"))
        self.site.refresh_from_db()
        risk = record_of(self.site).risk
        assert risk is not None
        frost = frost_of(self.site)
        assert frost is not None
        self.assertEqual((self.site.frost_by, frost.last, frost.first), ("record", risk.last, risk.first))
        with CaptureQueriesContext(connection) as asked:
            self.client.get(self.url())
        self.assertLessEqual(len(asked), 5)  # session, person, time zone, site, record: fewer where some are kept

    def test_every_page_goes_by_one_frost(self) -> None:
        """Typed 5 March and 25 November; a record of three winters does not outvote them, one of nine does, unless a person says so."""
        Site.objects.filter(pk=self.site.pk).update(last_frost="03-05", first_frost="11-25")
        read_station(Site.objects.get(pk=self.site.pk), UNTIL, years=4)
        site = Site.objects.get(pk=self.site.pk)
        short = frost_of(site)
        assert short is not None
        self.assertEqual((short.source, short.last[0.5], short.last[0.1], short.first[0.1]), ("typed", "03-05", "03-18", "11-12"))
        self.assertContains(self.client.get(self.url()), "is too short to outvote them")
        tunnel = frost_of(site, "tunnel")
        assert tunnel is not None
        self.assertEqual((tunnel.last[0.5], tunnel.first[0.5], tunnel.moved), ("02-19", "12-09", 14))
        keep_days(site, simulated_days(53.4, date(2016, 1, 1), 3650, seed=3, gaps=False), "sheet")
        long = frost_of(Site.objects.get(pk=self.site.pk))
        assert long is not None
        self.assertEqual(long.source, "record")
        self.client.post(self.url("take-frost"), {"by": "typed"})
        chosen = frost_of(Site.objects.get(pk=self.site.pk))
        assert chosen is not None
        self.assertEqual((chosen.source, chosen.last[0.5]), ("typed", "03-05"))

    def test_the_page_is_read_in_fahrenheit_and_inches_by_those_who_use_them(self) -> None:
        keep_days(
            self.site, [Day(date(2026, 5, 1) + timedelta(days=n), 10.0, 20.0, 25.4 if n == 0 else 0.0) for n in range(10)], "sheet"
        )
        url = reverse("grounds:weather", args=[self.site.pk])
        asked = {"base": "50", "upper": "86", "since": "2026-05-01"}
        metric = self.client.get(url, asked | {"base": "10", "upper": "30"})
        self.assertContains(metric, "50 °C·days from 1 May 2026")
        self.assertContains(metric, '<td class="num">25.4</td>')
        User.objects.update(imperial=True)
        page = self.client.get(url, asked)
        self.assertContains(page, "90 °F·days from 1 May 2026")
        for figure in ("Mean lowest, °F", '<td class="num">50.0</td>', '<td class="num">68.0</td>', '<td class="num">1.0</td>'):
            self.assertContains(page, figure)

    def test_a_site_without_a_record_offers_the_first_step(self) -> None:
        self.assertContains(self.client.get(self.url()), "No weather on record")
        self.client.post(self.url("take-frost"))
        self.site.refresh_from_db()
        self.assertEqual((self.site.last_frost, self.site.frost_by), ("", ""))

    def test_a_sheet_takes_the_place_of_what_was_there(self) -> None:
        keep_days(self.site, [Day(date(2026, 5, 1), 1.0, 9.0)], "station")
        self.assertEqual(self.sheet("date;tmin;tmax;rain_mm\n2026-05-01;2,5;11;0\n02.05.2026;3;12;\n").status_code, 302)
        rows = list(WeatherDay.objects.values_list("day", "tmin", "rain_mm", "source"))
        self.assertEqual(rows, [(date(2026, 5, 1), 2.5, 0.0, "sheet"), (date(2026, 5, 2), 3.0, None, "sheet")])

    def test_every_bad_cell_is_named_and_nothing_is_kept(self) -> None:
        answer = self.sheet("date,tmin,tmax\n2026-05-01,9,4\n2026-13-01,1,9\n2026-05-03,cold,9\n2026-05-03,1,99\n2999-01-01,1,9\n")
        for said in ("at most the highest of the day, 4 °C", "2026-13-01", "cold", "each day once", "-70 to 60 °C", "2999-01-01"):
            self.assertContains(answer, said, status_code=422)
        self.assertContains(answer, "2026-05-03,cold,9", status_code=422)
        for text in ("", "day,low\n1,2\n", "date,tmin,tmax\n"):
            self.assertEqual(self.sheet(text).status_code, 422)
        png = SimpleUploadedFile("x.csv", b"\x89PNG\r\n\x1a\n\x00")
        self.assertContains(self.client.post(self.url("bring-in-weather"), {"file": png}), "not a text file", status_code=422)
        self.assertEqual(WeatherDay.objects.count(), 0)

    def test_only_a_manager_changes_the_record(self) -> None:
        self.client.force_login(world.person("helper"), backend="django.contrib.auth.backends.ModelBackend")
        for name in ("read-station", "bring-in-weather", "take-frost"):
            self.assertEqual(self.client.post(self.url(name)).status_code, 403)
        self.assertEqual(self.client.get(self.url()).status_code, 200)

    def test_absurd_degree_days(self) -> None:
        read_station(self.site, UNTIL, years=1)
        page = self.client.get(self.url(), {"base": "20", "upper": "10", "since": "soon"})
        self.assertContains(page, "Expected more than 20 °C.")
        self.assertContains(page, "Expected a date such as")
        self.assertEqual(read_weather_sheet("date,tmin,tmax\n,1,2\n", UNTIL).problems[0].column, "date")
